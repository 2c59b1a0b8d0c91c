"""The receive side of a physics file: the chain from aerial to loudspeaker, its meter and its squelch."""

from __future__ import annotations

import math
from typing import Annotated, Literal

from pydantic import Field

from unitone.sheet.format.lines import Place
from unitone.simulator.gang_physics import Tuned
from unitone.simulator.physics_keys import Decibels, Hertz, Level, Part, Seconds, Volts
from unitone.words import tr


class _Stage(Part):
    """One stage of the chain; ``modes`` that it serves (am, fm, usb, lsb), all where none is named. ``stage``: the sheet's stage that it
    is part of; ``probe_loss``: what a generator loses that is connected to its input."""

    modes: list[Literal["am", "fm", "usb", "lsb"]] = []
    #: The dial marks or channels that it serves, all where none are told.
    lowest: Hertz | None = Field(default=None, gt=0)
    highest: Hertz | None = Field(default=None, gt=0)
    stage: str = ""
    probe_loss: Decibels = Field(default=0.0, ge=-60, le=100)

    def serves(self, mode: str, carrier_hz: float | None = None) -> bool:
        """Is it in the way of the signal in that mode, on that carrier?"""
        if self.modes and mode not in self.modes:
            return False
        return carrier_hz is None or (self.lowest or 0.0) <= carrier_hz <= (self.highest or math.inf)


class CoilStage(_Stage):
    """A tuned circuit that stands still (``tuned_to`` the signal or an IF; by its centre where that is not told): power
    loss ``loss`` at its centre, ``per_turn`` Hz moved by a clockwise turn;
    a core that goes through the middle of its winding peaks once more ``second_peak`` turns clockwise of the right place."""

    kind: Literal["coil"]
    tuned_to: Literal["signal", "if"] | None = None
    adjuster: str
    centre: Hertz = Field(gt=0)
    q: float = Field(gt=0)
    per_turn: Hertz
    loss: Decibels = Field(default=0.0, ge=0, le=100)
    second_peak: float | None = None

    def moved_hz(self, off: float) -> float:
        """By how much it is detuned ``off`` turns clockwise of the right place (Hz)."""
        return self.per_turn * off * (1.0 if self.second_peak is None else 1.0 - off / self.second_peak)


class GangedStage(_Stage, Tuned):
    """A signal circuit that the gang tunes with the dial."""

    kind: Literal["ganged"]
    q: float = Field(gt=0)
    loss: Decibels = Field(default=0.0, ge=0, le=100)


class PairStage(_Stage):
    """A coupled pair; ``coupling`` in units of critical coupling."""

    kind: Literal["pair"]
    adjusters: tuple[str, str]
    centre: Hertz = Field(gt=0)
    q: float = Field(gt=0)
    per_turn: Hertz
    coupling: float = Field(ge=0, le=20)
    loss: Decibels = Field(default=0.0, ge=0, le=100)


class AmplifierStage(_Stage):
    """An amplifier or mixer: gain and noise figure. ``avc``: which share of the automatic gain's decibels it takes; what no stage takes
    is taken before the detector."""

    kind: Literal["amplifier", "mixer"]
    avc: float = Field(default=0.0, ge=0, le=1)
    gain: Decibels = Field(ge=-60, le=120)
    noise_figure: Decibels = Field(ge=0, le=60)


class FilterStage(_Stage):
    """A fixed filter with a Butterworth-like skirt: ``bandwidth`` between the -3 dB points, ``poles`` a side, its middle ``offset``
    from the carrier (one sideband)."""

    kind: Literal["filter"]
    bandwidth: Hertz = Field(gt=0)
    poles: int = Field(ge=1, le=12)
    offset: Hertz = 0.0
    loss: Decibels = Field(default=0.0, ge=0, le=100)


ReceiverStage = Annotated[
    CoilStage | GangedStage | PairStage | AmplifierStage | FilterStage, Field(discriminator="kind")
]


class Detector(Part):
    """[receive.detector]: quadrature coil at the last IF; ``half_width`` Hz of its tank; without an adjuster (a ceramic one) it stands
    right."""

    adjuster: str | None = None
    per_turn: Hertz = 0.0
    half_width: Hertz = Field(gt=0)
    residual_fm: Hertz = Field(default=0.0, ge=0)


class AmDetector(Part):
    """[receive.am]: a diode detector; ``bend``: the level at the diode, as the aerial's of an aligned radio, under which it bends."""

    bend: Level = -130.0


class GainControl(Part):
    """[receive.agc]: automatic gain: from ``knee`` on (aerial level, aligned) output rises by 1 - ``hold`` of the signal, in dB."""

    knee: Level
    hold: float = Field(default=0.9, ge=0, lt=1)
    time: Seconds = Field(default=0.05, gt=0)
    volts_per_decade: Volts = Field(default=1.0, gt=0)


class Blanker(Part):
    """[receive.blanker]: a noise blanker behind a switch of the panel: while ``control`` is on it shuts the way for ``shuts`` whenever
    more than ``over`` (aerial level) comes in."""

    control: str
    over: Level
    shuts: Seconds = Field(default=0.0004, gt=0)


class Audio(Part):
    """[receive.audio]: band, de-emphasis corner, clipping; volts at full volume for 1 kHz of deviation (FM), and for 30 % of
    modulation at the knee of the gain control (AM), or a carrier as strong beside the channel (SSB)."""

    low: Hertz = Field(default=300.0, ge=0)
    high: Hertz = Field(default=3000.0, gt=0)
    deemphasis: Hertz = Field(default=530.0, gt=0)
    volts_per_khz: Volts = Field(default=0.0, ge=0)
    volts_am: Volts = Field(default=0.0, ge=0)
    clips_at: Volts = Field(gt=0)
    #: Hum of the supply at full volume and at none, 100 Hz.
    hum: Volts = Field(default=0.0, ge=0)
    #: The sheet's stage, and what its input takes for 1 V at the loudspeaker with the volume full.
    stage: str = ""
    input: Volts = Field(default=0.03, gt=0)


class SMeter(Part):
    """[s_meter]: preset and detector. ``threshold`` is the aerial level at which the aligned detector starts; without a preset it goes
    as if one stood in its middle. ``law``: a diode that bends into its threshold, or a meter that goes by decibels from there on."""

    adjuster: str | None = None
    law: Literal["diode", "decibel"] = "diode"
    #: Modes that have a preset of their own.
    by_mode: dict[Literal["am", "fm", "usb", "lsb"], str] = {}
    threshold: Level
    least: float = Field(ge=0)
    most: float = Field(gt=0)
    #: Where a stage before the meter holds the level, as the aerial's of an aligned radio.
    ceiling: Level | None = None

    def preset(self, mode: str) -> str | None:
        """The preset that sets it in that mode; None where nothing does."""
        return next((a for m, a in self.by_mode.items() if m == mode), self.adjuster)


class Squelch(Part):
    """[squelch]: by noise (FM) or by the carrier (AM, SSB).

    Noise: opens when the noise falls under a share of ``noise``, the typical radio's without signal;
    share = ``loose`` - control·(``tight_least`` … ``tight_most`` by the preset); closes at share·(1+``hysteresis``).
    Carrier: opens at a level between ``opens_loose`` (control at zero) and, fully up, ``opens_least`` … ``opens_most`` by the
    preset, dB for dB of the control; closes ``closes_below`` dB lower. Both take ``time`` to follow. ``leak``: what a leaky
    capacitor takes of the control's effect.
    """

    kind: Literal["noise", "carrier"] = "noise"
    adjuster: str | None = None
    noise_above: Hertz = Field(default=5000.0, gt=0)
    noise: Hertz = Field(default=500.0, gt=0)
    loose: float = Field(default=1.0, gt=0)
    tight_least: float = 0.0
    tight_most: float = Field(default=2.0, ge=0)
    hysteresis: float = Field(default=0.1, ge=0, le=1)
    opens_loose: Level = -125.0
    opens_least: Level = -90.0
    opens_most: Level = -45.0
    closes_below: Decibels = Field(default=3.0, ge=0)
    leak: float = Field(default=0.0, ge=0, le=1)
    #: An automatic squelch (carrier): its own preset, and the levels at which it opens over that preset.
    auto_adjuster: str | None = None
    auto_least: Level = -120.0
    auto_most: Level = -100.0


class Receive(Part):
    """[receive]: the chain from aerial to loudspeaker. ``knee`` is the aerial level where limiting begins, aligned."""

    stage: list[ReceiverStage] = Field(min_length=1)
    intermediate: list[Hertz]
    knee: Level = -130.0
    #: How far the gains of specimens differ, stage by stage (dB, standard).
    gain_spread: Decibels = Field(default=0.0, ge=0, le=10)
    #: The sheet's stage that the detector is, behind the S-meter's tap (each mode's own, where they differ), and what a generator
    #: loses at its input.
    detector_stage: str | dict[Literal["am", "fm", "usb", "lsb"], str] = ""
    detector_probe_loss: Decibels = Field(default=0.0, ge=-60, le=100)
    detector: Detector | None = None
    am: AmDetector | None = None
    ssb: bool = False
    agc: GainControl | None = None
    blanker: Blanker | None = None
    audio: Audio

    def detector_in(self, mode: str) -> str:
        """The sheet's stage that the detector of that mode is; empty where it is not named."""
        if isinstance(self.detector_stage, str):
            return self.detector_stage
        return next((stage for of, stage in self.detector_stage.items() if of == mode), "")

    @property
    def detector_stages(self) -> tuple[str, ...]:
        """Every stage of the sheet that is a detector."""
        named = (self.detector_stage,) if isinstance(self.detector_stage, str) else tuple(self.detector_stage.values())
        return tuple(dict.fromkeys(s for s in named if s))


def receive_problems(
    rx: Receive, meter: SMeter | None, squelch: Squelch | None, adjusters: set[str], controls: set[str]
) -> list[tuple[Place, str]]:
    """What of the receive side cannot be built, or names what the sheet does not have: place in the file, and the cure."""
    found: list[tuple[Place, str]] = []
    if rx.detector is None and rx.am is None and not rx.ssb:
        found.append((("receive",), tr("nothing detects. Add [receive.detector] (FM), [receive.am], or ssb = true.")))
    if (rx.am is not None or rx.ssb) and rx.agc is None:
        found.append((("receive", "agc"), tr("AM and SSB need their gain control. Add [receive.agc] with its knee.")))
    if rx.blanker is not None and rx.blanker.control not in controls:
        found.append((("receive", "blanker"), tr("the sheet has no control {control!r}.", control=rx.blanker.control)))
    shares = sum(s.avc for s in rx.stage if isinstance(s, AmplifierStage))
    if shares > 1.0 + 1e-9:
        found.append(
            (("receive", "stage", "avc"), tr("the shares of all stages together are {x:.2f}: at most 1.", x=shares))
        )
    if shares and rx.agc is None:
        found.append((("receive", "stage", "avc"), tr("no gain control. Add [receive.agc] with its knee.")))
    named: list[tuple[Place, str]] = []
    for stage in rx.stage:
        if isinstance(stage, CoilStage) and stage.second_peak == 0.0:
            found.append(
                (
                    ("receive", "stage", "second_peak"),
                    tr("zero turns away is the same peak. Take it out, or say how far."),
                )
            )
        if isinstance(stage, CoilStage):
            named.append((("receive", "stage"), stage.adjuster))
        if isinstance(stage, PairStage):
            named += [(("receive", "stage"), a) for a in stage.adjusters]
        if isinstance(stage, GangedStage):
            named += [(("receive", "stage"), a) for a in stage.turned_by]
    if rx.detector is not None and rx.detector.adjuster is not None:
        named.append((("receive", "detector"), rx.detector.adjuster))
    if meter is not None:
        named += [(("s_meter",), a) for a in (meter.adjuster, *meter.by_mode.values()) if a is not None]
    if squelch is not None:
        named += [(("squelch",), a) for a in (squelch.adjuster, squelch.auto_adjuster) if a is not None]
    return found + [(p, tr("the sheet has no adjuster {a!r}.", a=a)) for p, a in named if a not in adjusters]
