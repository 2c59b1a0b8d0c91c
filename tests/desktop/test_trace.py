"""The Trace view through the real window: from the complaint to the certificate; typed on a bench of one's own; watched; hunted."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QLabel

from desktop.conftest import Desk
from unitone.align.trace.ladder import noise_answers
from unitone.desktop.features.trace.page import TracePage
from unitone.job.card import Card
from unitone.job.verdicts import verdict
from unitone.session.session import Session, open_job
from unitone.simulator.simulated_bench import SimulatedBench

HERON = "corvane-heron-3"
NONE = Qt.KeyboardModifier.NoModifier


def traced(desk: Desk, seed: int | None = None, fault: str = "", sheet: str = HERON) -> TracePage:
    card = Card(
        desk.logbook.next_number(),
        sheet,
        "H3",
        complaint="deaf on the whole band",
        simulated_seed=seed,
        simulated_fault=fault,
    )
    job = open_job(desk.logbook, sheet, card)
    Session(desk.logbook, job).confirm_hook_up("receive")
    desk.window.open_job(job)
    desk.until(lambda: desk.bench.view is not None and desk.bench.view.job_id == job)
    desk.key(Qt.Key.Key_7, Qt.KeyboardModifier.ControlModifier)
    page = desk.window._trace
    assert isinstance(page, TracePage)
    desk.until(lambda: page.view is not None and page.view.job_id == job)
    return page


def press(desk: Desk, page: TracePage, key: Qt.Key) -> None:
    """A key that makes an entry, and what is shown after it."""
    assert page.view is not None
    before = page.view.seq
    desk.key(key)
    desk.until(lambda: page.view is not None and page.view.seq > before)


def words(page: TracePage) -> str:
    return " ".join(x.text() for x in page.findChildren(QLabel) if x.isVisible())


def test_a_deaf_radio_from_its_complaint_to_its_certificate(desk: Desk) -> None:
    """By the keys that the view names alone: traced to the part, repaired, measured again, aligned on the Bench, certified."""
    page = traced(desk, 3, "R52:open")
    assert page.view is not None and page.coach.headline.text() == "Inject at aerial socket."
    assert "7.059 MHz, about 50.0 µV, unmodulated" in page.coach.detail.text() and not page.coach.caution.isVisible()
    seen: list[str] = []
    for _ in range(20):
        act = page.view.coach.act
        seen.append(act)
        if act == "whole":
            break
        if act == "part":
            # The right one is known here: the others are checked and are good.
            press(desk, page, Qt.Key.Key_R if page.view.coach.part == "R52" else Qt.Key.Key_F)
        elif act == "look":
            press(desk, page, Qt.Key.Key_F)
        else:
            press(desk, page, Qt.Key.Key_Return)
        if page.view.coach.act == "part" and "part" not in seen:
            assert [r.mark for r in page.view.rungs if r.id == "if2"] == ["break"]
            assert "R52" in page.pins.meaning.text() and page.look.board.image is not None
            assert page.coach.caution.text().startswith("High voltage") and page.coach.headline.text().startswith(
                "Check "
            )
    assert seen[-1] == "whole" and "part" in seen and "volts" in seen, seen
    desk.key(Qt.Key.Key_Return)
    desk.until(lambda: desk.window.pages.currentWidget() is desk.bench and desk.bench.view is not None)
    session = Session(desk.logbook, page.view.job_id)
    assert [t.outcome for t in session.state.tried] == ["the cause"] and session.state.tried[0].suspected == "R52"
    for _ in range(200):
        view = desk.bench.view
        if view is not None and view.finished:
            break
        before = view
        desk.key(Qt.Key.Key_Return)
        desk.until(lambda b=before: desk.bench.view is not b)  # type: ignore[misc]
    state = Session(desk.logbook, page.view.job_id).state
    assert state.finished and all(verdict(state, s) in ("in_spec", "left_as_found") for s in state.sheet.steps)
    desk.window.show_certificate(page.view.job_id)
    desk.until(lambda: desk.window.pages.currentWidget() is desk.window._papers)


def test_levels_are_typed_from_any_place_and_what_is_wrong_is_told(desk: Desk) -> None:
    """A bench of one's own: a digit opens the field, Enter logs; nothing heard, marks, other tests and undo have their keys."""
    page = traced(desk)
    page.setFocus()
    assert page.view is not None and not page.view.simulated
    for c in "120":
        desk.key(c)
    desk.qtbot.keyClicks(page.coach.field, " uV")
    assert page.coach.field.text() == "120 uV"
    press(desk, page, Qt.Key.Key_Return)
    assert page.view.rungs[0].value == "120 µV" and page.view.rungs[0].excess_db == pytest.approx(7.6, abs=0.1)
    here = page.view.coach.stage
    page.coach.field.setText("loud")
    page.coach.field.setFocus()
    desk.key(Qt.Key.Key_Return)
    desk.until(lambda: page.coach.error.isVisible())
    assert "loud" in page.coach.error.text() and page.coach.field.text() == "loud"
    page.setFocus()
    desk.key(Qt.Key.Key_O)
    desk.until(lambda: page.view is not None and page.view.coach.stage != here)
    desk.key(Qt.Key.Key_I)
    desk.until(lambda: page.view is not None and page.view.coach.stage == "audio")
    press(desk, page, Qt.Key.Key_N)
    assert [r.value for r in page.view.rungs if r.id == "audio"] == ["not heard"]
    # A rung is chosen with the mouse, its pins are typed.
    row = page.ladder.place("if1").center()
    desk.qtbot.mouseClick(page.ladder, Qt.MouseButton.LeftButton, NONE, QPoint(int(row.x()), int(row.y())))
    desk.until(lambda: page.view is not None and page.view.stage.id == "if1")
    field = page.pins.fields["v4-anode"]
    field.setFocus()
    desk.qtbot.keyClicks(field, "0.4")
    desk.until(lambda: field.text() == "0.4" and desk.window.focusWidget() is field)
    press(desk, page, Qt.Key.Key_Return)
    assert next(r for r in page.view.rungs if r.id == "if1").detail.endswith("voltages wrong")
    page.setFocus()
    before = page.view.seq
    desk.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    desk.until(lambda: page.view is not None and page.view.seq > before)
    assert not next(r for r in page.view.rungs if r.id == "if1").detail.endswith("voltages wrong")


def test_a_line_that_holds_three_stages_down_is_found_beside_the_ladder(desk: Desk) -> None:
    """The switch of the gain control is open: by the main key to the line, by the mouse to another branch, by R to the repair."""
    page = traced(desk, 5, "S3:open")
    assert page.view is not None
    for _ in range(12):
        if page.view.coach.stage == "agc":
            break
        press(desk, page, Qt.Key.Key_Return)
    assert page.view.coach.act == "volts" and page.coach.headline.text() == "Measure the voltages of AGC."
    # The branch stands below the ladder: it is brought into sight.
    desk.until(
        lambda: (
            page.area.viewport()
            .rect()
            .contains(page.ladder.mapTo(page.area.viewport(), page.ladder.place("agc").center().toPoint()))
        )
    )  # type: ignore[union-attr]
    press(desk, page, Qt.Key.Key_Return)
    assert next(b for b in page.view.branches if b.id == "agc").mark == "break"
    assert page.pins.title.text() == "AGC: voltages" and "R141 open or S3 open" in page.pins.meaning.text()
    at = page.ladder.place("bfo").center().toPoint()
    desk.qtbot.mouseClick(page.ladder, Qt.MouseButton.LeftButton, NONE, at)
    desk.until(lambda: page.view is not None and page.view.stage.id == "bfo")
    assert "v11-anode" in page.pins.fields and page.coach.headline.text() == "Check R141."
    for _ in range(8):
        if page.view.coach.act == "whole":
            break
        part = page.view.coach.part
        good = page.view.coach.act == "part" and part != "S3"
        press(desk, page, Qt.Key.Key_F if good else Qt.Key.Key_R if part == "S3" else Qt.Key.Key_Return)
    assert page.view.coach.act == "whole"
    assert Session(desk.logbook, page.view.job_id).state.tried[-1].suspected == "S3"


def test_an_intermittent_is_watched_and_the_part_that_was_moved_is_named(desk: Desk) -> None:
    page = traced(desk, 5, "P3:dry")
    desk.window.worker.do(lambda s: (s.confirm_hook_up("receive"), s.go_to("s-meter"), s.set_up(s.step.setting)))
    desk.until(lambda: page.view is not None and page.view.step == "s-meter")
    desk.key(Qt.Key.Key_2, Qt.KeyboardModifier.AltModifier)
    pane = page.watch
    desk.until(pane.isVisible)
    for name in ("P3", "V5", "T4a"):
        pane.name.setText(name)
        pane.name.setFocus()
        desk.key(Qt.Key.Key_Return)
    assert pane.things[-3:] == ["P3", "V5", "T4a"] or set(pane.things) >= {"P3", "V5", "T4a"}
    page.setFocus()
    desk.key(Qt.Key.Key_Return)
    desk.until(lambda: pane.watcher is not None and len(pane.watcher.values) > 8)
    keys = {w: pane.things.index(w) + 1 for w in ("P3", "V5", "T4a")}
    for what in ("V5", "P3", "T4a", "P3", "V5", "P3", "T4a", "P3"):
        watcher = pane.watcher
        assert watcher is not None
        moved = len(watcher.moved)
        desk.key(str(keys[what]))
        assert len(watcher.moved) == moved + 1
        # Until the moment after a movement is over.
        desk.until(lambda w=watcher, n=moved: w.seconds > w.moved[n][0] + 2.2)  # type: ignore[misc]
    press(desk, page, Qt.Key.Key_Return)
    assert page.view.moved[0].what == "P3" and page.view.moved[0].percent > 60, page.view.moved
    assert "drop-outs" in page.watch.tally.text()
    session = Session(desk.logbook, page.view.job_id)
    assert len(session.state.watches) == 1 and isinstance(session.bench, SimulatedBench)


def test_a_noise_is_hunted_by_yes_and_no(desk: Desk) -> None:
    page = traced(desk)
    desk.key(Qt.Key.Key_3, Qt.KeyboardModifier.AltModifier)
    desk.until(page.noise.isVisible)
    page.setFocus()
    for _ in range(8):
        question = page.noise.question
        if not question:
            break
        press(desk, page, Qt.Key.Key_Y if question in ("volume", "aerial", "hum") else Qt.Key.Key_N)
    assert page.noise.headline.text() == "Likely: Supply: filter capacitors."
    assert "Bridge the filter capacitors" in words(page)


def test_a_whistle_is_hunted_down_to_its_stage_and_anew_after_the_repair(desk: Desk) -> None:
    page = traced(desk)
    desk.key(Qt.Key.Key_3, Qt.KeyboardModifier.AltModifier)
    desk.until(page.noise.isVisible)
    page.setFocus()
    stages = [r.id for r in page.view.rungs]
    sheet = Session(desk.logbook, page.view.job_id).sheet
    active = [s for s in stages if s in {p.stage for p in sheet.parts if p.kind == "device"}]
    bad = active[len(active) // 2]
    grounded = 0
    for _ in range(20):
        question = page.noise.question
        if not question:
            break
        if ":" in question:
            grounded += 1
            assert "Ground the input of" in page.noise.headline.text() and "10 nF" in page.noise.how.text()
            assert ("once more" in page.noise.headline.text()) == (not question.startswith("at:"))
            yes = stages.index(question.partition(":")[2]) >= stages.index(bad)
        else:
            # The IF input lies before the stage: to ground it changes nothing.
            yes = question in ("whistle", "aerial", "amplifier")
            assert question != "grounded" or ("pin" in page.noise.how.text() and "V DC" in page.noise.how.text())
        press(desk, page, Qt.Key.Key_Y if yes else Qt.Key.Key_N)
    title = next(r.title for r in page.view.rungs if r.id == bad)
    assert page.noise.headline.text() == f"{title} oscillates." and 2 <= grounded <= 6, (
        page.noise.headline.text(),
        grounded,
    )
    assert "decoupling" in page.noise.how.text()
    # The ladder says so too; an answer is changed by its line; after a repair the hunt begins anew.
    assert next(r for r in page.view.rungs if r.id == bad).detail.endswith("oscillates")
    session = Session(desk.logbook, page.view.job_id)
    session.tracing.repaired(bad, "", "decoupling capacitor replaced")
    assert noise_answers(session.state) == {}


def test_a_simulated_radio_is_listened_to_while_its_noise_is_hunted(desk: Desk) -> None:
    """By what the page says was heard, and nothing else, down to the stage that makes it; and played on the machine's loudspeaker."""
    page = traced(desk, 3, "if1:noisy")
    desk.key(Qt.Key.Key_3, Qt.KeyboardModifier.AltModifier)
    desk.until(page.noise.isVisible)
    page.setFocus()
    # Who leaves while it is listened to hears nothing, and finds the button again.
    desk.key(Qt.Key.Key_L)
    assert not page.noise.listen.isEnabled() and page.noise.heard.text() == "listening…"
    desk.window.show_place("jobs")
    desk.until(page.noise.listen.isEnabled)
    assert page.sound.loudspeaker is None
    desk.key(Qt.Key.Key_7, Qt.KeyboardModifier.ControlModifier)
    desk.until(page.noise.isVisible)
    page.setFocus()
    page.noise.show_heard("")
    played = False
    for _ in range(16):
        question = page.noise.question
        if not question:
            break
        assert page.noise.heard.isHidden() and page.noise.listen.isVisible()
        desk.key(Qt.Key.Key_L)
        desk.until(lambda: page.noise.listen.isEnabled() and page.noise.heard.isVisible())
        played = played or page.sound.loudspeaker is not None
        heard = page.noise.heard.text()
        quieter = heard.endswith("quieter.") and int(heard.split()[-3]) > 10
        if question in ("hum", "whistle"):
            yes = "A tone of" in heard
        elif question in ("volume", "aerial", "amplifier"):
            yes = not quieter
        else:
            yes = quieter if question not in ("channel", "tap") else not heard.endswith("as before.")
        press(desk, page, Qt.Key.Key_Y if yes else Qt.Key.Key_N)
    title = next(r.title for r in page.view.rungs if r.id == "if1")  # type: ignore[union-attr]
    assert page.noise.headline.text() == f"{title} is noisy.", page.noise.headline.text()
    assert page.noise.listen.isHidden() and (played or "No sound output" in page.message.words.text())
    # What was heard is no entry; a radio of one's own is listened to by oneself.
    page = traced(desk)
    desk.key(Qt.Key.Key_3, Qt.KeyboardModifier.AltModifier)
    desk.until(page.noise.isVisible)
    assert page.noise.listen.isHidden()
    page.noise.tried.emit("volume")
    desk.until(lambda: "say what you heard" in page.message.words.text())


@pytest.mark.parametrize(("size", "scale"), [((1000, 700), 1.0), ((1280, 800), 1.5), ((1920, 1080), 1.0)])
def test_every_pane_keeps_its_words(desk: Desk, size: tuple[int, int], scale: float) -> None:
    """Nothing is cut: every wrapped label has the height that its words need, every button its width."""
    from unitone.desktop.theme.theme import theme

    theme.use("night", scale)
    page = traced(desk, 3, "R52:open")
    desk.window.resize(*size)
    for n in (1, 2, 3):
        page.press(f"trace-pane-{n}")
        desk.qtbot.waitUntil(lambda: page.isVisible())
        desk.qtbot.wait(50)
        for x in page.stack.currentWidget().findChildren(QLabel):
            if x.isVisible() and x.wordWrap() and x.text() and x.width() > 0:
                assert x.height() + 2 >= x.heightForWidth(x.width()), (x.text(), x.width(), x.height())


def test_the_transmit_side_is_probed_after_its_hook_up(desk: Desk) -> None:
    """A simulated FM mobile whose driver is dead: T turns to its transmit side, Return hooks up and probes, until the stage is named."""
    page = traced(desk, 7, "driver:dead", "ostrel-tarn-40")
    desk.key(Qt.Key.Key_T)
    desk.until(lambda: page.view is not None and page.view.way == "transmit")
    assert page.view is not None and page.coach.headline.text() == "Hook up for transmit, then confirm."
    press(desk, page, Qt.Key.Key_Return)
    for _ in range(6):
        if page.view.coach.act != "inject":
            break
        assert "keyed" in page.coach.headline.text() and "dummy load" in page.coach.caution.text()
        press(desk, page, Qt.Key.Key_Return)
    assert [r.id for r in page.view.rungs if r.mark == "break"] == ["driver"]
    assert page.heading.text() == "From the oscillator to the aerial" and page.dial.text().endswith("on the dial")


def test_the_ladder_goes_by_the_mode(desk: Desk) -> None:
    page = traced(desk, 3, "ssb-if:dead", "ostrel-curlew-5")
    assert page.view is not None and page.mode.isVisible()

    def stages() -> list[str]:
        assert page.view is not None
        return [r.id for r in page.view.rungs]

    assert page.mode.text() == "AM  D" and stages() == ["aerial", "rf", "mixer", "if", "am-detector", "audio"]
    press(desk, page, Qt.Key.Key_Return)
    assert [r.mark for r in page.view.rungs].count("ok") == 1
    for words_of in ("FM  D", "USB  D"):
        press(desk, page, Qt.Key.Key_D)
        assert page.mode.text() == words_of
    assert stages() == ["aerial", "rf", "mixer", "ssb-if", "product-detector", "audio"]
    assert "10.6925 MHz" in page.view.rungs[3].detail
    # A level of another mode is not this one's.
    assert all(r.mark != "ok" for r in page.view.rungs)
    for _ in range(12):
        if page.view.coach.act == "part" or page.view.rungs[3].mark == "break":
            break
        press(desk, page, Qt.Key.Key_Return if page.view.coach.act != "look" else Qt.Key.Key_F)
    assert page.view.rungs[3].mark == "break"


def test_a_typed_level_counts_in_the_mode_it_was_read_in(desk: Desk) -> None:
    page = traced(desk, sheet="ostrel-curlew-5")
    assert page.view is not None
    first = page.view.coach.stage
    desk.key("5")
    desk.until(lambda: page.coach.field.hasFocus())
    desk.key("00 uV")
    press(desk, page, Qt.Key.Key_Return)
    assert [r.id for r in page.view.rungs if r.mark != "todo" and r.mark != "here"] == [first]
    page.setFocus()
    press(desk, page, Qt.Key.Key_D)
    assert page.mode.text() == "FM  D" and all(r.mark in ("todo", "here") for r in page.view.rungs)
    # In single sideband the frequency that is told is the one that is heard, and what is typed there counts there.
    press(desk, page, Qt.Key.Key_D)
    assert page.mode.text() == "USB  D" and page.view.coach.stage == "product-detector"
    assert page.coach.detail.text().startswith("10.6925 MHz, about 8.50 mV, through 10 nF, unmodulated")
    desk.key("8")
    desk.until(lambda: page.coach.field.hasFocus())
    desk.key("50 mV")
    press(desk, page, Qt.Key.Key_Return)
    typed = next(r for r in page.view.rungs if r.id == "product-detector")
    assert typed.value == "850 mV" and typed.excess_db == pytest.approx(40.0, abs=0.1)


def test_a_sheet_without_points_says_how_to_get_there(desk: Desk) -> None:
    page = traced(desk, None, "", "ostrel-mallard-6")
    assert page.view is not None and page.empty.isVisible() and "inject" in page.empty.text()
    assert not page.coach.isVisible() and not page.ladder.isVisible()
