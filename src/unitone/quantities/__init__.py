"""Measurable quantities: the registry, what is typed, what is shown."""
