"""A radio from intake to handover through the real window: typed, clicked and looked at, with what stands on its tape."""

from __future__ import annotations

from pathlib import Path

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QLineEdit, QPushButton, QWidget

from desktop.conftest import Desk
from session.test_shopwork import PNG, typed_inside
from unitone.desktop.features.card.page import TABS, CardPage
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.lines import Lines
from unitone.desktop.widgets.livefield import LiveLine
from unitone.job.fold import fold
from unitone.job.state import JobState
from unitone.session.session import Session

pytestmark = pytest.mark.window
ALT, CONTROL = Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ControlModifier


class Card:
    """The card in the window, with hands."""

    def __init__(self, desk: Desk, number: int) -> None:
        self.desk, self.number = desk, number
        self.job = desk.logbook.job(str(number)).id

    @property
    def page(self) -> CardPage:
        page = self.desk.window._card
        assert isinstance(page, CardPage)
        return page

    def open(self, tab: str = "") -> None:
        self.desk.window.show_card(self.job, tab)
        self.desk.until(lambda: self.page.view is not None and self.page.view.number == self.number)
        self.desk.quiet()

    def state(self) -> JobState:
        return fold(self.desk.logbook.tape(self.job), self.job)

    def after(self, act, true=None) -> None:  # type: ignore[no-untyped-def]
        """Do something and wait for the picture that comes of it."""
        self.desk.quiet()
        before = self.page.generation
        act()
        self.desk.until(lambda: self.page.generation > before and (true is None or true()))
        self.desk.quiet()

    def type(self, field: QLineEdit | LiveLine, text: str, end: Qt.Key = Qt.Key.Key_Return) -> None:
        field.setFocus()
        field.selectAll()
        self.desk.qtbot.keyClicks(field, text)
        self.desk.qtbot.keyClick(field, end)

    def submit(self, form, **texts: str) -> None:  # type: ignore[no-untyped-def]
        """Fill a form and press its button."""
        for key, text in texts.items():
            form.set_text(key, text)
        self.after(lambda: self.desk.qtbot.mouseClick(form.add, Qt.MouseButton.LeftButton))


def new_by_hand(desk: Desk) -> Card:
    """Ctrl+N, typed: a Weir 40 AM by hand, without its power lead."""
    desk.key(Qt.Key.Key_N, CONTROL)
    form = desk.window.jobs.new_job
    form.model.setCurrentIndex(form.model.findData("ostrel-weir-40-am"))
    form.serial.setText("40-5150")
    form.complaint.setText("quiet, growls")
    form.accessories.setText("microphone")
    form.missing.setText("power lead")
    desk.qtbot.mouseClick(form.open, Qt.MouseButton.LeftButton)
    desk.until(lambda: desk.window._bench is not None and desk.bench.view is not None and desk.bench.view.number == 150)
    return Card(desk, 150)


def test_a_radio_from_intake_to_handover(desk: Desk, tmp_path: Path) -> None:
    card = new_by_hand(desk)
    desk.key(Qt.Key.Key_J, CONTROL)
    desk.until(lambda: card.page.view is not None and card.page.view.number == 150)
    page = card.page
    # Intake: what is missing, whose it is, the first look.
    assert (
        page.intake.things["power lead"].currentText() == "missing"
        and page.intake.things["microphone"].currentText() == "included"
    )
    card.after(lambda: card.type(page.intake.lines["owner"], "market stall 5", Qt.Key.Key_Tab))
    page.intake.words["first_look"].setFocus()
    desk.qtbot.keyClicks(page.intake.words["first_look"], "lamp on, hums")
    card.after(lambda: page.intake.lines["serial"].setFocus())
    assert card.state().card.owner == "market stall 5" and card.state().card.first_look == "lamp on, hums"
    assert "growls on AM" in str([x.text() for x in page.intake.known.findChildren(QLabel)])
    # Inspection with photographs; the next item comes up by itself.
    desk.key(Qt.Key.Key_2, ALT)
    tab = page.inspection
    assert page.buttons["inspection"].isChecked()
    desk.until(lambda: tab.at == "relay")
    tab.choose("wax")
    (tmp_path / "core.png").write_bytes(PNG)
    (tmp_path / "words.png").write_bytes(b"not a picture")
    tab.add_photographs([tmp_path / "words.png", tmp_path / "core.png"])
    assert "not a complete PNG picture" in tab.error.text() and "core.png" in tab.with_it.text()
    desk.key(Qt.Key.Key_W, ALT)
    desk.until(lambda: "Say what is wrong" in tab.error.text())
    assert card.state().shop.findings == [], "refused, and what was chosen is still there"
    tab.words.setText("seal broken")
    tab.on.setText("T1")
    card.after(lambda: desk.key(Qt.Key.Key_W, ALT))
    assert tab.at == "cuts" and tab.words.text() == ""
    card.after(lambda: desk.key(Qt.Key.Key_F, ALT))
    finding = card.state().shop.findings[0]
    assert finding.on == ("T1",) and desk.logbook.blob(finding.pictures[0][1]) == PNG
    tab.choose("wax")
    desk.until(lambda: len(tab.photographs.buttons) == 1 and not tab.photographs.buttons[0].icon().isNull())
    desk.qtbot.mouseClick(tab.photographs.buttons[0], Qt.MouseButton.LeftButton)
    desk.until(lambda: tab.stack.currentIndex() == 1)
    desk.key(Qt.Key.Key_Escape)
    assert tab.stack.currentIndex() == 0 and desk.window.pages.currentWidget() is page, (
        "Escape closes the picture, not the card"
    )
    # Rails: one low rail, halved to its cause.
    desk.key(Qt.Key.Key_3, ALT)
    rails = page.rails
    for row, volts in (("in", "13,2"), ("audio-9", "7.6")):
        card.after(lambda r=row, v=volts: card.type(rails.rows[r].field, v, Qt.Key.Key_Tab))
    assert rails.rows["audio-9"].verdict.text() == "low" and "too much" in rails.rows["audio-9"].words.text()
    assert rails.rows["switched"].property("role") == "coach" and "After the switch" in rails.next_words.text()
    card.type(rails.rows["switched"].field, "13.1 A")
    desk.until(lambda: rails.rows["switched"].error.isVisible())
    assert rails.rows["switched"].field.text() == "13.1 A" and "does not fit" in rails.rows["switched"].error.text()
    card.after(lambda: card.type(rails.rows["switched"].field, "13.1"))
    assert not rails.rows["switched"].error.isVisible()
    card.after(lambda: card.type(rails.rows["rail-9"].field, "9.0"))
    assert rails.next_words.text() == "The voltage is lost between 9 V rail and Audio driver supply."
    assert card.state().latest[("rail", 0)].reading.value == 9.0
    # Capacitors, one typed without its unit.
    desk.key(Qt.Key.Key_4, ALT)
    caps = page.capacitors
    for key, text in (("part", "C58"), ("marked", "470 uF"), ("measured", "190")):
        caps.form.set_text(key, text)
    desk.qtbot.mouseClick(caps.form.add, Qt.MouseButton.LeftButton)
    desk.until(lambda: "farads" in caps.form.error.text())
    assert caps.form.text("part") == "C58"
    card.submit(caps.form, measured="190 uF")
    assert caps.form.text("part") == "" and "low capacitance" in str([x.text() for x in caps.list.findChildren(QLabel)])
    # Fault finding log: one that failed, one that held; a part; a loose end; time.
    desk.key(Qt.Key.Key_5, ALT)
    work = page.work
    card.submit(work.tried, suspected="volume control", done="bridged it", result="still growls")
    work.tried.set_text("suspected", "the volume again")
    assert "Tried already: volume control" in work.before.text()
    card.submit(work.tried, suspected="C58 dried out", done="C58 replaced", result="8.4 V", outcome="the cause")
    card.submit(
        work.parts,
        part="C58",
        count="1",
        fitted="470 uF 25 V electrolytic",
        instead="470 uF 16 V electrolytic",
        price="0,60",
    )
    card.submit(work.loose, what="speaker unsoldered")
    card.submit(work.time, time="1:10", what="fault")
    state = card.state()
    assert [t.outcome for t in state.tried] == ["not the cause", "the cause"] and state.shop.parts[0].why.startswith(
        "right"
    )
    assert state.shop.minutes_spent == 70 and "1 loose" in page.words.text()
    card.after(lambda: card.type(rails.rows["audio-9"].field, "8.4"))
    assert rails.rows["audio-9"].verdict.text() == "in spec" and rails.rows["audio-9"].found.text() == "found 7.60 V"
    # Alignment of the rest, on the Bench; worth a look stands beside its step.
    desk.key(Qt.Key.Key_Return, CONTROL)
    desk.until(lambda: desk.window.pages.currentWidget() is desk.bench and desk.bench.view is not None)
    desk.after(lambda: desk.window.worker.do(_everything))  # type: ignore[union-attr]
    view = desk.bench.view
    assert view is not None and view.step.id == "front-end" and "Worth a look: T1: seal broken" in view.step.remarks
    assert desk.bench.step.remarks.isVisible()
    desk.window.worker.do(lambda s: s.finish())  # type: ignore[union-attr]
    desk.until(lambda: "Still loose: speaker unsoldered" in desk.bench.message_words.text())
    card.open("work")
    put_right = next(b for b in work.loose_list.findChildren(QPushButton) if b.text() == "put right")
    put_right.setFocus()
    card.after(lambda: put_right.click())
    card.after(lambda: desk.window.worker.do(lambda s: s.finish()))  # type: ignore[union-attr]
    assert card.state().finished
    # Handing over: controls, papers, given back. The button that had the cursor is gone, the keys go on.
    desk.key(Qt.Key.Key_9, ALT)
    hand = page.handing
    assert hand.isVisible()
    _, tried, note = hand.rows["squelch"]
    tried.setCurrentIndex(tried.findData("broken"))
    tried.activated.emit(tried.currentIndex())
    assert "Describe what squelch does not do" in hand.error.text()
    card.after(lambda: card.type(note, "scratches"))
    assert card.state().shop.works["squelch"] == (False, "scratches")
    # Leaving the shop: what is wrong needs a sentence, a sentence alone says that it was looked at.
    looked, line, _ = hand.leaving.rows["squelch tail"]
    looked.setCurrentIndex(looked.findData("wrong"))
    looked.activated.emit(looked.currentIndex())
    assert "Say what is wrong" in hand.leaving.error.text() and line.hasFocus()
    card.after(lambda: card.type(line, "a burst at the end"))
    card.after(lambda: card.type(hand.leaving.rows["fuse"][1], "4 A"))
    (tmp_path / "notes.png").write_text("no picture", encoding="utf-8")
    hand.leaving.add_photographs("fuse", [tmp_path / "notes.png"])
    assert hand.leaving.error.isVisible() and card.state().shop.leaving["fuse"].words == "4 A"
    card.submit(hand.leaving.add, item="menu 12", words="roger beep off")
    left = card.state().shop.leaving
    assert not left["squelch tail"].fine and left["fuse"].fine and left["menu 12"].words == "roger beep off"
    assert "menu 12" in hand.leaving.rows and "1 not as it should be" in hand.leaving.tally.text()
    hand.page.click()
    papers = desk.window._papers
    desk.until(lambda: desk.window._papers is not None and desk.window._papers.document.pageCount() > 0)
    papers = desk.window._papers
    assert papers.kind == "handover" and not papers.buttons["csv"].isVisible()  # type: ignore[union-attr]
    papers.private.setChecked(True)  # type: ignore[union-attr]
    papers.save("html", tmp_path / "page.html")  # type: ignore[union-attr]
    desk.until(lambda: (tmp_path / "page.html").exists())
    text = (tmp_path / "page.html").read_text(encoding="utf-8")
    assert "market stall 5" not in text and "C58 dried out" in text and "scratches" in text
    papers.kinds["certificate"].click()  # type: ignore[union-attr]
    desk.until(lambda: "results in spec" in papers.words.text())  # type: ignore[union-attr]
    card.open("handing")
    card.submit(hand.give, to="market stall 5")
    desk.until(lambda: card.state().status[0] == "handed over" and not hand.give.isVisible())
    # A search finds it by its part.
    desk.key(Qt.Key.Key_Escape)
    jobs = desk.window.jobs
    desk.until(lambda: desk.window.pages.currentWidget() is jobs)
    jobs.find.setText("C58 5150")
    desk.until(lambda: [(r.number, r.status) for r in jobs.model.rows] == [(150, "handed over")])


def _everything(session: Session) -> None:
    """The readings of all steps, as a technician would type them."""
    for step in session.sheet.steps:
        session.go_to(step.id)
        if step.hook_up != "probe":
            session.confirm_hook_up(step.hook_up)
        for required in step.required:
            session.type_in(typed_inside(step), required)
    session.go_to("front-end")


def test_what_is_typed_in_the_card_is_kept_or_stays_in_the_field(desk: Desk) -> None:
    card = Card(desk, 138)
    card.open("intake")
    page, line = card.page, card.page.intake.lines["serial"]
    before = card.state().seq
    line.setFocus()
    desk.qtbot.keyClicks(line, "X")
    desk.qtbot.keyClick(line, Qt.Key.Key_Escape)
    assert line.text() == "40-0411" and desk.window.pages.currentWidget() is page and card.state().seq == before
    card.after(lambda: card.type(line, "40-0412"))
    assert card.state().card.serial == "40-0412"
    page.title.setFocus()
    page.setFocus()
    card.after(lambda: desk.key(Qt.Key.Key_Z, CONTROL))
    assert card.state().card.serial == "40-0411" and line.text() == "40-0411", "struck, and seen to be"
    box = page.intake.things["power lead"]
    box.setCurrentIndex(box.findData("with it"))
    card.after(lambda: box.activated.emit(box.currentIndex()))
    assert "power lead" in card.state().card.accessories and "power lead" not in card.state().card.missing
    card.after(lambda: card.type(page.intake.other, "spare fuse"))
    assert "spare fuse" in card.state().card.accessories and "spare fuse" in page.intake.things
    page.intake.state.setCurrentIndex(page.intake.state.findData("waiting"))
    card.after(lambda: page.intake.state.activated.emit(1))
    card.after(lambda: card.type(page.intake.why, "waits for a final"))
    card.after(lambda: card.type(page.intake.approved, "35.00"))
    assert card.state().status == ("waiting", "waits for a final") and card.state().approved == "35.00"
    assert "waits for a final" in page.words.text() and "approved up to 35.00" in page.words.text()
    # What was done on the card is seen in the list, and the other way round.
    desk.key(Qt.Key.Key_Escape)
    row = next(r for r in desk.window.jobs.model.rows if r.number == 138)
    desk.until(
        lambda: (
            next(r for r in desk.window.jobs.model.rows if r.number == 138).summary.get("why") == "waits for a final"
        )
    )
    assert row.number == 138


def test_supply_and_meter_are_set_judged_and_refused_in_place(desk: Desk) -> None:
    card = Card(desk, 136)
    card.open("rails")
    rails = card.page.rails
    assert rails.path.currentText() == "bench supply" and "Set the current limit to 0.7 A." in rails.words.text()
    assert rails.safety.isVisible(), "old battery packs leak"
    card.type(rails.limit, "lots")
    desk.until(lambda: rails.error.isVisible())
    assert rails.limit.text() == "lots" and "a current, like 2 A" in rails.error.text()
    card.after(lambda: card.type(rails.limit, "3 A"))
    assert "too high to protect" in rails.words.text() and not rails.error.isVisible()
    card.after(lambda: card.type(rails.currents["receive"][0], "43 mA"))
    assert rails.currents["receive"][1].mark == "in_spec"
    rails.path.setCurrentIndex(rails.path.findData("battery"))
    card.after(lambda: rails.path.activated.emit(0))
    assert not card.state().open_ends, "on the battery again: the loose end is put right by itself"
    simulated = Card(desk, 146)
    simulated.open("rails")
    desk.until(lambda: "rail-8" in rails.rows and rails.rows["rail-8"].take.isVisible())
    assert not rails.rows["in"].take.isVisible()
    card.after(lambda: rails.rows["rail-8"].take.click())
    assert (
        simulated.state().latest[("rail", 0)].reading.source == "simulated" and rails.rows["rail-8"].field.text() != ""
    )


def test_history_tells_what_the_last_five_had_in_common_and_opens_them(desk: Desk) -> None:
    card = Card(desk, 147)
    card.open("history")
    tab = card.page.history
    desk.until(lambda: "the last 5" in tab.head.text())
    assert tab.recurs.findChildren(QWidget)[0].accessibleName() == "Deviation, loud tone: too high: 5 of 5"
    opener = next(b for b in tab.model.findChildren(QPushButton))
    opener.click()
    desk.until(lambda: card.page.view is not None and card.page.view.number == 144)


def test_a_stay_needs_a_reason_and_reports_come_in_later(desk: Desk) -> None:
    card = Card(desk, 137)
    card.open("work")
    work = card.page.work
    stays = [b for b in work.loose_list.findChildren(QPushButton) if b.text() == "stays"]
    assert len(stays) == 2
    stays[0].click()
    assert "Enter the reason it stays" in work.why.error.text() and len(card.state().open_ends) == 2
    work.why.set_text("why", "the owner wants it so")
    card.after(lambda: stays[0].click())
    assert len(card.state().open_ends) == 1 and "the owner wants it so" in str(
        [x.text() for x in work.loose_list.findChildren(QLabel)]
    )
    work.parts.set_text("part", "C30")
    work.parts.set_text("count", "two")
    work.parts.set_text("fitted", "33 uF 450 V")
    work.parts.submit()
    assert "not a count" in work.parts.error.text() and work.parts.text("count") == "two"
    done = Card(desk, 142)
    done.open("work")
    assert not work.tried.isEnabled() and work.air.isEnabled()
    before = len(done.state().shop.on_air)
    card.submit(work.air, who="the pilot", words="clear now")
    assert len(done.state().shop.on_air) == before + 1


@pytest.mark.parametrize(("width", "height", "scale"), [(1000, 700, 1.0), (1280, 800, 1.5), (1920, 1080, 1.0)])
def test_every_tab_fits_and_has_names(desk: Desk, width: int, height: int, scale: float) -> None:
    theme.use("night", scale)
    desk.window.resize(width, height)
    card = Card(desk, 138)
    card.open("intake")
    for name, _ in TABS:
        card.page.show_tab(name)
        tab = card.page.tabs[name]
        desk.steady()
        inside = tab.widget()
        assert inside is not None and inside.minimumSizeHint().width() <= tab.viewport().width() + 2, (
            name,
            inside.minimumSizeHint(),
        )  # type: ignore[union-attr]
        for field in inside.findChildren(QLineEdit):
            assert field.accessibleName() or isinstance(field.parent(), QWidget), name
            assert not field.isVisible() or field.width() >= theme.px(44), (name, field.accessibleName(), field.width())
    assert isinstance(card.page.work.tried_list, Lines)
    theme.use("day", 1.0)
