"""A logbook in a file: SQLite."""
