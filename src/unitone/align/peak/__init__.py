"""Peaking one adjuster after another: the hill's posterior, the next move, cores that have no hill, peaking by ear."""
