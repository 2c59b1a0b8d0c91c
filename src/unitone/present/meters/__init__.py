"""Measurements shown: pictures of audio, I/Q and lines, from a file or while it sounds."""
