"""Sweeping through a peak: the hand turns without stopping, and only the reading over time is seen."""
