"""The views of the window, a folder a view."""
