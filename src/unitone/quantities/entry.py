"""Number entry: what a technician types, turned into a value, a bound or a word.

The decimal mark is normalised first (``0,31`` is 0.31, never 31), digit grouping
is refused, and SI prefixes are read by QuantiPhy. Nothing here knows ohms or
S-units: a level comes back in the unit that was typed (see ``unitone.radio.levels``).
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

from quantiphy import Quantity as SiQuantity

from unitone.errors import EntryError
from unitone.quantities.registry import Kind
from unitone.words import N_, tr

Bound = Literal["", "<", ">"]

#: Words that stand for a reading, with the spellings understood.
WORDS: dict[str, str] = {
    "locks": N_("locks"), "locked": N_("locks"), "lock": N_("locks"), "unlocked": N_("no lock"), "no lock": N_("no lock"),
    "pegged": N_("pegged"), "full scale": N_("pegged"), "nothing": N_("nothing"), "dead": N_("nothing"),
    "never opens": N_("never opens"), "never": N_("never opens"), "always open": N_("always open"),
    "yes": N_("yes"), "y": N_("yes"), "no": N_("no"), "n": N_("no"),
    "louder": N_("louder"), "softer": N_("softer"), "same": N_("same"),
    "too high": N_("too high"), "too low": N_("too low"), "natural": N_("natural"),
}  # fmt: skip

#: Which words make sense for which kind of quantity.
WORDS_OF_KIND: dict[Kind, frozenset[str]] = {
    "volts": frozenset({"pegged", "nothing", "locks", "no lock"}),
    "amps": frozenset({"pegged", "nothing"}),
    "watts": frozenset({"pegged", "nothing"}),
    "hertz": frozenset({"no lock", "nothing"}),
    "hertz-error": frozenset({"no lock", "nothing", "too high", "too low", "natural"}),
    "ratio-db": frozenset({"pegged", "nothing", "louder", "softer", "same"}),
    "percent": frozenset({"pegged"}),
    "level": frozenset({"never opens", "always open", "nothing"}),
    "s-units": frozenset({"pegged", "nothing"}),
    "dbc": frozenset({"nothing"}),
    "gain-db": frozenset({"nothing"}),
    "scale": frozenset({"pegged", "nothing"}),
}

#: The form expected for each kind, with an example, for error messages and field hints.
EXPECTED: dict[Kind, str] = {
    "volts": N_("volts, like 8.02 or 850 mV"),
    "amps": N_("a current, like 350 mA or 1.2 A"),
    "watts": N_("watts, like 3.9 or 250 mW"),
    "hertz": N_("a frequency, like 10.240012 MHz or 1,9 kHz"),
    "hertz-error": N_("hertz off, like -31 or +0.2 kHz, or the counter's reading in MHz"),
    "ratio-db": N_("decibels, like 9.8 (a scale that prints -12 means 12)"),
    "percent": N_("per cent, like 1.4"),
    "level": N_("a level, like 0,31 uV or -117 dBm, or <0.06 uV"),
    "s-units": N_("an S-meter reading, like S7, S9+10 or 9"),
    "dbc": N_("decibels under the carrier, like -64 or 64 dBc"),
    "gain-db": N_("decibels, less with a minus sign, like -3.5"),
    "scale": N_("a figure of the scale, like 6.5"),
}

#: Typed unit (lower case, µ as u) -> (unit family, canonical spelling)
_UNITS: dict[Kind, dict[str, str]] = {
    "volts": {"v": "V"},
    "amps": {"a": "A"},
    "watts": {"w": "W", "dbm": "dBm"},
    "hertz": {"hz": "Hz"},
    "hertz-error": {"hz": "Hz"},
    "ratio-db": {"db": "dB"},
    "percent": {"%": "%"},
    "level": {"v": "V", "vemf": "V EMF", "dbm": "dBm", "dbuv": "dBuV", "dbuvemf": "dBuV EMF"},
    "s-units": {"db": "dB"},
    "dbc": {"dbc": "dBc", "db": "dBc"},
    "gain-db": {"db": "dB"},
    "scale": {"div": "div"},
}
#: What a bare number means.
_BARE: dict[Kind, tuple[str, float]] = {
    "volts": ("V", 1.0), "amps": ("A", 1.0), "watts": ("W", 1.0), "hertz": ("Hz", 1.0), "hertz-error": ("Hz", 1.0),
    "ratio-db": ("dB", 1.0), "percent": ("%", 1.0), "level": ("V", 1e-6), "s-units": ("S", 1.0), "dbc": ("dBc", 1.0),
    "gain-db": ("dB", 1.0), "scale": ("div", 1.0),
}  # fmt: skip
_RKM = re.compile(r"^([+-]?\d+)([pnumkMGR])(\d+)$", re.ASCII)
_NUMBER = re.compile(r"^([+-]?(?:\d+(?:\.\d*)?|\.\d+)(?:e[+-]?\d+)?)\s*(.*)$", re.IGNORECASE | re.ASCII)
_S_READING = re.compile(r"^s\s*([0-9](?:\.\d+)?)\s*(?:\+\s*(\d+(?:\.\d+)?)\s*(?:db)?)?$", re.IGNORECASE | re.ASCII)


@dataclass(frozen=True)
class Typed:
    """What was typed: a number in ``unit`` (maybe a bound), or a ``word``."""

    value: float | None
    unit: str
    bound: Bound = ""
    word: str = ""
    bare: bool = False


def normalise(text: str) -> str:
    """One decimal mark, plain minus and micro signs. Raises EntryError on digit grouping (``1,234.5``)."""
    plain = text.strip().replace("−", "-").replace("–", "-").replace("µ", "u").replace("μ", "u").replace("Ω", "ohm")
    if re.search(r"\d[.,'’ \u00a0\u202f]\d+[.,]\d", plain) or re.search(r"\d['’\u00a0\u202f ]\d", plain):
        raise EntryError.not_understood(text, tr("a number without digit grouping, like 1234.5 or 1234,5"))
    return re.sub(r"(?<=\d),(?=\d)|(?<=\d),(?=\s|$|[a-zA-Z%])|(?<![\d.]),(?=\d)", ".", plain)


@lru_cache(maxsize=8192)
def parse_si(text: str, unit: str) -> float:
    """A number with an SI prefix and the unit ``unit`` (or none), e.g. ``27.205M``, ``4k7``, ``0,3 uV``.

    Returns the value in the plain unit. Raises EntryError.
    """
    plain = normalise(text)
    number, given = _split(plain, text, tr("a number in {unit}", unit=unit) if unit else tr("a plain number"))
    expected = tr("{unit}, with or without a prefix", unit=unit) if unit else tr("a plain number")
    value, base = _with_prefix(number, given, {unit.lower(): unit} if unit else {}, text, expected)
    if base not in ("", unit):
        raise EntryError.wrong_unit(text, given, unit)
    return value


def written_step(text: str) -> float | None:
    """How fine a number was written: one of its last place against the whole (``62 mV``: 1 in 62). None for zero, or without a number."""
    try:
        found = re.search(r"\d+(?:\.(\d+))?", normalise(text))
    except EntryError:
        return None
    number = 0.0 if found is None else float(found[0])
    return None if found is None or not number else 10.0 ** -len(found[1] or "") / number


@lru_cache(maxsize=8192)
def parse_entry(text: str, kind: Kind, shown: str = "") -> Typed:
    """Parse a typed reading for a quantity of ``kind``.

    Returns value and unit as typed, prefix applied (``0,31 uV`` is 3.1e-7 V). A number without a unit is in
    ``shown``, the unit that stands beside the field (``mA``, ``kHz``); without one in the plain unit.
    Raises EntryError naming the expected form; nothing is ever clamped.
    """
    expected = EXPECTED[kind]
    plain = normalise(text)
    if not plain:
        raise EntryError.not_understood(text, expected)
    word = WORDS.get(plain.lower()) or next((w for w in WORDS.values() if tr(w).lower() == plain.lower()), None)
    if word is not None:
        if word not in WORDS_OF_KIND[kind]:
            raise EntryError.not_understood(text, expected)
        return Typed(None, "", word=word)
    bound: Bound = ""
    if plain[0] in "<>":
        bound = "<" if plain[0] == "<" else ">"
        plain = plain[1:].strip()
    if kind == "s-units" and (match := _S_READING.match(plain)):
        over = float(match[2]) if match[2] else 0.0
        if over and float(match[1]) != 9:
            raise EntryError.not_understood(text, expected)
        return Typed((float(match[1]) - 9.0) * 6.0 + over, "dB over S9", bound)
    number, given = _split(plain, text, expected)
    value, unit = _with_prefix(number, given, _UNITS[kind], text, expected)
    bare = unit == ""
    if bare:
        unit, scale = _BARE[kind]
        value = value * scale if kind == "level" else _from_shown(value, shown)
    if kind == "s-units":
        value = (value - 9.0) * 6.0 if unit == "S" else value
        unit = "dB over S9"
    if kind == "ratio-db":
        # SINAD scales print the ratio with a minus sign; by definition it is not below 0 dB.
        value = abs(value)
    if kind == "dbc":
        # Said as “64 down” or printed as −64: a harmonic is always under its carrier.
        value = -abs(value)
    return Typed(value, unit, bound, bare=bare)


def _from_shown(value: float, shown: str) -> float:
    """A number in a unit of the screen in the plain unit. Divided, not multiplied by 0.001: 350 mA are 0.35 A exactly, as a limit has it."""
    return value / 1e3 if shown in ("mA", "mV") else value * {"kHz": 1e3, "MHz": 1e6}.get(shown, 1.0)


def _split(plain: str, text: str, expected: str) -> tuple[str, str]:
    if match := _RKM.match(plain):
        prefix = "" if match[2] == "R" else match[2]
        return f"{match[1]}.{match[3]}", prefix
    match = _NUMBER.match(plain)
    if match is None:
        raise EntryError.not_understood(text, expected)
    if not math.isfinite(float(match[1])):
        raise EntryError.not_understood(text, expected)
    return match[1], match[2].strip()


def _with_prefix(number: str, given: str, units: dict[str, str], text: str, expected: str) -> tuple[float, str]:
    """Split ``given`` into prefix and unit; QuantiPhy scales the number by the prefix."""
    squeezed = given.replace(" ", "")
    lowered = squeezed.lower()
    if lowered in ("", *units):
        return float(number), units.get(lowered, "")
    for spelling in sorted([*units, ""], key=len, reverse=True):
        if spelling and not lowered.endswith(spelling):
            continue
        prefix = squeezed[: len(squeezed) - len(spelling)] if spelling else squeezed
        if len(prefix) == 1 and prefix in "fpnumkMGT" and not lowered.startswith("db"):
            # "mV" and "MHz" differ by case alone; hertz are never milli on this bench.
            if prefix == "m" and (spelling == "hz" or (not spelling and "hz" in units)):
                prefix = "M"
            return float(SiQuantity(f"{number}{prefix}x", "x")), units.get(spelling, "")
    raise EntryError.wrong_unit(text, given, expected)


def decibels(text: str) -> tuple[float, ...]:
    """``20+20`` as two pads (dB); nothing for none. Raises EntryError."""
    # Pads may be written with their unit, and with the names that the bench gives them: A 20; B 20 dB.
    plain = re.sub(r"(?<=\d)\s*dB\b|\b[A-Za-z]\w*\s+(?=\d)", "", text, flags=re.IGNORECASE)
    parts = [p for p in plain.replace(";", "+").replace(" ", "+").split("+") if p]
    values = tuple(parse_si(p, "dB") for p in parts)
    if any(not 0 < v <= 160 for v in values) or len(values) > 12:
        raise EntryError(tr("A pad is between 0 and 160 dB: write 40, or 20+20 for two."))
    return values
