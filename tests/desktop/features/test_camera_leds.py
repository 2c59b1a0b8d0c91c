"""LEDs by camera and teaching by keys alone, through the real window; what the page says when it is small, frozen, or without a camera."""

from __future__ import annotations

import numpy as np
import pytest

pytest.importorskip("PyQt6.QtWidgets")

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QPushButton

from desktop.conftest import Desk
from unitone.desktop.camera.webcam import Webcam, image_of, pixels_of
from unitone.desktop.features.workshop.camera import CameraPage, value_of
from unitone.desktop.theme.theme import theme
from unitone.errors import BenchError, EntryError
from unitone.session.cameras import kept_meters
from unitone.simulator.led_picture import LedRow
from unitone.simulator.meter_picture import FACES, Meter, View

pytestmark = pytest.mark.window


def page_of(desk: Desk) -> CameraPage:
    desk.window.show_place("workshop")
    desk.window._workshop.show_part("camera")  # type: ignore[union-attr]
    page = desk.window._workshop.camera  # type: ignore[union-attr]
    assert isinstance(page, CameraPage)
    desk.until(page.isVisible)
    return page


def give(desk: Desk, frame: np.ndarray) -> Webcam:
    webcam = desk.window.bench_meters.webcam()
    webcam.source = "virtual"
    webcam.take(frame)
    return webcam


def test_a_row_of_leds_is_taught_while_some_are_lit(desk: Desk) -> None:
    page = page_of(desk)
    row = LedRow.of(np.random.default_rng(11))
    webcam = give(desk, row.picture(0))
    desk.qtbot.mouseClick(page.faces.chips["leds"], Qt.MouseButton.LeftButton)
    page.reads.setCurrentIndex(page.reads.findData("rx.needle"))
    page.start_over()
    assert page.next.text() == "Click the lowest LED."
    for n, (x, y) in enumerate(row.places()):
        desk.qtbot.mouseClick(page.view, Qt.MouseButton.LeftButton, pos=page.view.to_widget(x, y).toPoint())
        desk.qtbot.keyClicks(page.number, str(n + 1))
        desk.qtbot.keyClick(page.number, Qt.Key.Key_Return)
    # All of them are dark: nothing tells lit from dark, and that is said.
    desk.until(lambda: "some are lit and some are dark" in page.wrong.text())
    assert not page.keep.isEnabled()
    # The next frames are tried by themselves.
    desk.until(lambda: bool(webcam.take(row.picture(row.count // 2))) or page.keep.isEnabled())
    assert page.wrong.isHidden()
    webcam.take(row.picture(3))
    assert page.figure.text() == "3.0"
    webcam.take(row.picture(0))
    assert page.figure.text().startswith("<") and "beyond the marks" in page.about.text()
    covered = row.picture(4).copy()
    x, y = row.places()[1]
    covered[int(y) - 14 : int(y) + 14, int(x) - 14 : int(x) + 14] = 20
    webcam.take(covered)
    assert page.figure.text() == "—" and "hides the scale" in page.about.text()
    desk.qtbot.mouseClick(page.keep, Qt.MouseButton.LeftButton)
    (kept,) = kept_meters(desk.logbook)
    assert kept.taught.face == "leds" and len(kept.taught.marks) == row.count
    # Taught a second time it takes the place of the first; removed, nothing is left.
    remove = page.list.findChildren(QPushButton)[0]
    desk.qtbot.mouseClick(remove, Qt.MouseButton.LeftButton)
    assert kept_meters(desk.logbook) == () and "None:" in page.list.findChildren(type(page.about))[0].text()


def test_arrow_keys_and_enter_teach_as_a_mouse_does(desk: Desk) -> None:
    page = page_of(desk)
    meter = Meter(FACES[0], View(noise=2.0))
    give(desk, meter.picture(3.0))
    page.reads.setCurrentIndex(page.reads.findData("supply.rail"))
    page.start_over()
    desk.until(lambda: page.view._image is not None)
    page.view.setFocus()

    def go_to(x: float, y: float) -> None:
        # Long steps first, then single pixels, as a hand on the keys would.
        if page.view._cross is None:
            desk.qtbot.keyClick(page.view, Qt.Key.Key_Left)
        wanted = page.view.to_widget(x, y)
        for step, modifier in ((8.0, Qt.KeyboardModifier.NoModifier), (1.0, Qt.KeyboardModifier.ShiftModifier)):
            for _ in range(300):
                at = page.view._cross
                assert at is not None
                dx, dy = wanted.x() - at.x(), wanted.y() - at.y()
                if max(abs(dx), abs(dy)) <= step / 2:
                    break
                sideways = abs(dx) >= abs(dy)
                right, down = (
                    Qt.Key.Key_Right if dx > 0 else Qt.Key.Key_Left,
                    Qt.Key.Key_Down if dy > 0 else Qt.Key.Key_Up,
                )
                desk.qtbot.keyClick(page.view, right if sideways else down, modifier)
        desk.qtbot.keyClick(page.view, Qt.Key.Key_Return)

    go_to(*meter.pivot())
    assert page._pivot == pytest.approx(meter.pivot(), abs=2.0)
    for x, y, value in (meter.marks()[0], meter.marks()[3], meter.marks()[5]):
        page.view.setFocus()
        go_to(x, y)
        assert page.number.hasFocus()
        desk.qtbot.keyClicks(page.number, f"{value:g}")
        desk.qtbot.keyClick(page.number, Qt.Key.Key_Return)
    desk.until(page.keep.isEnabled)
    assert float(page.figure.text()) == pytest.approx(3.0, abs=0.12)
    assert page.view.accessibleDescription() == "Marks: 0, 6, 10"


def test_marks_that_cannot_be_are_said_and_taken_off_again(desk: Desk) -> None:
    page = page_of(desk)
    meter = Meter(FACES[0], View(noise=2.0))
    give(desk, meter.picture(5.0))
    page.reads.setCurrentIndex(page.reads.findData("supply.rail"))
    page.start_over()
    marks = meter.marks()
    for wrong, words in (
        ([(*marks[0][:2], "0"), (*marks[2][:2], "8"), (*marks[4][:2], "4")], "do not rise along the scale"),
        ([(*marks[0][:2], "0"), (*marks[5][:2], "0")], "same number"),
        ([(*meter.pivot(), "0"), (*marks[5][:2], "10")], "stands on the pivot"),
        ([(*marks[0][:2], "0"), (marks[0][0] + 2, marks[0][1], "1"), (*marks[5][:2], "10")], "too close together"),
    ):
        page.teach(meter.pivot(), wrong)
        assert words in page.wrong.text() and not page.keep.isEnabled()
    with pytest.raises(EntryError):
        page.teach(meter.pivot(), [(*marks[0][:2], "a lot")])
    page.teach(meter.pivot(), [(*m[:2], f"{m[2]:g}") for m in marks])
    desk.until(page.keep.isEnabled)
    # One mark taken off: it is read by the others.
    count = len(page._marks)
    buttons = page.marks.findChildren(QPushButton)
    desk.qtbot.mouseClick(buttons[3], Qt.MouseButton.LeftButton)
    assert len(page._marks) == count - 1
    desk.until(page.keep.isEnabled)
    assert float(page.figure.text()) == pytest.approx(5.0, abs=0.1)


def test_numbers_are_typed_as_they_stand_on_the_scale() -> None:
    assert value_of("S9", "rx.s_meter") == 0.0
    assert value_of("7", "rx.s_meter") == pytest.approx(-12.0)
    assert value_of("+20", "rx.s_meter") == 20.0
    assert value_of("500 mW", "tx.power") == 0.5
    assert value_of("2,5", "tx.power") == 2.5
    for text in ("> 5", "nothing", ""):
        with pytest.raises(EntryError):
            value_of(text, "tx.power")


def test_pixels_survive_the_way_through_an_image() -> None:
    frame = np.random.default_rng(3).integers(0, 256, (33, 47, 3)).astype(np.uint8)
    assert np.array_equal(pixels_of(image_of(frame)), frame)


def test_a_camera_that_is_not_there_says_so_and_a_frame_of_another_kind_too(desk: Desk) -> None:
    webcam = desk.window.bench_meters.webcam()
    with pytest.raises(BenchError, match="not plugged in"):
        webcam.open("usb-1234")
    assert not webcam.running
    with pytest.raises(BenchError, match="another kind"):
        webcam.frames.push(np.zeros((10, 10), np.uint8))
    page = page_of(desk)
    desk.logbook.set_setting("camera", "usb-1234")
    page.refresh_sources()
    assert page.source.currentText() == "chosen camera, not plugged in"


@pytest.mark.parametrize(("width", "height", "scale"), [(1000, 700, 1.0), (1280, 800, 1.5), (1920, 1080, 1.0)])
def test_nothing_is_cut_at_any_size(desk: Desk, width: int, height: int, scale: float) -> None:
    theme.use("night", scale)
    try:
        page = page_of(desk)
        desk.window.resize(width, height)
        meter = Meter(FACES[4], View())
        give(desk, meter.picture(7.0))
        page.teach(meter.pivot(), [(x, y, f"{v:g}") for x, y, v in meter.marks()])
        desk.until(page.keep.isEnabled)
        desk.steady()
        for widget in (page.next, page.about):
            room = widget.heightForWidth(widget.width())
            assert widget.height() >= room, (widget.text(), widget.height(), room)
        for button in (page.keep, page.again, page.file):
            assert button.width() >= button.sizeHint().width()
        assert page.view.area().width() >= 300
    finally:
        theme.use("day", 1.0)
