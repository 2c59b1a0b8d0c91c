"""Channel plans.

eu-40: 26.965-27.405 MHz (47 CFR 95.963, from memory; CEPT the same).
uk-40: 27.60125-27.99125 MHz in 10 kHz steps (MPT 1320, from memory).
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from unitone.errors import UnitoneError
from unitone.words import tr

#: Positions after which the 40-channel plan skips one 10 kHz place, and the three out of order.
_EU_HZ = (
    26_965_000, 26_975_000, 26_985_000, 27_005_000, 27_015_000, 27_025_000, 27_035_000, 27_055_000,
    27_065_000, 27_075_000, 27_085_000, 27_105_000, 27_115_000, 27_125_000, 27_135_000, 27_155_000,
    27_165_000, 27_175_000, 27_185_000, 27_205_000, 27_215_000, 27_225_000, 27_255_000, 27_235_000,
    27_245_000, 27_265_000, 27_275_000, 27_285_000, 27_295_000, 27_305_000, 27_315_000, 27_325_000,
    27_335_000, 27_345_000, 27_355_000, 27_365_000, 27_375_000, 27_385_000, 27_395_000, 27_405_000,
)  # fmt: skip


@dataclass(frozen=True)
class ChannelPlan:
    """A named list of channels; ``hz[i]`` (integer Hz) is the carrier of the channel ``names[i]``."""

    id: str
    title: str
    names: tuple[str, ...]
    hz: tuple[int, ...]
    #: Bands of a multi-band set: (name, shift in Hz from the plan's own frequencies).
    bands: tuple[tuple[str, int], ...] = ()

    def shift(self, band: str | None) -> int:
        """Shift of a band in Hz, 0 where none is named. Raises UnitoneError naming the bands there are."""
        if band is None:
            return 0
        for name, hz in self.bands:
            if name == band:
                return hz
        known = ", ".join(name for name, _ in self.bands) or "none"
        raise UnitoneError(tr("There is no band {band!r}. Bands of this plan: {known}.", band=band, known=known))

    def frequency(self, name: str) -> int:
        """Carrier frequency in Hz. Raises UnitoneError naming the channels there are."""
        try:
            return self.hz[self.names.index(str(name))]
        except ValueError:
            raise UnitoneError(
                tr(
                    "Plan {id} has no channel {name!r}. It has {names} to {names2}.",
                    id=self.id,
                    name=name,
                    names=self.names[0],
                    names2=self.names[-1],
                )
            ) from None

    def with_alphas(self) -> ChannelPlan:
        """The plan with its skipped places: ``3A`` is 10 kHz above channel 3 where the next channel lies 20 kHz on."""
        names: list[str] = []
        hz: list[int] = []
        taken = set(self.hz)
        for name, at in zip(self.names, self.hz, strict=True):
            names, hz = [*names, name], [*hz, at]
            if at + ALPHA_HZ not in taken and at + 2 * ALPHA_HZ in taken:
                names, hz = [*names, f"{name}A"], [*hz, at + ALPHA_HZ]
        return replace(self, names=tuple(names), hz=tuple(hz))

    def with_shift(self, shift_hz: int) -> ChannelPlan:
        """The plan with every place once more, ``shift_hz`` away: ``20-5k`` is 5 kHz below channel 20. Raises UnitoneError for none."""
        if shift_hz == 0:
            raise UnitoneError(tr("A shift of 0 Hz adds no position. Write it like -5 kHz."))
        suffix = f"{shift_hz / 1000:+g}k"
        return replace(
            self,
            names=(*self.names, *(n + suffix for n in self.names)),
            hz=(*self.hz, *(f + shift_hz for f in self.hz)),
        )


def block(first_hz: int, step_hz: int, count: int) -> ChannelPlan:
    """``count`` channels from ``first_hz`` on in equal steps, named from 1. Raises UnitoneError for what is no block."""
    if first_hz <= 0 or step_hz <= 0 or count < 1:
        raise UnitoneError(tr("A block has a first channel, a step above zero, and at least one channel."))
    return ChannelPlan(
        "block", f"{count} channels from {first_hz / 1e6:g} MHz", tuple(str(n) for n in range(1, count + 1)),
        tuple(first_hz + step_hz * n for n in range(count)),
    )  # fmt: skip


#: How far an alpha place lies above the channel before it (Hz).
ALPHA_HZ = 10_000

PLANS: dict[str, ChannelPlan] = {
    "eu-40": ChannelPlan("eu-40", "40 channels, 26.965 to 27.405 MHz", tuple(str(n) for n in range(1, 41)), _EU_HZ),
    "uk-40": ChannelPlan(
        "uk-40",
        "40 channels, 27.60125 to 27.99125 MHz",
        tuple(str(n) for n in range(1, 41)),
        tuple(27_601_250 + 10_000 * n for n in range(40)),
    ),
}


def plan(identifier: str) -> ChannelPlan:
    """The plan of that id. Raises UnitoneError naming the plans there are."""
    try:
        return PLANS[identifier]
    except KeyError:
        raise UnitoneError(
            tr(
                "No channel plan {identifier!r}. Known plans: {list}.",
                identifier=identifier,
                list=", ".join(sorted(PLANS)),
            )
        ) from None
