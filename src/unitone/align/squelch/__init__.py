"""The squelch over its control, and one preset with two ends."""
