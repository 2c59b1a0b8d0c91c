"""Alignment sheets: the model, the file format, conventions, editing, the library."""
