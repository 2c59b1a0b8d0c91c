"""A job: its log, entry by entry, and the state, verdicts and histories that follow from it."""
