"""The painted widgets: what the view says is what the pixels show, and what is clicked is what is said."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from PyQt6.QtCore import QPoint, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter
from pytestqt.qtbot import QtBot

from unitone.desktop.shell.app import make_application
from unitone.desktop.shell.worker import BenchWorker
from unitone.desktop.theme.theme import icon, theme
from unitone.desktop.widgets.board import BoardView
from unitone.desktop.widgets.hill import HillPlot
from unitone.desktop.widgets.lists import Ledger, ProcedureList
from unitone.desktop.widgets.marks import draw_mark
from unitone.desktop.widgets.picture import BoardImage
from unitone.desktop.widgets.strips import LimitBar, PathStrip, TapeStrip
from unitone.errors import BenchError
from unitone.job.card import Card
from unitone.present.bench.bench_shapes import Bar, HillView, LedgerRow, PathStage, Pin, ProcedureRow, TapeCell
from unitone.session.session import Session, open_job
from unitone.sheet.library import find, open_file
from unitone.store.logbook import Logbook

pytestmark = pytest.mark.window


@pytest.fixture(autouse=True)
def dressed(qtbot: QtBot) -> None:
    make_application()
    theme.use("day", 1.0)


def painted(verdict: str, current: bool = False) -> QImage:
    picture = QImage(40, 40, QImage.Format.Format_RGB32)
    picture.fill(theme.colour("card"))
    painter = QPainter(picture)
    draw_mark(painter, QRectF(2, 2, 36, 36), verdict, current)
    painter.end()
    return picture


def near(picture: QImage, colour: QColor, x: int, y: int, reach: int = 1) -> bool:
    """Is the colour at or round that pixel?"""
    for dx in range(-reach, reach + 1):
        for dy in range(-reach, reach + 1):
            c = picture.pixelColor(min(max(x + dx, 0), picture.width() - 1), min(max(y + dy, 0), picture.height() - 1))
            if abs(c.red() - colour.red()) + abs(c.green() - colour.green()) + abs(c.blue() - colour.blue()) < 24:
                return True
    return False


def test_verdicts_differ_in_shape_not_only_in_colour() -> None:
    """In grey, every verdict still has an outline of its own."""
    outlines = {}
    for verdict in ("in_spec", "left_as_found", "out_of_spec", "recheck", "todo"):
        picture = painted(verdict)
        ground = theme.colour("card")
        outlines[verdict] = tuple(picture.pixelColor(x, y) != ground for x in range(0, 40, 2) for y in range(0, 40, 2))
    names = list(outlines)
    for i, first in enumerate(names):
        for second in names[i + 1 :]:
            differing = sum(a != b for a, b in zip(outlines[first], outlines[second], strict=True))
            assert differing > 12, (first, second)
    assert near(painted("in_spec", True), theme.colour("orange"), 20, 5, 3)


def test_the_limit_bar_shows_band_found_and_now(qtbot: QtBot) -> None:
    bar = LimitBar()
    qtbot.addWidget(bar)
    bar.resize(320, 72)
    bar.show_bar(Bar((0.6, 1.0), 0.2, 0.8, "0", "20", "≥ 12.0 dB"))
    picture = bar.grab().toImage()
    span, left = 320 - 20, 10
    assert near(picture, theme.colour("holds_soft"), left + int(0.75 * span), 31, 2)
    assert near(picture, theme.colour("line"), left + int(0.4 * span), 31, 2)
    assert near(picture, theme.colour("ink"), left + int(0.2 * span), 22, 2)
    assert near(picture, theme.colour("orange"), left + int(0.8 * span), 14, 3)
    bar.show_live(0.3)
    picture = bar.grab().toImage()
    assert near(picture, theme.colour("orange"), left + int(0.3 * span), 14, 3)
    assert not near(picture, theme.colour("orange"), left + int(0.8 * span), 14, 1)
    assert "12.0 dB" in bar.accessibleDescription()


def test_path_and_tape_paint_their_state(qtbot: QtBot) -> None:
    path = PathStrip()
    qtbot.addWidget(path)
    path.resize(800, 46)
    path.show_path(
        (
            PathStage("Aerial", "receive", "done"),
            PathStage("RF amp", "receive", "now"),
            PathStage("Mic", "transmit", "todo"),
        )
    )
    picture = path.grab().toImage()
    assert any(near(picture, theme.colour("orange"), x, 17, 1) for x in range(200, 420))
    assert "RF amp: now" in path.accessibleDescription()
    tape = TapeStrip()
    qtbot.addWidget(tape)
    tape.resize(800, 60)
    empty = tape.grab().toImage()
    tape.show_tape(tuple(TapeCell(f"10:00:{n:02d}", "SINAD ch 20", f"{n}.0 dB", n == 3) for n in range(12)))
    assert tape.grab().toImage() != empty and "11.0 dB" in tape.accessibleDescription()


def test_the_board_lights_and_takes_pins(qtbot: QtBot) -> None:
    board = BoardView()
    qtbot.addWidget(board)
    board.resize(400, 320)
    path = find("ostrel-tarn-40")
    picture = BoardImage("ostrel-tarn-40.svg", open_file(path).pictures["ostrel-tarn-40.svg"])
    pins = (
        Pin("T1", 0.2, 0.3, "core", True, False),
        Pin("P1", 0.8, 0.7, "preset", False, True),
        Pin("TP1", 0.5, 0.5, "test point", True, False),
    )
    board.show_board(picture, pins)
    area = board._area()
    lit = QPoint(int(area.left() + 0.2 * area.width()), int(area.top() + 0.3 * area.height()))
    image = board.grab().toImage()
    assert near(image, theme.colour("orange"), lit.x() + 16, lit.y(), 3)
    other = QPoint(int(area.left() + 0.8 * area.width()), int(area.top() + 0.7 * area.height()))
    with qtbot.waitSignal(board.chosen) as chosen:
        qtbot.mouseClick(board, Qt.MouseButton.LeftButton, pos=other)
    assert chosen.args == ["P1"]
    assert board.pin_at(area.center()) is None, "a test point is not taken in hand"
    board.show_board(None, pins)
    assert board.grab().toImage() != image


def test_the_hill_plot_draws_or_says_why_not(qtbot: QtBot) -> None:
    plot = HillPlot()
    qtbot.addWidget(plot)
    plot.resize(500, 240)
    plot.show()
    plot.show_hill(None, "nothing yet")
    assert plot.empty.isVisible() and plot.empty.text() == "nothing yet"
    xs = tuple(n / 10 for n in range(-5, 16))
    ys = tuple(12 - 16 * (x - 0.5) ** 2 for x in xs)
    view = HillView(((0.0, 8.0), (0.5, 12.0), (1.0, 8.0)), xs, ys, tuple(y - 1 for y in ys), tuple(y + 1 for y in ys), 0.5,
                    "peak 0.50 cw ± 0.03", 1.0, "T1", "turns", "dB", None)  # fmt: skip
    plot.show_hill(view, "")
    assert plot.plot.isVisible() and "peak 0.50" in plot.accessibleDescription()
    # It is drawn in an event of its own.
    qtbot.waitUntil(lambda: plot.plot.getPlotItem().viewRange()[0][0] < -0.4)
    (low, high), (bottom, top) = plot.plot.getPlotItem().viewRange()
    assert low < -0.4 and high > 1.4 and bottom < 8 and top > 12
    assert [tuple(p.pos()) for p in plot._points.points()] == [(0.0, 8.0), (0.5, 12.0), (1.0, 8.0)]
    assert plot._peak.value() == 0.5 and plot._here.value() == 1.0 and plot._curve.isVisible()
    assert not plot._target.isVisible()
    plot.show_hill(replace(view, curve_x=(), curve_y=(), curve_low=(), curve_high=(), peak=None, target=10.0), "")
    plot.show_hill(replace(view, points=()), "no readings")
    assert plot.empty.text() == "no readings"


def test_route_and_ledger_say_what_was_clicked(qtbot: QtBot) -> None:
    procedure = ProcedureList()
    qtbot.addWidget(procedure)
    procedure.resize(240, 300)
    procedure.show()
    rows = (
        ProcedureRow("a", "First step", "in_spec", "8.0 V", False),
        ProcedureRow("b", "A step with a very long name indeed", "out_of_spec", "1.57 V", True),
    )
    procedure.show_procedure((("Rails", rows),))
    assert procedure.count() == 3 and procedure.item(2).toolTip().startswith("A step with")
    with qtbot.waitSignal(procedure.chosen) as chosen:
        box = procedure.visualItemRect(procedure.item(1))
        qtbot.mouseClick(procedure.viewport(), Qt.MouseButton.LeftButton, pos=box.center())
    assert chosen.args == ["a"]
    procedure.show_procedure((("Rails", (replace(rows[0], verdict="recheck"), rows[1])),))
    assert "re-check" in procedure.item(1).toolTip()
    ledger = Ledger()
    qtbot.addWidget(ledger)
    ledger.resize(300, 120)
    ledger.show()
    ledger.show_rows(
        (
            LedgerRow("T1", "core", "by the aerial", "+⅞ cw", 0.4, True, "blade", "", True),
            LedgerRow("T2", "core", "", "0", 0.0, False, "", "", False),
        )
    )
    _, slide, back = ledger._rows["T1"]
    with qtbot.waitSignal(ledger.back) as turned_back:
        qtbot.mouseClick(back, Qt.MouseButton.LeftButton)
    assert turned_back.args == ["T1"] and not ledger._rows["T2"][2].isEnabled()
    with qtbot.waitSignal(ledger.chosen) as chosen:
        qtbot.mouseClick(slide, Qt.MouseButton.LeftButton)
    assert chosen.args == ["T1"]
    ledger.show_rows(())
    assert ledger._layout.count() >= 1


def test_the_worker_says_what_failed_and_goes_on(qtbot: QtBot, tmp_path: Path) -> None:
    with Logbook(tmp_path) as book:
        job = open_job(book, "ostrel-tarn-40", Card(1, "ostrel-tarn-40", simulated_seed=2))
        worker = BenchWorker(book)
        views, failures = [], []
        worker.changed.connect(lambda item: views.append(item))
        worker.failed.connect(failures.append)

        def fail(session: Session) -> None:
            raise BenchError("the lead fell off")

        worker.do(lambda s: s.note("before any job is open: nothing happens"))
        worker.open(job)
        worker.do(fail)
        worker.do(lambda s: s.turn("P1", 2_500))
        worker.select("T1")
        qtbot.waitUntil(lambda: len(views) >= 4, timeout=90000)
        worker.stop()
        assert failures == ["the lead fell off"]
        generations = [g for g, _ in views]
        assert generations == sorted(generations)
        assert views[-1][1].board.selected == "T1" and views[-1][1].board.moved_count == 1
        assert book.job("1").summary["entries"] == len(book.tape(job))


def test_icons_take_the_themes_ink() -> None:
    light = icon("radio-receiver", "ink").pixmap(24, 24).toImage()
    theme.use("night", 1.0)
    dark = icon("radio-receiver", "ink").pixmap(24, 24).toImage()
    assert light != dark
    theme.use("day", 1.0)
