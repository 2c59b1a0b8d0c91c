"""Single-sideband sets brought on frequency by a second radio: its clarifier turned by ear, or a voice in the sound card."""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import Any

import numpy as np

from unitone.align.frequency.trimming import countables
from unitone.errors import SheetError
from unitone.job.card import Card
from unitone.robot.many import many, simulated
from unitone.robot.on_frequency import by_advice, prepare
from unitone.robot.referee import Referee
from unitone.session.session import Session, open_job
from unitone.sheet.library import find, physics_path
from unitone.sheet.model.injection import SIDES
from unitone.simulator.physics import read_physics
from unitone.store.logbook import Logbook

#: A carrier this near is on frequency (Hz): by ear, and by the sound card.
WITHIN_HZ = {"clarifier": 50.0, "voice": 15.0}
#: No set needs so many moves.
_MOVES = 600


@dataclass(frozen=True)
class HeardResult:
    """One set: the error of each carrier in both sidebands as found and as left (Hz), readings taken, and whether it came to an end."""

    seed: int
    found_hz: tuple[float, ...]
    left_hz: tuple[float, ...]
    readings: int
    finished: bool


def run_two_radios(sheet_name: str, seed: int, way: str) -> HeardResult:
    """One set of a seed; ``way``: ``clarifier`` or ``voice``. Raises SheetError for a sheet without single sideband."""
    path = find(sheet_name)
    book = Logbook(None)
    job = open_job(book, sheet_name, Card(book.next_number(), path.stem, serial=f"seed {seed}", simulated_seed=seed))
    session = Session(book, job)
    session.set_conventions({"carrier": way})
    prepare(session)
    referee = Referee(session.sheet, read_physics(physics_path(path), session.sheet), seed)
    things = countables(session.sheet)
    start = len(session.state.readings)

    def errors() -> tuple[float, ...]:
        referee.stand_at(dict(session.state.positions))
        return tuple(referee.true_value("tx.frequency_error", c.conditions) for c in things)

    found = errors()
    moves = by_advice(session)
    result = HeardResult(seed, found, errors(), len(session.state.readings) - start, moves < _MOVES)
    book.close()
    return result


def _one(arguments: tuple[str, int, str]) -> HeardResult:
    return run_two_radios(*arguments)


def _summed(found: list[HeardResult], way: str) -> dict[str, Any]:
    within = WITHIN_HZ[way]
    errors = np.abs([e for r in found for e in r.left_hz])
    return {
        "recovered": sum(r.finished and max(map(abs, r.left_hz)) <= within for r in found),
        "readings_per_set": round(float(np.mean([r.readings for r in found])), 1),
        "error": {
            "hz": {
                "median": round(float(np.median(errors)), 1), "p95": round(float(np.quantile(errors, 0.95)), 1),
                "max": round(float(errors.max()), 1),
            },
            "within_hz": within, "share_within": round(float(np.mean(errors <= within)), 4),
        },
        "unfinished": sum(not r.finished for r in found),
    }  # fmt: skip


def run_two_radios_trial(sheet: str, sets: int, seed: int = 1, workers: int = 1) -> dict[str, Any]:
    """The report of ``./unitone robot SHEET --task two-radios``: ``sets`` radios by the sound card, and the same ones by ear.

    Raises SheetError for a sheet without single sideband.
    """
    path, written, _ = simulated(sheet)
    sidebands = any((m.mode or "").lower() in SIDES for m in written.mixing)
    if not sidebands or not any(m.output == "tx.carrier" for m in written.mixing):
        raise SheetError(
            [f"{path}:1: mixing: no tx.carrier in USB or LSB: there is no voice to hear on a second radio."]
        )
    started = time.monotonic()
    seeds = range(seed, seed + sets)
    ear = many(_one, [(sheet, s, "clarifier") for s in seeds], workers)
    card = many(_one, [(sheet, s, "voice") for s in seeds], workers)
    as_found = np.abs([e for r in ear for e in r.found_hz])
    return {
        "task": "two-radios", "sheet": path.stem, "sets": sets, "seed": seed, **_summed(ear, "clarifier"), "by_ear": _summed(ear, "clarifier"),
        "by_sound_card": _summed(card, "voice"),
        "as_found": {"hz": {"median": round(float(np.median(as_found)), 1), "p95": round(float(np.quantile(as_found, 0.95)), 1)}},
        "problems": [
            {"seed": r.seed, "way": way, "what": [round(e, 1) for e in r.left_hz if abs(e) > WITHIN_HZ[way]]}
            for way, of in (("clarifier", ear), ("voice", card)) for r in of if not r.finished or max(map(abs, r.left_hz)) > WITHIN_HZ[way]
        ],
        "seconds": round(time.monotonic() - started, 1),
    }  # fmt: skip
