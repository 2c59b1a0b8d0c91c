"""The Meters view: recordings in, figures and curves out, compared, and sent to the step at hand."""

from __future__ import annotations

from pathlib import Path

import pytest

pytest.importorskip("PyQt6.QtWidgets")

import numpy as np
import soundfile
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel

from desktop.conftest import Desk
from unitone.desktop.features.meters.page import MetersPage
from unitone.desktop.theme.theme import theme
from unitone.job.fold import fold

pytestmark = pytest.mark.window
RATE = 48_000
CONTROL = Qt.KeyboardModifier.ControlModifier


def write(path: Path, noise: float = 0.02, seconds: float = 3.0, hum: float = 0.0) -> Path:
    t = np.arange(round(seconds * RATE)) / RATE
    x = (
        0.3 * np.sin(2 * np.pi * 1000 * t)
        + hum * np.sin(2 * np.pi * 100 * t)
        + noise * np.random.default_rng(1).standard_normal(t.size)
    )
    soundfile.write(path, x, RATE)
    return path


def iq(path: Path, deviation: float = 0.0, depth: float = 0.0) -> Path:
    t = np.arange(2 * RATE) / RATE
    z = (
        0.4
        * (1 + depth * np.sin(2 * np.pi * 1000 * t))
        * np.exp(1j * (2 * np.pi * 40 * t + deviation / 1000 * np.sin(2 * np.pi * 1000 * t)))
    )
    soundfile.write(path, np.stack([z.real, z.imag], 1), RATE, subtype="FLOAT")
    return path


def meters(desk: Desk) -> MetersPage:
    desk.key(Qt.Key.Key_5, CONTROL)
    page = desk.window._meters
    assert isinstance(page, MetersPage) and desk.window.pages.currentWidget() is page
    return page


def take(desk: Desk, page: MetersPage, path: Path) -> None:
    page.take(path)
    desk.until(lambda: page.shown is not None and page.shown.name == path.name and page.told.text() == "")


def words(page: MetersPage) -> str:
    return " ".join(x.text() for x in page.warnings.findChildren(QLabel))


def test_a_recording_is_measured_drawn_and_compared(desk: Desk, tmp_path: Path) -> None:
    page = meters(desk)
    assert page.figure.text() == "—" and "Choose what to listen to" in words(page) and not page.to_step.isEnabled()
    take(desk, page, write(tmp_path / "found.wav", 0.06, hum=0.05))
    assert page.figure.text() == "19.9" and page.shown is not None and page.trend.isVisible()
    x, y = page.shown.wave
    assert 2.9 < x[-1] - x[0] < 3.1 and np.abs(y).max() > 0.3 and abs(y[0]) < 0.2, "three periods, from zero on"
    names = [m.words for m in page.shown.marks]
    assert any(n.startswith("tone 1000.0") for n in names) and any("50 Hz hum" in n for n in names)
    top = page.shown.spectrum[0][int(np.argmax(page.shown.spectrum[1]))]
    assert top == pytest.approx(1000, abs=10)
    desk.key(Qt.Key.Key_H, CONTROL)
    take(desk, page, write(tmp_path / "left.wav", 0.01))
    assert page.figure.text() in ("35.4", "35.5") and "held: 19.9 dB SINAD, found.wav" in page.describe_held.text()
    assert any(x.text().startswith("was 10.") for x in page.findChildren(QLabel)), [
        x.text() for x in page.findChildren(QLabel)
    ]
    page.how.weighting.setCurrentIndex(page.how.weighting.findData("psophometric"))
    page.how.weighting.activated.emit(1)
    desk.until(lambda: page.shown is not None and "psophometric" in page.words.text())
    assert float(page.figure.text()) > 36.5


def test_deviation_and_depth_of_iq(desk: Desk, tmp_path: Path) -> None:
    page = meters(desk)
    page.chips["deviation"].click()
    take(desk, page, iq(tmp_path / "fm.wav", 2000.0))
    assert page.figure.text() == "2.00" and not page.how.weighting.isVisible()
    assert "Overload" not in words(page)
    samples, rate = soundfile.read(tmp_path / "fm.wav")
    soundfile.write(tmp_path / "clipped.wav", np.clip(3.0 * samples, -1.0, 1.0), rate, subtype="FLOAT")
    take(desk, page, tmp_path / "clipped.wav")
    assert "Overload" in words(page), "a converter's end shows in I/Q as well"
    page.chips["depth"].click()
    take(desk, page, iq(tmp_path / "am.wav", depth=0.8))
    assert page.figure.text() == "80.0" and not page.trend.isVisible()
    assert np.ptp(page.shown.wave[1]) == pytest.approx(160, abs=2)  # type: ignore[union-attr]


def test_what_cannot_be_measured_says_so_and_the_view_lives(desk: Desk, tmp_path: Path) -> None:
    page = meters(desk)
    (tmp_path / "words.wav").write_bytes(b"RIFF, or so it says")
    page.take(tmp_path / "words.wav")
    desk.until(lambda: "is not a readable sound file" in words(page))
    assert page.figure.text() == "—" and not page.to_step.isEnabled()
    soundfile.write(tmp_path / "silent.wav", np.zeros(RATE), RATE)
    page.take(tmp_path / "silent.wav")
    desk.until(lambda: "silent from beginning to end" in words(page))
    page.chips["deviation"].click()
    page.take(write(tmp_path / "mono.wav"))
    desk.until(lambda: "I/Q is stereo" in words(page))
    page.chips["sinad"].click()
    take(desk, page, write(tmp_path / "mono.wav"))
    page.how.tone.setText("9 kHz")
    page.how.tone.editingFinished.emit()
    assert "between 50 and 3400" in words(page)


def test_a_reading_goes_to_the_step_at_hand_or_says_why_not(desk: Desk, tmp_path: Path) -> None:
    page = meters(desk)
    take(desk, page, write(tmp_path / "left.wav", 0.06))
    desk.key(Qt.Key.Key_Return, CONTROL)
    assert "No job on the Bench" in page.told.text()
    desk.open(145)
    meters(desk)
    page.press("meter-send")
    desk.until(lambda: "The step at hand" in page.told.text())
    row = desk.logbook.job("145")
    before = len(fold(desk.logbook.tape(row.id)).readings)
    desk.window.worker.do(lambda s: (s.go_to("front-end"), s.confirm_hook_up("receive")))  # type: ignore[union-attr]
    page.press("meter-send")
    desk.until(lambda: "logged at Peak the front end, job 0145" in page.told.text())
    reading = fold(desk.logbook.tape(row.id)).readings[-1].reading
    assert len(fold(desk.logbook.tape(row.id)).readings) == before + 1
    assert (reading.quantity_id, reading.source, reading.instrument) == ("rx.sinad", "file", "left.wav")
    assert reading.value == pytest.approx(19.9, abs=0.1) and reading.u is not None


@pytest.mark.parametrize(("width", "height", "scale", "name"), [(1000, 700, 1.0, "night"), (1280, 800, 1.5, "day")])
def test_it_fits_small_windows_and_large_type(
    desk: Desk, tmp_path: Path, width: int, height: int, scale: float, name: str
) -> None:
    theme.use(name, scale)
    desk.window.resize(width, height)
    page = meters(desk)
    take(desk, page, write(tmp_path / "a.wav"))
    desk.steady()
    assert page.minimumSizeHint().width() <= page.width() + 2 and page.minimumSizeHint().height() <= page.height() + 2
    assert page.spectrum.height() > 100 and (page.upper.isHidden() or page.wave.height() > 60)
    assert page.tasks.list.isVisible() == (scale > 1) and page.chips["sinad"].isVisible() == (scale == 1)
    page.tasks.list.setCurrentIndex(page.tasks.list.findData("volts"))
    page.tasks.list.activated.emit(1)
    desk.until(lambda: page.shown is not None and page.shown.task == "volts")
    assert page.chips["volts"].isChecked()
    theme.use("day", 1.0)
