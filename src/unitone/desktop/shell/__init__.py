"""The frame of the window: start, pages, keys, the bench's thread, errands, troubles."""
