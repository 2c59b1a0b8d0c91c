"""What a radio's synthesiser can make: N for a frequency on each chain of crystals, its pins, and where its VCO runs."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from fractions import Fraction

from unitone.errors import SheetError
from unitone.sheet.model.mixing_model import Place, divider_of, outputs_with
from unitone.sheet.model.sheet import Pll, Sheet, Way
from unitone.words import tr


@dataclass(frozen=True)
class Chain:
    """One set of crystals (a band), in one mode and way: what is sent (or the first oscillator) and the VCO as straight functions of N."""

    band: str | None
    mode: str | None
    way: Way
    at_zero: Fraction
    a_step: Fraction
    vco_at_zero: Fraction
    vco_step: Fraction

    def n_of(self, hz: Fraction | int) -> int | None:
        """The divider that makes a frequency; None where no whole one does."""
        n = (Fraction(hz) - self.at_zero) / self.a_step
        return int(n) if n.denominator == 1 and n > 0 else None

    def hz(self, n: int) -> Fraction:
        """What N makes."""
        return self.at_zero + n * self.a_step

    def vco_hz(self, n: int) -> float:
        """Where the VCO runs."""
        return float(self.vco_at_zero + n * self.vco_step)


@dataclass
class Synthesiser:
    """The programmed synthesiser of a sheet, with some crystals perhaps at other frequencies."""

    sheet: Sheet
    pll: Pll
    retuned: Mapping[str, Fraction] = field(default_factory=dict)

    @classmethod
    def of(cls, sheet: Sheet, rail_share: float = 1.0) -> Synthesiser:
        """That of a sheet, its window as high as its rail lets it (as read over nominal). Raises SheetError for one that describes none."""
        if not sheet.plls:
            raise SheetError(
                [
                    tr(
                        "{id}: [[pll]]: the sheet does not describe its synthesiser. Add its pins and weights.",
                        id=sheet.id,
                    )
                ]
            )
        pll = sheet.plls[0]
        return cls(sheet, replace(pll, window_v=(pll.window_v[0], pll.window_v[1] * rail_share)))

    @property
    def mode(self) -> str | None:
        """The mode whose carriers are the channels' own: AM or FM where there is one."""
        modes = [m.mode for m in self.sheet.mixing if m.mode]
        return next((m for m in modes if m.lower() in ("am", "fm")), modes[0] if modes else None)

    def chain(self, band: str | None, mode: str | None, way: Way = "transmit") -> Chain:
        """The chain of a band. Raises SheetError where the sheet does not carry it through to the aerial."""
        place = Place(way, band, mode, self.sheet.plan.names[0])
        zero, one = (outputs_with(self.sheet, place, self.pll.output, n, self.retuned) for n in (0, 1))
        what = "tx.carrier" if way == "transmit" else "rx.lo1"
        for name in (what, self.pll.vco):
            if name not in zero:
                raise SheetError([tr("{id}: mixing: no line gives {name} there. Add it.", id=self.sheet.id, name=name)])
        a_step = one[what] - zero[what]
        if a_step == 0:
            raise SheetError([tr("{id}: mixing: {name} does not change with N.", id=self.sheet.id, name=what)])
        vco = self.pll.vco
        return Chain(band, mode, way, zero[what], a_step, zero[vco], one[vco] - zero[vco])

    def bands(self) -> tuple[str | None, ...]:
        """The bands of the plan; one without a name where it has none."""
        return tuple(name for name, _ in self.sheet.plan.bands) or (None,)

    def n_of_channel(self, name: str, band: str | None) -> int | None:
        """N of a channel as the radio is built. Raises SheetError."""
        return divider_of(self.sheet, Place("transmit", band, self.mode, name), self.pll.output)

    def word(self, n: int) -> int:
        """What the pins say for N."""
        return self.pll.adds + self.pll.counts * n

    def pins(self, n: int) -> tuple[int, ...] | None:
        """0 or 1 a pin, in the order of ``pll.pins``; None where the pins cannot say it."""
        left, made = self.word(n), []
        for _, weight in self.pll.pins:
            made.append(int(left >= weight))
            left -= weight * made[-1]
        return tuple(made) if left == 0 and self.word(n) >= 0 else None
