"""The S-meter's chart: which levels or lamps are read, and what its shape says."""
