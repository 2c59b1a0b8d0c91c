"""Conversions: which channels are wanted, what each way to them takes, and what the synthesiser makes of it."""
