"""Practice: exercises on simulated radios, the bench as it is, a score from the log and the physics. Window and command line alone know it."""
