"""Measuring sampled signals, simulated and real alike."""
