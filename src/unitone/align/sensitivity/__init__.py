"""The level at which a radio gives its mark, from a few readings."""
