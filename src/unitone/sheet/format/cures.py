"""What a library says of a wrong key, as a person would: what is wrong with it, and the cure."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

_PLAIN = {
    "extra_forbidden": "this key is not known here. Remove it or check its spelling.",
    "missing": "is missing. Add it.",
    "union_tag_not_found": "says no kind. Add a line with its kind.",
}
#: What stands there instead of what is wanted, by the library's name of the problem.
_WANTED = {
    "float_type": "a number", "float_parsing": "a number", "int_type": "a whole number", "int_parsing": "a whole number",
    "int_from_float": "a whole number", "string_type": "a text in quotes", "bool_type": "true or false",
    "bool_parsing": "true or false", "list_type": "a list in square brackets", "tuple_type": "a list in square brackets",
    "dict_type": "a table", "model_type": "a table", "model_attributes_type": "a table", "finite_number": "a finite number",
}  # fmt: skip


def cure_of(problem: Mapping[str, Any]) -> str:
    """The words for one problem of a file's shapes, as pydantic lists it (``ValidationError.errors()``)."""
    kind, context = problem["type"], problem.get("ctx") or {}
    if kind in _PLAIN:
        return _PLAIN[kind]
    if kind == "too_short" and problem.get("loc") == ("step",):
        return "there is nothing in it yet. Add the first step."
    return f"{_wanted(kind, problem['msg'], context)} (found {_shown(problem.get('input'))})."


def _wanted(kind: str, message: str, context: Mapping[str, Any]) -> str:
    if kind in _WANTED:
        return f"{_WANTED[kind]} belongs here"
    if kind in ("greater_than", "greater_than_equal"):
        return (
            f"must be more than {context['gt']:g}" if kind == "greater_than" else f"must be {context['ge']:g} or more"
        )
    if kind in ("less_than", "less_than_equal"):
        return f"must be less than {context['lt']:g}" if kind == "less_than" else f"must be {context['le']:g} or less"
    if kind in ("literal_error", "union_tag_invalid"):
        choices = str(context.get("expected") or context.get("expected_tags")).replace("'", "")
        return f"must be one of: {choices.replace(' or ', ', ')}"
    if kind in ("too_short", "too_long"):
        ends = (
            ("at least", context.get("min_length")) if kind == "too_short" else ("at most", context.get("max_length"))
        )
        return f"must hold {ends[0]} {ends[1]} of them"
    return message.removeprefix("Value error, ")


def _shown(given: object) -> str:
    shown = f'"{given}"' if isinstance(given, str) else repr(given)
    return shown if len(shown) < 60 else shown[:57] + "…"
