"""The one loop: measure, append, fold, advise; and the commands that a hand gives it."""
