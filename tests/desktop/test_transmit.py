"""The transmit side through the real window: power brought even by the Return key, the interlock forced in Practice, a load too small."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel

from desktop.conftest import Desk
from unitone.job.card import Card
from unitone.robot.on_frequency import prepare
from unitone.session.session import Session, open_job

WEIR = "ostrel-weir-40-am"


def words(widget: object) -> str:
    return " ".join(x.text() for x in widget.findChildren(QLabel) if x.isVisibleTo(widget))  # type: ignore[attr-defined]


def opened(desk: Desk, sheet: str, seed: int | None, step: str) -> None:
    job = open_job(desk.logbook, sheet, Card(desk.logbook.next_number(), sheet, "W-9", simulated_seed=seed))
    session = Session(desk.logbook, job)
    if seed is not None:
        prepare(session)
    session.start_work()
    session.go_to(step)
    desk.open(session.state.card.number)
    desk.until(lambda: desk.bench.view is not None and desk.bench.view.step.id == step)


def test_power_is_brought_even_by_doing_what_the_coach_says(desk: Desk) -> None:
    opened(desk, WEIR, 4, "power")
    said: set[str] = set()
    headlines: list[str] = []
    for _ in range(120):
        view = desk.bench.view
        if view.step.id != "power" or view.coach.advice.act == "conclude":
            break
        said |= set(view.step.notes)
        headlines.append(view.coach.detail)
        before = (view.log.cells, view.coach.advice)
        desk.key(Qt.Key.Key_Return)
        desk.until(lambda b=before: (desk.bench.view.log.cells, desk.bench.view.coach.advice) != b)  # type: ignore[misc]
    view = desk.bench.view
    assert view.coach.advice.outcome == "even" and view.coach.headline == "As even as possible. Go on."
    assert view.step.verdict == "in_spec" and [c.inside for c in view.step.channels] == [True, True, True]
    assert any("shows which end of the band this coil affects" in h for h in headlines)
    assert any("the high end gains, the low end loses" in w for w in said), said
    assert "As even as possible. Go on." in words(desk.bench.step)


def test_the_interlock_forced_in_practice_and_mended(desk: Desk) -> None:
    opened(desk, WEIR, 4, "power")
    hook = desk.bench.hook
    desk.window.worker.do(lambda s: s.confirm_hook_up("receive"))
    desk.until(lambda: desk.bench.view.hook_up.present == "receive")
    assert hook.force.isVisible() and not hook.repair.isVisible() and not desk.bench.step.log.isEnabled()
    assert "rated for" in hook.words.text()
    hook.force.click()
    desk.until(lambda: bool(desk.bench.view.hook_up.damage[0]))
    assert "attenuator is burnt" in hook.broken.text() and hook.broken.isVisible() and not hook.force.isVisible()
    assert hook.repair.text() == "Practice: fit another attenuator"
    hook.repair.click()
    desk.until(lambda: not desk.bench.view.hook_up.damage[0])
    assert hook.force.isVisible() and not hook.broken.isVisible()
    desk.key(Qt.Key.Key_H)
    desk.until(lambda: desk.bench.view.hook_up.present == "transmit")
    assert not hook.force.isVisible() and not hook.button.isVisible()


def test_a_dummy_load_that_is_too_small_is_refused_in_words_and_mended_in_the_tray(desk: Desk) -> None:
    opened(desk, "ostrel-curlew-5", None, "power")
    assert not desk.bench.hook.force.isVisible(), "on a real bench nothing is forced"
    desk.key(Qt.Key.Key_P)
    tray = desk.bench.tray
    desk.until(lambda: tray.load.isVisible())
    tray.load.setText("none")
    tray.load.returnPressed.emit()
    assert "W" in tray.kit_error.text() and tray.isVisible(), "what was typed stays"
    tray.load.setText("5")
    tray.load.returnPressed.emit()
    desk.until(lambda: desk.bench.view.hook_up.kit.load_w == 5.0)
    desk.key(Qt.Key.Key_H)
    desk.until(lambda: desk.bench.message.isVisible())
    assert "rated 5 W, the radio's peaks are 18 W" in desk.bench.message_words.text()
    assert desk.bench.view.hook_up.present != "transmit"
    desk.key(Qt.Key.Key_P)
    desk.until(lambda: tray.load.isVisible() and tray.load.text() == "5")
    tray.load.setText("50")
    tray.load.returnPressed.emit()
    desk.until(lambda: desk.bench.view.hook_up.kit.load_w == 50.0)
    desk.key(Qt.Key.Key_H)
    desk.until(lambda: desk.bench.view.hook_up.present == "transmit")
