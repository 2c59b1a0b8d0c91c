"""Two drawings of Practice: an exercise as a story beside the coach's, and the marks of each skill over time."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.painted import Painted, elided
from unitone.scenario.debrief import Debrief
from unitone.scenario.exercise import SKILLS
from unitone.scenario.practice_results import Result
from unitone.words import tr, tr_n

#: So many of the last marks are drawn for a skill.
_LAST = 12


def _draw_number(painter: QPainter, centre: QPointF, radius: float, number: int) -> None:
    """A dear moment's number in its disc."""
    painter.setPen(QPen(theme.colour("recheck"), theme.px(2)))
    painter.setBrush(theme.colour("recheck_soft"))
    painter.drawEllipse(centre, radius, radius)
    painter.setPen(theme.colour("recheck"))
    painter.setFont(theme.font(13, True))
    box = QRectF(centre.x() - radius, centre.y() - radius, 2 * radius, 2 * radius)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(number))


class Numbered(Painted):
    """The number of a dear moment, as the story shows it."""

    def __init__(self, number: int) -> None:
        super().__init__(tr("Moment {n}", n=number))
        self._number = number
        self.setFixedSize(theme.px(30), theme.px(30))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        del event
        _draw_number(self.painter(), QRectF(self.rect()).center(), theme.px(13), self._number)


class StoryChart(Painted):
    """How far from right, or the results in spec, over bench minutes: the trainee's line, the coach's dashed, the dear moments as numbers."""

    def __init__(self) -> None:
        super().__init__(tr("The job as a story"))
        self.made: Debrief | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(theme.px(150))

    def sizeHint(self) -> QSize:
        return QSize(theme.px(600), theme.px(190))

    def show_debrief(self, made: Debrief | None) -> None:
        """Show a debrief's story, or nothing."""
        self.made = made
        if made is not None:
            end = f"{made.story[-1][1]:.0f}"
            self.setAccessibleDescription(
                tr("At the end {n} % as far from right as found", n=end)
                if made.of is None
                else tr("{n} of {all} results in spec at the end", n=end, all=made.of)
            )
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        del event
        if self.made is None:
            return
        painter, made = self.painter(), self.made
        painter.setFont(theme.font(13))
        line = painter.fontMetrics().height()
        area = QRectF(self.rect()).adjusted(theme.px(52), line, -theme.px(24), -line - theme.px(8))
        end = max(made.story[-1][0], made.coach_story[-1][0], 30.0)
        highest = max(h for _, h in (*made.story, *made.coach_story))
        most = float(max(made.of, 1)) if made.of is not None else max(100.0, 50.0 * -(-highest // 50))

        def at(seconds: float, height: float) -> QPointF:
            return QPointF(area.left() + area.width() * seconds / end, area.bottom() - area.height() * height / most)

        self._ground(painter, area, end, most, at, line)
        self._line(painter, made.coach_story, at, "orange", Qt.PenStyle.DashLine)
        self._line(painter, made.story, at, "teal", Qt.PenStyle.SolidLine)
        painter.setFont(theme.font(13, True))
        painter.setPen(theme.colour("orange_text"))
        where = at(*made.coach_story[-1])
        said = tr("the coach, same radio")
        wide = painter.fontMetrics().horizontalAdvance(said)
        left = min(where.x() + theme.px(8), area.right() - wide)
        box = QRectF(left, max(where.y() - 1.6 * line, area.top()), wide, line)
        painter.fillRect(box.adjusted(-theme.px(4), 0, theme.px(4), 0), theme.colour("card"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, said)
        radius = theme.px(13)
        taken: list[float] = []
        for n, moment in enumerate(made.moments, 1):
            height = next((h for s, h in reversed(made.story) if s <= moment.at_s), made.story[0][1])
            centre = at(moment.at_s, height)
            centre.setX(min(max(centre.x(), area.left() + radius), area.right() - radius))
            centre.setY(min(max(centre.y(), area.top() + radius), area.bottom() - radius))
            # Two moments of one minute stand beside each other.
            while any(abs(centre.x() - x) < 2 * radius for x in taken):
                centre.setX(centre.x() - 2 * radius if centre.x() > area.center().x() else centre.x() + 2 * radius)
            taken.append(centre.x())
            _draw_number(painter, centre, radius, n)

    def _ground(self, painter: QPainter, area: QRectF, end: float, most: float, at: Any, line: float) -> None:
        counted = self.made is not None and self.made.of is not None
        every = max(1.0, float(-(-most // 5))) if counted else 50.0
        for n in range(int(most // every) + 1):
            height = n * every
            y = at(0.0, height).y()
            painter.setPen(QPen(theme.colour("line"), 1))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            painter.setPen(theme.colour("quiet"))
            box = QRectF(0, y - line / 2, area.left() - theme.px(8), line)
            said = f"{height:g}" if counted else f"{height:g} %"
            painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, said)
        step = next(s for s in (10, 15, 30, 60, 120, 300, 600, 1200, 1800, 3600, 7200, 1e9) if end / s <= 8)
        for n in range(int(end // step) + 1):
            x, seconds = at(n * step, 0).x(), n * step
            box = QRectF(x - theme.px(40), area.bottom() + theme.px(4), theme.px(80), line)
            said = tr("{n} s", n=f"{seconds:g}") if step < 60 else tr("{n} min", n=f"{seconds / 60:g}")
            painter.drawText(box, Qt.AlignmentFlag.AlignHCenter, said)

    @staticmethod
    def _line(painter: QPainter, story: Sequence[tuple[float, float]], at: Any, ink: str, style: Qt.PenStyle) -> None:
        points = QPolygonF()
        for (seconds, height), before in zip(story, (story[0], *story), strict=False):
            points.append(at(seconds, before[1]))
            points.append(at(seconds, height))
        painter.setPen(QPen(theme.colour(ink), theme.px(3 if style == Qt.PenStyle.SolidLine else 2), style))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(points)


class SkillChart(Painted):
    """A row a skill: its last marks as columns over a line at the pass mark, its best, and how many exercises were passed."""

    def __init__(self) -> None:
        super().__init__(tr("Progress"))
        self.results: tuple[Result, ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)

    def sizeHint(self) -> QSize:
        return QSize(theme.px(360), theme.px(34 * len(SKILLS) + 8))

    def minimumSizeHint(self) -> QSize:
        return QSize(theme.px(240), theme.px(30 * len(SKILLS) + 8))

    def show_results(self, results: tuple[Result, ...]) -> None:
        """Show what was practised so far."""
        self.results = results
        self.setAccessibleDescription(
            "; ".join(
                f"{tr(words)}: {', '.join(str(r.score) for r in results if r.skill == skill) or '—'}"
                for skill, words in SKILLS.items()
            )
        )
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        del event
        painter = self.painter()
        height = self.height() / len(SKILLS)
        names = max(painter.fontMetrics().horizontalAdvance(tr(w)) for w in SKILLS.values()) + theme.px(16)
        painter.setFont(theme.font(12))
        room = painter.fontMetrics().horizontalAdvance(tr_n("{n} passed", "{n} passed", 88)) + theme.px(12)
        for row, (skill, words) in enumerate(SKILLS.items()):
            top = row * height
            mine = [r for r in self.results if r.skill == skill]
            painter.setFont(theme.font(13))
            painter.setPen(theme.colour("ink"))
            box = QRectF(0, top, names, height)
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, elided(painter, tr(words), names))
            area = QRectF(names, top + theme.px(4), self.width() - names - room, height - theme.px(8))
            painter.setPen(QPen(theme.colour("line"), 1))
            painter.drawLine(area.bottomLeft(), area.bottomRight())
            wide = area.width() / _LAST
            for n, r in enumerate(mine[-_LAST:]):
                tall = max(area.height() * r.score / 100.0, theme.px(2))
                bar = QRectF(area.left() + n * wide + theme.px(1), area.bottom() - tall, wide - theme.px(3), tall)
                painter.fillRect(bar, theme.colour("in_spec" if r.passed else "recheck"))
            painter.setFont(theme.font(12))
            painter.setPen(theme.colour("quiet"))
            passed = len({r.exercise for r in mine if r.passed})
            said = tr_n("{n} passed", "{n} passed", passed) if mine else tr("not yet")
            painter.drawText(
                QRectF(self.width() - room, top, room, height),
                Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
                said,
            )
