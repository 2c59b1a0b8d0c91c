"""Eyes on the board: Far view, the pitch of the reading, the coach's line spoken, and a key of one's own that logs."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QApplication, QWidget

from unitone.actions import ACTIONS, key_of
from unitone.desktop.audio.pitch import Pitch
from unitone.desktop.audio.voice import Voice, voice_of
from unitone.desktop.features.bench.far import FarView
from unitone.desktop.shell.worker import LiveFigure
from unitone.errors import UnitoneError
from unitone.present.bench.bench_shapes import BenchView
from unitone.present.bench.sweeping import SweepView
from unitone.store.logbook import Logbook
from unitone.words import tr

#: The setting that keeps the key.
LOG_KEY = "log_key"
_ALONE = (Qt.Key.Key_Shift, Qt.Key.Key_Control, Qt.Key.Key_Alt, Qt.Key.Key_Meta, Qt.Key.Key_AltGr, Qt.Key.Key_unknown)
#: What opens the field of a typed reading cannot log as well.
_TYPED = frozenset("0123456789+-−<>.,")


def taken_by(key: str) -> str:
    """What a key does already on the Bench or everywhere; "" where it is free."""
    found = next((a for a in ACTIONS if key_of(a) == key and a.scope in ("bench", "everywhere", "meters")), None)
    if found is not None and found.id != "log":
        return found.words
    return tr("Type a reading") if key in _TYPED or key in ("Tab", "Esc", "Backspace") else ""


class Eyes(QObject):
    """Owns what is seen from afar and heard; the Bench tells it what there is to say."""

    failed = pyqtSignal(str)
    said = pyqtSignal(str)
    #: Another key logs from now on ("" for none).
    log_key_changed = pyqtSignal(str)

    def __init__(self, page: QWidget, logbook: Logbook) -> None:
        super().__init__(page)
        self._page, self._logbook = page, logbook
        self.far: FarView | None = None
        self.pitch: Pitch | None = None
        self.voice: Voice | None = None
        self.log_key = str(logbook.setting(LOG_KEY, "") or "")
        self._catching = False
        self._view: BenchView | None = None
        self._told: tuple[str, str] = ("", "")

    # -- on and off ---------------------------------------------------------------------------------

    def press(self, name: str) -> None:
        """Far view, pitch or voice on or off, or another key to log with."""
        if name == "far":
            self._toggle_far()
        elif name == "log-key":
            self._catch()
        else:
            try:
                self._toggle_pitch() if name == "pitch" else self._toggle_voice()
            except UnitoneError as error:
                self.failed.emit(str(error))
        self._show_status()

    def _toggle_far(self) -> None:
        if self.far is None:
            window = self._page.window()
            over = getattr(window, "centralWidget", lambda: None)() or self._page
            self.far = FarView(over)
            self.far.pressed.connect(lambda: self._page.press("main"))  # type: ignore[attr-defined]
            self.far.closed.connect(self.far.hide)
        if self.far.isVisible():
            self.far.hide()
            return
        if self._view is not None:
            self.far.show_view(self._view)
        self.far.open()

    def leave(self) -> bool:
        """Far view off, when it is on: True then."""
        if self.far is None or not self.far.isVisible():
            return False
        self.far.hide()
        return True

    def _toggle_pitch(self) -> None:
        if self.pitch is not None:
            self.pitch.stop()
            self.pitch = None
            self.said.emit(tr("Pitch off."))
            return
        self.pitch = Pitch(self)
        self.pitch.failed.connect(self._pitch_gone)
        self.said.emit(tr("Pitch on: it rises as the reading gets better. U turns it off."))
        self._sound_view()

    def _pitch_gone(self, words: str) -> None:
        self.pitch = None
        self.failed.emit(words)
        self._show_status()

    def _toggle_voice(self) -> None:
        if self.voice is not None:
            self.voice.hush()
            self.voice = None
            self.said.emit(tr("The coach is silent again."))
            return
        self.voice = Voice(self, *voice_of(self._logbook))
        self.voice.failed.connect(self.failed)
        self.said.emit(tr("The coach speaks. J silences it."))
        if self._view is not None:
            self.voice.say(self._view.coach.headline)

    # -- what there is to say -----------------------------------------------------------------------

    def show_view(self, view: BenchView) -> None:
        """The Bench's picture: seen from afar, sounded and spoken."""
        before, self._view = self._view, view
        if self.far is not None:
            self.far.show_view(view)
        logged = before is not None and before.reading.seq != view.reading.seq
        if logged or before is None or before.step.id != view.step.id:
            self._sound_view()
        if self.voice is not None and (logged or before is None or before.coach.headline != view.coach.headline):
            reading = f"{view.reading.figure} {view.reading.unit}. " if logged and view.reading.figure != "—" else ""
            self.voice.say(reading + view.coach.headline)

    def show_live(self, live: LiveFigure) -> None:
        """The needle: seen from afar, and sounded."""
        if self.far is not None and self.far.isVisible():
            self.far.show_live(live)
        if self.pitch is not None and self._view is not None:
            self.pitch.sound(self._view.step.id, live.height_db, self._view.reading.pitch[1])

    def show_sweep(self, before: SweepView | None, sweep: SweepView | None) -> None:
        """The sweep: seen from afar, sounded, and each new word of its coach spoken."""
        if self.far is not None:
            self.far.show_sweep(sweep)
        if sweep is None:
            return
        if self.pitch is not None and self._view is not None:
            self.pitch.sound(self._view.step.id, sweep.height_db, self._view.reading.pitch[1])
        if self.voice is not None and (before is None or before.headline != sweep.headline):
            self.voice.say(sweep.headline)

    def show_typed(self, text: str | None) -> None:
        """What is being typed."""
        if self.far is not None:
            self.far.show_typed(text)

    def _sound_view(self) -> None:
        if self.pitch is not None and self._view is not None:
            self.pitch.sound(self._view.step.id, self._view.reading.pitch[0], self._view.reading.pitch[1])

    def _show_status(self) -> None:
        if self.far is None:
            return
        on, off = tr("on"), tr("off")
        key = self.log_key or "L"
        self.far.show_status(
            tr("Pitch {a} (U) · spoken {b} (J) · {key} logs (D: another key or a foot-switch)",
               a=on if self.pitch else off, b=on if self.voice else off, key=key)
        )  # fmt: skip

    def stop(self) -> None:
        """Let go of sound and speech."""
        if self.pitch is not None:
            self.pitch.stop()
        if self.voice is not None:
            self.voice.hush()
        self.pitch = self.voice = None

    # -- a key of one's own ---------------------------------------------------------------------------

    def _catch(self) -> None:
        app = QApplication.instance()
        if self._catching or app is None:
            return
        self._catching = True
        app.installEventFilter(self)
        now = tr("Now it is {key}. ", key=self.log_key) if self.log_key else ""
        self.said.emit(
            tr(
                "Press the key or foot-switch that will log. {now}Esc cancels, Delete removes it.",
                now=now,
            )
        )

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """While a key is waited for, it goes nowhere else."""
        del watched
        if not self._catching or event is None:
            return False
        if event.type() == QEvent.Type.ShortcutOverride:
            event.accept()
            return True
        if event.type() != QEvent.Type.KeyPress or not isinstance(event, QKeyEvent):
            return False
        if event.key() in _ALONE:
            return True
        self._caught(event)
        return True

    def _caught(self, event: QKeyEvent) -> None:
        app: Any = QApplication.instance()
        self._catching = False
        app.removeEventFilter(self)
        if event.key() == Qt.Key.Key_Escape:
            self.said.emit(tr("Nothing was changed."))
            return
        if event.key() == Qt.Key.Key_Delete:
            self._take_key("")
            return
        key = QKeySequence(event.keyCombination()).toString()
        taken = taken_by(key)
        if taken:
            self.failed.emit(tr("{key} is taken: “{what}”. Choose another key (D).", key=key, what=taken))
            return
        self._take_key(key)

    def _take_key(self, key: str) -> None:
        try:
            self._logbook.set_setting(LOG_KEY, key)
        except UnitoneError as error:
            self.failed.emit(str(error))
            return
        self.log_key = key
        self.log_key_changed.emit(key)
        self.said.emit(tr("{key} logs from now on, as L does.", key=key) if key else tr("Only L logs now."))
        self._show_status()
