"""What decides at the bench: from a job's state to the next move, a folder a subject.

``advise(state)`` in ``advise`` is the one way in; it returns a move (``moves``) and asks the subject that the step is about.
Everything here is a pure function of the state, so that a restart changes nothing, and says nothing: sentences are made in
``present``."""
