"""What a library says of a wrong key, as a person would: what is wrong with it, and the cure."""

from __future__ import annotations


def cure_of(kind: str, message: str, given: object) -> str:
    """The words for one problem of a file's shapes: pydantic's ``kind`` and ``message``, and what was ``given``."""
    if kind == "extra_forbidden":
        return "this key is not known here. Remove it or check its spelling."
    if kind == "missing":
        return "is missing. Add it."
    if kind == "too_short":
        return "there is nothing in it yet. Add the first step."
    shown = repr(given)
    return f"{message.removeprefix('Value error, ')} (found {shown if len(shown) < 60 else shown[:57] + '…'})."
