"""Guided calibrations of the bench itself: their arithmetic, and the guides as data."""
