"""What is typed into a calculator: read in its unit, held against what can be, and worked out; answers that are no numbers are refused."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from unitone.calculators.calculator import Answer, Calculator, Given
from unitone.errors import EntryError, UnitoneError
from unitone.quantities.entry import parse_si
from unitone.words import tr


def si_text(value: float, unit: str, figures: int = 4) -> str:
    """A value with its prefix, so many figures, the prefix chosen after rounding."""
    if value == 0 or not math.isfinite(value):
        return f"{value:g} {unit}"
    rounded = float(f"{value:.{figures}g}")
    power = max(-12, min(9, 3 * math.floor(math.log10(abs(rounded)) / 3)))
    prefix = {-12: "p", -9: "n", -6: "µ", -3: "m", 0: "", 3: "k", 6: "M", 9: "G"}[power]
    return f"{rounded / 10.0**power:.{figures}g} {prefix}{unit}".replace("-", "−")


def work_out(chosen: Calculator, typed: Mapping[str, str]) -> list[Answer]:
    """The answers for what is typed. Raises UnitoneError: what is missing, not understood, or cannot be."""
    unknown = sorted(set(typed) - {g.key for g in chosen.given})
    if unknown:
        raise EntryError(
            tr(
                "{name} takes no “{unknown}”. It takes: {list}.",
                name=chosen.name,
                unknown=unknown[0],
                list=", ".join(g.key for g in chosen.given),
            )
        )
    values: dict[str, Any] = {}
    for g in chosen.given:
        text = typed.get(g.key, "").strip() or g.usual
        if not text and not g.optional:
            raise EntryError(tr("Missing: {what} ({hint}).", what=g.words, hint=g.hint))
        values[g.key] = _read(g, text)
    try:
        answers = chosen.work(values)
    except (ValueError, ZeroDivisionError, OverflowError) as error:
        raise EntryError(tr("Not possible: {error}.", error=str(error))) from None
    if any(a.value is not None and not math.isfinite(a.value) for a in answers if a.key not in _MAY_BE_ENDLESS):
        raise EntryError(tr("No result from these values. Check their units."))
    return answers


#: Answers that may be without bound, and say so in words.
_MAY_BE_ENDLESS = frozenset({"margin_v"})


def _read(g: Given, text: str) -> Any:
    if g.choices:
        text = dict(g.aliases).get(text.lower(), text)
        if text not in {key for key, _ in g.choices}:
            raise EntryError(
                tr(
                    "{words}: “{what}” is none of {list}.",
                    words=g.words,
                    what=text,
                    list=", ".join((key for key, _ in g.choices)),
                )
            )
        return text
    if g.unit == "text":
        return text
    if not text:
        return None
    try:
        value = parse_si(text, g.unit)
    except UnitoneError as error:
        raise EntryError(f"{g.words}: {error}") from None
    least, most = g.bounds
    if g.whole and value != round(value):
        raise EntryError(
            tr(
                "{what}: “{text}” is not a whole number. Expected one like {hint}.",
                what=g.words,
                text=text,
                hint=g.hint or "1",
            )
        )
    if not least <= value <= most:
        raise EntryError(
            tr("{what}: “{text}” is out of range: expected {least} to {most}{like}.", what=g.words, text=text, least=_bound(least, g.unit),
               most=_bound(most, g.unit), like=tr(", like {hint}", hint=g.hint) if g.hint else "")
        )  # fmt: skip
    return value


def _bound(value: float, unit: str) -> str:
    return si_text(value, unit.replace("ohm", "Ω"), 3).strip() if unit else f"{value:g}".replace("-", "−")
