"""A whole FM mobile through the real window, by a general procedure and keys alone: no instrument, no simulated radio in the job.

A radio stands beside the window; a technician turns it as the coach says, reads it as finely as a scale allows, and types.
"""

from __future__ import annotations

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from PyQt6.QtCore import QPoint, Qt

from desktop.conftest import Desk
from unitone.align.moves import Measure, Turn
from unitone.bench.path import Kit
from unitone.bench.ports import Measured
from unitone.errors import BenchError
from unitone.job.card import Card
from unitone.job.fold import fold
from unitone.job.verdicts import SETTLED, verdict
from unitone.quantities.registry import FOUND_BY, quantity
from unitone.robot._bench_radios import Radio, radio_for
from unitone.robot.by_hand import as_typed
from unitone.session.own_sheets import library_of
from unitone.session.session import Session, open_job
from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import find
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.simulated_bench import SimulatedBench

pytestmark = pytest.mark.window
CONTROL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


class Technician:
    """Hands, eyes and ten fingers; knows nothing but what stands on the screen and on the radio's meters."""

    def __init__(self, desk: Desk, radio: Radio, beside: SimulatedBench) -> None:
        self.desk, self.radio, self.beside, self.typed = desk, radio, beside, 0

    def work(self, most: int = 600) -> None:
        """As the coach leads, until it says that the job is done."""
        for _ in range(most):
            advice = self.desk.bench.view.coach.advice  # type: ignore[union-attr]
            if advice.act == "done" or self.desk.bench.view.finished:  # type: ignore[union-attr]
                return
            if isinstance(advice, Measure):
                self._read(advice)
            else:
                if isinstance(advice, Turn):
                    self.beside.turn(advice.adjuster, advice.move_mdeg)
                self.desk.after(lambda: self.desk.key(Qt.Key.Key_Return))
        raise AssertionError(f"not done after {most} moves: {self.desk.bench.step.headline.text()}")

    def _read(self, advice: Measure) -> None:
        view = self.desk.bench.view
        assert view is not None
        if view.step.id != advice.step:
            self.desk.after(lambda: self.desk.key("g"))
            return
        name = advice.quantity or view.reading.quantity_id
        name = FOUND_BY[name][0] if name in FOUND_BY else name
        there = self.radio.there(advice.conditions)
        try:
            read = self.beside.measure(name, there)
        except BenchError:
            # A physics file without a supply: this bench has no ammeter.
            self._put_aside("no ammeter on this bench")
            return
        # The screen asks for what is read in the unit beside the field: a level's ratio is typed with its own.
        unit = " dB" if name in ("rx.sinad", "rx.sn_ratio") and view.reading.quantity_id not in (name,) else ""
        self._type(self._words(name, read) + unit)

    def _words(self, name: str, read: Measured) -> str:
        hz = self.desk.bench.view.step.conditions  # type: ignore[union-attr]
        sheet = fold(self.desk.logbook.tape(self.desk.bench.view.job_id)).sheet  # type: ignore[union-attr]
        carrier = float(sheet.carrier_hz(hz.channel, hz.band)) if hz.channel else None
        return as_typed(quantity(name), read, carrier)

    def _type(self, words: str) -> None:
        bench = self.desk.bench
        self.desk.key("r")
        self.desk.until(lambda: bench.step.typing)
        bench.step.entry.clear()
        for letter in words:
            self.desk.key(letter)
        self.typed += len(words) + 2
        seq = bench.view.seq  # type: ignore[union-attr]
        for _ in range(2):
            # What is doubted is asked back in the field, and Enter once more says that it was meant.
            self.desk.key(Qt.Key.Key_Return)
            self.desk.quiet()
            if bench.view.seq != seq:  # type: ignore[union-attr]
                return
        raise AssertionError(f"“{words}” was not taken: {bench.message_words.text()}")

    def _put_aside(self, reason: str) -> None:
        tray = self.desk.bench.tray
        self.desk.key("a")
        self.desk.until(tray.judge.isVisible)
        tray.judge.verdict.setCurrentIndex(tray.judge.verdict.findData("not applicable"))
        for letter in reason:
            self.desk.key(letter)
        self.desk.after(lambda: self.desk.key(Qt.Key.Key_Return))


def test_an_fm_mobile_from_as_found_to_a_sheet_of_its_own_by_keys_alone(desk: Desk) -> None:
    procedure = read_sheet(find("fm-mobile"))
    radio = radio_for(procedure)
    beside = SimulatedBench(SimulatedRadio(radio.sheet, radio.physics, 7))
    number = desk.logbook.next_number()
    job = open_job(desk.logbook, "fm-mobile", Card(number, "fm-mobile"), Kit(), title="Fenmark Lode 80")
    session = Session(desk.logbook, job)
    for more in radio.matching.found:
        session.growing.add_adjuster(more.step, more.adjuster)
    for name in radio.matching.missing:
        session.growing.drop_adjuster(name)
    desk.open(number)
    hands = Technician(desk, radio, beside)
    hands.work()
    state = fold(desk.logbook.tape(job))
    assert state.finished and all(not x.reading.source or x.reading.source == "hand" for x in state.readings)
    assert all(verdict(state, s) in SETTLED for s in state.sheet.steps), [
        (s.id, verdict(state, s)) for s in state.sheet.steps
    ]
    # What was found stands beside what was left, and the radio is kept as the sheet of its kind.
    assert "Ctrl+Shift+S" in desk.bench.message_words.text()
    desk.key(Qt.Key.Key_S, CONTROL | SHIFT)
    desk.until(lambda: "fenmark-lode-80" in desk.bench.message_words.text())
    kept = read_sheet(library_of(desk.logbook).find("fenmark-lode-80"))
    assert kept.step("sensitivity").limit.high < procedure.step("sensitivity").limit.high  # type: ignore[operator]
    # By the sheet that it left, the same radio is in spec at once.
    again = open_job(desk.logbook, "fenmark-lode-80", Card(desk.logbook.next_number(), "fenmark-lode-80"))
    assert Session(desk.logbook, again).sheet.title == "Fenmark Lode 80"


def test_a_step_and_a_pin_are_made_at_the_bench(desk: Desk) -> None:
    """Ctrl+Shift+N asks for a step in place; a touch on the photograph says where an adjuster sits that has no pin yet."""
    number = desk.logbook.next_number()
    job = open_job(desk.logbook, "ostrel-tarn-40", Card(number, "ostrel-tarn-40"), Kit())
    session = Session(desk.logbook, job)
    session.go_to("front-end")
    session.growing.add_adjuster("front-end", "T9", where="behind the mixer")
    desk.open(number)
    bench = desk.bench
    desk.key(Qt.Key.Key_N, CONTROL | SHIFT)
    desk.until(bench.tray.step.isVisible)
    for letter in "AF output":
        desk.key(letter)
    desk.key(Qt.Key.Key_Return)
    assert bench.tray.step.limit.hasFocus(), "the limit is still wanted"
    bench.tray.step.what.setCurrentIndex(bench.tray.step.what.findData("rx.af_voltage"))
    for letter in ">= 1.5 V":
        desk.key(letter)
    desk.after(lambda: desk.key(Qt.Key.Key_Return))
    desk.until(lambda: bench.view is not None and bench.view.step.title == "AF output")
    state = fold(desk.logbook.tape(job))
    assert state.sheet.step(bench.view.step.id).limit.low == 1.5  # type: ignore[union-attr]
    # Back at the coils: the new one is taken in hand, and the board is touched where it sits.
    desk.after(lambda: bench._worker.do(lambda s: s.go_to("front-end")))
    desk.after(lambda: bench._worker.select("T9"))
    desk.until(lambda: bench.view is not None and bench.view.board.unpinned == "T9" and bench.board.image is not None)
    area = bench.board._area()
    place = (area.left() + 0.5 * area.width(), area.top() + 0.06 * area.height())
    desk.after(lambda: desk.qtbot.mouseClick(bench.board, Qt.MouseButton.LeftButton, pos=QPoint(*map(round, place))))
    pin = fold(desk.logbook.tape(job)).sheet.adjuster("T9").pin
    assert pin == (pytest.approx(0.5, abs=0.02), pytest.approx(0.06, abs=0.02))
    desk.until(lambda: bench.view is not None and not bench.view.board.unpinned)
    assert any(p.id == "T9" for p in bench.view.board.pins)  # type: ignore[union-attr]
    # A second touch of an empty place moves nothing: the adjuster has its pin.
    seq = bench.view.seq  # type: ignore[union-attr]
    desk.qtbot.mouseClick(
        bench.board, Qt.MouseButton.LeftButton, pos=QPoint(round(area.left()) + 4, round(area.top()) + 4)
    )
    desk.quiet()
    assert bench.view.seq == seq  # type: ignore[union-attr]
