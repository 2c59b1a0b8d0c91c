"""The Trace view."""
