"""The mixing model of a sheet: every frequency from the crystals to the aerial, on any band, mode and channel, exactly."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from unitone.errors import SheetError
from unitone.radio.mixing import coefficient
from unitone.sheet.model import Mixing, Sheet, Way


@dataclass(frozen=True)
class Place:
    """Where a radio stands: receive or send, and as far as it has them band, mode and channel."""

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


def mixed(sheet: Sheet, line: Mixing, place: Place) -> Mixed:
    """A mixing line worked out at a place. Raises SheetError where the channel is not the sheet's, or no whole divider gives it."""
    carrier = Fraction(sheet.carrier_hz(place.channel, place.band)) if place.channel is not None else Fraction(0)
    n = (carrier + line.offset_hz) / line.raster_hz
    if any("N" in term for _, term in line.terms) and n.denominator != 1:
        raise SheetError(
            [
                f"{sheet.id}: mixing {line.output}: no whole divider gives {float(carrier) / 1e6:.6f} MHz ({float(n):.4f}). Check offset and raster."
            ]
        )
    nominal = {o.id: Fraction(o.nominal_hz).limit_denominator(1000) for o in sheet.oscillators}
    terms = tuple((name, coefficient(term, int(n))) for name, term in line.terms)
    return Mixed(line.output, sum((c * nominal[name] for name, c in terms), Fraction(0)), terms)


def outputs(sheet: Sheet, place: Place) -> list[Mixed]:
    """Everything that the sheet's mixing lines say of a place, in their order; the narrowest line for each output. Raises SheetError."""
    best: dict[str, Mixing] = {}
    for line in sheet.mixing:
        if line.applies(place.way, place.band, place.mode, place.channel):
            old = best.get(line.output)
            if old is None or _narrow(line) >= _narrow(old):
                best[line.output] = line
    return [mixed(sheet, line, place) for line in best.values()]


def _narrow(line: Mixing) -> int:
    return sum(x is not None for x in (line.band, line.mode, line.channel)) + (line.way != "either")


def places(sheet: Sheet, way: Way, ends_only: bool = False) -> list[Place]:
    """Every place of a way; with ``ends_only`` the lowest, middle and highest channel of each band and mode."""
    bands: list[str | None] = [name for name, _ in sheet.plan.bands] or [None]
    modes: list[str | None] = list(
        dict.fromkeys(m.mode for m in sheet.mixing if m.mode is not None and m.way in ("either", way))
    ) or [None]
    by_hz = sorted(sheet.plan.names, key=lambda name: sheet.carrier_hz(name))
    names = by_hz if not ends_only or len(by_hz) <= 6 else [by_hz[0], by_hz[len(by_hz) // 2], by_hz[-1]]
    return [Place(way, band, mode, name) for band in bands for mode in modes for name in names]


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
