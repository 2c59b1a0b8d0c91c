"""The mixing model of a sheet: every frequency from the crystals to the aerial, on any band, mode and channel, exactly."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction
from typing import cast

from unitone.errors import SheetError, UnitoneError
from unitone.radio.mixing import coefficient
from unitone.sheet.model.sheet import Conditions, Mixing, Oscillator, Sheet, Way
from unitone.words import tr


@dataclass(frozen=True)
class Place:
    """Where a radio stands: receive or transmit, and as far as it has them band, mode and channel."""

    way: Way
    band: str | None = None
    mode: str | None = None
    channel: str | None = None

    @property
    def words(self) -> str:
        """As a person says it."""
        parts = [
            self.way,
            self.band or "",
            (self.mode or "").upper(),
            f"channel {self.channel}" if self.channel else "",
        ]
        return " ".join(p for p in parts if p)


@dataclass(frozen=True)
class Mixed:
    """An output at a place: nominal Hz (exact), and how many times each oscillator is in it (exact)."""

    output: str
    hz: Fraction
    terms: tuple[tuple[str, Fraction], ...]


def _divider(sheet: Sheet, line: Mixing, place: Place, carrier: Fraction) -> int:
    """N of a channel. Raises SheetError where it is no whole number."""
    base = carrier
    if line.from_plan and place.channel is not None:
        base = Fraction(sheet.plan.frequency(place.channel))
    n = (base + line.offset_hz) / line.raster_hz
    if n.denominator != 1 and any("N" in term for _, term in line.terms):
        raise SheetError(
            [
                tr(
                    "{id}: mixing {output}: no whole divider gives {x:.6f} MHz ({float:.4f}). Check offset and raster.",
                    id=sheet.id,
                    output=line.output,
                    x=float(base) / 1000000.0,
                    float=float(n),
                )
            ]
        )
    return int(n)


class _NotThere(Exception):
    """A term that no line gives at a place."""


def outputs(sheet: Sheet, place: Place) -> list[Mixed]:
    """Everything that the sheet's mixing lines say of a place, in their order; the narrowest line for each output.

    A term may be another output: it is worked out to its oscillators. Raises SheetError where the channel is not the sheet's,
    no whole divider gives it, or outputs go round in a circle.
    """
    kept = sheet.worked_out
    if place not in kept:
        kept[place] = tuple(_outputs(sheet, place))
    return list(cast("tuple[Mixed, ...]", kept[place]))


def outputs_with(
    sheet: Sheet, place: Place, output: str, n: int, retuned: Mapping[str, Fraction]
) -> dict[str, Fraction]:
    """Every output (exact Hz) at a place, with ``n`` programmed on the lines of ``output`` and some oscillators at other frequencies: what
    a modified radio would do. Raises SheetError."""
    made = _outputs(sheet, place, (output, n))
    nominal = {o.id: o.at(Fraction(0)) for o in sheet.oscillators} | dict(retuned)
    return {m.output: sum((c * nominal[k] for k, c in m.terms), Fraction(0)) for m in made}


def divider_of(sheet: Sheet, place: Place, output: str) -> int | None:
    """N of an output at a place; None where no line with N makes it there. Raises SheetError."""
    lines = [
        m for m in sheet.mixing if m.output == output and m.applies(place.way, place.band, place.mode, place.channel)
    ]
    line = max(lines, key=_narrow, default=None)
    if line is None or place.channel is None or not any("N" in term for _, term in line.terms):
        return None
    return _divider(sheet, line, place, Fraction(sheet.carrier_hz(place.channel, place.band)))


def _outputs(sheet: Sheet, place: Place, told: tuple[str, int] | None = None) -> list[Mixed]:
    best: dict[str, Mixing] = {}
    for line in sheet.mixing:
        if line.applies(place.way, place.band, place.mode, place.channel):
            old = best.get(line.output)
            if old is None or _narrow(line) >= _narrow(old):
                best[line.output] = line
    carrier = Fraction(sheet.carrier_hz(place.channel, place.band)) if place.channel is not None else Fraction(0)
    nominal = {o.id: o.at(carrier) for o in sheet.oscillators}
    found: dict[str, dict[str, Fraction]] = {}

    def terms(name: str, circle_so_far: tuple[str, ...]) -> dict[str, Fraction]:
        if name in found:
            return found[name]
        if name in circle_so_far:
            circle = " → ".join([*circle_so_far, name])
            raise SheetError(
                [
                    tr(
                        "{id}: mixing: goes round in a circle ({circle}). Take one of them out.",
                        id=sheet.id,
                        circle=circle,
                    )
                ]
            )
        line, total = best[name], dict[str, Fraction]()
        n = told[1] if told is not None and told[0] == name else _divider(sheet, line, place, carrier)
        for inner, text in line.terms:
            times = coefficient(text, n)
            if inner not in nominal and inner not in best:
                raise _NotThere(tr("nothing gives {inner} there. Add a mixing line for it.", inner=inner))
            within = {inner: Fraction(1)} if inner in nominal else terms(inner, (*circle_so_far, name))
            for oscillator, c in within.items():
                total[oscillator] = total.get(oscillator, Fraction(0)) + times * c
        found[name] = {k: c for k, c in total.items() if c}
        return found[name]

    # Where no band, or no mode, is told, what hangs on it is left out.
    complete = not (place.band is None and sheet.plan.bands)
    made = []
    for name in best:
        try:
            parts = terms(name, ())
        except _NotThere as missing:
            if complete:
                raise SheetError([f"{sheet.id}: mixing {name}: {missing}"]) from None
            continue
        made.append(Mixed(name, sum((c * nominal[k] for k, c in parts.items()), Fraction(0)), tuple(parts.items())))
    return made


def _narrow(line: Mixing) -> int:
    return sum(x is not None for x in (line.band, line.mode, line.channel)) + (line.way != "either")


def modes_of(sheet: Sheet) -> tuple[str, ...]:
    """The modes that a sheet speaks of, in its steps and then in its mixing lines."""
    in_steps = [c.mode for s in sheet.steps for c in s.required if c.mode is not None]
    return tuple(dict.fromkeys([*in_steps, *(m.mode for m in sheet.mixing if m.mode is not None)]))


def places(sheet: Sheet, way: Way, ends_only: bool = False) -> list[Place]:
    """Every place of a way; with ``ends_only`` the lowest, middle and highest channel of each band and mode."""
    bands: list[str | None] = [name for name, _ in sheet.plan.bands] or [None]
    modes: list[str | None] = [*modes_of(sheet)] or [None]
    by_hz = sorted(sheet.plan.names, key=lambda name: sheet.carrier_hz(name))
    names = by_hz if not ends_only or len(by_hz) <= 6 else [by_hz[0], by_hz[len(by_hz) // 2], by_hz[-1]]
    return [Place(way, band, mode, name) for band in bands for mode in modes for name in names]


def first_oscillator_hz(sheet: Sheet, place: Place) -> float | None:
    """Where the first oscillator of the receiver should run at a place (Hz); None for a sheet that does not say."""
    try:
        return next((float(m.hz) for m in outputs(sheet, place) if m.output == "rx.lo1"), None)
    except UnitoneError:
        return None


@dataclass(frozen=True)
class Spots:
    """What a first mixer hears besides the channel: the image, and half the IF away (Hz)."""

    intermediate_hz: float
    image_hz: float
    half_if_hz: float


def spots(sheet: Sheet, place: Place) -> Spots | None:
    """Image and half-IF of the first conversion: the image lies as far beyond the oscillator as the channel before it, half the IF
    half-way. None for a sheet that does not say its first oscillator. Raises SheetError."""
    first = next((m for m in outputs(sheet, place) if m.output == "rx.lo1"), None)
    if first is None or place.channel is None:
        return None
    carrier, lo = float(sheet.carrier_hz(place.channel, place.band)), float(first.hz)
    return Spots(abs(carrier - lo), 2 * lo - carrier, lo + (carrier - lo) / 2)


def oscillator_counted(sheet: Sheet, conditions: Conditions, hz: float | None = None) -> Oscillator | None:
    """The oscillator that a direct count is of: by its test point, as band and mode stand, else the nearest to ``hz``."""
    there = [o for o in sheet.oscillators if o.test_point is not None and o.test_point == conditions.test_point]
    if len(there) > 1 and (conditions.band or conditions.mode or conditions.channel):
        ways: tuple[Way, Way] = ("receive", "transmit")
        at = [Place(w, conditions.band, conditions.mode, conditions.channel) for w in ways]
        used = {name for place in at for m in outputs(sheet, place) for name, _ in m.terms}
        there = [o for o in there if o.id in used] or there
    if len(there) == 1 or hz is None:
        return there[0] if len(there) == 1 else None
    return min(there or sheet.oscillators, key=lambda o: abs(o.nominal_hz - hz), default=None)


def vco_hz(sheet: Sheet, conditions: Conditions) -> float | None:
    """The frequency that a VCO runs at under conditions: the output that the sheet calls vco, else its first oscillator or carrier."""
    way: Way = "transmit" if conditions.way == "transmit" else "receive"
    try:
        made = {
            m.output: float(m.hz)
            for m in outputs(sheet, Place(way, conditions.band, conditions.mode, conditions.channel))
        }
    except UnitoneError:
        return None
    return made.get("vco", made.get("tx.carrier" if way == "transmit" else "rx.lo1"))
