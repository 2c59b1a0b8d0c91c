"""Unitone: the alignment bench of a technician who restores CB and vintage radios."""

__version__ = "0.1.0"
