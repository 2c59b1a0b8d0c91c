"""A logbook on a server: PostgreSQL."""
