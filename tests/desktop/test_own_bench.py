"""A real radio on the technician's own bench: the sound card reads at the step itself, through a virtual card and the real window."""

from __future__ import annotations

import subprocess
import threading
import time
from pathlib import Path

import numpy as np
import pytest

pytest.importorskip("PyQt6.QtWidgets")

import soundfile
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog

from desktop.conftest import Desk
from unitone.bench.drivers.live import Feed
from unitone.bench.drivers.sound_meter import SoundMeter
from unitone.job.card import Card
from unitone.job.entries.readings import Reading
from unitone.job.fold import fold
from unitone.session.session import Session, open_job
from virtualcard import VirtualCard

pytestmark = pytest.mark.window
CONTROL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


class Loudspeaker:
    """A radio's loudspeaker lead: what is on it until it is changed, played by another program."""

    def __init__(self, card: VirtualCard, folder: Path) -> None:
        self._card, self._folder, self._player = card, folder, None

    def give(self, sinad_db: float, rms: float = 0.05) -> None:
        """A tone of 1 kHz in white noise, with so many decibels of SINAD from 300 to 3400 Hz; −inf is noise alone."""
        self.stop()
        fs = 48_000
        rng = np.random.default_rng(4)
        power = 10 ** (sinad_db / 10)
        tone = 0.0 if power <= 1 else rms * np.sqrt(2) * np.sin(2 * np.pi * 1000 * np.arange(fs * 10) / fs)
        noise = rms / np.sqrt(max(power - 1, 1.0) * 3100 / (fs / 2)) * rng.standard_normal(fs * 10)
        (self._folder / "sound.raw").write_bytes(
            np.rint(32_000 * (tone + noise)).clip(-32_768, 32_767).astype("<i2").tobytes()
        )
        loop = f"while cat {self._folder}/sound.raw; do :; done | pacat --raw --format=s16le --rate=48000 --channels=1 --latency-msec=2000 -d bench"
        self._player = subprocess.Popen(
            loop, shell=True, env=self._card.env, start_new_session=True, stderr=subprocess.DEVNULL
        )

    def stop(self) -> None:
        if self._player is not None:
            subprocess.run(["pkill", "-s", str(self._player.pid)], check=False)
            self._player.wait()
            self._player = None


@pytest.fixture
def speaker(there: VirtualCard, tmp_path: Path):  # type: ignore[no-untyped-def]
    made = Loudspeaker(there, tmp_path)
    yield made
    made.stop()


def own_radio(desk: Desk, step: str) -> str:
    """An FM mobile by the general procedure, hooked up for receive at a step, on the Bench."""
    number = desk.logbook.next_number()
    job = open_job(desk.logbook, "fm-mobile", Card(number, "fm-mobile", "FM 3"), title="Fenmark Lode 80")
    session = Session(desk.logbook, job)
    session.go_to(step)
    session.confirm_hook_up("receive")
    desk.open(number)
    return job


def figure(desk: Desk) -> float:
    try:
        return float(desk.bench.step.figure.text().split()[0])
    except (ValueError, IndexError):
        return float("nan")


def test_the_sound_card_reads_at_the_step_and_falls_back_to_typing(
    desk: Desk, there: VirtualCard, speaker: Loudspeaker
) -> None:
    module = there.plug()
    desk.logbook.set_setting("meters", {"input": "clip", "side": "left"})
    job = own_radio(desk, "front-end")
    bench = desk.bench
    assert "readings are typed" in bench.bench.text() and bench.view is not None and not bench.view.reading.live
    # One key listens; the figure moves with the sound, and says where it comes from.
    speaker.give(12.0)
    desk.key(Qt.Key.Key_I, SHIFT)
    desk.until(lambda: bench.view is not None and bench.view.reading.live)
    assert "SINAD live: sound card" in bench.bench.text() and bench.step.log.text() == "Log  L"
    desk.until(lambda: abs(figure(desk) - 12.0) < 1.0)
    assert "live from" in bench.step.words.text() and "not logged" in bench.step.words.text()
    speaker.give(20.0)
    desk.until(lambda: abs(figure(desk) - 20.0) < 1.0)

    # Logged by a key, with its source and its spread; nothing was typed.
    def logged() -> Reading:
        desk.after(lambda: desk.key(Qt.Key.Key_L))
        return fold(desk.logbook.tape(job), job).readings[-1].reading

    reading = logged()
    assert reading.source == "sound card" and reading.std and not reading.typed
    # On a busy machine the player may stumble in the middle of a reading: that is heard, and read, as it is.
    patience = time.monotonic() + 90.0
    while logged().value != pytest.approx(20.0, abs=1.0):
        assert time.monotonic() < patience
    # Typing goes on being possible, and wins while it is done.
    desk.key("7")
    desk.until(lambda: bench.step.typing)
    desk.after(lambda: desk.key(Qt.Key.Key_Return))
    assert fold(desk.logbook.tape(job), job).readings[-1].reading.source == "hand"
    # Without the tone there is a needle, but nothing to log.
    speaker.give(-100.0)
    desk.until(lambda: "tone heard: turn modulation on" in bench.step.words.text())
    # The same key types this quantity alone; the setting is kept for the next start.
    desk.after(lambda: desk.key(Qt.Key.Key_I, SHIFT))
    desk.until(lambda: bench.view is not None and not bench.view.reading.live)
    assert desk.logbook.setting("live")["typed"] == ["rx.sinad"] and bench.step.log.text() == "Type  R"
    desk.after(lambda: desk.key(Qt.Key.Key_I, SHIFT))
    desk.until(lambda: bench.view is not None and bench.view.reading.live)
    # Unplugged: one message, and the readings are typed.
    there.unplug(module)
    desk.until(lambda: bench.view is not None and not bench.view.reading.live)
    assert "unplugged?" in bench.message_words.text() and "readings are typed" in bench.bench.text()


def test_what_the_card_cannot_read_is_typed_and_a_simulated_radio_needs_none(
    desk: Desk, there: VirtualCard, speaker: Loudspeaker
) -> None:
    del there
    speaker.give(15.0)
    own_radio(desk, "current-rest")
    desk.key(Qt.Key.Key_I, SHIFT)
    desk.until(lambda: desk.window.bench_meters.live is not None and desk.window.bench_meters.live.meter is not None)
    desk.quiet()
    assert desk.bench.view is not None and not desk.bench.view.reading.live
    desk.key(Qt.Key.Key_I, SHIFT)
    assert "does not read supply current" in desk.bench.message_words.text()
    desk.open(147)
    desk.key(Qt.Key.Key_I, SHIFT)
    assert "simulated bench reads this by itself" in desk.bench.message_words.text()
    # Chosen once: the settings say the same, and turn it off.
    desk.window.show_settings()
    live = desk.window._workshop.settings.live  # type: ignore[union-attr]
    assert (
        live.on.isChecked()
        and live.quantities["rx.sinad"].isChecked()
        and not live.quantities["rx.af_voltage"].isEnabled()
    )
    live.quantities["rx.distortion"].click()
    assert desk.logbook.setting("live")["typed"] == ["rx.distortion"]
    live.side.setCurrentIndex(live.side.findData("iq"))
    live.side.activated.emit(live.side.currentIndex())
    assert not live.quantities["tx.deviation"].isHidden() and live.quantities["rx.sinad"].isHidden()
    live.on.click()
    assert desk.window.bench_meters.live is not None and desk.window.bench_meters.live.meter is None


def test_a_recording_is_read_at_the_step(desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Recorded elsewhere, read here: logged with its file's name. What is none, or does not tell this, is said and nothing is lost."""
    job = own_radio(desk, "front-end")
    rng = np.random.default_rng(4)
    fs, signal = 48_000, 0.05
    noise = signal / np.sqrt((10**1.2 - 1) * 3100 / (fs / 2)) * rng.standard_normal(fs * 3)
    x = signal * np.sqrt(2) * np.sin(2 * np.pi * 1000 * np.arange(fs * 3) / fs) + noise
    soundfile.write(tmp_path / "at the coil.wav", x, fs)
    (tmp_path / "words.wav").write_bytes(b"RIFFnonsense")
    chosen = {"path": str(tmp_path / "at the coil.wav")}
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a: (chosen["path"], ""))
    desk.until(lambda: "or from a recording: Ctrl+O" in desk.bench.step.words.text())

    def readings() -> list[Reading]:
        return [e.said for e in fold(desk.logbook.tape(job), job).entries if isinstance(e.said, Reading)]

    desk.key(Qt.Key.Key_O, CONTROL)
    desk.until(lambda: len(readings()) == 1)
    (read,) = readings()
    assert (read.quantity_id, read.instrument, read.source) == ("rx.sinad", "at the coil.wav", "file")
    assert read.value == pytest.approx(12.0, abs=0.5) and read.conditions == desk.bench.view.step.conditions  # type: ignore[union-attr]
    desk.until(lambda: abs(figure(desk) - 12.0) < 0.6)
    for path, says in (("words.wav", "not a readable sound file"), ("gone.wav", "cannot be read")):
        chosen["path"] = str(tmp_path / path)
        desk.key(Qt.Key.Key_O, CONTROL)
        desk.until(lambda says=says: says in desk.bench.message_words.text())  # type: ignore[misc]
    # Nothing chosen: nothing happens. A simulated radio is read by its own bench.
    chosen["path"] = ""
    desk.key(Qt.Key.Key_O, CONTROL)
    assert len(readings()) == 1
    desk.open(147)
    desk.key(Qt.Key.Key_O, CONTROL)
    desk.until(lambda: "simulated bench reads this by itself" in desk.bench.message_words.text())
    assert "recording" not in desk.bench.step.words.text()


class Core:
    """A radio whose one core a program turns: the sound it gives is pushed into the bench's meter, ten stretches a second."""

    def __init__(self, meter: SoundMeter, at: float) -> None:
        self.meter, self.at, self.way, self.count = meter, at, 0.0, 0
        self._rng, self._phase = np.random.default_rng(8), 0.0
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run)
        self._thread.start()

    @property
    def sinad_db(self) -> float:
        """A circuit of half a turn either side, 16 dB at its top."""
        return 16.0 - 1.6 * 10 * np.log10(1 + (self.at / 0.5) ** 2)

    def _run(self) -> None:
        fs, began = 48_000, time.monotonic()
        while not self._stop.wait(max(0.0, began + self.count * 0.1 - time.monotonic())):
            self.count += 1
            self.at += self.way * 0.1
            n, rms = fs // 10, 0.05
            t = np.arange(n) / fs
            noise = rms / np.sqrt(max(10 ** (self.sinad_db / 10) - 1, 1e-3) * 3100 / (fs / 2))
            x = rms * np.sqrt(2) * np.sin(2 * np.pi * 1000 * t + self._phase) + noise * self._rng.standard_normal(n)
            self.meter.feed.push(x)

    def stop(self) -> None:
        self._stop.set()
        self._thread.join()


@pytest.fixture
def core(desk: Desk):  # type: ignore[no-untyped-def]
    """The front end's T1 on a bench whose sound is made here; a feed of the real meter, without a card between."""
    job = own_radio(desk, "front-end")
    meter = SoundMeter(Feed(48_000.0, name="line in"))
    pumping = threading.Thread(target=meter.pump)
    pumping.start()
    made = Core(meter, 0.9)
    made.job = job  # type: ignore[attr-defined]
    assert desk.window.worker is not None
    desk.window.worker.connect_meters([meter], frozenset())
    desk.until(lambda: desk.bench.view is not None and desk.bench.view.reading.live)
    yield made
    made.stop()
    meter.feed.close()
    pumping.join(10)


def test_a_core_is_swept_to_its_peak_by_doing_what_the_coach_says(desk: Desk, core: Core) -> None:
    bench = desk.bench
    adjuster = bench.view.board.selected  # type: ignore[union-attr]
    assert adjuster
    start = core.sinad_db
    desk.key(Qt.Key.Key_Space)
    desk.until(lambda: bench.sweep.isVisible() and not bench.step.isVisible())
    assert adjuster in bench.sweep.title.text()
    # The hand: it does what the headline says, begun the wrong way; the same words twice are two commands.
    ways = {
        "either way": 0.0, "the other way": -1.0, "back slowly": -1 / 3, "back, same speed": -1.0, "on a little": 1 / 3, "back a little": -1 / 3,
    }  # fmt: skip
    last, seen, told = 0.25, [], 0

    def follow() -> None:
        nonlocal last, told
        while not bench._sweep.over:  # type: ignore[union-attr]
            desk.until(lambda before=told: bench._sweep.over or bench._sweep.count != before)  # type: ignore[misc,union-attr]
            told, said = bench._sweep.count, bench.sweep.headline.text()  # type: ignore[union-attr]
            seen.append(said)
            for words, way in ways.items():
                if words in said:
                    last = (last / abs(last)) * way * 0.25 if way else 0.25
                    core.way = last
            if said == "Stop.":
                core.way = 0.0
            assert len(seen) < 30, seen
        core.way = 0.0

    follow()
    assert "peaked" in bench.sweep.headline.text() and any("the other way" in x for x in seen), seen
    # A second peak? Outwards, to the stop: there is none, and the first is taken again.
    assert bench.sweep.beyond.isVisible() and not bench.sweep.stop.isVisible()
    desk.key(Qt.Key.Key_Z, SHIFT)
    desk.until(lambda: "anticlockwise" in bench.sweep.headline.text())
    assert not bench.sweep.beyond.isVisible() and bench.sweep.stop.isVisible()
    told, last = bench._sweep.count, -0.25  # type: ignore[union-attr]
    core.way = last
    desk.until(lambda: core.sinad_db < 12.0)
    desk.key(Qt.Key.Key_Z)
    follow()
    assert ("peaked" in bench.sweep.headline.text() and "Turn" in seen[-1]) or "Stop." in seen, seen
    assert not bench.sweep.beyond.isVisible(), "one look is enough"
    # On a busy machine this hand is slow to hear; benchmarks/sweep.py has the figures.
    assert core.sinad_db > 16.0 - 1.0
    # Turning by key waits meanwhile; Enter logs the core, and the reading that came of it.
    desk.key(Qt.Key.Key_Right)
    assert "Sweeping" in bench.message_words.text()
    desk.after(lambda: desk.key(Qt.Key.Key_Return))
    desk.until(lambda: not bench.sweep.isVisible() and bench.step.isVisible())
    state = fold(desk.logbook.tape(core.job), core.job)  # type: ignore[attr-defined]
    swept = state.swept[adjuster]
    assert swept.ended == "peaked" and swept.gained_db == pytest.approx((16.0 - start) / 1.6, abs=1.0)
    assert state.readings[-1].reading.source == "sound card" and state.readings[-1].reading.value == pytest.approx(
        core.sinad_db, abs=1.0
    )
    row = next(r for r in bench.view.board.ledger if r.adjuster == adjuster)  # type: ignore[union-attr]
    assert row.text.startswith("swept: +") and not row.moved, "turns are not known: there is no way back by count"
    # The coach goes on to the next core; it does not turn this one again.
    assert adjuster not in bench.view.coach.headline, bench.view.coach.headline  # type: ignore[union-attr]
    # Broken off: where it stands is unknown, and the core is not done.
    desk.key(Qt.Key.Key_Space)
    desk.until(lambda: bench.sweep.isVisible())
    desk.after(lambda: desk.key(Qt.Key.Key_Escape))
    desk.until(lambda: bench.step.isVisible())
    state = fold(desk.logbook.tape(core.job), core.job)  # type: ignore[attr-defined]
    assert [s.ended for s in state.swept.values()].count("broken off") == 1
