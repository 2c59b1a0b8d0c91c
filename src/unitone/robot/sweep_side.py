"""A whole receive side peaked by sweeps: a real bench as far as the program can tell, with a hand that turns while the sound is read.

The radio stands apart and plays; what it plays goes in tenths of a second through the meter of the sound card, and the sweep of the
Bench tells the hand what to do. Beside it the same hand follows the step-by-step coach on the same radio: turn, let go, read for a second, type.
"""

from __future__ import annotations

import math
import time
from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any, Literal

import numpy as np

from unitone.align.moves import Measure, Turn
from unitone.align.peak.core import scale_of
from unitone.bench.drivers.live import Feed
from unitone.bench.drivers.sound_meter import SoundMeter
from unitone.bench.path import Kit
from unitone.bench.ports import Bench, DialledByHand, Measured
from unitone.errors import BenchError, SheetError
from unitone.job.card import Card
from unitone.robot._needle_eye import NeedleEye
from unitone.robot.many import many, simulated
from unitone.robot.referee import Referee
from unitone.robot.sweep import COMMANDS
from unitone.robot.technician import MOVES_AT_MOST
from unitone.session.core_sweep import CoreSweep
from unitone.session.session import Session, open_job
from unitone.sheet.conventions.questions import role_of
from unitone.sheet.model.sheet import TURN, Adjuster, Conditions, Sheet, Step
from unitone.simulator.mechanics import stream
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.receiver import RATE
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.simulator.sweeping_hand import TICK_S, Hand, Motion
from unitone.store.logbook import Logbook

Way = Literal["sweep", "step by step", "by camera"]
#: Within so much of the best that its coils can do together (dB) a receive side is peaked.
WITHIN_DB = 0.3
#: Looking at the screen and understanding a line; a key; what a reading at rest takes after the hand has let go (seconds); the keys
#: of a typed SINAD with its Enter.
_LOOK_S, _KEY_S, _READ_S, _FIGURE_KEYS = 1.5, 0.3, 1.0, 5
#: A sweep that goes on for longer has failed (seconds).
_MOST_S = 120.0
#: A reading at rest by camera is the last of so many frames.
_FRAMES = 6


@dataclass(frozen=True)
class SideResult:
    """One receive side: the loss of the coils that were turned (dB), the seconds spent on them, how many sweeps or turns, and what went wrong."""

    seed: int
    loss_db: float
    seconds: float
    moves: int
    finished: bool
    ends: tuple[str, ...]


class _Beside:
    """The radio that stands apart: its loudspeaker on the sound card, its cores in the hand. A ``Meter``, ``Hands`` and ``Clock``."""

    source = "sound card"

    def __init__(self, sheet: Sheet, radio: SimulatedRadio, seed: int, by_camera: bool = False) -> None:
        #: The analyser's needle before a camera, instead of its number.
        self._eye = NeedleEye(seed) if by_camera else None
        self.bench, self.sheet, self.spent = SimulatedBench(radio), sheet, 0.0
        self._rng = stream(seed, "sweeping a receive side")
        self._meter = SoundMeter(Feed(RATE, name="sound card"))
        self.reaction_s = float(self._rng.uniform(0.2, 0.5))
        self._pace = float(np.exp(self._rng.uniform(math.log(0.2), math.log(0.5))))
        self._motion: Motion | None = None
        self._adjuster = ""
        self._part = 0.0
        self.at_stop = False

    def speed(self, adjuster: Adjuster) -> float:
        """How fast this hand turns it (turns a second): a preset's few degrees slower than a core's turns."""
        return max(self._pace * scale_of(adjuster), 0.02)

    # -- meter ---------------------------------------------------------------------------------------

    @property
    def name(self) -> str:
        """See ``Meter``."""
        return "sound card"

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        return self._meter.measures(quantity_id)

    def seconds_for(self, quantity_id: str) -> float:
        """See ``Meter``."""
        del quantity_id
        return _READ_S

    def _hear(self, conditions: Conditions, seconds: float) -> None:
        heard = self.bench.listen(conditions, seconds)
        assert heard is not None
        self._meter.take(heard.samples)

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """A second at rest, after the radio has settled."""
        self.spent += _READ_S + 0.3
        self._hear(conditions, _READ_S + 0.3)
        self._meter.average(_READ_S)
        read = self._meter.live(quantity_id, conditions)
        assert read is not None
        if self._eye is None or quantity_id != "rx.sinad" or read.value is None:
            return read
        told = [self._eye.live(read.value, conditions, _READ_S / _FRAMES) for _ in range(_FRAMES)][-1]
        if told is None or told.value is None:
            raise BenchError("needle not read" if told is None else told.warning)
        return told

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        """A tenth of a second, in which the hand goes on."""
        self.spent += TICK_S
        if self._motion is not None:
            self._part += self._motion.move(TICK_S) * TURN
            whole = round(self._part)
            self._part -= whole
            _, self.at_stop = self.bench.turn(self._adjuster, whole) if whole else (0, self.at_stop)
        self._hear(conditions, TICK_S)
        self._meter.average(TICK_S)
        read = self._meter.live(quantity_id, conditions)
        if self._eye is None or quantity_id != "rx.sinad" or read is None or read.value is None:
            return read
        return self._eye.live(read.value, conditions, TICK_S)

    def cancel(self) -> None:
        """See ``Meter``."""

    # -- hands ---------------------------------------------------------------------------------------

    def take(self, adjuster: Adjuster) -> Motion:
        """The core in the hand, from now on; begun the wrong way as often as not."""
        way = 1 if self._rng.random() < 0.5 else -1
        self._adjuster, self._part, self.at_stop = adjuster.id, 0.0, False
        self._motion = Motion(Hand(self.speed(adjuster), self.reaction_s, 0.08, way), self._rng)
        return self._motion

    def let_go(self) -> None:
        """The hand is off the core."""
        self._motion = None

    def turn(self, adjuster: str, asked_mdeg: int) -> tuple[int, bool]:
        """See ``Hands``: so far at the hand's own speed, the screen read before."""
        self.spent += _LOOK_S + abs(asked_mdeg) / TURN / self.speed(self.sheet.adjuster(adjuster)) + self.reaction_s
        return self.bench.turn(adjuster, asked_mdeg)

    def seen(self, adjuster: str) -> float | None:
        """See ``Hands``."""
        del adjuster
        return None

    def seconds(self) -> float:
        """See ``Clock``."""
        return self.bench.seconds()


def _peaked_steps(sheet: Sheet) -> list[Step]:
    """The steps whose coils are peaked by what the sound card reads."""
    return [s for s in sheet.steps if s.aim == "peak" and s.hill_id == "rx.sinad" and s.adjusters]


def _sweep(session: Session, beside: _Beside, adjuster: str) -> str:
    """One core, as the Bench's sweep tells it; how it ended."""
    sweeping = CoreSweep(session, adjuster)
    motion = beside.take(session.sheet.adjuster(adjuster))
    told, was_at_stop, began = 0, False, beside.spent
    while not sweeping.over and beside.spent - began < _MOST_S:
        sweeping.take(session, beside.spent)
        if beside.at_stop and not was_at_stop:
            sweeping.felt_stop()
        was_at_stop = beside.at_stop
        if sweeping.said.count != told and sweeping.said.code in COMMANDS:
            told = sweeping.said.count
            motion.tell(sweeping.said.code)
    beside.let_go()
    code = sweeping.said.code if sweeping.over else "broken off"
    beside.spent += _KEY_S
    sweeping.finish(session, "" if sweeping.over else "broken off")
    return f"{adjuster}: {code}"


def receive_side(sheet_name: str, seed: int, way: Way = "sweep") -> SideResult:
    """The coils of one simulated radio of that sheet, peaked by sweeps (read by sound, or from a needle by camera) or step by step.

    Raises SheetError where none is read by sound.
    """
    _, sheet, physics = simulated(sheet_name)
    steps = _peaked_steps(sheet)
    if not steps:
        raise SheetError(
            [f"{sheet_name}:1: steps: no coil of this sheet is peaked by SINAD: there is nothing to sweep by sound."]
        )
    book = Logbook(None)
    job = open_job(book, sheet_name, Card(book.next_number(), sheet_name, serial=f"seed {seed}"), Kit())
    beside = _Beside(sheet, SimulatedRadio(sheet, physics, seed), seed, way == "by camera")
    session = Session(book, job, Bench((beside,), DialledByHand(), beside, beside))
    # The detector goes along, by its own distortion and step by step: coils cannot be read through one that is off.
    wanted = {s.id for s in steps} | {s.id for s in sheet.steps if role_of(s) == "detector"}
    for step in session.sheet.steps:
        if step.id not in wanted:
            session.go_to(step.id)
            session.judge("not applicable", "not what is tried here")
    session.go_to(steps[0].id)
    peaked = {s.id for s in steps}
    moves, ends, finished, elsewhere = 0, [], False, 0.0
    while moves < MOVES_AT_MOST and not finished:
        moves += 1
        advice, began = session.advice(), beside.spent
        if advice.act in ("finish", "done"):
            finished = True
        elif isinstance(advice, Turn) and way != "step by step" and advice.step in peaked:
            ends.append(_sweep(session, beside, advice.adjuster))
        else:
            if isinstance(advice, Measure):
                beside.spent += _LOOK_S + _KEY_S * (_FIGURE_KEYS if way == "step by step" else 1)
            session.follow(advice)
        if advice.step not in peaked:
            elsewhere += beside.spent - began
    turned = {t.adjuster for t in session.state.turns} | set(session.state.swept)
    positions = dict(beside.bench.radio.mechanics.moved_mdeg)
    worked = [a for s in steps for a in s.adjusters if a in turned]
    done = [s for s in steps if turned & set(s.adjusters)]
    loss = Referee(sheet, physics, seed).joint_loss_db(list(dict.fromkeys(worked)), positions, done) if done else 0.0
    result = SideResult(seed, max(loss, 0.0), beside.spent - elsewhere, moves, finished, tuple(ends))
    book.close()
    return result


def _one(arguments: tuple[str, int, Way]) -> SideResult:
    name, seed, way = arguments
    return receive_side(name, seed, way)


def _summed(found: Sequence[SideResult]) -> dict[str, Any]:
    losses = np.array([r.loss_db for r in found])
    return {
        "recovered": sum(r.finished and r.loss_db <= WITHIN_DB for r in found),
        "loss_db": {
            "mean": round(float(losses.mean()), 3), "median": round(float(np.median(losses)), 3),
            "p95": round(float(np.quantile(losses, 0.95)), 3), "max": round(float(losses.max()), 3),
        },
        "seconds_per_set": round(float(np.mean([r.seconds for r in found])), 1),
        "unfinished": sum(not r.finished for r in found),
    }  # fmt: skip


def run_side_trial(sheet: str, sets: int, seed: int = 1, workers: int = 1) -> dict[str, Any]:
    """The report of ``./unitone robot SHEET --task sweep``: the coils of ``sets`` radios, by sweeps and by the same hands step by step.

    Raises SheetError where no coil of the sheet is peaked by SINAD.
    """
    _, written, _ = simulated(sheet)
    started = time.monotonic()
    run = partial(many, _one)
    swept = run([(sheet, s, "sweep") for s in range(seed, seed + sets)], workers)
    stepped = run([(sheet, s, "step by step") for s in range(seed, seed + sets)], workers)
    by_sweep, by_step = _summed(swept), _summed(stepped)
    return {
        "task": "sweep", "sheet": written.id, "sets": sets, "seed": seed, **by_sweep,
        "sweeps_per_set": round(sum(len(r.ends) for r in swept) / sets, 1),
        "time_share": round(by_sweep["seconds_per_set"] / max(by_step["seconds_per_set"], 1e-9), 3),
        "baselines": [{"name": "the same hand, step by step", **by_step}],
        "problems": [
            {"seed": r.seed, "what": [f"{r.loss_db:.2f} dB", *r.ends]} for r in swept if not r.finished or r.loss_db > WITHIN_DB
        ],
        "seconds": round(time.monotonic() - started, 1),
    }  # fmt: skip
