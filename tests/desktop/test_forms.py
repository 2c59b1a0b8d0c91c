"""Forms, lists, pictures and errands: from the window to the data, and from the data to the window."""

from __future__ import annotations

import io
import sys
import threading
import time
from typing import Any

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from PIL import Image
from PyQt6 import sip
from PyQt6.QtCore import QBuffer, QByteArray, QEvent, QIODevice, QMimeData, QObject, QPoint, QPointF, QRectF, Qt, QUrl
from PyQt6.QtGui import QColor, QDropEvent, QImage, QPainter, QWheelEvent
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit, QPlainTextEdit, QWidget
from pytestqt.qtbot import QtBot

from unitone.desktop.features.sheets.board import PinPage
from unitone.desktop.features.sheets.editor import SheetEditor, describe_row, look, where
from unitone.desktop.shell.app import make_application
from unitone.desktop.shell.errand import Errand
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.board import BoardView
from unitone.desktop.widgets.choice import Choice
from unitone.desktop.widgets.form import SEVERAL, FormView
from unitone.desktop.widgets.marks import draw_mark
from unitone.desktop.widgets.picture import WHOLE, BoardImage
from unitone.desktop.widgets.pinning import PinBoard, Pinned
from unitone.desktop.widgets.table_editor import TableEditor
from unitone.errors import SheetError
from unitone.present.bench.bench_shapes import Pin
from unitone.sheet.editing.draft import Draft
from unitone.sheet.editing.fields import TABLES, Field
from unitone.sheet.format.build import Problem
from unitone.sheet.format.read import to_data
from unitone.sheet.library import find


@pytest.fixture(autouse=True)
def _look() -> None:
    make_application()
    theme.use("day", 1.0)


def in_front(qtbot: QtBot, widget: QWidget) -> None:
    """Show a widget as the active window, so that the focus is a real one."""
    qtbot.addWidget(widget)
    widget.show()
    qtbot.waitExposed(widget)
    widget.activateWindow()
    qtbot.waitUntil(lambda: QApplication.activeWindow() is widget, timeout=60000)


def tarn() -> dict[str, Any]:
    return to_data(find("ostrel-tarn-40").read_text(encoding="utf-8"), "tarn")


def png(width: int = 60, height: int = 40, colour: str = "#204060") -> bytes:
    image = QImage(width, height, QImage.Format.Format_RGB32)
    image.fill(QColor(colour))
    data = QByteArray()
    buffer = QBuffer(data)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")
    return bytes(data.data())


@pytest.mark.parametrize("table", list(TABLES))
def test_every_field_shows_its_data_and_sends_what_is_typed(qtbot: QtBot, table: str) -> None:
    form = FormView(TABLES[table], lambda _: [])
    qtbot.addWidget(form)
    form.show()
    rows = Draft(tarn()).rows(table)
    for row in rows[:4]:

        def values(f: Field, row: dict[str, Any] = row) -> list[Any]:
            here: Any = row
            for key in f.key:
                here = here.get(key) if isinstance(here, dict) else None
            return [here]

        form.show_rows(values)
        for f in form.fields:
            widget, text = form.widgets[f.key], f.show(values(f)[0])
            if isinstance(widget, QComboBox):
                assert str(widget.currentData() or "") == text or widget.currentText() == text
            elif isinstance(widget, QPlainTextEdit):
                assert widget.toPlainText() == text
            else:
                assert isinstance(widget, QLineEdit) and widget.text() == text
    sent: list[tuple[Field, Any]] = []
    form.edited.connect(lambda f, v: sent.append((f, v)))
    for f in form.fields:
        widget = form.widgets[f.key]
        sent.clear()
        if isinstance(widget, QComboBox):
            widget.setCurrentIndex(1)
            widget.activated.emit(1)
            assert sent == [(f, f.read(f.choices[0][0]))]
        elif isinstance(widget, QPlainTextEdit):
            widget.setPlainText("one\ntwo")
            assert sent[-1] == (f, f.read("one\ntwo"))
        else:
            assert isinstance(widget, QLineEdit)
            widget.clear()
            qtbot.keyClicks(widget, "12")
            assert sent[-1] == (f, f.read("12"))
            widget.clear()
            widget.textEdited.emit("")
            assert sent[-1] == (f, None), "an emptied field takes its key out"


def test_several_rows_differ_and_agree(qtbot: QtBot) -> None:
    form = FormView(TABLES["step"], lambda _: [])
    qtbot.addWidget(form)
    steps = Draft(tarn()).rows("step")
    form.show_rows(lambda f: [steps[n].get(f.key[0]) for n in (8, 9)])
    title, channels = form.widgets["title",], form.widgets["channels",]
    assert isinstance(title, QLineEdit) and title.text() == "" and title.placeholderText() == SEVERAL
    assert isinstance(channels, QLineEdit) and channels.text() == "20"
    form.show()
    form.show_cures({("limit",): "Exchange them."}, "step: odd key")
    assert form._cures["limit",].isVisible() and form.general.isVisible() and not form._cures["title",].isVisible()
    form.show_cures({})
    assert not form._cures["limit",].isVisible() and not form.general.isVisible()


def test_a_field_completes_the_last_name_and_tab_leaves_it(qtbot: QtBot) -> None:
    form = FormView(TABLES["step"], lambda source: {"adjuster": ["T1", "T2", "CT1"], "quantity": []}.get(source, []))
    in_front(qtbot, form)
    line = form.widgets["adjust",]
    assert isinstance(line, QLineEdit)
    line.setFocus()
    qtbot.keyClicks(line, "T1, T")
    completer = line._completer  # type: ignore[attr-defined]
    assert completer.completionPrefix() == "T" and completer.completionCount() == 3
    completer.activated[str].emit("T2")
    assert line.text() == "T1, T2"
    with qtbot.waitSignal(form.finished):
        qtbot.keyClicks(line, ", C")
        qtbot.keyClick(line, Qt.Key.Key_Tab)


def test_scrolling_past_a_pull_down_changes_nothing(qtbot: QtBot) -> None:
    box = Choice()
    qtbot.addWidget(box)
    box.addItems(["a", "b", "c"])
    box.show()
    wheel = QWheelEvent(QPointF(5, 5), QPointF(5, 5), QPoint(0, -120), QPoint(0, -120), Qt.MouseButton.NoButton,
                        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
    QApplication.sendEvent(box, wheel)
    assert box.currentIndex() == 0 and not wheel.isAccepted()
    picture = box.grab().toImage()
    assert any(
        picture.pixelColor(x, picture.height() // 2) == theme.colour("ink")
        for x in range(picture.width() - 25, picture.width() - 4)
    )


def test_a_list_marks_what_has_to_be_mended_and_goes_there(qtbot: QtBot) -> None:
    draft = Draft(tarn())
    editor = TableEditor("step", "Steps", TABLES["step"], describe_row("step"), lambda _: [])
    in_front(qtbot, editor)
    editor.show_draft(draft)
    assert editor.list.count() == 18 and editor.rows() == [0]
    problems = (
        Problem(("step", 3, "stimulus", "level"), "Expected a level."),
        Problem(("step", 3, "wrong_key"), "this key is not known here."),
        Problem(("adjuster", 1, "turns"), "not of this list"),
    )
    editor.show_problems(problems)
    role = Qt.ItemDataRole.UserRole
    assert [n for n in range(18) if editor.list.item(n).data(role)[2]] == [3]  # type: ignore[union-attr]
    editor.go_to(problems[0])
    assert editor.rows() == [3] and editor.form._cures["stimulus", "level"].text() == "Expected a level."
    assert "wrong_key" in editor.form.general.text() and editor.form.widgets["stimulus", "level"].hasFocus()
    assert "has an error" in editor.list.item(3).data(Qt.ItemDataRole.AccessibleTextRole)  # type: ignore[union-attr]
    assert where(draft, problems[0]) == "step VCO tuning voltage, TX, stimulus, level"
    editor.show_draft(Draft({"step": []}))
    assert editor.empty.isVisible() and not editor.form.isEnabled() and not editor.remove_button.isEnabled()
    editor.duplicate()
    editor.remove()
    editor.move(1)
    assert editor.list.count() == 0, "nothing chosen, nothing done"
    with qtbot.waitSignal(editor.changed):
        editor.add()
    assert editor.list.count() == 1 and not editor.empty.isVisible()


def test_the_editor_says_what_is_wrong_and_forgets_late_answers(qtbot: QtBot) -> None:
    editor = SheetEditor()
    qtbot.addWidget(editor)
    editor.resize(1000, 700)
    editor.show()
    draft = Draft(tarn())
    editor.show_draft(draft, {})
    qtbot.waitUntil(lambda: editor.shown_data is draft.data, timeout=90000)
    assert editor.problems == () and "No errors" in editor.all_well.text()
    late = (draft.data, (Problem(("step", 0), "late"),), "")
    editor._checking.deliver(editor._checking._generation - 1, late, "")
    assert editor.problems == ()
    draft.put(("picture",), [{"id": "p", "file": "gone.png"}])
    draft.put(("model", "board"), None)
    draft.put(("channels", "plan"), "moon")
    editor._touched()
    qtbot.waitUntil(lambda: editor.shown_data is draft.data, timeout=90000)
    keys = {p.key for p in editor.problems}
    assert keys >= {"picture.file", "channels.plan"} and editor.chips["board"].property("wrong")
    assert editor.chips["model"].property("wrong") and not editor.chips["stage"].property("wrong")
    editor.next_problem()
    editor.next_problem()
    assert editor.section in ("model", "board", "step")
    assert look(tarn(), frozenset())[1] == "as the sheet: detector last"
    editor.resize(500, 700)
    QApplication.processEvents()
    assert editor.sections.isVisible() and not editor.chips["model"].isVisible()
    editor.sections.setCurrentIndex(editor.sections.findData("part"))
    editor.sections.activated.emit(0)
    assert editor.section == "part"


def test_a_photograph_the_right_way_up_and_only_the_part_that_is_shown(qtbot: QtBot) -> None:
    # A photograph taken sideways: its EXIF orientation 6 says to turn it by 90° clockwise (JEITA CP-3451).
    shot = Image.new("RGB", (80, 40), "#204060")
    shot.paste("#d0d0d0", (0, 0, 40, 40))
    exif = Image.Exif()
    exif[0x0112] = 6
    out = io.BytesIO()
    shot.save(out, "JPEG", exif=exif, quality=95)
    image = BoardImage("side.jpg", out.getvalue())
    assert image.valid and (image.size.width(), image.size.height()) == (40, 80)
    assert image.shape((0.0, 0.5, 1.0, 1.0)) == pytest.approx(1.0)
    target = QImage(40, 40, QImage.Format.Format_RGB32)

    def drawn(crop: tuple[float, float, float, float]) -> QColor:
        painter = QPainter(target)
        image.draw(painter, QRectF(0, 0, 40, 40), crop)
        painter.end()
        return target.pixelColor(20, 20)

    assert drawn((0.0, 0.0, 1.0, 0.4)).lightness() > 150 > drawn((0.0, 0.6, 1.0, 1.0)).lightness()
    assert not BoardImage("x.png", b"nothing").valid and not BoardImage("x.svg", b"<svg").valid
    big = BoardImage("big.png", png(5000, 50))
    assert big.valid and big.size.width() == 3000


def test_a_board_shows_the_part_with_its_pins_in_place(qtbot: QtBot) -> None:
    board = BoardView()
    qtbot.addWidget(board)
    board.resize(400, 300)
    pins = (Pin("T1", 0.5, 0.5, "core", True, False), Pin("T2", 0.9, 0.9, "core", False, False))
    board.show_board(BoardImage("a.png", png()), pins, (0.5, 0.5, 1.0, 1.0))
    area = board._area()
    assert board.place_of(pins[0]) == area.topLeft() and area.contains(board.place_of(pins[1]))
    wide = board.grab().toImage()
    board.show_board(BoardImage("a.png", png()), pins)
    assert board.grab().toImage() != wide
    theme.use("night", 1.0)
    assert board.grab().toImage() != wide
    board.resize(180, 130)  # names give way in a small picture, the one at hand stays
    assert board.grab().toImage().width() == 180


def test_the_pin_board_answers_to_hands_and_keys(qtbot: QtBot) -> None:
    board = PinBoard()
    qtbot.addWidget(board)
    board.resize(600, 400)
    board.show()
    qtbot.mouseClick(board, Qt.MouseButton.LeftButton, pos=QPoint(10, 10))  # no picture: nothing to pin on
    board.show_picture(BoardImage("a.png", png(600, 400)), WHOLE)
    board.show_pins(
        (Pinned("adjuster", "T1", 0.5, 0.5), Pinned("part", "C1", 0.2, 0.2), Pinned("test_point", "TP1", 0.8, 0.8)),
        ("adjuster", "T1"),
    )
    assert "T1, C1, TP1" in board.accessibleDescription()
    with qtbot.waitSignal(board.taken) as taken:
        qtbot.mouseClick(board, Qt.MouseButton.LeftButton, pos=board.to_widget(0.2, 0.2).toPoint())
    assert taken.args == ["part", "C1"]
    with qtbot.waitSignal(board.placed) as placed:
        qtbot.mouseClick(board, Qt.MouseButton.LeftButton, pos=board.to_widget(0.35, 0.7).toPoint())
    assert placed.args == pytest.approx([0.35, 0.7], abs=0.01)
    with qtbot.waitSignal(board.moved) as moved:
        qtbot.keyClick(board, Qt.Key.Key_Up)
    assert moved.args == ["adjuster", "T1", 0.5, pytest.approx(0.496)]
    qtbot.keyClick(board, Qt.Key.Key_Plus)
    qtbot.keyClick(board, Qt.Key.Key_Plus)
    assert board.area().width() > 900
    start = board.to_widget(0.35, 0.35).toPoint()
    before = board.to_widget(0.5, 0.5)
    qtbot.mousePress(board, Qt.MouseButton.LeftButton, pos=start)
    qtbot.mouseMove(board, start + QPoint(40, 0))
    qtbot.mouseRelease(board, Qt.MouseButton.LeftButton, pos=start + QPoint(40, 0))
    assert board.to_widget(0.5, 0.5).x() > before.x() + 20, "dragging the picture moves it"
    assert not board.grab().toImage().isNull()
    for _ in range(4):
        qtbot.keyClick(board, Qt.Key.Key_Minus)
    assert board.area().width() == pytest.approx(600, abs=1)
    assert board.to_picture(QPointF(-5, -5)) is None


def test_pictures_are_dropped_counted_and_taken_out_again(qtbot: QtBot, tmp_path: Any) -> None:
    page = PinPage()
    qtbot.addWidget(page)
    page.resize(900, 600)
    page.show()
    draft = Draft({"format": "unitone-sheet/1", "adjuster": [{"id": "T1"}], "part": [{"id": "C1", "what": "470 µF"}]})
    page.show_draft(draft, {})
    assert "2 still to pin" in page.hint.text() and not page.cut.isEnabled()
    for name in ("top", "below"):
        (tmp_path / f"{name}.png").write_bytes(png(colour="#608040" if name == "top" else "#402020"))
        mime = QMimeData()
        mime.setUrls([QUrl.fromLocalFile(str(tmp_path / f"{name}.png"))])
        page.dropEvent(
            QDropEvent(
                QPointF(5, 5), Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
            )
        )
    assert draft.ids("picture") == ["top", "below"] and set(page.pictures) == {"top.png", "below.png"}
    page.board.placed.emit(0.3, 0.4)
    assert draft.rows("adjuster")[0] == {"id": "T1", "pin": [0.3, 0.4], "picture": "below"} and page.at() == (
        "part",
        "C1",
    )
    page.which.setCurrentIndex(0)
    page.board.placed.emit(0.5, 0.5)
    assert "picture" not in draft.rows("part")[0], "the first picture needs no naming"
    qtbot.mouseClick(page.remove, Qt.MouseButton.LeftButton)
    assert draft.ids("picture") == ["below"]
    with qtbot.waitSignal(page.failed) as failed:
        page.add_picture(tmp_path / "nowhere.png")
    assert "cannot be read" in failed.args[0]


def test_new_verdicts_have_shapes_of_their_own(qtbot: QtBot) -> None:
    del qtbot
    shapes = {}
    for name in ("in_spec", "left_as_found", "out_of_spec", "recheck", "todo", "accepted", "not applicable"):
        image = QImage(24, 24, QImage.Format.Format_ARGB32)
        image.fill(Qt.GlobalColor.transparent)
        painter = QPainter(image)
        draw_mark(painter, QRectF(2, 2, 20, 20), name)
        painter.end()
        shapes[name] = bytes(image.constBits().asarray(image.sizeInBytes()))  # type: ignore[union-attr]
    assert len(set(shapes.values())) == len(shapes)


def test_an_errand_delivers_the_last_answer_only_and_tells_errors(qtbot: QtBot) -> None:
    owner = QObject()
    errand = Errand("test-errand", owner)
    go, got, told = threading.Event(), [], []

    def slow() -> str:
        go.wait(10)
        return "first"

    errand.run(slow, got.append, told.append)
    errand.run(lambda: "second", got.append, told.append)
    qtbot.waitUntil(lambda: got == ["second"])
    go.set()
    errand.run(_fails, got.append, told.append)
    qtbot.waitUntil(lambda: told == ["file: broken. Mend it."])
    errand.wait()
    QApplication.sendPostedEvents(owner, QEvent.Type.MetaCall)
    assert got == ["second"], "the late answer was dropped"


def test_a_window_that_goes_while_an_errand_answers_takes_nothing_with_it(qtbot: QtBot) -> None:
    """A restore right after the start closes the window while its modules are still loaded: the answer came to what was just going."""
    delivered: list[object] = []
    usual = sys.getswitchinterval()
    sys.setswitchinterval(1e-6)
    try:
        for n in range(1500):
            owner, go = QWidget(), threading.Event()
            errand = Errand("test-going", owner)
            errand.run(go.wait, delivered.append, delivered.append)
            running = errand.running
            go.set()
            time.sleep(n % 30 * 1e-5)
            sip.delete(owner)
            assert running is not None
            running.join()
    finally:
        sys.setswitchinterval(usual)
    QApplication.processEvents()
    assert delivered == []


def test_what_writes_is_done_in_order_and_every_answer_is_delivered(qtbot: QtBot) -> None:
    errand = Errand("test-writes", owner := QObject(), every=True)
    go, done, got = threading.Event(), [], []

    def slow() -> str:
        go.wait(10)
        done.append("slow")
        return "slow"

    errand.run(slow, got.append, got.append)
    errand.run(lambda: done.append("quick") or "quick", got.append, got.append)
    go.set()
    qtbot.waitUntil(lambda: len(got) == 2)
    assert done == got == ["slow", "quick"] and owner is errand.parent()


def _fails() -> None:
    raise SheetError(["file: broken. Mend it."])
