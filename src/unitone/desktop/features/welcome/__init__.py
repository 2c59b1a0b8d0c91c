"""The first evening: three questions, then the first radio."""
