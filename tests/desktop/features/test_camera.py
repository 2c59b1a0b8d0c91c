"""A needle by camera through the real window: taught by clicks in the picture, read on the Bench, knocked, gone, and typed again."""

from __future__ import annotations

from pathlib import Path
from threading import Event

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from PIL import Image
from PyQt6.QtCore import Qt

from desktop.conftest import Desk
from unitone.bench.camera.camera_meter import reader_of
from unitone.bench.path import Kit
from unitone.desktop.camera.webcam import Webcam
from unitone.desktop.features.workshop import camera
from unitone.desktop.features.workshop.camera import CameraPage
from unitone.job.card import Card
from unitone.job.fold import fold
from unitone.session.cameras import kept_meters
from unitone.session.session import open_job
from unitone.simulator.meter_picture import FACES, Meter, View

pytestmark = pytest.mark.window
TARN = "ostrel-tarn-40"
#: S1 to S9 and 18 dB over it, as an S-meter's scale says.
MARKS = {0.0: "0", 1.0: "1", 3.0: "S3", 5.0: "5", 7.0: "7", 9.0: "9", 12.0: "+18"}


def page_of(desk: Desk) -> CameraPage:
    desk.window.show_place("workshop")
    desk.window._workshop.show_part("camera")  # type: ignore[union-attr]
    page = desk.window._workshop.camera  # type: ignore[union-attr]
    assert isinstance(page, CameraPage)
    desk.until(page.isVisible)
    return page


def teach(desk: Desk, page: CameraPage, meter: Meter) -> None:
    def click(x: float, y: float) -> None:
        desk.qtbot.mouseClick(page.view, Qt.MouseButton.LeftButton, pos=page.view.to_widget(x, y).toPoint())

    page.reads.setCurrentIndex(page.reads.findData("rx.s_meter"))
    page.start_over()
    assert "Click the pivot" in page.next.text()
    click(*meter.pivot())
    for x, y, value in meter.marks():
        click(x, y)
        assert page.number.isVisible() and not page.keep.isEnabled()
        desk.qtbot.keyClicks(page.number, MARKS[value])
        desk.qtbot.keyClick(page.number, Qt.Key.Key_Return)
    desk.until(lambda: page.keep.isEnabled() or page.wrong.isVisible())
    assert page.keep.isEnabled(), (page.wrong.text(), page._marks, page._pivot)


def show(webcam: Webcam, meter: Meter, value: float) -> None:
    webcam.source = "virtual"
    webcam.take(meter.picture(value, round(100 * value)))


def test_taught_by_clicks_and_read_on_the_bench(desk: Desk) -> None:
    number = desk.logbook.next_number()
    job = open_job(desk.logbook, TARN, Card(number, TARN), Kit(pads_db=(40.0,)))
    desk.open(number)
    meter = Meter(FACES[3], View(16.0, 210.0, zoom=0.9, noise=3.0))
    webcam = desk.window.bench_meters.webcam()
    page = page_of(desk)
    show(webcam, meter, 5.0)
    # A number that is none is said, and the click is not lost; Escape takes it back.
    page.reads.setCurrentIndex(page.reads.findData("rx.s_meter"))
    page.start_over()
    x, y, _ = meter.marks()[0]
    for place in (meter.pivot(), (x, y)):
        desk.qtbot.mouseClick(page.view, Qt.MouseButton.LeftButton, pos=page.view.to_widget(*place).toPoint())
    desk.qtbot.keyClicks(page.number, "much")
    desk.qtbot.keyClick(page.number, Qt.Key.Key_Return)
    assert "an S-meter reading" in page.wrong.text() and page.number.isVisible()
    desk.qtbot.keyClick(page.number, Qt.Key.Key_Escape)
    assert not page.number.isVisible()
    teach(desk, page, meter)
    assert page.figure.text() == "S5"
    show(webcam, meter, 7.0)
    assert page.figure.text() == "S7" and "of the scale" in page.about.text()
    # A mark with a wrong number is told at once, and taken off again.
    desk.qtbot.mouseClick(page.keep, Qt.MouseButton.LeftButton)
    assert [m.taught.quantity for m in kept_meters(desk.logbook)] == ["rx.s_meter"]
    assert "Kept" in page.next.text() and (page.list.shown or ())[0].key == "rx.s_meter"

    step = next(s for s in fold(desk.logbook.tape(job)).sheet.steps if s.quantity_id == "rx.s_meter")
    desk.window.show_place("bench")
    desk.window.worker.do(lambda s: (s.start_work(), s.go_to(step.id), s.confirm_hook_up("receive")))  # type: ignore[union-attr]
    desk.until(
        lambda: desk.bench.view is not None and desk.bench.view.step.id == step.id and desk.bench.view.reading.live
    )
    webcam.source = "virtual"
    show(webcam, meter, 9.0)
    desk.until(lambda: desk.bench.step.figure.text() == "S9")
    pictures = iter(range(1000))

    def logged() -> bool:
        # The camera goes on while a whole reading is taken.
        webcam.take(meter.picture(9.0, next(pictures)))
        return bool(fold(desk.logbook.tape(job)).readings)

    desk.bench.press("log")
    desk.until(logged)
    reading = fold(desk.logbook.tape(job)).readings[-1].reading
    assert (reading.source, reading.instrument) == ("camera", "S-meter by camera") and reading.value == pytest.approx(
        0.0, abs=0.6
    )
    # Knocked: the figure goes, the words say why; typed instead by one key, and back.
    knocked = Meter(meter.face, View(16.0, 210.0, zoom=0.9, shift=(20.0, 9.0)))
    webcam.take(knocked.picture(9.0))
    desk.until(lambda: "camera has moved" in desk.bench.step.words.text())
    desk.bench.press("source")
    desk.until(lambda: not desk.bench.view.reading.live)
    desk.bench.press("source")
    desk.until(lambda: desk.bench.view.reading.live)
    # Pulled out: one message.
    webcam._gone("unplugged")
    desk.until(lambda: "The camera is gone" in desk.bench.message_words.text())


def test_a_picture_file_is_a_camera_too_and_what_is_none_says_so(
    desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    # A busy machine takes longer over a reader than a frame lasts: it is let finish.
    monkeypatch.setattr(camera, "_AGAIN_S", 0.0)
    monkeypatch.setattr(camera, "reader_of", lambda *given: (Event().wait(0.3), reader_of(*given))[1])
    page = page_of(desk)
    assert "Plug one in" in page.view._empty
    meter = Meter(FACES[3], View(8.0, 120.0))
    Image.fromarray(meter.picture(3.0)).save(tmp_path / "meter.png")
    page._open(str(tmp_path / "meter.png"))
    desk.until(lambda: desk.window.bench_meters.webcam().frames.last() is not None)
    teach(desk, page, meter)
    assert page.figure.text() == "S3"
    # The pivot taken off: nothing is read until it is clicked again.
    page.marks.findChildren(type(page.keep))[0].click()
    assert page.figure.text() == "—" and "Click the pivot" in page.next.text()
    (tmp_path / "no.png").write_bytes(b"no picture")
    page._open(str(tmp_path / "no.png"))
    assert "no picture that can be read" in page.source_words.text() and not desk.window.bench_meters.webcam().running
    page._open(str(tmp_path / "gone.mp4"))
    assert "not there" in page.source_words.text()
