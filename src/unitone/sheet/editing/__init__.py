"""A sheet being written: the draft with its undo, the fields of its forms, how one radio differs from its sheet."""
