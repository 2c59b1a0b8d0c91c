"""Setting to a value: the target of a preset or a core, how far a move may go under the ratings, and the final's heat."""
