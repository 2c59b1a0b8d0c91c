"""A job's card shown, and what earlier jobs tell."""
