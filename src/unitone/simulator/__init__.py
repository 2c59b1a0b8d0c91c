"""Simulated radios and instruments: built from the trade's arithmetic and a physics file, measured as real ones are."""
