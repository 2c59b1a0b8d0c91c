"""Coils brought even over several places of a band."""
