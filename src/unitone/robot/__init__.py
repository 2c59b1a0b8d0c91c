"""The robot technician: follows the coach to the letter on simulated radios, and the referee that judges what came of it."""
