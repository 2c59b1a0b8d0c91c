"""The bench that a job is worked on: ports, instruments and what is known of them, generator, pads and load."""
