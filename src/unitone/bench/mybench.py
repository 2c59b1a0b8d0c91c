"""My bench: its pads, generator, instruments and sound card, with the corrections that calibrations on it found.

Calibrations are a list that only grows; one that is voided does not count. What holds now
is a fold of it: the latest of each thing.
"""

from __future__ import annotations

import dataclasses
import math
from dataclasses import dataclass
from typing import Any, Literal

from unitone.bench.calibration.arithmetic import MARKED_U_DB, Found
from unitone.bench.instruments import Instrument
from unitone.bench.path import Kit
from unitone.errors import BenchError
from unitone.quantities.show import number
from unitone.words import tr

Kind = Literal["pads", "steps", "leak", "generator", "counter", "wattmeter", "input", "clock", "output", "clarifier"]
#: A calibration is asked for again after so many days.
STALE_DAYS = 365


@dataclass(frozen=True)
class Pad:
    """One pad (or cable): its name on this bench, and the decibels marked on it."""

    name: str
    marked_db: float


@dataclass(frozen=True)
class Calibration:
    """One calibration: what (``target``: an instrument's, input's or output's id; empty for pads and generator), when, what came of it."""

    id: str
    kind: Kind
    target: str
    date: str
    words: str
    data: dict[str, Any]
    voided: bool = False


@dataclass(frozen=True)
class InputScale:
    """What is known of one input (or output) of the sound card: volts rms of a sine at full scale, and its clock (None: not known)."""

    full_scale_v: float | None
    u_v: float
    date: str
    ppm: float | None = None

    @property
    def words(self) -> str:
        """As a person says it."""
        if self.full_scale_v is None:
            return tr("not calibrated in volts")
        return tr("0 dBFS = {v} V, {date}", v=number(self.full_scale_v, 3), date=self.date)


@dataclass(frozen=True)
class Inputs:
    """The inputs that are calibrated, by id and side."""

    scales: dict[str, InputScale]

    def of(self, identifier: str, side: str) -> InputScale | None:
        """What is known of this one."""
        return self.scales.get(f"{identifier}/{side}")


@dataclass(frozen=True)
class MyBench:
    """Everything that is known of this bench beyond what stands on its instruments."""

    pads: tuple[Pad, ...] = ()
    calibrations: tuple[Calibration, ...] = ()

    def latest(self, kind: Kind, target: str = "") -> Calibration | None:
        """The last calibration of a thing that stands."""
        return next(
            (c for c in reversed(self.calibrations) if c.kind == kind and c.target == target and not c.voided), None
        )

    @property
    def true_pads(self) -> dict[str, Found]:
        """What each pad is taken for: as found, else as marked."""
        found = self.latest("pads")
        known: dict[str, Any] = found.data["pads"] if found else {}
        return {
            p.name: Found(*known[p.name][:2])
            if p.name in known and known[p.name][2] == p.marked_db
            else Found(p.marked_db, MARKED_U_DB)
            for p in self.pads
        }

    @property
    def inputs(self) -> Inputs:
        """The inputs that are calibrated."""
        return Inputs(self._scales("input"))

    @property
    def outputs(self) -> dict[str, float]:
        """Volts rms of a sine at full scale, by output."""
        return {k: s.full_scale_v for k, s in self._scales("output").items() if s.full_scale_v is not None}

    def _scales(self, kind: Kind) -> dict[str, InputScale]:
        made: dict[str, InputScale] = {}
        for c in self.calibrations:
            if not c.voided and (c.kind == kind or (kind == "input" and c.kind == "clock")):
                old = made.get(c.target)
                volts = c.data.get("full_scale_v", old.full_scale_v if old else None)
                u = c.data.get("u_v", old.u_v if old else 0.0)
                made[c.target] = InputScale(volts, u, c.date, c.data.get("ppm", old.ppm if old else None))
        return made

    @property
    def clarifier_hz(self) -> float | None:
        """By how much an hour of its knob tunes the second radio's clarifier, + up (Hz); None where nobody measured it."""
        found = self.latest("clarifier")
        return None if found is None else float(found.data["hz_per_hour"])

    def kit(self, kit: Kit) -> Kit:
        """A kit with what is known of its pads and its generator put in; a kit of unknown pads is left as it says."""
        found = self.latest("pads")
        known: dict[str, Any] = found.data["pads"] if found else {}
        left = [p for p in self.pads if p.name in known and known[p.name][2] == p.marked_db]
        errors, squares = [], 0.0
        for marked in kit.pads_db:
            pad = next((p for p in left if p.marked_db == marked), None)
            if pad is None:
                errors.append(0.0)
                squares += MARKED_U_DB**2
            else:
                left.remove(pad)
                errors.append(round(known[pad.name][0] - marked, 3))
                squares += known[pad.name][1] ** 2
        level, steps, leak = self.latest("generator"), self.latest("steps"), self.latest("leak")
        # Without a calibration of either nothing is known of the level, as before.
        u = None
        if level is not None or found is not None:
            squares += level.data["u"] ** 2 if level is not None else 0.0
            u = round(math.sqrt(squares), 3)
        return dataclasses.replace(
            kit, pad_errors_db=tuple(errors) if any(errors) else (), generator_add_db=level.data["add_db"] if level else 0.0, level_u_db=u,
            steps_db=tuple((s[0], s[1]) for s in steps.data["steps"]) if steps else (),
            leak_db=leak.data["isolation_db"] if leak and not leak.data["at_least"] else None,
        )  # fmt: skip

    def instruments(self, instruments: tuple[Instrument, ...]) -> tuple[Instrument, ...]:
        """The instruments with the corrections found for them."""
        made = []
        for i in instruments:
            counter, watts = self.latest("counter", i.id), self.latest("wattmeter", i.id)
            if counter is not None:
                i = dataclasses.replace(
                    i, reads_ppm=counter.data["ppm"], found_u_ppm=counter.data["u"], found=counter.date
                )
            if watts is not None:
                i = dataclasses.replace(i, reads_pct=watts.data["pct"], found_u_pct=watts.data["u"], found=watts.date)
            made.append(i)
        return tuple(made)

    def add(self, made: Calibration) -> MyBench:
        """With one calibration more."""
        return dataclasses.replace(self, calibrations=(*self.calibrations, made))

    def void(self, identifier: str, voided: bool = True) -> MyBench:
        """With one calibration voided (or taken back in): the one before it counts again."""
        return dataclasses.replace(
            self,
            calibrations=tuple(
                dataclasses.replace(c, voided=voided) if c.id == identifier else c for c in self.calibrations
            ),
        )

    def to_data(self) -> dict[str, Any]:
        """As plain data for the logbook's settings."""
        return {
            "pads": [{"name": p.name, "marked_db": p.marked_db} for p in self.pads],
            "calibrations": [dataclasses.asdict(c) for c in self.calibrations],
        }

    @classmethod
    def from_data(cls, data: dict[str, Any] | None) -> MyBench:
        """From plain data. Raises BenchError for what this version does not know."""
        if not data:
            return cls()
        try:
            return cls(
                tuple(Pad(p["name"], float(p["marked_db"])) for p in data["pads"]),
                tuple(Calibration(**c) for c in data["calibrations"]),
            )
        except (KeyError, TypeError, ValueError):
            raise BenchError(tr("This bench was saved by a newer Unitone. Update Unitone to read it.")) from None


def parse_pads(text: str) -> tuple[Pad, ...]:
    """``20, 20, 10`` or ``A 20; B 20; cable 0.4`` as pads; those without a name are called by their mark. Raises BenchError with the form."""
    made: list[Pad] = []
    for part in text.replace(";", "\n").replace(", ", "\n").split("\n"):
        plain = part.strip().removesuffix("dB").strip()
        if not plain:
            continue
        name, _, mark = plain.rpartition(" ")
        try:
            value = float(mark.replace(",", "."))
        except ValueError:
            value = math.nan
        if not 0 <= value <= 160:
            raise BenchError(
                tr("“{part}” is not a pad. Write name and dB, like A 20; B 20; cable 0.4.", part=part.strip())
            )
        base = name.strip() or f"{value:g}"
        taken = {p.name for p in made}
        if name.strip() and base in taken:
            raise BenchError(tr("Two pads are called “{name}”: give each its own name.", name=base))
        unique = (
            base if base not in taken else next(f"{base}{c}" for c in "bcdefghijklmnop" if f"{base}{c}" not in taken)
        )
        made.append(Pad(unique, value))
    return tuple(made)
