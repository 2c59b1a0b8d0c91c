"""What a library says of a wrong key, as a person would: what is wrong with it, and the cure."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from unitone.words import N_, tr

_PLAIN = {
    "extra_forbidden": N_("this key is not known here. Remove it or check its spelling."),
    "missing": N_("is missing. Add it."),
    "union_tag_not_found": N_("says no kind. Add a line with its kind."),
}
#: What stands there instead of what is wanted, by the library's name of the problem.
_WANTED = {
    "float_type": N_("a number"), "float_parsing": N_("a number"), "int_type": N_("a whole number"), "int_parsing": N_("a whole number"),
    "int_from_float": N_("a whole number"), "string_type": N_("a text in quotes"), "bool_type": N_("true or false"),
    "bool_parsing": N_("true or false"), "list_type": N_("a list in square brackets"), "tuple_type": N_("a list in square brackets"),
    "dict_type": N_("a table"), "model_type": N_("a table"), "model_attributes_type": N_("a table"), "finite_number": N_("a finite number"),
}  # fmt: skip


def cure_of(problem: Mapping[str, Any]) -> str:
    """The words for one problem of a file's shapes, as pydantic lists it (``ValidationError.errors()``)."""
    kind, context = problem["type"], problem.get("ctx") or {}
    if kind in _PLAIN:
        return _PLAIN[kind]
    if kind == "too_short" and problem.get("loc") == ("step",):
        return tr("there is nothing in it yet. Add the first step.")
    return f"{_wanted(kind, problem['msg'], context)} (found {_shown(problem.get('input'))})."


def _wanted(kind: str, message: str, context: Mapping[str, Any]) -> str:
    if kind in _WANTED:
        return tr("{wanted} belongs here", wanted=_WANTED[kind])
    if kind in ("greater_than", "greater_than_equal"):
        return (
            tr("must be more than {context:g}", context=context["gt"])
            if kind == "greater_than"
            else tr("must be {context:g} or more", context=context["ge"])
        )
    if kind in ("less_than", "less_than_equal"):
        return (
            tr("must be less than {context:g}", context=context["lt"])
            if kind == "less_than"
            else tr("must be {context:g} or less", context=context["le"])
        )
    if kind in ("literal_error", "union_tag_invalid"):
        choices = str(context.get("expected") or context.get("expected_tags")).replace("'", "")
        return tr("must be one of: {replace}", replace=choices.replace(" or ", ", "))
    if kind in ("too_short", "too_long"):
        ends = (
            (tr("at least"), context.get("min_length"))
            if kind == "too_short"
            else (tr("at most"), context.get("max_length"))
        )
        return tr("must hold {ends} {ends2} of them", ends=ends[0], ends2=ends[1])
    return message.removeprefix("Value error, ")


def _shown(given: object) -> str:
    shown = f'"{given}"' if isinstance(given, str) else repr(given)
    return shown if len(shown) < 60 else shown[:57] + "…"
