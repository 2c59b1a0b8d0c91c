"""The trade's arithmetic: pure functions on NumPy and SciPy."""
