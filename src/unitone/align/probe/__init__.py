"""Trials: an adjuster nudged and put back, to learn what it does or what it could gain."""
