"""Nulls: a balance or a trap as deep as it goes, and the detector's S-curve whose middle is the cleanest place."""
