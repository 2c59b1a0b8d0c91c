"""General procedures proved by a hand that only types: a real bench as far as the program can tell.

The job is opened without a simulated radio, the bench has no instrument and no hands of its own. The technician beside it turns the
cores of a radio that stands apart, reads its instruments as finely as their scales allow, and types what was read.
"""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from unitone.align import moves
from unitone.bench.path import Kit
from unitone.bench.ports import Bench, DialledByHand, Measured
from unitone.errors import BenchError, DoubtfulEntry
from unitone.job.card import Card
from unitone.quantities.registry import FOUND_BY, Quantity, quantity
from unitone.robot._bench_radios import Radio, radio_for
from unitone.robot._dial_figures import told as dial_told
from unitone.robot.many import many
from unitone.robot.technician import MOVES_AT_MOST, Work
from unitone.robot.whole_radios import SetResult, judge, losses
from unitone.session.session import Session, open_job
from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import find
from unitone.sheet.model.sheet import Step
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.store.logbook import Logbook

#: How finely a scale is read by eye, in the canonical unit: a needle to a fifth of its smallest mark, a counter to its last digit,
#: a multimeter to 10 mV. What is not here is read in the steps of its printed decimals.
RESOLUTION: dict[str, float] = {
    "supply.current": 0.01, "tx.frequency_error": 1.0, "rx.lo_error": 10.0, "rx.frequency_error": 100.0, "tx.power": 0.05, "tx.pep": 0.2,
    "tx.deviation": 50.0, "tx.am_depth": 2.0, "tx.harmonic": 1.0, "tx.carrier_suppression": 1.0, "tx.field_strength": 0.5,
    "rx.sinad": 0.5, "rx.sn_ratio": 0.5, "rx.distortion": 0.2, "rx.quieting": 0.5, "rx.s_meter": 1.5, "tx.bias_current": 0.001,
}  # fmt: skip
_BY_UNIT = {"mA": 1e-3, "kHz": 1e3, "MHz": 1e6}


def as_typed(q: Quantity, read: Measured, carrier_hz: float | None) -> str:
    """What a person types who read this off a scale: rounded to it, in the unit of the screen."""
    if read.word:
        return read.word
    assert read.value is not None
    fine = RESOLUTION.get(q.id, 10.0**-q.decimals * _BY_UNIT.get(q.shown, 1.0))
    value = round(read.value / fine) * fine
    if q.kind == "level":
        return f"{read.bound}{read.value:.1f} dBm"
    if q.kind == "s-units":
        return f"S9+{value:.0f}" if value > 0.5 else f"S{max(9.0 + value / 6.0, 0.0):.2f}"
    if q.kind == "hertz-error":
        if carrier_hz is None:
            return f"{value:+.0f} Hz"
        # A counter shows the frequency, not its error.
        return f"{(carrier_hz + value) / 1e6:.6f} MHz"
    if q.id == "rx.af_voltage":
        return f"{read.bound}{read.value:.2g}" if read.value < 1.0 else f"{read.bound}{read.value:.1f}"
    scale = _BY_UNIT.get(q.shown, 1.0)
    return f"{read.bound}{value / scale:.{q.decimals if q.shown != 'MHz' else 6}f}"


class _AtTheRadio:
    """The technician's hands on the radio that stands apart."""

    def __init__(self, bench: SimulatedBench) -> None:
        self._bench = bench

    def turn(self, adjuster: str, asked_mdeg: int) -> tuple[int, bool]:
        """See ``Hands``: the stop is felt."""
        return self._bench.turn(adjuster, asked_mdeg)

    def seen(self, adjuster: str) -> float | None:
        """See ``Hands``: nobody tells the program where a slot points."""
        del adjuster
        return None

    def seconds(self) -> float:
        """See ``Clock``."""
        return self._bench.seconds()


class TypingTechnician:
    """Reads the radio that stands apart and types; follows the coach in everything else."""

    def __init__(self, session: Session, radio: Radio, beside: SimulatedBench) -> None:
        self.session, self.radio, self.beside = session, radio, beside
        self.keys = 0

    def align(self) -> Work:
        """Until the job is finished, as the coach leads."""
        for done in range(MOVES_AT_MOST):
            advice = self.session.advice()
            if advice.act == "done":
                return Work(len(self.session.state.readings), done, True)
            if isinstance(advice, moves.Measure):
                self._read(advice)
            else:
                self.session.follow(advice)
        return Work(len(self.session.state.readings), MOVES_AT_MOST, False)

    def _read(self, advice: moves.Measure) -> None:
        session = self.session
        session.go_to(advice.step)
        if advice.step in self.radio.matching.without:
            session.judge("not applicable", "this radio has none")
            return
        quantity_id = advice.quantity or session.reading_quantity(advice.conditions)
        if quantity_id in FOUND_BY:
            quantity_id = FOUND_BY[quantity_id][0]
        if not self.beside.can_measure(quantity_id):
            session.judge("not applicable", "this radio has none")
            return
        there = self.radio.there(advice.conditions)
        try:
            read = self.beside.measure(quantity_id, there)
        except BenchError as error:
            session.judge("not applicable", str(error))
            return
        q = quantity(quantity_id)
        # Where the radio's channels have other names and are the same, a counter or a dial shows the frequency.
        meant = session.sheet.carrier_hz(advice.conditions.channel, advice.conditions.band)
        same = meant == self.radio.sheet.carrier_hz(there.channel, there.band)
        carrier = float(meant) if same else None
        typed = as_typed(q, read, carrier)
        if session.step.quantity_id in FOUND_BY and q.id == FOUND_BY[session.step.quantity_id][0]:
            typed += " dB"
        self.keys += len(typed) + 1
        try:
            session.type_in(typed, advice.conditions)
        except DoubtfulEntry:
            self.keys += 1
            session.type_in(typed, advice.conditions)


def _there(radio: Radio, step: Step) -> Step:
    return replace(step, required=tuple(map(radio.there, step.required)))


def run_by_hand(procedure: str, seed: int, conventions: Mapping[str, str] | None = None) -> SetResult:
    """One radio of a seed, aligned by a general procedure and typing alone, judged by its physics; ``conventions``: the job's own."""
    path = find(procedure)
    radio = radio_for(read_sheet(path))
    book = Logbook(None)
    # A generator with the pads that reach under the noise: what a bench of one's own has for this work.
    job = open_job(book, procedure, Card(book.next_number(), path.stem, serial=f"seed {seed}"), Kit())
    beside = SimulatedBench(SimulatedRadio(radio.sheet, radio.physics, seed))
    hands = _AtTheRadio(beside)
    session = Session(book, job, Bench((), DialledByHand(), hands, hands))
    if conventions:
        session.set_conventions(dict(conventions))
    for more in radio.matching.found:
        session.growing.add_adjuster(more.step, more.adjuster)
    for name in radio.matching.missing:
        session.growing.drop_adjuster(name)
    work = TypingTechnician(session, radio, beside).align()
    sheet = replace(
        radio.sheet, steps=tuple(_there(radio, s) for s in session.sheet.steps if s.id not in radio.matching.without)
    )
    result = judge(session, sheet, radio.physics, seed, work.readings, work.moves, work.finished, there=radio.there)
    book.close()
    return result


def _one(arguments: tuple[str, int]) -> SetResult:
    return run_by_hand(*arguments)


def run_by_hand_trial(procedure: str, sets: int, seed: int = 1, workers: int = 1) -> dict[str, Any]:
    """The report of ``./unitone robot ROUTE --task by-hand``: ``sets`` radios from ``seed`` on. Raises SheetError without a radio."""
    radio_for(read_sheet(find(procedure)))
    started = time.monotonic()
    told: Sequence[SetResult] = many(_one, [(procedure, s) for s in range(seed, seed + sets)], workers)
    report: dict[str, Any] = {
        "task": "by-hand", "sheet": find(procedure).stem, "sets": sets, "recovered": sum(r.recovered for r in told),
        "readings_per_set": round(sum(r.readings for r in told) / len(told), 1),
        "moves_per_set": round(sum(r.moves for r in told) / len(told), 1),
        "wrong_verdicts": sum(r.wrong_verdicts for r in told), "loss_db": losses(told),
        "problems": [{"seed": r.seed, "what": list(r.problems)} for r in told if r.problems],
        "out_of_reach": [{"seed": r.seed, "steps": list(r.out_of_reach)} for r in told if r.out_of_reach],
        "seconds": round(time.monotonic() - started, 1),
    }  # fmt: skip
    dials = [r.dial for r in told if r.dial is not None]
    return report | ({"error": dial_told(dials)} if dials else {})
