"""How a radio that a gang tunes was left: IF gain and width, dial, tracking; told by its physics, against the best that its parts allow."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import astuple, dataclass

import numpy as np

from unitone.robot.referee import Referee
from unitone.simulator.receive_physics import CoilStage, GangedStage, PairStage

#: The response is looked at so far beside its middle (Hz), and its width is told this much under its top (dB).
_LOOK_HZ, _WIDTH_DB = 15_000.0, 6.0


@dataclass(frozen=True)
class DialFigures:
    """Lost in the IF (dB), its width against the radio as made (% off), the worst of the dial (% of the mark), and what signal circuits
    lose where they are worst over the dial, beyond what the best setting of their own adjusters loses (dB)."""

    if_db: float
    width_pct: float
    dial_pct: float
    tracking_db: float


class _Tuning:
    """The receive chain of one radio, seen by a referee: what it passes at a mark, in parts."""

    def __init__(self, referee: Referee) -> None:
        self.referee, self.receiver = referee, referee.radio.receiver
        self.mode = self.receiver.usual_mode()
        stages = self.receiver.physics.stage
        self.first_if = 1 + max(n for n, s in enumerate(stages) if isinstance(s, GangedStage))
        self.cores = [a for s in stages[self.first_if :] if isinstance(s, PairStage) for a in s.adjusters]
        self.cores += [s.adjuster for s in stages[self.first_if :] if isinstance(s, CoilStage)]
        self.circuits = [a for s in stages[: self.first_if] if isinstance(s, GangedStage) for a in s.turned_by]
        marks = {
            referee.channel_of(c)
            for s in referee.sheet.steps
            if s.quantity_id == "rx.frequency_error"
            for c in s.required
        }
        self.marks = sorted(float(referee.sheet.carrier_hz(m)) for m in marks)

    def passband_db(self, hz: np.ndarray) -> np.ndarray:
        """The IF alone (dB), at offsets from its middle."""
        gain = self.receiver.chain(self.marks[0], self.mode, hz, start=self.first_if).gain
        return np.asarray(20.0 * np.log10(np.maximum(np.abs(gain), 1e-12)))

    def signal_db(self, mark: float) -> float:
        """The circuits of the gang alone, for what comes in at that mark (dB)."""
        middle = np.zeros(1)
        whole = self.receiver.chain(mark, self.mode, middle).gain
        rest = self.receiver.chain(mark, self.mode, middle, start=self.first_if).gain
        return float(20.0 * np.log10(max(abs(whole[0] / rest[0]), 1e-12)))

    def worst_signal_db(self) -> float:
        """Where they pass least over the marks."""
        return min(self.signal_db(m) for m in self.marks)


def _width(db: np.ndarray, hz: np.ndarray) -> float:
    inside = hz[db >= db.max() - _WIDTH_DB]
    return float(inside[-1] - inside[0])


def dial_figures(referee: Referee, positions: dict[str, int]) -> DialFigures:
    """How a gang-tuned radio stands with its adjusters at ``positions`` (millidegrees from found)."""
    tuning, right = _Tuning(referee), referee.radio.mechanics.specimen
    hz = np.arange(-_LOOK_HZ, _LOOK_HZ + 1.0, 50.0)
    middle = np.zeros(1)
    referee.stand_at(positions)
    now, width = float(tuning.passband_db(middle)[0]), _width(tuning.passband_db(hz), hz)
    dial = [abs(tuning.receiver.dial.received_hz(m) - m) / m for m in tuning.marks] if tuning.receiver.dial else [0.0]
    passed = tuning.worst_signal_db()
    # The radio as made: every core of the IF where this specimen is right.
    referee.stand_at({a: round((right.right[a] - right.found[a]) * 360_000) for a in tuning.cores})
    made, made_width = float(tuning.passband_db(middle)[0]), _width(tuning.passband_db(hz), hz)
    referee.stand_at(positions)
    best = -referee.least(tuning.circuits, lambda: -tuning.worst_signal_db()) if tuning.circuits else passed
    referee.stand_at(positions)
    return DialFigures(made - now, 100.0 * abs(width / made_width - 1.0), 100.0 * max(dial), best - passed)


def told(found: Sequence[DialFigures]) -> dict[str, dict[str, float]]:
    """Median, 95th percentile and largest of each figure."""
    table = np.array([astuple(f) for f in found])
    names = ("if_db", "width_pct", "dial_pct", "tracking_db")
    return {
        n: {
            "median": round(float(np.median(c)), 3),
            "p95": round(float(np.quantile(c, 0.95)), 3),
            "max": round(float(c.max()), 3),
        }
        for n, c in zip(names, table.T, strict=True)
    }
