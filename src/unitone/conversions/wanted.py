"""Wanted channels as a technician writes them: ``26.515..27.855 step 0.01; alphas; -5kHz; 27.205; uk-40``."""

from __future__ import annotations

import re
from dataclasses import dataclass
from fractions import Fraction

from unitone.errors import EntryError
from unitone.quantities.entry import normalise, parse_si
from unitone.radio.channels import ALPHA_HZ, PLANS
from unitone.sheet.model.sheet import Sheet
from unitone.words import tr

#: More channels than this are a slip of the pen; and a bare figure under this is megahertz.
_MOST, _MEGAHERTZ_UNDER = 4000, 1e4
_RANGE = re.compile(
    r"^(?P<low>[^.…]+(?:\.\d+)?[^.…]*?)\s*(?:\.\.|…)\s*(?P<high>.+?)(?:\s+step\s+(?P<step>.+))?$", re.IGNORECASE
)
_SHIFT = re.compile(r"^[+-]\s*\d")
_STEP_HZ = 10_000


@dataclass(frozen=True)
class Wanted:
    """One channel that is wanted: its frequency (Hz), and how it is called."""

    hz: int
    name: str


def channels_of(sheet: Sheet) -> tuple[Wanted, ...]:
    """The channels that a radio has, lowest first, each frequency once."""
    found: dict[int, str] = {}
    bands: list[str | None] = [name for name, _ in sheet.plan.bands] or [None]
    for band in bands:
        for name in sheet.plan.names:
            found.setdefault(sheet.carrier_hz(name, band), " ".join(x for x in (band, name) if x))
    return tuple(Wanted(hz, name) for hz, name in sorted(found.items()))


def parse_wanted(text: str, sheet: Sheet) -> tuple[Wanted, ...]:
    """The wanted channels, lowest first, each frequency once. Raises EntryError: what, and in which form it is written."""
    found: dict[int, str] = {}
    parts = [p.strip() for p in text.split(";") if p.strip()]
    if not parts:
        raise EntryError(tr("Say which channels are wanted. Expected {expected}.", expected=_expected()))
    for part in parts:
        for w in _part(part, sheet):
            found.setdefault(w.hz, w.name)
            if len(found) > _MOST:
                raise EntryError.impossible(text, tr("that is more than {n} channels. Ask for fewer.", n=_MOST))
    return tuple(Wanted(hz, name) for hz, name in sorted(found.items()))


def _expected() -> str:
    return tr("channels, like 26.515..27.855 step 0.01; alphas; -5 kHz; 27.205")


def _part(part: str, sheet: Sheet) -> list[Wanted]:
    word = part.lower()
    if word in PLANS:
        return [Wanted(hz, f"{word} {name}") for name, hz in zip(PLANS[word].names, PLANS[word].hz, strict=True)]
    if word in ("alphas", "alpha", tr("alphas")):
        return _alphas(sheet)
    if _SHIFT.match(part):
        shift = _hz(part, part)
        if shift == 0:
            raise EntryError.not_understood(part, tr("a shift other than 0 Hz, like -5 kHz"))
        return [Wanted(w.hz + shift, f"{w.name}{shift / 1000:+g}k") for w in channels_of(sheet)]
    match = _RANGE.match(part)
    if match is None:
        hz = _hz(part, part)
        return [Wanted(hz, mhz(hz))]
    low, high = _hz(match["low"], part), _hz(match["high"], part)
    step = _hz(match["step"], part) if match["step"] else _STEP_HZ
    if step <= 0 or low > high:
        raise EntryError.not_understood(
            part, tr("a range from low to high with its step, like 26.515..27.855 step 0.01")
        )
    if (high - low) / step > _MOST:
        raise EntryError.impossible(part, tr("that is more than {n} channels. Ask for fewer.", n=_MOST))
    return [Wanted(hz, mhz(hz)) for hz in range(low, high + 1, step)]


def _alphas(sheet: Sheet) -> list[Wanted]:
    """The places that the plan skips, on every band."""
    own = set(sheet.plan.hz)
    bands: list[str | None] = [name for name, _ in sheet.plan.bands] or [None]
    made = []
    for band in bands:
        for name, hz in zip(sheet.plan.names, sheet.plan.hz, strict=True):
            if hz + ALPHA_HZ not in own and hz + 2 * ALPHA_HZ in own:
                label = " ".join(x for x in (band, f"{name}A") if x)
                made.append(Wanted(hz + sheet.plan.shift(band) + ALPHA_HZ, label))
    if not made:
        raise EntryError.impossible("alphas", tr("this plan skips no places."))
    return made


def _hz(text: str, whole: str) -> int:
    """A frequency or a step in whole hertz; a bare figure is megahertz."""
    plain = (
        normalise(text.replace(" ", "")).removesuffix("z").removesuffix("Z")
        if text.strip().lower().endswith("hz")
        else normalise(text)
    )
    bare = re.fullmatch(r"[+-]?\s*\d+(?:\.\d+)?", plain.strip())
    if bare is not None:
        value = Fraction(plain.replace(" ", ""))
        exact = value * 1_000_000 if abs(value) < _MEGAHERTZ_UNDER else value
    else:
        try:
            exact = Fraction(parse_si(text, "Hz")).limit_denominator(1000)
        except EntryError:
            raise EntryError(
                tr("“{text}” names no channels. Expected {expected}.", text=whole, expected=_expected())
            ) from None
    if exact <= 0 and not _SHIFT.match(text.strip()):
        raise EntryError(tr("“{text}” names no channels. Expected {expected}.", text=whole, expected=_expected()))
    if exact.denominator != 1 and abs(exact - round(exact)) > Fraction(1, 100):
        raise EntryError.not_understood(whole, tr("frequencies in whole hertz"))
    return round(exact)


def mhz(hz: int) -> str:
    """``27.205``, ``27.60125``: megahertz with as many decimals as it takes, three at least."""
    text = f"{hz / 1e6:.6f}".rstrip("0")
    return text if len(text.split(".")[1]) >= 3 else f"{hz / 1e6:.3f}"
