"""A trimmer or preset whose range ends short of what is wanted: the part that puts the wanted value into its middle.

Crystal: f = fs + K/(C0 + Cp + Ct) with K = fs·C1/2 (IEC 60122-1, load resonance offset): the trimmer Ct in parallel with a
fixed padder Cp. Both ends of the trimmer, read, give fs and K for an assumed C0, which hardly matters: it stands beside Cp.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from itertools import combinations_with_replacement

from unitone.errors import UnitoneError
from unitone.radio.rails import preferred, preferred_between
from unitone.words import tr

#: Capacitance of a crystal's holder and electrodes (F) where it is not known: common practice, no source.
USUAL_C0 = 5e-12
#: A part that puts the wanted value within this share of the range from its middle will do without a second one.
NEAR_MIDDLE = 0.1
#: What may stand for a fixed capacitor across a crystal's trimmer (F).
_LEAST_F, _MOST_F = 1e-12, 1e-9


@dataclass(frozen=True)
class Pulled:
    """A crystal in its circuit as two readings make it: series resonance (Hz), K (Hz·F), and the C0 that was assumed (F)."""

    series_hz: float
    k: float
    c0: float

    def hz(self, padder_f: float, trimmer_f: float) -> float:
        """Frequency (Hz) with this padder and this much of the trimmer."""
        return self.series_hz + self.k / (self.c0 + padder_f + trimmer_f)

    @property
    def c1(self) -> float:
        """Motional capacitance (F): C1 = 2K/fs."""
        return 2.0 * self.k / self.series_hz


@dataclass(frozen=True)
class Advised:
    """A part that will do: its value, or values in parallel (resistors: in series), and the range that it gives.

    ``place``: where the wanted value lies in it, 0 at the low end, 1 at the high. ``watts``: what the part dissipates (0 for
    a capacitor).
    """

    values: tuple[float, ...]
    low: float
    high: float
    place: float
    watts: float = 0.0

    @property
    def total(self) -> float:
        """The values together."""
        return sum(self.values)

    @property
    def fits(self) -> bool:
        """Does the wanted value lie in the middle half of the range?"""
        return 0.25 <= self.place <= 0.75


def from_ends(
    least_hz: float, most_hz: float, padder_f: float, trimmer_f: tuple[float, float], c0_f: float = USUAL_C0
) -> Pulled:
    """A crystal from the frequencies at its trimmer's ends: ``least_hz`` with most capacitance. ``trimmer_f``: least and most (F).

    Raises UnitoneError where the readings are the wrong way round, alike, or no crystal's.
    """
    low_f, high_f = trimmer_f
    if not 0 <= low_f < high_f or padder_f < 0 or c0_f <= 0:
        raise UnitoneError(tr("A trimmer goes from minimum to maximum, like 5 to 30 pF. The padder is zero or more."))
    if not 0 < least_hz < most_hz:
        raise UnitoneError(tr("The lower frequency belongs to the trimmer's maximum. Check the two readings."))
    if most_hz - least_hz > 0.01 * least_hz:
        raise UnitoneError(
            tr(
                "{x:.1f} kHz of swing is more than a crystal is pulled. Check the units: are both in MHz?",
                x=(most_hz - least_hz) / 1000.0,
            )
        )
    k = (most_hz - least_hz) / (1.0 / (c0_f + padder_f + low_f) - 1.0 / (c0_f + padder_f + high_f))
    return Pulled(most_hz - k / (c0_f + padder_f + low_f), k, c0_f)


def padders(crystal: Pulled, wanted_hz: float, trimmer_f: tuple[float, float], most: int = 3) -> list[Advised]:
    """Fixed capacitors, best first, that bring ``wanted_hz`` to the middle of the trimmer's range: one E24 value, or two in parallel.

    None at all (a padder of zero) is among them. Empty where the crystal cannot be pulled there.
    """
    if not wanted_hz > crystal.series_hz:
        return []
    found = [_with_padder(crystal, wanted_hz, trimmer_f, values) for values in _capacitors()]
    found = [a for a in found if a.low < wanted_hz < a.high]
    return sorted(found, key=_worth)[:most]


def _with_padder(crystal: Pulled, wanted: float, trimmer_f: tuple[float, float], values: tuple[float, ...]) -> Advised:
    low, high = crystal.hz(sum(values), trimmer_f[1]), crystal.hz(sum(values), trimmer_f[0])
    return Advised(values, low, high, (wanted - low) / (high - low))


@dataclass(frozen=True)
class OtherWay:
    """Another change that brings a crystal in: a capacitor in ``series`` with it, or a smaller ``trimmer`` (its most, F); the range then."""

    kind: str
    farad: float
    low: float
    high: float


def other_ways(crystal: Pulled, wanted_hz: float, trimmer_f: tuple[float, float], padder_f: float) -> list[OtherWay]:
    """Where no capacitor across the crystal does it: one in series (raises the frequency), or a trimmer of a sixth to the whole of a smaller value.

    The best of each, where ``wanted_hz`` comes near the middle of the range; empty where the crystal cannot be pulled there at all.
    """
    if not wanted_hz > crystal.series_hz:
        return []

    def span(loads: tuple[float, float]) -> tuple[float, float]:
        most, least = (crystal.hz(load, 0.0) for load in loads)
        return min(most, least), max(most, least)

    found: list[OtherWay] = []
    for farad in preferred_between(_LEAST_F, _MOST_F):
        ends = [padder_f + t for t in (trimmer_f[1], trimmer_f[0])]
        low, high = span(
            (farad * ends[0] / (farad + ends[0]), farad * ends[1] / (farad + ends[1]))
            if ends[1] > 0
            else (farad, 1e-15)
        )
        if low < wanted_hz < high:
            found.append(OtherWay("series", farad, low, high))
    for farad in preferred_between(2e-12, trimmer_f[1] * 0.9):
        low, high = span((padder_f + farad, padder_f + farad / 6.0))
        if low < wanted_hz < high:
            found.append(OtherWay("trimmer", farad, low, high))

    def off_middle(o: OtherWay) -> float:
        return abs((wanted_hz - o.low) / (o.high - o.low) - 0.5)

    best = [min((o for o in found if o.kind == kind), key=off_middle, default=None) for kind in ("series", "trimmer")]
    return [o for o in best if o is not None]


def _capacitors() -> Iterable[tuple[float, ...]]:
    singles = preferred_between(_LEAST_F, _MOST_F)
    yield ()
    for v in singles:
        yield (v,)
    few = [v for v in singles if v <= 120e-12]
    yield from combinations_with_replacement(few, 2)


@dataclass(frozen=True)
class Divider:
    """A preset between fixed resistors, as its two ends make it (ohms, volts): above and below the preset, and the supply."""

    top: float
    preset: float
    bottom: float
    supply: float

    def volts(self, share: float) -> float:
        """Volts at the slider, ``share`` of the preset up from the bottom."""
        return self.supply * (self.bottom + share * self.preset) / (self.top + self.preset + self.bottom)


def from_preset(low_v: float, high_v: float, preset_ohm: float, supply_v: float) -> Divider:
    """The divider that gives these volts at the preset's ends, nothing drawn from its slider. Raises UnitoneError for what cannot be."""
    if preset_ohm <= 0 or not 0 <= low_v < high_v <= supply_v:
        raise UnitoneError(tr("Enter the preset's low and high voltage, both between 0 and the supply voltage."))
    whole = preset_ohm * supply_v / (high_v - low_v)
    bottom = low_v * whole / supply_v
    return Divider(max(whole - preset_ohm - bottom, 0.0), preset_ohm, bottom, supply_v)


def resistors(divider: Divider, wanted_v: float, change: str, most: int = 3) -> list[Advised]:
    """Resistors for the ``top`` or the ``bottom``, best first, that bring ``wanted_v`` to the middle of the preset's range: E24.

    With what each dissipates. Empty where none does.
    """
    if change not in ("top", "bottom"):
        raise UnitoneError(tr("Either the top or the bottom resistor is changed."))
    found = []
    for values in _resistors(_middle(divider, wanted_v, change)):
        ohm = sum(values)
        top, bottom = (ohm, divider.bottom) if change == "top" else (divider.top, ohm)
        made = Divider(top, divider.preset, bottom, divider.supply)
        low, high = made.volts(0.0), made.volts(1.0)
        if low < wanted_v < high:
            current = divider.supply / (top + divider.preset + bottom)
            found.append(Advised(values, low, high, (wanted_v - low) / (high - low), current**2 * ohm))
    return sorted(found, key=_worth)[:most]


def _worth(a: Advised) -> float:
    """Off the middle costs; so does a second part where one will do."""
    return max(abs(a.place - 0.5), NEAR_MIDDLE) + 0.05 * max(0, len(a.values) - 1) + 1e-3 * abs(a.place - 0.5)


def _middle(divider: Divider, wanted_v: float, change: str) -> float:
    """The resistance (ohms) that would put the wanted volts just into the middle; below zero where none does."""
    half = 0.5 * divider.preset
    if change == "top":
        return (
            divider.supply * (divider.bottom + half) / wanted_v - divider.preset - divider.bottom
            if wanted_v > 0
            else -1.0
        )
    left = divider.supply - wanted_v
    return (wanted_v * (divider.top + divider.preset) - divider.supply * half) / left if left > 0 else -1.0


def _resistors(ohm: float) -> Iterable[tuple[float, ...]]:
    """None, the E24 values round ``ohm``, and two in series where one alone lies off."""
    yield ()
    if ohm <= 0:
        return
    near = preferred_between(ohm / 1.6, ohm * 1.6)
    yield from ((v,) for v in near)
    for v in near:
        if v < ohm and ohm - v >= 1.0:
            yield (v, preferred(ohm - v))
