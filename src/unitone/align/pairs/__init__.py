"""Coupled pairs: two cores that are one problem."""
