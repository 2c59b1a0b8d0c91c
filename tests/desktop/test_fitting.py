"""Little room and large type: nothing is cut, nothing lies over another thing, and what was left out can still be chosen."""

from __future__ import annotations

from itertools import combinations

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from PyQt6.QtCore import QPoint, QRect, Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QLineEdit, QPushButton, QScrollArea, QWidget
from pytestqt.qtbot import QtBot

from desktop.conftest import Desk
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.fitting import ButtonRows, ChipRow, together


def cut(page: QWidget) -> list[str]:
    """Words on buttons that their buttons do not hold."""
    return [
        b.text()
        for b in page.findChildren(QPushButton)
        if b.isVisible() and b.text() and b.fontMetrics().horizontalAdvance(b.text()) > b.width()
    ]


def squeezed(page: QWidget) -> list[str]:
    """Fields that are slits, and columns that are wider than what shows of them."""
    slits = [f.accessibleName() for f in page.findChildren(QLineEdit) if f.isVisible() and f.height() < theme.px(18)]
    areas = [a for a in page.findChildren(QScrollArea) if a.isVisible() and a.widgetResizable()]
    wide = [
        (a, inside, port) for a in areas if (inside := a.widget()) is not None and (port := a.viewport()) is not None
    ]
    return slits + [
        f"a column: {inside.width()} in {port.width()}" for _, inside, port in wide if inside.width() > port.width() + 1
    ]


def over_each_other(page: QWidget) -> list[tuple[str, str]]:
    """Cards that lie on one another, or that reach over the page's edge."""
    cards = [f for f in page.findChildren(QFrame) if f.isVisible() and f.property("role") == "card"]
    at = [(c, QRect(c.mapTo(page, QPoint()), c.size())) for c in cards]
    return [
        (c.accessibleName(), d.accessibleName())
        for (c, a), (d, b) in combinations(at, 2)
        if a.intersects(b) and not c.isAncestorOf(d) and not d.isAncestorOf(c)
    ] + [(c.accessibleName(), "edge") for c, a in at if a.right() > page.width()]


def holding(qtbot: QtBot, inside: QWidget) -> QWidget:
    """A window with this in it, as wide as is wanted."""
    holder = QWidget()
    layout = QHBoxLayout(holder)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.addWidget(inside)
    qtbot.addWidget(holder)
    return holder


@pytest.mark.parametrize("size", [(1000, 700, 1.5), (1280, 800, 1.0)])
def test_every_place_has_room_for_its_words(desk: Desk, size: tuple[int, int, float]) -> None:
    theme.use("day", size[2])
    desk.window.resize(*size[:2])
    try:
        for place in ("jobs", "meters", "workshop", "sheets", "practice"):
            desk.window.show_place(place)
            desk.steady()
            page = desk.window.pages.currentWidget()
            assert page is not None and desk.window.width() == size[0]
            assert not cut(page), place
            assert not squeezed(page), place
            assert not over_each_other(page), place
        desk.window.show_place("workshop")
        desk.window._workshop.row.chips["bench"].click()  # type: ignore[union-attr]
        desk.steady()
        assert not squeezed(desk.window._workshop)  # type: ignore[arg-type]
        desk.window.show_place("jobs")
        jobs = desk.window.jobs
        jobs.ask_new()
        desk.steady()
        assert not squeezed(jobs) and not cut(jobs) and not over_each_other(jobs)
        jobs.new_job.left.emit()
        if size[2] > 1:
            assert jobs.row.list.isVisible() and not jobs.chips["all"].isVisible()
            jobs.row.list.setCurrentIndex(jobs.row.list.findData("handed over"))
            jobs.row.list.activated.emit(jobs.row.list.currentIndex())
        else:
            assert jobs.chips["all"].isVisible() and not jobs.row.list.isVisible()
            desk.qtbot.mouseClick(jobs.chips["handed over"], Qt.MouseButton.LeftButton)
        assert {row.status for row in jobs.model.rows} == {"handed over"}
        assert jobs.chips["handed over"].isChecked() and jobs.row.list.currentData() == "handed over"
    finally:
        theme.use("day", 1.0)


def parts_over_each_other(card: QWidget) -> list[tuple[str, str]]:
    """What shows inside a card and lies on another part of it."""
    shown = [x for x in card.findChildren(QWidget, options=Qt.FindChildOption.FindDirectChildrenOnly) if x.isVisible()]
    return [
        (type(a).__name__, type(b).__name__)
        for a, b in combinations(shown, 2)
        if a.geometry().intersects(b.geometry()) and {type(a).__name__, type(b).__name__} != {"QWidget", "LimitBar"}
    ]


@pytest.mark.parametrize("size", [(1000, 700, 1.5), (1280, 800, 1.5), (1280, 800, 1.0)])
def test_the_bench_has_room_for_its_words_with_a_question_open_and_without(
    desk: Desk, size: tuple[int, int, float]
) -> None:
    theme.use("day", size[2])
    desk.window.resize(*size[:2])
    try:
        desk.open(147)
        bench = desk.bench
        assert bench.view is not None and bench.view.step.remarks and bench.view.procedure.recheck is not None
        for asked in (False, True, False):
            if asked:
                bench.press("recheck")
            elif bench.tray.isVisible():
                desk.key(Qt.Key.Key_Escape)
            desk.steady()
            assert bench.tray.isVisible() == asked
            said = [x for x in bench.step.findChildren(QLabel) if x.isVisible() and x.wordWrap()]
            assert [x.text() for x in said if x.height() + 1 < x.heightForWidth(x.width())] == []
            assert not parts_over_each_other(bench.step) and not cut(bench) and not over_each_other(bench)
            # Nothing stands in the way of the question where little is left, and everything is back after it.
            assert bench.step.isVisible() or (asked and size[:2] == (1000, 700))
            assert bench.side.isVisible() == (not asked or size[2] < 1.5)
            rows = bench.tray.recheck.list
            if asked:
                row = rows.visualItemRect(rows.item(0)).height()
                assert (rows.height() - 2 * rows.frameWidth()) % row == 0, "whole rows"
    finally:
        theme.use("day", 1.0)


def test_chips_and_their_list_say_the_same(qtbot: QtBot) -> None:
    chosen: list[str] = []
    row = ChipRow("Which", (("a", "First of them"), ("b", "Second of them"), ("c", "Third of them")), chosen.append)
    holder = holding(qtbot, row)
    holder.resize(900, 40)
    holder.show()
    qtbot.mouseClick(row.chips["b"], Qt.MouseButton.LeftButton)
    row.mark("c")
    row.rename("a", "First 12", "First of them, twelve")
    row.offer("b", False)
    assert chosen == ["b"] and row.chips["c"].isChecked() and not row.chips["b"].isVisible()
    holder.resize(140, 40)
    qtbot.waitUntil(row.list.isVisible)
    assert row.list.isVisible() and not row.chips["a"].isVisible()
    assert [row.list.itemText(n) for n in range(row.list.count())] == ["First 12", "Third of them"]
    row.offer("b", True)
    assert [row.list.itemData(n) for n in range(3)] == ["a", "b", "c"] and row.list.currentData() == "c"
    assert row.chips["a"].accessibleName() == "First of them, twelve"


def test_buttons_give_up_their_row_then_the_names_of_their_keys(qtbot: QtBot) -> None:
    buttons = [QPushButton(f"Button number {n}  Ctrl {n}") for n in range(4)]
    rows = ButtonRows("Some", buttons)
    holder = holding(qtbot, rows)
    holder.resize(1200, 40)
    holder.show()
    qtbot.waitUntil(lambda: len({b.y() for b in buttons}) == 1)
    wide = max(rows._wide(b, short=False) for b in buttons)
    holder.resize(2 * wide + 40, 90)
    qtbot.waitUntil(lambda: len({b.y() for b in buttons}) == 2)
    assert buttons[0].text().endswith("Ctrl 0")
    buttons[3].hide()
    rows.say(buttons[1], "Other words  Ctrl 1")
    rows.refresh()
    holder.resize(rows.minimumSizeHint().width(), 90)
    qtbot.waitUntil(lambda: buttons[1].text() == "Other words")
    assert buttons[1].accessibleName() == "Other words  Ctrl 1" and not cut(rows)


def test_a_number_and_its_unit_stay_on_one_line() -> None:
    words = together(
        "Dial −71.2 dBm: 0.62 µV at the set · limit ≥ 12.0 dB · volume 30 % · 2 turns · step 3 of 8, 10 views"
    )
    parts = words.split(" ")
    assert {"−71.2\u00a0dBm:", "0.62\u00a0µV", "≥\u00a012.0\u00a0dB", "30\u00a0%", "2\u00a0turns"} <= set(parts)
    assert "10" in parts and "3" in parts, "only units are kept"
