"""Calculators, each named by the question it answers: one typed registry (``catalogue``) for window and command line."""
