"""The drawings of Practice: the trainee's line and the coach's where their figures are, the moments on it, marks by skill."""

from __future__ import annotations

from dataclasses import replace

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from PyQt6.QtGui import QColor, QImage
from PyQt6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot

from unitone.desktop.features.practice.charts import SkillChart, StoryChart
from unitone.desktop.features.practice.page import PracticePage
from unitone.desktop.shell.app import make_application
from unitone.desktop.theme.theme import theme
from unitone.scenario.debrief import Debrief, Moment
from unitone.scenario.exercise import SKILLS
from unitone.scenario.exercises import LADDER, find_exercise
from unitone.scenario.marking import Mark
from unitone.scenario.practice_results import Result, practice_book
from unitone.sheet.library import Library

_MARK = Mark(50, False, (1, 2), (1, 1), 30, 20, None, (), 0, (), (), (), 120.0)


def _debrief(of: int | None = None, moments: int = 0) -> Debrief:
    told = tuple(Moment(5 + n, 30.0 * n, "wandered", "if-first", "T3", 1.0, 4, None, {}) for n in range(moments))
    story = (
        ((0.0, 100.0), (30.0, 140.0), (60.0, 50.0), (120.0, 50.0))
        if of is None
        else ((0.0, 0.0), (60.0, 2.0), (120.0, 3.0))
    )
    coach = ((0.0, 100.0), (40.0, 0.0), (60.0, 0.0)) if of is None else ((0.0, 0.0), (40.0, float(of)))
    return Debrief("job", find_exercise("receive-1"), 1, _MARK, of, story, coach, told, ())


def _picture(qtbot: QtBot, chart: QWidget, width: int = 800, height: int = 260) -> QImage:
    qtbot.addWidget(chart)
    chart.resize(width, height)
    chart.show()
    qtbot.waitExposed(chart)
    return chart.grab().toImage()


def _columns(picture: QImage, ink: str) -> dict[int, list[int]]:
    """The heights at which an ink stands, by column."""
    want = theme.colour(ink)
    found: dict[int, list[int]] = {}
    for x in range(0, picture.width(), 2):
        rows = [y for y in range(picture.height()) if _near(QColor(picture.pixel(x, y)), want)]
        if rows:
            found[x] = rows
    return found


def _near(a: QColor, b: QColor) -> bool:
    return abs(a.red() - b.red()) + abs(a.green() - b.green()) + abs(a.blue() - b.blue()) < 70


@pytest.fixture(autouse=True)
def _day(qtbot: QtBot) -> None:
    make_application()
    theme.use("day", 1.0)


def test_the_trainees_line_rises_and_falls_where_its_figures_do(qtbot: QtBot) -> None:
    chart = StoryChart()
    chart.show_debrief(_debrief())
    teal = _columns(_picture(qtbot, chart), "teal")
    first, last = min(teal), max(teal)
    width = last - first

    def height_at(share: float) -> float:
        x = min(teal, key=lambda c: abs(c - (first + share * width)))
        return sum(teal[x]) / len(teal[x])

    start, high, low = height_at(0.1), height_at(0.37), height_at(0.8)
    assert high < start < low, "further from right stands higher, nearer stands lower"
    assert (low - start) / (start - high) == pytest.approx(50.0 / 40.0, abs=0.15), "to scale"


def test_the_coachs_line_ends_where_the_coach_was_done(qtbot: QtBot) -> None:
    chart = StoryChart()
    chart.show_debrief(_debrief(of=4))
    picture = _picture(qtbot, chart)
    teal, orange = _columns(picture, "teal"), _columns(picture, "orange")
    assert orange and max(orange) < max(teal) and "3 of 4" in chart.accessibleDescription()


def test_moments_stand_apart_and_inside(qtbot: QtBot) -> None:
    chart = StoryChart()
    made = _debrief(moments=3)
    chart.show_debrief(replace(made, moments=tuple(replace(m, at_s=30.0) for m in made.moments)))
    discs = _columns(_picture(qtbot, chart), "recheck")
    assert discs and min(discs) >= 0 and max(discs) < chart.width()
    assert max(discs) - min(discs) > 3 * theme.px(20), "three of one minute are three"
    chart.show_debrief(None)
    assert not _columns(chart.grab().toImage(), "recheck"), "nothing is nothing"


def _result(n: int, skill: str, score: int, passed: bool) -> Result:
    return Result(f"job{n}", f"{skill}-1", skill, 1, 1, "none", score, passed, f"2026-11-{n + 1:02d}T10:00:00Z", 60.0)  # type: ignore[arg-type]


def test_marks_are_columns_to_scale_the_last_twelve_of_each_skill(qtbot: QtBot) -> None:
    chart = SkillChart()
    chart.show_results(tuple(_result(n, "receive", 40 + 3 * n, 40 + 3 * n >= 70) for n in range(20)))
    picture = _picture(qtbot, chart, 500, 240)
    green = {x: rows for x, rows in _columns(picture, "in_spec").items() if len(rows) > 8}
    assert len(green) > 20 and min(green) > 100, "passed ones are green, in their own place"
    assert max(y for rows in green.values() for y in rows) < 240 / len(SKILLS), "in its own row"
    assert "97" in chart.accessibleDescription() and "—" in chart.accessibleDescription()


def test_the_list_groups_by_skill_and_begins_at_the_first_that_is_not_passed(qtbot: QtBot) -> None:
    with practice_book(None) as book:
        rows = [{**_as_data(_result(1, "receive", 90, True)), "exercise": "receive-1"}]
        book.set_setting("results", rows)
        page = PracticePage(book, Library(None))
        qtbot.addWidget(page)
        page.show()
        assert page.current() is not None and page.current().id == "receive-2"  # type: ignore[union-attr]
        listed = [page._at(n) for n in range(page.list.count())]
        assert len([e for e in listed if e is not None]) == len(LADDER) and listed.count(None) == len(SKILLS)
        page.choose("receive-1")
        assert "90 of 100" in page.so_far.text() and page.look.isVisible()
        page.choose("nowhere")
        assert page.current().id == "receive-1"  # type: ignore[union-attr]
        theme.use("night", 1.0)
        assert page.current().id == "receive-1", "a list made anew keeps what was chosen"  # type: ignore[union-attr]


def _as_data(result: Result) -> dict[str, object]:
    return {name: getattr(result, name) for name in result.__struct_fields__}
