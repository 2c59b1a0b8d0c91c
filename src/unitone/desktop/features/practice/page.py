"""The list of exercises: what each trains, the best mark so far, how much help is wanted, and the start."""

from __future__ import annotations

import datetime
import secrets
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QModelIndex, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from unitone import files
from unitone.desktop.features.practice.charts import SkillChart
from unitone.desktop.shell.errand import Errand
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import choice_of
from unitone.desktop.widgets.fitting import ButtonRows, ChipRow
from unitone.desktop.widgets.marks import draw_mark
from unitone.desktop.widgets.painted import Card, Message, elided, label, scrolled, set_tip
from unitone.errors import UnitoneError
from unitone.scenario.exercise import HELP, SKILLS, Exercise, Help, in_words
from unitone.scenario.exercise_file import ENDING, own_exercises, take_in
from unitone.scenario.exercises import LADDER, daily, surprise
from unitone.scenario.practice_results import Attempt, Result, best, results, results_csv, running
from unitone.sheet.library import Library
from unitone.store.logbook import Logbook
from unitone.words import day, tr

_ROLE = Qt.ItemDataRole.UserRole
#: Grades, first steps to a whole radio with a fault.
_GRADES = 5


class _Rows(QStyledItemDelegate):
    """A heading a skill; under it an exercise a row: its grade as steps, its title, its best mark."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        del option
        return QSize(theme.px(200), theme.px(36 if isinstance(index.data(_ROLE), Exercise) else 32))

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        assert painter is not None
        box, what = QRectF(option.rect), index.data(_ROLE)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if isinstance(what, Exercise):
            self._exercise(
                painter, box, what, index.data(_ROLE + 1), bool(option.state & QStyle.StateFlag.State_Selected)
            )
        else:
            painter.setFont(theme.font(13, True))
            painter.setPen(theme.colour("quiet"))
            painter.drawText(box.adjusted(theme.px(8), theme.px(6), 0, 0), Qt.AlignmentFlag.AlignVCenter, str(what))
        painter.restore()

    @staticmethod
    def _exercise(painter: QPainter, box: QRectF, what: Exercise, result: Result | None, chosen: bool) -> None:
        if chosen:
            painter.setPen(QPen(theme.colour("teal"), 1))
            painter.setBrush(theme.colour("teal_soft"))
            painter.drawRoundedRect(box.adjusted(1, 1, -2, -1), 6, 6)
        _draw_grade(painter, QRectF(box.left() + theme.px(10), box.top(), theme.px(34), box.height()), what.grade)
        right = box.right() - theme.px(10)
        if result is not None:
            side = theme.px(14)
            mark = QRectF(right - side, box.center().y() - side / 2, side, side)
            draw_mark(painter, mark, "in_spec" if result.passed else "recheck")
            painter.setFont(theme.font(14, True))
            painter.setPen(theme.colour("ink"))
            number = QRectF(right - theme.px(60), box.top(), theme.px(40), box.height())
            painter.drawText(number, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, str(result.score))
            right -= theme.px(66)
        painter.setFont(theme.font(14))
        painter.setPen(theme.colour("ink"))
        left = box.left() + theme.px(54)
        words = QRectF(left, box.top(), right - left, box.height())
        painter.drawText(words, Qt.AlignmentFlag.AlignVCenter, elided(painter, in_words(what, "title"), words.width()))


def _draw_grade(painter: QPainter, box: QRectF, grade: int) -> None:
    """Five rising steps, as many filled as the grade."""
    wide = box.width() / _GRADES
    painter.setPen(Qt.PenStyle.NoPen)
    for n in range(_GRADES):
        tall = theme.px(4 + 3 * n)
        painter.setBrush(theme.colour("teal" if n < grade else "line"))
        painter.drawRect(QRectF(box.left() + n * wide, box.center().y() + theme.px(8) - tall, wide - theme.px(2), tall))


class PracticePage(QWidget):
    """Exercises at the left, the chosen one and the progress at the right."""

    #: An exercise, the seed of its radio, the help that is wanted, and whether the bench takes its real time.
    started = pyqtSignal(object, int, str, bool)
    #: The attempt that waits on the Bench; the debrief of a finished job.
    resumed = pyqtSignal(object)
    debrief_wanted = pyqtSignal(str)
    make_wanted = pyqtSignal()

    def __init__(self, book: Logbook, library: Library) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAccessibleName(tr("Practice"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._book, self._library = book, library
        self._radios: dict[str, str] = {}
        self._naming = Errand("radio-names", self)
        self.own: list[Exercise] = []
        self.help: Help = "hints"
        self._best: dict[str, Result] = {}
        self._waiting: Attempt | None = None
        outer = QVBoxLayout(self)
        outer.setContentsMargins(theme.px(16), theme.px(12), theme.px(16), theme.px(12))
        outer.setSpacing(theme.px(10))
        outer.addLayout(self._head())
        self.message = Message()
        outer.addWidget(self.message)
        row = QHBoxLayout()
        row.setSpacing(theme.px(12))
        row.addWidget(self._left(), 10)
        row.addWidget(self._right(), 11)
        outer.addLayout(row, 1)
        # Marks are read when the page is shown; another theme changes no more than the look.
        theme.changed.connect(self._lay_out)
        self.refresh()
        self._naming.run(lambda: {k.id: k.title for k in library.kept()}, self._name_radios, self.message.tell)

    def _head(self) -> QHBoxLayout:
        head = QHBoxLayout()
        head.setSpacing(theme.px(8))
        head.addWidget(label("page", tr("Practice")))
        head.addStretch(1)
        self.of_the_day = QPushButton(tr("Today's"))
        self.of_the_day.setAccessibleName(tr("Exercise of the day"))
        set_tip(self.of_the_day, tr("The same radio for everybody, today"))
        self.of_the_day.clicked.connect(self.start_daily)
        head.addWidget(self.of_the_day)
        self.surprising = QPushButton(tr("Surprise me"))
        self.surprising.clicked.connect(self.start_surprise)
        head.addWidget(self.surprising)
        self.grade = choice_of([(str(n), tr("grade {n}", n=n)) for n in range(1, _GRADES + 1)], "3", lambda: None)
        self.grade.setAccessibleName(tr("Grade of the surprise"))
        head.addWidget(self.grade)
        return head

    def _left(self) -> QWidget:
        card = Card(tr("Exercises"))
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Exercises"))
        self.list.setItemDelegate(_Rows(self.list))
        self.list.setVerticalScrollMode(QListWidget.ScrollMode.ScrollPerPixel)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentItemChanged.connect(lambda *_: self._chosen())
        self.list.itemActivated.connect(lambda _: self.start())
        card.column.addWidget(self.list, 1)
        row = QHBoxLayout()
        self.make = QPushButton(tr("Make an exercise"))
        self.make.clicked.connect(self.make_wanted.emit)
        self.take = QPushButton(tr("Take in a file"))
        set_tip(self.take, tr("An exercise that somebody made"))
        self.take.clicked.connect(self._ask_file)
        for button in (self.make, self.take):
            button.setProperty("role", "link")
            row.addWidget(button)
        row.addStretch(1)
        card.column.addLayout(row)
        return card

    def _right(self) -> QWidget:
        side = QWidget()
        column = QVBoxLayout(side)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(theme.px(10))
        card = QWidget()
        inside = QVBoxLayout(card)
        inside.setContentsMargins(0, 0, theme.px(6), 0)
        inside.setSpacing(theme.px(8))
        self.title = label("page", "", True)
        self.complaint = label("headline", "", True)
        self.about = label("quiet", "", True)
        self.trains = label("", "", True)
        self.habit = label("strong", "", True)
        self.so_far = label("quiet", "", True)
        for part in (self.title, self.about, self.complaint, self.trains, self.habit, self.so_far):
            inside.addWidget(part)
        inside.addStretch(1)
        self.helps = ChipRow(tr("Help"), [(how, tr(words)) for how, words in HELP.items()], self._choose_help)
        self.helps.mark(self.help)
        self.help_words = label("small", "", True)
        self.real_time = QCheckBox(tr("Real time"))
        set_tip(
            self.real_time,
            tr("Readings take as long as on any bench, and the clock runs. Without it they come at once."),
        )
        self.main = QPushButton(tr("Start exercise  ↵"))
        self.main.setProperty("role", "main")
        self.main.clicked.connect(self.start)
        self.another = QPushButton(tr("Another radio"))
        set_tip(self.another, tr("The same exercise on a radio that nobody has seen yet"))
        self.another.clicked.connect(self.start_another)
        self.resume = QPushButton(tr("Go on with the last one"))
        self.resume.clicked.connect(lambda: self._waiting and self.resumed.emit(self._waiting))
        self.look = QPushButton(tr("Last debrief"))
        self.look.clicked.connect(self._look_again)
        self.starts = ButtonRows(tr("Start"), (self.main, self.another, self.resume, self.look))
        box = Card(tr("Chosen exercise"))
        box.column.addWidget(scrolled(card), 1)
        how = QHBoxLayout()
        how.addWidget(self.helps, 1)
        how.addWidget(self.real_time)
        box.column.addLayout(how)
        for part in (self.help_words, self.starts):
            box.column.addWidget(part)
        column.addWidget(box, 1)
        progress = Card(tr("Progress"))
        self.chart = SkillChart()
        self.words = label("quiet", "", True)
        row = QHBoxLayout()
        row.addWidget(self.words, 1)
        self.export = QPushButton(tr("Export"))
        self.export.setProperty("role", "link")
        set_tip(self.export, tr("Every mark so far as a table (CSV)"))
        self.export.clicked.connect(self._ask_export)
        row.addWidget(self.export)
        progress.column.addLayout(row)
        progress.column.addWidget(self.chart)
        column.addWidget(progress)
        return side

    # -- what is shown -----------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show marks and progress as they are now."""
        self._best, self._waiting = best(self._book), running(self._book)
        self.own, problems = own_exercises(self._book.folder)
        if problems:
            self.message.tell(problems[0])
        told = results(self._book)
        self.chart.show_results(told)
        self.export.setVisible(bool(told))
        passed = len({r.exercise for r in told if r.passed})
        self.words.setText(tr("{n} of {all} exercises passed", n=passed, all=len(LADDER)))
        self.resume.setVisible(self._waiting is not None)
        self.starts.refresh()
        self._list_again()

    def _list_again(self) -> None:
        chosen = self.current()
        self.list.blockSignals(True)
        self.list.clear()
        groups = [(tr("Your own"), list(self.own))] if self.own else []
        for skill, words in SKILLS.items():
            groups.append((tr(words), sorted((x for x in LADDER if x.skill == skill), key=lambda x: (x.grade, x.id))))
        for title, exercises in groups:
            heading = QListWidgetItem()
            heading.setData(_ROLE, title)
            heading.setFlags(Qt.ItemFlag.NoItemFlags)
            self.list.addItem(heading)
            for e in exercises:
                item = QListWidgetItem()
                item.setData(_ROLE, e)
                item.setData(_ROLE + 1, self._best.get(e.id))
                result = self._best.get(e.id)
                item.setData(
                    Qt.ItemDataRole.AccessibleTextRole,
                    tr("{title}, grade {n}", title=in_words(e, "title"), n=e.grade)
                    + (f", {result.score}" if result is not None else ""),
                )
                self.list.addItem(item)
                if chosen is not None and e.id == chosen.id:
                    self.list.setCurrentItem(item)
        if self.list.currentItem() is None:
            self.list.setCurrentRow(self._next_row())
        self.list.blockSignals(False)
        self._chosen()

    def _lay_out(self) -> None:
        self.list.scheduleDelayedItemsLayout()

    def _next_row(self) -> int:
        """The first exercise that was not passed yet."""
        rows = [(n, self._at(n)) for n in range(self.list.count())]
        open_ = [n for n, e in rows if e is not None and not (e.id in self._best and self._best[e.id].passed)]
        return open_[0] if open_ else 1

    def _at(self, row: int) -> Exercise | None:
        item: Any = self.list.item(row)
        what = None if item is None else item.data(_ROLE)
        return what if isinstance(what, Exercise) else None

    def current(self) -> Exercise | None:
        """The exercise that is chosen."""
        return self._at(self.list.currentRow())

    def choose(self, name: str) -> None:
        """Choose an exercise by its id."""
        for row in range(self.list.count()):
            e = self._at(row)
            if e is not None and e.id == name:
                self.list.setCurrentRow(row)

    def _chosen(self) -> None:
        e = self.current()
        self.main.setEnabled(e is not None)
        if e is None:
            return
        self.title.setText(in_words(e, "title"))
        self.complaint.setText(in_words(e, "complaint"))
        self.about.setText(
            tr("{skill} · grade {n} of 5 · {sheet}", skill=tr(SKILLS[e.skill]), n=e.grade, sheet=self._radio(e.sheet))
        )
        self.trains.setText(tr("Trains: {what}", what=in_words(e, "purpose")))
        self.habit.setText(tr("Habit: {what}", what=in_words(e, "habit")))
        result = self._best.get(e.id)
        self.so_far.setText(
            tr("Not taken yet.")
            if result is None
            else tr(
                "Best so far: {score} of 100, {help}, {day}.",
                score=result.score,
                help=tr(HELP[result.help]).lower(),
                day=day(result.utc),
            )
        )
        self.look.setVisible(result is not None)
        self.starts.refresh()
        self._say_help()

    def _radio(self, sheet_id: str) -> str:
        """How a sheet's radio is called; its id until the library was looked through."""
        return self._radios.get(sheet_id, sheet_id)

    def _name_radios(self, radios: dict[str, str]) -> None:
        # May come after the logbook was closed: nothing here reads it.
        self._radios = radios
        self._chosen()

    def _say_help(self) -> None:
        self.help_words.setText(
            {
                "none": tr("Your own moves, your own levels. The Bench says what it reads, no more."),
                "hints": tr("The coach is silent until you ask. Each hint costs 3 marks."),
                "coach": tr("The coach leads, as on a real job. The mark says so."),
            }[self.help]
        )

    def _choose_help(self, how: str) -> None:
        self.help = next(h for h in HELP if h == how)
        self._say_help()

    # -- starts -------------------------------------------------------------------------------------------

    def start(self) -> None:
        """The chosen exercise, on its own radio."""
        e = self.current()
        if e is not None:
            self.started.emit(e, e.seed, self.help, self.real_time.isChecked())

    def start_another(self) -> None:
        """The chosen exercise, on a radio drawn by chance."""
        e = self.current()
        if e is not None:
            self.started.emit(e, 1_000 + secrets.randbelow(1_000_000), self.help, self.real_time.isChecked())

    def start_daily(self) -> None:
        """The exercise of today."""
        e, seed = daily(datetime.date.today())
        self.choose(e.id)
        self.started.emit(e, seed, self.help, self.real_time.isChecked())

    def start_surprise(self) -> None:
        """One of the grade that is chosen, drawn by chance."""
        e, seed = surprise(int(self.grade.currentData()), secrets.randbelow(1_000_000))
        self.choose(e.id)
        self.started.emit(e, seed, self.help, self.real_time.isChecked())

    def _ask_file(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, tr("Take in a file"), "", f"{tr('Exercises')} (*{ENDING})")
        if chosen:
            self.take_in(Path(chosen))

    def take_in(self, path: Path) -> None:
        """Take somebody's exercise among one's own."""
        if self._book.folder is None:
            self.message.tell(tr("This workshop has no folder: nothing can be kept in it."))
            return
        try:
            made = take_in(self._book.folder, path)
        except UnitoneError as error:
            self.message.tell(str(error))
            return
        self.message.hide()
        self.refresh()
        self.choose(made.id)

    def _ask_export(self) -> None:
        name = "practice.csv"
        chosen, _ = QFileDialog.getSaveFileName(self, tr("Export"), name, "CSV (*.csv)")
        if chosen:
            self.export_results(Path(chosen))

    def export_results(self, path: Path) -> None:
        """Write every mark so far as a table."""
        try:
            files.write_file(path, results_csv(results(self._book)))
        except UnitoneError as error:
            self.message.tell(str(error))
        else:
            self.message.tell(tr("Saved as {name}.", name=path.name))

    def _look_again(self) -> None:
        e = self.current()
        mine = [r for r in results(self._book) if e is not None and r.exercise == e.id]
        if mine:
            self.debrief_wanted.emit(mine[-1].job)

    def press(self, name: str) -> None:
        """Do an action of this view."""
        {
            "practice-start": self.start,
            "practice-another": self.start_another,
            "practice-daily": self.start_daily,
            "practice-surprise": self.start_surprise,
        }[name]()
