"""Frequencies: counts traced to their oscillators, which trimmer is turned while which point is watched, the VCO's law."""
