"""Where a generator is tuned when it does not feed the aerial socket: a figure, or a sum worked out by the mixing lines.

``455 kHz``, ``channel``, ``rx.if1``, ``rx.lo1 + 455 kHz``, ``channel + 1 kHz``: terms joined by + and −. A term is a frequency, the word
``channel``, an oscillator's id, an output of the mixing lines, or ``rx.if1`` and so on: what the first mixer makes of the channel,
what the second makes of that. A generator knows no sign: the size counts.
"""

from __future__ import annotations

import re
from fractions import Fraction
from typing import Final

from unitone.errors import EntryError
from unitone.quantities.entry import parse_si
from unitone.sheet.model.mixing_model import Place, outputs
from unitone.sheet.model.sheet import Conditions, Inject, Sheet, Way
from unitone.words import tr

#: (+1 or −1, a name or Hz) of each term.
Terms = tuple[tuple[int, str | float], ...]
CHANNEL = "channel"
#: In single sideband a generator's bare carrier stands beside the channel by the tone that is to be heard: above it, or below.
SIDES: Final = {"usb": 1.0, "lsb": -1.0}
_IF = re.compile(r"rx\.if(\d)")
_NOTHING: Final = Fraction(0)


def parse_terms(text: str) -> Terms:
    """The terms of a generator's frequency, names as they are written. Raises EntryError for what is no sum of terms."""
    parts = re.split(r"\s*([+−])\s*|\s+(-)\s+", f" {text.strip()}")
    parts = [p.strip() for p in parts if p is not None]
    parts = parts[1:] if not parts[0] else ["+", *parts]
    if len(parts) % 2 or not all(parts):
        raise EntryError(
            tr("{text!r}: write a frequency, or terms joined by + and −, like rx.lo1 + 455 kHz.", text=text)
        )
    made: list[tuple[int, str | float]] = []
    for sign, term in zip(parts[::2], parts[1::2], strict=True):
        made.append((1 if sign == "+" else -1, parse_si(term, "Hz") if term[0].isdigit() else term))
    return tuple(made)


def unknown_names(terms: Terms, names: frozenset[str]) -> list[str]:
    """Those names that are neither of ``names`` (oscillators and outputs of the mixing lines), nor ``channel``, nor an IF of them."""

    def known(name: str) -> bool:
        found = _IF.fullmatch(name)
        lines = all(f"rx.lo{k}" in names for k in range(1, int(found.group(1)) + 1)) if found else False
        return name == CHANNEL or name in names or lines

    return [t for _, t in terms if isinstance(t, str) and not known(t)]


def intermediate_hz(sheet: Sheet, place: Place, number: int, beside: Fraction = _NOTHING) -> Fraction | None:
    """The IF after so many mixers at a place, exactly, of what comes in ``beside`` (Hz) the channel; None where the mixing lines do not
    say. Raises SheetError."""
    if place.channel is None:
        return None
    made = {m.output: m.hz for m in outputs(sheet, place)}
    hz = Fraction(sheet.carrier_hz(place.channel, place.band)) + beside
    for k in range(1, number + 1):
        oscillator = made.get(f"rx.lo{k}")
        if oscillator is None:
            return None
        hz = abs(hz - oscillator)
    return hz


def injected_hz(sheet: Sheet, inject: Inject, conditions: Conditions) -> float | None:
    """Where the generator is tuned under these conditions (Hz); None where the sheet does not say. Raises SheetError."""
    return terms_hz(sheet, inject.terms, conditions) if inject.terms else inject.frequency_hz


def beside_hz(conditions: Conditions) -> float:
    """How far a generator stands beside the channel to be heard under these conditions (Hz): by its tone in single sideband, where on the
    channel itself it would beat with nothing and be silent."""
    if conditions.way == "transmit" or conditions.offset_hz is not None:
        return 0.0
    return SIDES.get((conditions.mode or "").lower(), 0.0) * (conditions.tone_hz or 0.0)


def terms_hz(sheet: Sheet, terms: Terms, conditions: Conditions) -> float | None:
    """What a sum of terms comes to under these conditions (Hz); None where the mixing lines do not say. ``channel`` and the IFs are where
    a signal that is heard stands, in single sideband beside the carrier by its tone. Raises SheetError."""
    names = sheet.plan.names
    way: Way = "transmit" if conditions.way == "transmit" else "receive"
    place = Place(way, conditions.band, conditions.mode, conditions.channel or names[len(names) // 2])
    made = {m.output: m.hz for m in outputs(sheet, place)}
    carrier = Fraction(sheet.carrier_hz(place.channel, place.band)) if place.channel is not None else Fraction(0)
    made |= {o.id: o.at(carrier) for o in sheet.oscillators if o.id not in made}
    beside = Fraction(beside_hz(conditions)).limit_denominator(1000)
    total = Fraction(0)
    for sign, term in terms:
        if isinstance(term, float):
            hz: Fraction | None = Fraction(term).limit_denominator(1000)
        elif term == CHANNEL:
            hz = carrier + beside
        else:
            found = _IF.fullmatch(term)
            hz = made.get(term) or (intermediate_hz(sheet, place, int(found.group(1)), beside) if found else None)
        if hz is None:
            return None
        total += sign * hz
    return abs(float(total))
