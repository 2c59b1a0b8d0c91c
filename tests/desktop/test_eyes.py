"""Eyes on the board, through the real window: Far view, the pitch, spoken lines, and a key or foot-switch of one's own."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel

from desktop.conftest import Desk
from unitone.actions import ACTIONS, clashes
from unitone.desktop.audio import pitch as pitch_module
from unitone.desktop.audio.voice import SILENT, Voice
from unitone.desktop.features.bench.eyes import LOG_KEY, taken_by
from unitone.desktop.shell.worker import LiveFigure
from unitone.errors import BenchError
from unitone.job.card import Card
from unitone.session.session import Session, open_job
from unitone.sheet.model.sheet import TURN

TARN, WEIR = "ostrel-tarn-40", "ostrel-weir-40-am"


def opened(desk: Desk, step: str, seed: int | None = 3, sheet: str = TARN) -> Session:
    session = Session(
        desk.logbook, open_job(desk.logbook, sheet, Card(desk.logbook.next_number(), sheet, "F-1", simulated_seed=seed))
    )
    session.start_work()
    session.go_to(step)
    session.confirm_hook_up(session.step.hook_up)
    session.keep_summary()
    desk.open(session.state.card.number)
    desk.until(lambda: desk.bench.view is not None and desk.bench.view.step.id == step)
    return session


@pytest.fixture(autouse=True)
def quiet(desk: Desk) -> Iterator[None]:
    yield
    if desk.window._bench is not None:
        desk.bench.eyes.stop()


def test_far_view_lies_over_the_window_and_the_keys_go_on_working(desk: Desk) -> None:
    opened(desk, "front-end")
    desk.key(Qt.Key.Key_F)
    far = desk.bench.eyes.far
    assert far is not None and far.isVisible()
    central = desk.window.centralWidget()
    assert central is not None and far.geometry() == central.rect()
    before = desk.bench.view
    desk.key(Qt.Key.Key_Return)
    desk.until(lambda: desk.bench.view is not before)
    view = desk.bench.view
    assert view.coach.headline in far.accessibleDescription()
    desk.window.resize(1000, 700)
    desk.until(lambda: far.geometry() == central.rect())
    # What is seen: there is ink where the number stands, and the arrow's orange where the coach speaks.
    picture = far.grab().toImage()
    colours = {picture.pixelColor(x, y).name() for x in range(30, 500, 7) for y in range(120, 340, 7)}
    assert len(colours) > 1
    desk.key(Qt.Key.Key_Escape)
    assert not far.isVisible()
    desk.key(Qt.Key.Key_F)
    assert far.isVisible()
    desk.window.show_place("jobs")
    assert not far.isVisible(), "it lies over nothing that is not the Bench"


def test_the_needle_is_held_against_the_limit_only_at_its_level(desk: Desk) -> None:
    """A hill climbed at another level: the needle is shown, but not as in or out, and the limit's own level is named."""
    opened(desk, "front-end")
    worker = desk.window.worker
    worker.do(lambda s: s.turn("T1", -5 * TURN // 2))

    def heard() -> LiveFigure:
        seen: list[LiveFigure] = []
        worker.live.connect(seen.append)
        desk.until(lambda: len(seen) > 1)
        worker.live.disconnect(seen.append)
        return seen[-1]

    desk.quiet()
    assert heard().place is not None and desk.bench.step.bar._live is not None
    assert "µV: " not in desk.bench.step.words.text() and not desk.bench.view.reading.bar.counts_at
    # So far down its tone is lost in the noise: the coach goes up with the level.
    for _ in range(4):
        if desk.bench.view.reading.bar.counts_at:
            break
        desk.key(Qt.Key.Key_Return)
        desk.quiet()
    assert desk.bench.view.reading.bar.counts_at == "at 0.30 µV"
    assert heard().place is None and desk.bench.step.bar._live is None
    words = desk.bench.step.words.text().replace("\u00a0", " ")
    assert "live" in words and "at 0.30 µV: found" in words


def test_a_click_on_the_coach_s_line_does_what_it_says(desk: Desk) -> None:
    opened(desk, "front-end")
    desk.key(Qt.Key.Key_F)
    far = desk.bench.eyes.far
    assert far is not None
    far.grab()
    before = desk.bench.view
    at = far._coach.center().toPoint()
    QTest.mouseClick(far, Qt.MouseButton.LeftButton, pos=at)
    desk.until(lambda: desk.bench.view is not before)
    QTest.mouseClick(far, Qt.MouseButton.LeftButton, pos=QPoint(600, 20))
    assert not far.isVisible(), "a click on its head closes it"


def test_what_is_typed_is_seen_from_afar_and_logged(desk: Desk) -> None:
    opened(desk, "front-end", None)
    desk.key(Qt.Key.Key_F)
    far = desk.bench.eyes.far
    assert far is not None
    desk.until(lambda: desk.bench.view.coach.advice.act in ("set-up", "measure"))
    if desk.bench.view.coach.advice.act == "set-up":
        desk.key(Qt.Key.Key_Return)
        desk.until(lambda: desk.bench.view.coach.advice.act == "measure")
    QTest.keyClicks(desk.bench, "1")
    entry = desk.bench.step.entry
    QTest.keyClicks(entry, "1.4")
    assert far._typed == "11.4"
    QTest.keyClick(entry, Qt.Key.Key_Return)
    desk.until(lambda: desk.bench.view.reading.figure == "11.4")
    assert far._typed is None


def test_send_steps_carry_their_caution_far(desk: Desk) -> None:
    opened(desk, "power")
    desk.key(Qt.Key.Key_F)
    far = desk.bench.eyes.far
    assert far is not None and desk.bench.view.step.cautions
    assert all(c in far._caution(desk.bench.view) for c in desk.bench.view.step.cautions)
    desk.bench._worker.do(lambda s: s.go_to("front-end"))
    desk.until(lambda: desk.bench.view.step.id == "front-end")
    assert not desk.bench.view.hook_up.ok and "H confirms" in far._caution(desk.bench.view)


def test_the_coach_speaks_and_is_silenced(desk: Desk) -> None:
    desk.logbook.set_setting("voice_engine", SILENT)
    opened(desk, "front-end")
    desk.key(Qt.Key.Key_J)
    voice = desk.bench.eyes.voice
    assert voice is not None and voice.said == desk.bench.view.coach.headline
    before = desk.bench.view
    for _ in range(4):
        desk.key(Qt.Key.Key_Return)
        desk.until(lambda b=before: desk.bench.view is not b)  # type: ignore[misc]
        before = desk.bench.view
    assert voice.said.endswith(desk.bench.view.coach.headline)
    desk.key(Qt.Key.Key_J)
    assert desk.bench.eyes.voice is None and "silent again" in desk.bench.message_words.text()


def test_without_an_engine_it_is_said_how_to_install_one(monkeypatch: pytest.MonkeyPatch, desk: Desk) -> None:
    from PyQt6.QtTextToSpeech import QTextToSpeech

    monkeypatch.setattr(QTextToSpeech, "availableEngines", staticmethod(lambda: [SILENT]))
    with pytest.raises(BenchError, match="sudo apt-get install speech-dispatcher"):
        Voice()
    opened(desk, "front-end")
    desk.key(Qt.Key.Key_J)
    assert desk.bench.eyes.voice is None and "apt-get install" in desk.bench.message_words.text()


class FakeOutput:
    """A sound output that keeps what it is told, in place of a sound card."""

    def __init__(self, device: object, setting: object) -> None:
        self.settings = [setting]
        self.failed = type("S", (), {"connect": lambda self, f: None})()
        self.stopped = False

    def begin(self) -> None:
        pass

    def change(self, setting: object) -> None:
        self.settings.append(setting)

    def stop(self) -> None:
        self.stopped = True


def test_the_pitch_rises_as_the_reading_gets_better(monkeypatch: pytest.MonkeyPatch, desk: Desk) -> None:
    monkeypatch.setattr(pitch_module, "heard_at", lambda: "the card")
    monkeypatch.setattr(pitch_module, "SoundOutput", FakeOutput)
    opened(desk, "front-end")
    desk.key(Qt.Key.Key_U)
    sounding = desk.bench.eyes.pitch
    assert sounding is not None
    desk.until(lambda: sounding.hz > 0.0)
    heights, tones = [], []
    worker = desk.bench._worker
    worker.live.connect(lambda live: (heights.append(live.height_db), tones.append(sounding.hz)))
    desk.bench.eyes._view = desk.bench.view
    for db in (10.0, 12.0, 9.0):
        sounding.sound("front-end", db, 10.0)
        tones.append(sounding.hz)
    assert tones[-3] == pytest.approx(440.0) and tones[-2] > 480.0 and tones[-1] < 420.0
    sounding.sound("other", 3.0)
    assert sounding.hz == pytest.approx(440.0), "another step begins anew"
    sounding.sound("other", None)
    assert sounding.hz == 0.0 and sounding._output.settings[-1].level == 0.0  # type: ignore[attr-defined]
    desk.key(Qt.Key.Key_U)
    assert desk.bench.eyes.pitch is None and sounding._output.stopped  # type: ignore[attr-defined]


def test_a_machine_without_sound_says_so(monkeypatch: pytest.MonkeyPatch, desk: Desk) -> None:
    monkeypatch.setattr(pitch_module, "heard_at", lambda: None)
    opened(desk, "front-end")
    desk.key(Qt.Key.Key_U)
    assert desk.bench.eyes.pitch is None and "No sound output" in desk.bench.message_words.text()


def test_a_key_of_one_s_own_logs(desk: Desk) -> None:
    opened(desk, "front-end")
    eyes = desk.bench.eyes
    desk.until(lambda: desk.bench.view.coach.advice.act in ("set-up", "measure"))
    if desk.bench.view.coach.advice.act == "set-up":
        desk.key(Qt.Key.Key_Return)
        desk.until(lambda: desk.bench.view.coach.advice.act == "measure")
    desk.key(Qt.Key.Key_D)
    assert "Press the key" in desk.bench.message_words.text()
    before = desk.bench.view.log.cells
    QTest.keyClick(desk.bench, Qt.Key.Key_F9)
    assert eyes.log_key == "F9" and desk.logbook.setting(LOG_KEY) == "F9"
    assert desk.bench.view.log.cells == before, "the key that is chosen does nothing yet"
    QTest.keyClick(desk.window, Qt.Key.Key_F9)
    desk.until(lambda: desk.bench.view.log.cells != before)
    assert desk.bench.view.log.cells[-1].what.startswith("SINAD")


@pytest.mark.parametrize(("key", "why"), [(Qt.Key.Key_B, "found"), (Qt.Key.Key_5, "Type"), (Qt.Key.Key_F1, "Help")])
def test_a_key_that_is_taken_is_refused(desk: Desk, key: Qt.Key, why: str) -> None:
    opened(desk, "front-end")
    desk.key(Qt.Key.Key_D)
    positions = desk.bench.view.board.ledger
    QTest.keyClick(desk.bench, key)
    text = desk.bench.message_words.text()
    assert "is taken" in text and why in text and desk.bench.eyes.log_key == ""
    assert desk.bench.view.board.ledger == positions and not desk.bench.step.typing


def test_the_key_can_be_left_and_taken_away(desk: Desk) -> None:
    opened(desk, "front-end")
    desk.key(Qt.Key.Key_D)
    QTest.keyClick(desk.bench, Qt.Key.Key_Escape)
    assert "Nothing was changed" in desk.bench.message_words.text()
    for key, kept in ((Qt.Key.Key_F12, "F12"), (Qt.Key.Key_Delete, "")):
        desk.key(Qt.Key.Key_D)
        QTest.keyClick(desk.bench, key)
        assert desk.logbook.setting(LOG_KEY) == kept
    assert desk.window._log_key is None


def test_the_new_keys_clash_with_nothing_and_stand_in_the_table() -> None:
    assert clashes() == []
    keys = {a.id: a.key for a in ACTIONS if a.scope == "bench"}
    assert {keys[n] for n in ("far", "pitch", "voice", "log-key", "worth", "what", "keep-effect")} == set("FUJDVQY")
    assert taken_by("F") and not taken_by("L") and not taken_by("F9")


# -- trials through the window ---------------------------------------------------------------------------


def test_worth_it_is_asked_with_its_key_and_answered_on_the_card(desk: Desk) -> None:
    opened(desk, "front-end", 5)
    assert desk.bench.worth.isVisible() and "Worth aligning" in desk.bench.worth.text()
    QTest.mouseClick(desk.bench.worth, Qt.MouseButton.LeftButton)
    desk.until(lambda: any("Worth aligning?" in n for n in desk.bench.view.step.notes), 60_000)
    shown = " ".join(x.text() for x in desk.bench.step.findChildren(QLabel))
    assert "dB in all" in shown
    assert all(not row.moved for row in desk.bench.view.board.ledger if row.adjuster in ("T1", "T2"))
    assert desk.bench.view.log.cells[-1].what == "trial"


def test_what_does_it_do_is_asked_of_the_adjuster_in_hand(desk: Desk) -> None:
    opened(desk, "s-meter", 4)
    desk.until(lambda: bool(desk.bench.view.board.selected))
    assert desk.bench.view.board.selected in desk.bench.what.text()
    desk.key(Qt.Key.Key_Q)
    desk.until(lambda: any("moves" in n for n in desk.bench.view.step.notes), 60_000)
    assert "S-meter" in " ".join(desk.bench.view.step.notes)
    desk.key(Qt.Key.Key_Y)
    desk.until(lambda: desk.bench.message.isVisible())
    assert "already says" in desk.bench.message_words.text()
    QApplication.processEvents()
