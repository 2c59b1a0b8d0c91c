"""Receivers aligned without an instrument: stations off the air, an ear that says louder, softer or the same, and a dial's pointer."""

from __future__ import annotations

import math
import time
from dataclasses import dataclass
from typing import Any

import numpy as np

from unitone.align.moves import Advice, Measure
from unitone.errors import SheetError
from unitone.job.card import Card
from unitone.quantities.registry import HEARD
from unitone.radio.noise import KT0
from unitone.robot._dial_figures import DialFigures, dial_figures
from unitone.robot._dial_figures import told as dial_told
from unitone.robot.many import many, simulated
from unitone.robot.referee import Referee
from unitone.robot.technician import align
from unitone.session.session import Session, open_job
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.store.logbook import Logbook

#: A receiver is recovered within so much of the best that its parts allow (dB): IF, and signal circuits where they are worst.
WITHIN_DB = 2.0
#: The band that a station's programme is heard in (Hz): under the noise in it, it is lost.
_HEARD_HZ = 7000.0


@dataclass(frozen=True)
class EarResult:
    """One receiver: how it was left and how it was found, how often it was listened to, how often the station stayed drowned after a turn, and
    whether every core can be put back to where it was found."""

    seed: int
    left: DialFigures
    found: DialFigures
    listened: int
    turns: int
    lost: int
    returnable: bool
    finished: bool

    @property
    def loss_db(self) -> float:
        """What is lost against the best (dB), both together."""
        return max(self.left.if_db, 0.0) + max(self.left.tracking_db, 0.0)


class _Watching:
    """Beside the technician: is the station still heard whenever somebody listens?"""

    def __init__(self, session: Session) -> None:
        self._session, self.lost, self._drowned = session, 0, False

    def __call__(self, advice: Advice) -> None:
        session = self._session
        if not isinstance(advice, Measure) or session.reading_quantity(advice.conditions) != HEARD:
            return
        bench = session.bench
        assert isinstance(bench, SimulatedBench)
        level = bench.station_dbm(advice.conditions)
        if level is None or not session.state.turns:
            return
        carrier = float(session.sheet.carrier_hz(advice.conditions.channel or "", advice.conditions.band))
        receiver = bench.radio.receiver
        noise = 10.0 * math.log10(KT0 * 1e3 * _HEARD_HZ) + receiver.noise_figure_db(carrier, receiver.usual_mode())
        drowned = level < noise
        # One place where it drowns is heard as softer, and left again: lost is what the way back does not bring.
        self.lost += drowned and self._drowned
        self._drowned = drowned


def run_by_ear(sheet_name: str, seed: int) -> EarResult:
    """One receiver of a seed, by ear alone, as the coach leads. Raises SheetError for a sheet whose radio has no tuning gang."""
    _, sheet, physics = simulated(sheet_name)
    if physics.gang is None:
        raise SheetError([f"{sheet_name}:1: file: no [gang] in its physics: there is no dial to tune stations in by."])
    book = Logbook(None)
    job = open_job(book, sheet_name, Card(book.next_number(), sheet.id, serial=f"seed {seed}", simulated_seed=seed))
    session = Session(book, job)
    session.set_conventions({"source": "station"})
    referee = Referee(sheet, physics, seed)
    found = dial_figures(referee, dict.fromkeys(session.state.positions, 0))
    watching = _Watching(session)
    work = align(session, watching)
    left = dial_figures(referee, dict(session.state.positions))
    bench = session.bench
    assert isinstance(bench, SimulatedBench)
    listened = sum(x.reading.quantity_id == HEARD for x in session.state.readings)
    # Put back by the positions that the log tells: each comes to where it was found.
    for name, at in session.state.positions.items():
        bench.turn(name, -at)
    returnable = all(moved == 0 for moved in bench.radio.mechanics.moved_mdeg.values())
    turns = len(session.state.turns)
    book.close()
    return EarResult(seed, left, found, listened, turns, watching.lost, returnable, work.finished)


def _one(arguments: tuple[str, int]) -> EarResult:
    return run_by_ear(*arguments)


def run_by_ear_trial(sheet: str, sets: int, seed: int = 1, workers: int = 1) -> dict[str, Any]:
    """The report of ``./unitone robot SHEET --task by-ear``: ``sets`` receivers from ``seed`` on. Raises SheetError without a gang."""
    _, written, physics = simulated(sheet)
    if physics.gang is None:
        raise SheetError([f"{sheet}:1: file: no [gang] in its physics: there is no dial to tune stations in by."])
    started = time.monotonic()
    found = many(_one, [(sheet, s) for s in range(seed, seed + sets)], workers)
    losses = np.array([r.loss_db for r in found])
    good = [r.finished and r.loss_db <= WITHIN_DB and not r.lost and r.returnable for r in found]
    return {
        "task": "by-ear", "sheet": written.id, "sets": sets, "seed": seed, "recovered": sum(good),
        "readings_per_set": round(sum(r.listened for r in found) / sets, 1), "moves_per_set": round(sum(r.turns for r in found) / sets, 1),
        "loss_db": {
            "mean": round(float(losses.mean()), 3), "median": round(float(np.median(losses)), 3),
            "p95": round(float(np.quantile(losses, 0.95)), 3), "max": round(float(losses.max()), 3),
        },
        "error": dial_told([r.left for r in found]), "as_found": dial_told([r.found for r in found]),
        "stations_lost": sum(r.lost for r in found), "not_returnable": sum(not r.returnable for r in found),
        "unfinished": sum(not r.finished for r in found),
        "problems": [{"seed": r.seed, "what": f"{r.loss_db:.2f} dB, lost {r.lost}"} for r, ok in zip(found, good, strict=True) if not ok],
        "seconds": round(time.monotonic() - started, 1),
    }  # fmt: skip
