"""Instruments by wire: what a card says of one, the link to it, and the meter and generator that come of both."""
