"""The sound card end to end, through a virtual one: tones out, heard again, measured, kept, unplugged; the simulated radio listened to; My bench."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest

pytest.importorskip("PyQt6.QtWidgets")

import numpy as np
import soundfile
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QWidget

from desktop.conftest import Desk
from unitone.bench.drivers.measure import measure_file
from unitone.bench.mybench import MyBench
from unitone.desktop.audio import soundcard
from unitone.desktop.audio.pitch import Pitch
from unitone.desktop.audio.soundcard import samples_of
from unitone.desktop.features.meters.page import MetersPage
from unitone.desktop.features.workshop.my_bench import MyBenchPage
from unitone.desktop.theme.theme import theme
from unitone.errors import SignalError
from unitone.job.fold import fold
from unitone.present.bench.eyes import pitch_hz
from unitone.session.measuring import my_bench
from virtualcard import VirtualCard

pytestmark = pytest.mark.window
CONTROL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def page(desk: Desk) -> Iterator[MetersPage]:
    desk.key(Qt.Key.Key_5, CONTROL)
    made = desk.window._meters
    assert isinstance(made, MetersPage)
    yield made
    made.stop()


def words(widget: QWidget) -> str:
    return " ".join(x.text() for x in widget.findChildren(QLabel))


def put(field, text: str) -> None:  # type: ignore[no-untyped-def]
    field.setText(text)
    field.editingFinished.emit()


def sound(desk: Desk, page: MetersPage, level: str = "-12 dBFS", hz: str = "1 kHz") -> None:
    """Start a tone from the keyboard; a loud one is asked for twice."""
    page.press("meter-tones")
    put(page.tones.level, level)
    put(page.tones.hz, hz)
    desk.key(Qt.Key.Key_Period, CONTROL)
    if "Loud" in page.tones.told.text():
        desk.key(Qt.Key.Key_Period, CONTROL)
    assert page.tones.output is not None and page.sounding.isVisible(), page.tones.told.text()


def hear(desk: Desk, page: MetersPage, wanted: float, within: float) -> None:
    desk.until(
        lambda: page.shown is not None and page.shown.value is not None and abs(page.shown.value - wanted) < within,
        90000,
    )


def test_a_tone_goes_out_and_comes_back_true_in_level_and_frequency(
    there: VirtualCard, desk: Desk, page: MetersPage, tmp_path: Path
) -> None:
    del there
    sound(desk, page, "-12 dBFS", "1234.5 Hz")
    page.chips["frequency"].click()
    desk.key(Qt.Key.Key_L, CONTROL)
    # The card's clock is the machine's: 50 ppm are allowed to it, and are 0.06 Hz.
    hear(desk, page, 1234.5, 0.1)
    assert page.listening.rows["card"].on and "Stop" in page.sounding.text()
    page.chips["volts"].click()
    hear(desk, page, -12.0, 0.02)
    assert "not calibrated" in words(page.warnings)
    put(page.how.tone, "1234.5 Hz")
    page.chips["sinad"].click()
    desk.until(lambda: page.shown is not None and page.shown.task == "sinad" and float(page.figure.text()) > 60)
    # Frozen, the picture stands while the level changes; going on, it follows.
    page.chips["volts"].click()
    hear(desk, page, -12.0, 0.02)
    desk.key(Qt.Key.Key_F, CONTROL)
    put(page.tones.level, "-30 dBFS")
    desk.qtbot.wait(900)
    assert (
        page.shown is not None and page.shown.value == pytest.approx(-12.0, abs=0.02) and "frozen" in page.told.text()
    )
    desk.key(Qt.Key.Key_H, CONTROL)
    desk.key(Qt.Key.Key_F, CONTROL)
    hear(desk, page, -30.0, 0.05)
    assert "18.0 dB less than held" in page.told.text()
    page.keep(tmp_path / "kept.wav")
    assert "kept in kept.wav" in page.told.text()
    kept, rate = soundfile.read(tmp_path / "kept.wav")
    assert rate == 48000 and 20 * np.log10(np.abs(kept[-4800:]).max()) == pytest.approx(-30.0, abs=0.05)
    desk.key(Qt.Key.Key_Period, CONTROL)
    desk.until(lambda: "silent" in words(page.warnings) or "no tone" in words(page.warnings), 90000)
    assert not page.sounding.isVisible() and page.tones.output is None


def test_every_shape_sounds_and_what_cannot_be_is_said(there: VirtualCard, desk: Desk, page: MetersPage) -> None:
    del there
    sound(desk, page, "-30 dBFS")
    page.press("meter-card")
    tones = page.tones
    for shape, says in (
        ("two-tone", "1000 and 1900"),
        ("noise", "noise"),
        ("low", "100.0 Hz"),
        ("sweep", "sweep 1000 to 1900"),
    ):
        tones.shape.setCurrentIndex(tones.shape.findData(shape))
        tones.shape.activated.emit(0)
        assert says in tones.told.text() and tones.output is not None
        desk.until(
            lambda: page.listening.where == "card" and page._listener.feed is not None and page._listener.feed.taken > 0
        )
    put(tones.hz, "40 kHz")
    assert "cannot be made" in tones.told.text() and "old tone continues" in tones.told.text()
    for text, cure in (("loud", "dBFS"), ("3 dBFS", "0 at most"), ("20 mV", "not calibrated")):
        put(tones.level, text)
        assert cure in tones.told.text()
    tones.calibrate({str(tones.device.currentData()): 1.0})
    put(tones.hz, "1 kHz")
    put(tones.level, "20 mV")
    assert "20.0 mV" in tones.told.text() and tones.setting().level == pytest.approx(0.02)


def test_overload_is_told_and_an_unplugged_input_leaves_the_rest_alive(
    there: VirtualCard, desk: Desk, page: MetersPage
) -> None:
    module = there.plug()
    desk.until(lambda: any(d.id == "clip" for d in (page.listening.refresh(), page.listening.found)[1]), 90000)
    page.listening.choose("clip", "left")
    sound(desk, page, "0 dBFS")
    page.press("meter-card")
    desk.until(lambda: "Overload" in words(page.warnings), 90000)
    put(page.tones.level, "-10 dBFS")
    desk.until(lambda: page.shown is not None and "Overload" not in words(page.warnings), 90000)
    page.press("meter-hold")
    there.unplug(module)
    desk.until(lambda: "unplugged?" in words(page.warnings), 90000)
    assert page.held is not None and page.told.text() == "stopped listening"
    # The same key takes another input, and the view goes on.
    page.listening.refresh()
    page.press("meter-card")
    desk.until(lambda: page.shown is not None and page._input is not None and page._input.device.id == "linein", 90000)
    assert desk.logbook.setting("meters") == {"input": "linein", "side": "left"}


def test_no_card_and_no_library_are_said_with_the_cure(
    desk: Desk, page: MetersPage, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("unitone.desktop.features.meters.listening.devices", lambda output=False: [])
    page.listening.refresh()
    page.press("meter-card")
    assert "No sound input is there" in words(page.warnings) and page.listening.where == ""

    def missing(output: bool = False) -> list[object]:
        raise SignalError(
            "The sound card cannot be used: no libpulse.so.0. Install it with: sudo apt-get install libpulse0"
        )

    monkeypatch.setattr("unitone.desktop.features.meters.listening.devices", missing)
    page.listening.refresh()
    page.press("meter-card")
    assert "apt-get install libpulse0" in words(page.warnings)
    with pytest.raises(SignalError, match="is gone"):
        soundcard._find("nowhere", True)


@pytest.mark.parametrize(("form", "kind"), [("Float", "f4"), ("Int32", "i4"), ("Int16", "i2")])
def test_samples_of_every_format_and_side(form: str, kind: str) -> None:
    full = {"Float": 1.0, "Int32": 2.0**31, "Int16": 2.0**15}[form]
    pairs = (np.array([[0.5, -0.25], [0.125, 0.75]]) * full).astype(kind)
    data = pairs.tobytes() + b"\x01"
    assert np.allclose(samples_of(data, form, 2, "left"), [0.5, 0.125]) and np.allclose(
        samples_of(data, form, 2, "right"), [-0.25, 0.75]
    )
    assert np.allclose(samples_of(data, form, 2, "iq"), [0.5 - 0.25j, 0.125 + 0.75j])
    assert np.allclose(samples_of(pairs[:, :1].tobytes(), form, 1, "right"), [0.5, 0.125])


def test_the_stand_in_is_heard_and_its_reading_goes_to_the_step(desk: Desk, page: MetersPage) -> None:
    page.press("meter-send")
    assert page.told.text() == "There is no reading to send yet."
    desk.key(Qt.Key.Key_R, CONTROL)
    desk.until(lambda: "No job on the Bench" in words(page.warnings))
    desk.open(147)
    desk.window.worker.do(lambda s: (s.go_to("front-end"), s.confirm_hook_up("transmit")))  # type: ignore[union-attr]
    desk.window.show_place("meters")
    page.press("meter-simulated")
    desk.until(lambda: "hook" in words(page.warnings).lower(), 90000)
    desk.window.worker.do(lambda s: s.confirm_hook_up("receive"))  # type: ignore[union-attr]
    desk.until(
        lambda: (
            page.shown is not None and page.shown.name == "simulated radio, loudspeaker" and len(page.shown.trend) > 3
        ),
        90000,
    )
    row = desk.logbook.job("147")
    before = len(fold(desk.logbook.tape(row.id)).readings)
    # The radio is deaf yet, and its tone at the step's level lies in the noise: a stronger signal is heard at once.
    desk.window.worker.do(lambda s: s.set_up(replace(s.step.setting, level_dbm=-90.0)))  # type: ignore[union-attr]
    desk.until(lambda: page.shown is not None and (page.shown.value or 0.0) > 8.0)
    assert page.shown is not None and page.shown.sends
    said: list[str] = []
    desk.window.reading_sent.connect(said.append)
    page.setFocus()
    desk.key(Qt.Key.Key_Return, CONTROL)
    desk.until(lambda: bool(said))
    assert "logged at Peak the front end" in said[0]
    reading = fold(desk.logbook.tape(row.id)).readings[-1].reading
    assert len(fold(desk.logbook.tape(row.id)).readings) == before + 1 and reading.source == "simulated"
    assert reading.conditions.level_dbm == -90.0
    # Keyed, the same source is I/Q: the task goes with it.
    step = next(s.id for s in fold(desk.logbook.tape(row.id)).sheet.steps if s.quantity_id == "tx.deviation")
    desk.window.worker.do(lambda s: (s.go_to(step), s.confirm_hook_up("transmit")))  # type: ignore[union-attr]
    desk.until(
        lambda: page.shown is not None and page.shown.task == "deviation" and (page.shown.value or 0) > 0.5, 20000
    )
    assert (
        page.chips["deviation"].isChecked()
        and page.shown is not None
        and page.shown.name == "simulated radio, transmitting"
    )


def test_a_table_takes_the_place_of_the_wave(desk: Desk, page: MetersPage, tmp_path: Path) -> None:
    f = np.linspace(440, 470, 301)
    path = tmp_path / "if.csv"
    path.write_text("kHz,dB\n" + "\n".join(f"{a},{-10 * np.log10(1 + ((a - 455) / 3) ** 8)}" for a in f))
    page.chips["response"].click()
    page.take(path)
    desk.until(lambda: page.shown is not None and page.shown.task == "response")
    assert (
        page.upper.currentIndex() == 1
        and "60 dB" in words(page.upper.widget(1))
        and "kHz at −6 dB" in page.figure._unit
    )
    page.press("meter-tones")
    assert page.upper.currentWidget() is page.tones_area
    page.chips["lines"].click()
    desk.until(lambda: page.shown is not None and page.shown.task == "lines")
    put(page.how.limit, "-3x")
    assert "is not a limit" in words(page.warnings)


def test_my_bench_is_filled_in_kept_used_and_struck(desk: Desk) -> None:
    desk.logbook.set_setting("instruments", [{"id": "w", "name": "thirty watts", "measures": ["tx.power"]}])
    job = desk.logbook.job("145")
    desk.open(145)
    desk.key(Qt.Key.Key_4, CONTROL)
    workshop = desk.window._workshop
    workshop.chips["bench"].click()
    page = workshop.bench
    assert isinstance(page, MyBenchPage) and "not calibrated" in words(page)
    put(page.pads, "A 20; B twenty")
    assert "is not a pad" in page.wrong.text() and page.pads.text() == "A 20; B twenty"
    put(page.pads, "A 20; B 20")
    put(page.usual, "20+20")
    put(page.least, "40 dBm")
    assert "Generator range" in page.wrong.text()
    put(page.least, "-110 dBm")
    assert not page.wrong.isVisible() and desk.logbook.setting("kit")["least_dbm"] == -110.0
    guide = page.guide
    assert not guide.button.isEnabled() and "two rows" in guide.mind.text()
    for (pads, dialled), texts in zip(
        guide.rows, [("A", "-97.3"), ("B", "-97.6"), ("A+B", "-77.4"), ("none", "-117")], strict=False
    ):
        pads.setText(texts[0])
        dialled.setText(texts[1])
    assert "A: 19.9" in guide.words.text() and guide.button.isEnabled()
    guide.button.click()
    assert "kept" in page.told.text() and my_bench(desk.logbook).latest("pads") is not None
    guide.show_guide("wattmeter")
    guide.fields["shown"].setText("3.6 W")
    guide.fields["volts"].setText("40 V")
    assert "−10.0 %" in guide.words.text() and "dummy load only" in guide.caution.text()
    guide.button.click()
    del job
    assert any(r.title.endswith("thirty watts") and r.mark == "in_spec" for r in page._rows)
    at = next(n for n, r in enumerate(page._rows) if r.kind == "wattmeter")
    page._pressed(str(at), 1)
    assert my_bench(desk.logbook).latest("wattmeter", "w") is None and "Deleted" in page.told.text()
    page._pressed("0", 0)
    assert guide.guide.kind == "pads" and guide.rows[0][0].text() == ""
    assert json.loads(json.dumps(my_bench(desk.logbook).to_data())) and my_bench(desk.logbook) != MyBench()


def test_an_input_is_calibrated_by_listening(there: VirtualCard, desk: Desk, page: MetersPage) -> None:
    del there
    sound(desk, page, "-20 dBFS")
    desk.key(Qt.Key.Key_4, CONTROL)
    desk.window._workshop.chips["bench"].click()
    bench = desk.window._workshop.bench
    guide = bench.guide
    guide.show_guide("input")
    guide.listen.click()
    desk.until(lambda: guide.fields["dbfs"].text().replace("−", "-") in ("-20.00", "-20.01", "-19.99"), 90000)
    guide.listen.click()
    guide.fields["volts"].setText("100 mV")
    # A hundredth of a decibel that the field may show is a thousandth of the volts.
    assert any(f"0 dBFS is {volts} V" in guide.words.text() for volts in ("0.999", "1.000", "1.001"))
    guide.button.click()
    desk.key(Qt.Key.Key_5, CONTROL)
    page.chips["volts"].click()
    page.press("meter-card")
    desk.until(lambda: page.shown is not None and page.shown.unit == "mV", 90000)
    hear(desk, page, 0.1, 0.0005)
    assert page.to_step.isEnabled() and "0 dBFS = " in page.listening.rows["card"].quiet


@pytest.mark.parametrize(("width", "height", "scale", "name"), [(1000, 700, 1.0, "night"), (1280, 800, 1.5, "day")])
def test_live_tones_and_my_bench_fit(
    there: VirtualCard, desk: Desk, page: MetersPage, width: int, height: int, scale: float, name: str
) -> None:
    del there
    theme.use(name, scale)
    desk.window.resize(width, height)
    sound(desk, page, "-30 dBFS")
    page.press("meter-card")
    desk.until(lambda: page.shown is not None)
    desk.steady()
    assert page.minimumSizeHint().width() <= page.width() + 2 and page.minimumSizeHint().height() <= page.height() + 2
    assert page.upper.currentWidget() is page.tones_area and page.tones_area.height() > 180
    page.press("meter-tones")
    desk.steady()
    assert page.spectrum.height() > 100
    desk.key(Qt.Key.Key_4, CONTROL)
    desk.window._workshop.chips["bench"].click()
    bench = desk.window._workshop.bench
    for kind in ("wattmeter", "pads", "input"):
        bench.guide.show_guide(kind)
        desk.steady()
        assert bench.minimumSizeHint().width() <= desk.window.width()
    theme.use("day", 1.0)


def test_what_was_kept_is_measured_as_any_file(
    there: VirtualCard, desk: Desk, page: MetersPage, tmp_path: Path
) -> None:
    """Both channels as I/Q: the same tone left and right is a line either side of zero."""
    del there
    sound(desk, page, "-20 dBFS")
    page.listening.choose("linein", "iq")
    page.press("meter-card")
    page.chips["frequency"].click()
    desk.until(lambda: page.shown is not None and abs(abs(page.shown.value or 0) - 1000) < 0.1, 90000)
    desk.qtbot.wait(500)
    page.keep(tmp_path / "iq.wav")
    assert soundfile.info(tmp_path / "iq.wav").channels == 2
    found = measure_file(tmp_path / "iq.wav", "spectrum")
    assert abs(found["carrier_hz"]) == pytest.approx(1000, abs=2)


def test_the_pitch_of_a_reading_comes_out_of_the_card(there: VirtualCard, desk: Desk, tmp_path: Path) -> None:
    """What goes out of the card is recorded beside the program: six decibels better is half an octave higher."""
    pitch, seconds = Pitch(desk.window), 24_000
    for db in (0.0, 6.0):
        kept = tmp_path / f"{db:.0f}.raw"
        recorder = there.record(kept)

        def right(db: float = db, kept: Path = kept) -> bool:
            """The last half second sounds all through, at its pitch."""
            # As the needle does: without a fresh reading it falls silent.
            pitch.sound("step", db, 0.0)
            x = np.frombuffer(kept.read_bytes()[: kept.stat().st_size // 2 * 2], np.int16)[-seconds:].astype(float)
            if x.size < seconds or np.abs(x[: seconds // 8]).max() < 100:
                return False
            hz = float(np.argmax(np.abs(np.fft.rfft(x * np.hanning(x.size))))) * 48_000 / x.size
            return hz == pytest.approx(pitch_hz(db, 0.0), abs=3.0)

        desk.until(right, 90000)
        recorder.terminate()
        recorder.wait()
    pitch.stop()
    assert pitch_hz(6.0, 0.0) / pitch_hz(0.0, 0.0) == pytest.approx(2**0.5, rel=0.05)


def test_the_chart_of_levels_is_saved_from_my_bench(desk: Desk, tmp_path: Path) -> None:
    desk.window.show_place("workshop")
    page = desk.window._workshop
    assert page is not None
    page.show_part("bench")
    bench = page.bench
    assert bench is not None and bench.chart.isVisible()
    bench.save_chart(tmp_path / "levels.pdf")
    desk.until(lambda: (tmp_path / "levels.pdf").is_file())
    assert (tmp_path / "levels.pdf").read_bytes().startswith(b"%PDF-")
    bench.save_chart(tmp_path / "nowhere" / "levels.pdf")
    desk.until(lambda: "cannot be written" in bench.told.text())
