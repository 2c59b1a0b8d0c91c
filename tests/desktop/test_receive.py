"""The receive side through the real window: cores peaked by the Return key, the S-meter's chart, a stop said by hand."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel

from desktop.conftest import Desk
from unitone.job.card import Card
from unitone.robot.many import simulated
from unitone.robot.referee import Referee
from unitone.session.session import Session, open_job

WEIR = "ostrel-weir-40-am"


def words(widget: object) -> str:
    return " ".join(x.text() for x in widget.findChildren(QLabel) if x.isVisibleTo(widget))  # type: ignore[attr-defined]


def opened(desk: Desk, step: str, seed: int | None, fault: str = "") -> Session:
    card = Card(desk.logbook.next_number(), WEIR, "W-7", simulated_seed=seed, simulated_fault=fault)
    session = Session(desk.logbook, open_job(desk.logbook, WEIR, card))
    session.start_work()
    session.go_to(step)
    session.confirm_hook_up("receive")
    session.keep_summary()
    desk.open(session.state.card.number)
    desk.until(lambda: desk.bench.view is not None and desk.bench.view.step.id == step)
    return session


@pytest.mark.parametrize("seed", [1, 2, 3, 5, 6, 8, 9, 10, 11, 14])
def test_cores_are_peaked_by_doing_what_the_coach_says(desk: Desk, seed: int) -> None:
    """Return, and nothing but Return: the core ends where the physics has its top."""
    opened(desk, "front-end", seed)
    for _ in range(80):
        view = desk.bench.view
        if view.step.id != "front-end" or view.coach.advice.act == "conclude":
            break
        before = (view.log.cells, view.coach.advice)
        desk.key(Qt.Key.Key_Return)
        desk.until(lambda b=before: (desk.bench.view.log.cells, desk.bench.view.coach.advice) != b)  # type: ignore[misc]
    view = desk.bench.view
    assert view.coach.advice.outcome == "peaked" and "Peaked." in words(desk.bench.step)
    _, sheet, physics = simulated(WEIR)
    referee = Referee(sheet, physics, seed)
    moved = {r.adjuster: r.moved for r in view.board.ledger if r.adjuster in ("T1", "T2")}
    assert set(moved) == {"T1", "T2"}
    positions = dict(desk.window.worker._session.state.positions)  # type: ignore[union-attr]
    assert referee.joint_loss_db(["T1", "T2"], positions, [sheet.step("front-end")]) < 0.3


def test_the_chart_is_read_with_its_key_and_says_what_is_wrong(desk: Desk) -> None:
    opened(desk, "s-meter", 3, "meter-holds")
    step = desk.bench.step
    desk.until(lambda: step.charted.isVisible() and step.charted.isEnabled())
    desk.key(Qt.Key.Key_M)
    desk.until(lambda: desk.bench.view.reading.hill is not None and len(desk.bench.view.reading.hill.points) >= 8)
    said = [n for n in desk.bench.view.step.notes if n.startswith("Chart:")]
    assert len(said) == 1 and "six tell its shape" not in said[0], "eight levels tell a shape"
    desk.window.worker.do(lambda s: s.go_to("audio"))
    desk.until(lambda: desk.bench.view.step.id == "audio")
    assert not step.charted.isVisible()


def test_a_stop_is_said_by_hand(desk: Desk) -> None:
    opened(desk, "front-end", None)
    desk.until(lambda: desk.bench.view.board.selected == "T1")
    desk.after(lambda: desk.bench.press("cw"))
    desk.after(lambda: desk.bench.press("stop-cw"))
    desk.until(lambda: any("T1" in t.what for t in desk.bench.view.log.cells))
    state = desk.window.worker._session.state  # type: ignore[union-attr]
    desk.until(lambda: bool(state.turns) and state.turns[-1].stop)
    assert state.turns[-1].moved == 0 and state.positions["T1"] == 45_000
