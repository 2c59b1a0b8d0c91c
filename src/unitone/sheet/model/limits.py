"""Limits as people write them: ``≥ 12 dB``, ``2.0 … 4.0 V``, ``10.240 MHz ± 5 ppm``."""

from __future__ import annotations

import re
from dataclasses import replace

from unitone.errors import EntryError
from unitone.quantities.entry import EXPECTED, parse_entry, parse_si
from unitone.quantities.registry import Quantity
from unitone.radio.levels import canonical
from unitone.sheet.model.sheet import Limit
from unitone.words import tr

_FORMS = "≥ 12 dB, ≤ 0.5 uV, 2.0 … 4.0 V, or 8.0 V ± 0.2 V (also ± 5 %, ± 5 ppm, ± 1 dB)"
_BETWEEN = re.compile(r"\s*(?:…|\.\.+|\bto\b|–|—)\s*")
_ABOUT = re.compile(r"\s*(?:±|\+/-|\+-)\s*")
_LEAST = re.compile(r"^(?:≥|>=|>|min\.?\s|at least\s)\s*(.+)$", re.IGNORECASE)
_MOST = re.compile(r"^(?:≤|<=|<|max\.?\s|at most\s)\s*(.+)$", re.IGNORECASE)
_UNIT = re.compile(r"^[+\-−]?[\d.,]+(?:e[+-]?\d+)?\s*([^\d\s].*)$", re.IGNORECASE)
_BARE = re.compile(r"^[\d.,]+$")
#: Six decibels each, under S9 (IARU Region 1 R.1).
_S_UNITS = re.compile(r"^([\d.,]+)\s*S(?:[- ]?units?)?$", re.IGNORECASE)
_UNIT_OF_KIND = {
    "volts": "V",
    "amps": "A",
    "watts": "W",
    "hertz": "Hz",
    "hertz-error": "Hz",
    "percent": "%",
    "scale": "div",
}


def limit_from_text(text: str) -> dict[str, str]:
    """The keys of a limit (min, max, nominal, tolerance) from one line. Raises EntryError naming the forms.

    A unit written once serves both ends: ``2.0 … 4.0 V``.
    """
    plain = text.strip()
    if not plain:
        raise EntryError.not_understood(text, tr("a limit, like {forms}", forms=_FORMS))
    about = _ABOUT.split(plain)
    if len(about) == 2 and all(about):
        return {"nominal": about[0], "tolerance": about[1]}
    ends = _BETWEEN.split(plain)
    if len(ends) == 2 and all(ends):
        low, high = ends
        if _UNIT.match(low) is None and (unit := _UNIT.match(high)) is not None:
            low = f"{low} {unit[1]}"
        return {"min": low, "max": high}
    if match := _LEAST.match(plain):
        return {"min": match[1]}
    if match := _MOST.match(plain):
        return {"max": match[1]}
    raise EntryError.not_understood(text, tr("a limit, like {forms}", forms=_FORMS))


def limit_to_text(given: dict[str, str]) -> str:
    """One line from the keys of a limit; the inverse of ``limit_from_text`` for what a line can say."""
    if "nominal" in given:
        return given["nominal"] + (f" ± {given['tolerance'].lstrip('± ')}" if "tolerance" in given else "")
    if "min" in given and "max" in given:
        return f"{given['min']} … {given['max']}"
    return f"≥ {given['min']}" if "min" in given else f"≤ {given['max']}" if "max" in given else ""


def value_of(text: str, q: Quantity) -> float:
    """A value of the quantity in its canonical unit. Raises EntryError."""
    typed = parse_entry(text, q.kind)
    if typed.value is None or typed.bound:
        raise EntryError.not_understood(text, EXPECTED[q.kind])
    if q.id == "tx.deviation" and typed.bare and 0 < typed.value < 100:
        # In sheets, too, deviation is spoken of in kilohertz.
        typed = replace(typed, value=typed.value * 1e3)
    return canonical(typed, q)


def make_limit(given: dict[str, str], q: Quantity) -> Limit:
    """The limit in canonical units. Raises EntryError where ends are missing, of another kind, or exchanged."""
    low = value_of(given["min"], q) if "min" in given else None
    high = value_of(given["max"], q) if "max" in given else None
    nominal = value_of(given["nominal"], q) if "nominal" in given else None
    if "tolerance" in given:
        if nominal is None:
            raise EntryError(tr("a tolerance needs a nominal. Add one."))
        below, above = tolerance(given["tolerance"], nominal, q)
        low = nominal - below if low is None else low
        high = nominal + above if high is None else high
    if low is None and high is None:
        raise EntryError(tr("has no end. Give one like {forms}.", forms=_FORMS))
    if low is not None and high is not None and low > high:
        raise EntryError(tr("min lies above max, so nothing can hold. Exchange them."))
    if nominal is not None and ((low is not None and nominal < low) or (high is not None and nominal > high)):
        raise EntryError(tr("the nominal lies outside its own limits. Correct one of them."))
    return Limit(low, high, nominal)


def tolerance(text: str, nominal: float, q: Quantity) -> tuple[float, float]:
    """How far below and above ``nominal`` (canonical units) a tolerance reaches. Raises EntryError.

    Absolute in the quantity's unit, in per cent, ppm or dB; dB of a power are
    ratios, so its two sides differ.
    """
    plain = text.strip().lstrip("±").strip()
    unit = _UNIT_OF_KIND.get(q.kind, "dB")
    if q.kind == "s-units":
        if (units := _S_UNITS.match(plain)) is not None:
            size = 6.0 * parse_si(units[1], "")
            return size, size
        if _BARE.match(plain):
            raise EntryError(
                tr("a tolerance of {plain} may be dB or S-units. Write {plain} dB, or {plain} S.", plain=plain)
            )
    match = re.match(r"^([\d.,]+)\s*(%|ppm|dB)$", plain)
    if match is None:
        size = parse_si(plain, unit)
        if size < 0:
            raise EntryError.impossible(text, tr("a tolerance has no sign of its own."))
        return size, size
    size = parse_si(match[1], "")
    if match[2] == "%" and q.kind == "percent":
        return size, size
    if match[2] == "%" and q.kind not in ("level", "ratio-db", "s-units", "dbc", "gain-db"):
        return abs(nominal) * size / 100.0, abs(nominal) * size / 100.0
    if match[2] == "ppm" and q.kind in ("hertz", "volts", "amps", "watts"):
        return abs(nominal) * size * 1e-6, abs(nominal) * size * 1e-6
    if match[2] == "dB" and q.kind == "watts":
        return nominal * (1 - 10 ** (-size / 10)), nominal * (10 ** (size / 10) - 1)
    if match[2] == "dB" and q.kind in ("volts", "amps"):
        return abs(nominal) * (1 - 10 ** (-size / 20)), abs(nominal) * (10 ** (size / 20) - 1)
    if match[2] == "dB" and q.kind in ("level", "ratio-db", "s-units", "dbc", "gain-db"):
        return size, size
    raise EntryError.wrong_unit(text, match[2], tr("a tolerance of {title}, in {unit}", title=q.title, unit=unit))
