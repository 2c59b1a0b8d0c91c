"""The Jobs view: the workshop's cards, a search, the chosen card, and a new job."""

from __future__ import annotations

from html import escape
from typing import Any

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QPointF, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import (
    QButtonGroup,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListView,
    QPushButton,
    QStackedLayout,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from unitone.desktop.errand import Errand
from unitone.desktop.theme.theme import theme
from unitone.desktop.views.newjob import NewJob
from unitone.desktop.widgets.marks import draw_mark
from unitone.desktop.widgets.painted import elided, label
from unitone.errors import UnitoneError
from unitone.store.logbook import JobRow, Logbook
from unitone.words import tr

_ROLE = Qt.ItemDataRole.UserRole
_FILTERS = (("all", tr("All")), ("open", tr("On bench")), ("waiting", tr("Waiting")), ("finished", tr("Finished")))


def state_words(row: JobRow) -> tuple[str, str]:
    """(mark, words) of where a job stands."""
    s = row.summary
    if row.status == "finished":
        counts = s.get("verdicts", {})
        out = counts.get("out", 0)
        return ("out" if out else "holds"), tr("finished, {n} out", n=out) if out else tr("finished")
    if row.status == "waiting":
        return "re-check", s.get("why") or tr("waiting")
    if not s.get("readings"):
        return "to do", tr("not begun")
    if s.get("phase") == "as-found":
        return "now", tr("as found, step {n} of {all}", n=s["step_number"], all=s["steps"])
    return "now", tr("step {n} of {all} · {title}", n=s["step_number"], all=s["steps"], title=s["step_title"])


class JobsModel(QAbstractListModel):
    """The cards, as the logbook gave them."""

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[JobRow] = []

    def set_rows(self, rows: list[JobRow]) -> None:
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.rows)

    def data(self, index: QModelIndex, role: int = 0) -> Any:
        row = self.rows[index.row()]
        if role == _ROLE:
            return row
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return f"{row.number:04d} {row.radio}, {row.card['complaint']}, {state_words(row)[1]}"
        return None


#: Narrower than this, a card's marks stand in two rows.
_ONE_ROW = 640


def _in_one_row(view: QWidget | None) -> bool:
    return view is None or view.width() / theme.scale > _ONE_ROW


class _CardDelegate(QStyledItemDelegate):
    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        row: JobRow = index.data(_ROLE)
        if not row.summary.get("readings"):
            return QSize(theme.px(400), theme.px(76))
        return QSize(theme.px(400), theme.px(118 if _in_one_row(option.widget) else 158))

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        assert painter is not None
        row: JobRow = index.data(_ROLE)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        box = QRectF(option.rect).adjusted(1.5, 1.5, -theme.px(6), -theme.px(8))
        painter.setPen(QPen(theme.colour("orange" if chosen else "line"), 2.4 if chosen else 1))
        painter.setBrush(theme.colour("card"))
        painter.drawRoundedRect(box, 10, 10)
        inner = box.adjusted(theme.px(16), theme.px(10), -theme.px(16), -theme.px(10))
        self._head(painter, row, inner)
        if row.summary.get("readings"):
            self._marks(
                painter,
                row,
                QRectF(inner.left(), inner.top() + theme.px(50), inner.width(), inner.height() - theme.px(50)),
            )
        painter.restore()

    def _head(self, painter: QPainter, row: JobRow, inner: QRectF) -> None:
        mark, words = state_words(row)
        side = theme.px(14)
        painter.setFont(theme.font(13))
        right = min(painter.fontMetrics().horizontalAdvance(words) + theme.px(6), int(inner.width() * 0.46))
        line = QRectF(inner.left(), inner.top(), inner.width(), theme.px(24))
        painter.setPen(theme.colour("ink"))
        painter.drawText(
            line, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, elided(painter, words, right)
        )
        draw_mark(
            painter,
            QRectF(inner.right() - right - side - theme.px(4), line.center().y() - side / 2, side, side),
            mark,
            mark == "now",
        )
        painter.setFont(theme.font(15, True))
        painter.setPen(theme.colour("quiet"))
        number = f"{row.number:04d}"
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, number)
        taken = painter.fontMetrics().horizontalAdvance(number + "  ")
        painter.setFont(theme.font(17, True))
        painter.setPen(theme.colour("ink"))
        room = inner.width() - taken - right - side - theme.px(16)
        painter.drawText(line.adjusted(taken, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, elided(painter, row.radio, room))
        painter.setFont(theme.font(13))
        painter.setPen(theme.colour("quiet"))
        words = " · ".join(x for x in (row.card["complaint"], row.card["owner"]) if x)
        second = QRectF(inner.left(), inner.top() + theme.px(24), inner.width(), theme.px(22))
        painter.drawText(second, Qt.AlignmentFlag.AlignVCenter, elided(painter, words, inner.width()))

    def _marks(self, painter: QPainter, row: JobRow, area: QRectF) -> None:
        marks = row.summary["marks"]
        columns = len(marks) if area.width() / theme.scale > _ONE_ROW - 50 else 3
        width = area.width() / max(columns, 1)
        for n, mark in enumerate(marks):
            top = area.top() + (n // columns) * theme.px(40)
            box = QRectF(area.left() + (n % columns) * width, top, width - theme.px(11), area.height())
            painter.setFont(theme.font(11))
            painter.setPen(theme.colour("ink"))
            value = mark["text"] or "—"
            painter.drawText(box, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignRight, value)
            taken = painter.fontMetrics().horizontalAdvance(value)
            painter.setPen(theme.colour("quiet"))
            painter.drawText(
                box,
                Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft,
                elided(painter, mark["name"], box.width() - taken - 6),
            )
            found_and_left_bar(painter, QRectF(box.left(), box.top() + theme.px(22), box.width(), theme.px(8)), mark)


def found_and_left_bar(painter: QPainter, bar: QRectF, mark: dict[str, Any]) -> None:
    """Found (a ring) and now (a disc or a triangle) on one bar with the band that holds."""
    radius = bar.height() / 2
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour("line"))
    painter.drawRoundedRect(bar, radius, radius)
    low, high = mark["band"]
    painter.setPen(QPen(theme.colour("holds"), 1))
    painter.setBrush(theme.colour("holds_soft"))
    painter.drawRoundedRect(
        QRectF(bar.left() + bar.width() * low, bar.top(), bar.width() * (high - low), bar.height()), radius, radius
    )
    y = bar.center().y()
    found, now = mark["found"], mark["now"]
    places = [bar.left() + radius + p * (bar.width() - 2 * radius) for p in (found, now) if p is not None]
    if len(places) == 2:
        painter.setPen(QPen(theme.colour("ink"), 1.6))
        painter.drawLine(QPointF(places[0], y), QPointF(places[1], y))
    side = theme.px(11)
    if found is not None:
        painter.setPen(QPen(theme.colour("ink"), 1.6))
        painter.setBrush(theme.colour("card"))
        painter.drawEllipse(QPointF(places[0], y), theme.px(4), theme.px(4))
    if now is not None:
        verdict = (
            "re-check"
            if mark["stale"]
            else "holds"
            if mark["holds"]
            else "out"
            if mark["holds"] is False
            else "too close to call"
        )
        draw_mark(painter, QRectF(places[-1] - side / 2, y - side / 2, side, side), verdict)


def _found_table(s: dict[str, Any]) -> str:
    """Found and left side by side, as rich text."""

    def verdict(holds: bool | None) -> str:
        return tr(" (out)") if holds is False else ""

    cell = "style='padding-right:14px'"
    rows = [f"<tr><td {cell}></td><td {cell}>{tr('found')}</td><td>{tr('now')}</td></tr>"]
    for m in s["marks"]:
        found = f"{m['found_text'] or '—'}{verdict(m['found_holds'])}"
        now = f"<b>{m['text'] or '—'}</b>" + (tr(" (re-check)") if m["stale"] else verdict(m["holds"]))
        rows.append(f"<tr><td {cell}>{m['name']}</td><td {cell}>{escape(found)}</td><td>{now}</td></tr>")
    return "<table cellspacing='3'>" + "".join(rows) + "</table>"


class JobsPage(QWidget):
    """Cards at the left, the chosen card at the right."""

    opened = pyqtSignal(str)
    certificate = pyqtSignal(str)

    def __init__(self, logbook: Logbook) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAccessibleName(tr("Jobs"))
        self._logbook = logbook
        self._filter = "all"
        self.model = JobsModel()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(theme.px(20), theme.px(16), theme.px(16), theme.px(14))
        outer.setSpacing(theme.px(10))
        outer.addLayout(self._head())
        columns = QHBoxLayout()
        columns.setSpacing(theme.px(12))
        left = QVBoxLayout()
        left.addLayout(self._chips())
        left.addWidget(self._list(), 1)
        columns.addLayout(left, 67)
        columns.addWidget(self._side(), 36)
        outer.addLayout(columns, 1)
        self.refresh()
        # The library is looked at while nobody waits for it: a new job then has its models at once.
        self._looking = Errand("library", self)
        QTimer.singleShot(1500, self._look_at_library)

    def _look_at_library(self) -> None:
        from unitone.session.session import library_of

        self._looking.run(library_of(self._logbook).kept, lambda _: None, lambda _: None)

    def _head(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addWidget(label("page", tr("Jobs")))
        self.where = label("quiet")
        row.addWidget(self.where, 1)
        self.find = QLineEdit()
        self.find.setPlaceholderText(tr("Find a radio, complaint, owner, note…"))
        self.find.setAccessibleName(tr("Find a job"))
        self.find.setClearButtonEnabled(True)
        for clear in self.find.findChildren(QToolButton):
            clear.setAccessibleName(tr("Clear the search"))
        self.find.setMinimumWidth(theme.px(240))
        self.find.textChanged.connect(lambda: self.refresh())
        self.new = QPushButton(tr("New job  Ctrl N"))
        self.new.setProperty("role", "main")
        self.new.clicked.connect(self.ask_new)
        row.addWidget(self.find)
        row.addWidget(self.new)
        return row

    def _chips(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(theme.px(8))
        self.chips: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        for name, words in _FILTERS:
            chip = QPushButton(words)
            chip.setProperty("role", "chip")
            chip.setCheckable(True)
            chip.setChecked(name == "all")
            chip.clicked.connect(lambda _=False, n=name: self._choose_filter(n))
            group.addButton(chip)
            self.chips[name] = chip
            row.addWidget(chip)
        row.addStretch(1)
        return row

    def _list(self) -> QWidget:
        self.list = QListView()
        self.list.setModel(self.model)
        self.list.setItemDelegate(_CardDelegate(self.list))
        self.list.setAccessibleName(tr("Jobs"))
        self.list.setResizeMode(QListView.ResizeMode.Adjust)
        self.list.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.doubleClicked.connect(lambda index: self.opened.emit(self.model.rows[index.row()].id))
        selection = self.list.selectionModel()
        assert selection is not None
        selection.currentChanged.connect(lambda now, _: self._show(now))
        theme.changed.connect(self._theme_changed)
        self.empty: QLabel = label("quiet", "", True)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        holder = QWidget()
        self.list_stack = QStackedLayout(holder)
        self.list_stack.addWidget(self.list)
        self.list_stack.addWidget(self.empty)
        return holder

    def _side(self) -> QWidget:
        holder = QWidget()
        self.side = QStackedLayout(holder)
        card = QFrame()
        card.setProperty("role", "card")
        layout = QVBoxLayout(card)
        layout.setContentsMargins(theme.px(18), theme.px(14), theme.px(18), theme.px(14))
        layout.setSpacing(theme.px(8))
        self.title, self.sub = label("title", "", True), label("quiet", "", True)
        layout.addWidget(self.title)
        layout.addWidget(self.sub)
        well = QFrame()
        well.setProperty("role", "well")
        inside = QVBoxLayout(well)
        inside.addWidget(label("small", tr("Complaint")))
        self.complaint, self.accessories = label("", "", True), label("quiet", "", True)
        inside.addWidget(self.complaint)
        inside.addWidget(self.accessories)
        layout.addWidget(well)
        layout.addWidget(label("heading", tr("Where it stands")))
        self.stands = label("", "", True)
        layout.addWidget(self.stands)
        layout.addWidget(label("heading", tr("Found and left")))
        self.found = label("", "", True)
        self.found.setTextFormat(Qt.TextFormat.RichText)
        layout.addWidget(self.found)
        layout.addStretch(1)
        self.wait_words = QLineEdit()
        self.wait_words.setAccessibleName(tr("What it waits for"))
        self.wait_words.setPlaceholderText(tr("waits for a part, the owner, a manual…"))
        self.wait_words.returnPressed.connect(self._wait)
        self.wait_words.hide()
        layout.addWidget(self.wait_words)
        buttons = QHBoxLayout()
        self.go = QPushButton()
        self.go.setProperty("role", "main")
        self.go.clicked.connect(self._open)
        self.paper = QPushButton(tr("Certificate"))
        self.paper.clicked.connect(lambda: self._with_row(lambda r: self.certificate.emit(r.id)))
        self.wait = QPushButton(tr("Waits…"))
        self.wait.clicked.connect(self._wait_pressed)
        buttons.addWidget(self.go, 1)
        buttons.addWidget(self.paper)
        buttons.addWidget(self.wait)
        layout.addLayout(buttons)
        self.message = label("warn", "", True)
        self.message.hide()
        layout.addWidget(self.message)
        self.card = card
        self.new_job = NewJob(self._logbook)
        self.new_job.made.connect(self._made)
        self.new_job.left.connect(lambda: self.side.setCurrentIndex(0))
        self.side.addWidget(card)
        self.side.addWidget(self.new_job)
        return holder

    # -- showing --------------------------------------------------------------------------------

    def _theme_changed(self) -> None:
        self.list.scheduleDelayedItemsLayout()

    def refresh(self, choose: str = "") -> None:
        """Read the list anew, keeping the chosen job."""
        chosen = choose or (row.id if (row := self.current()) is not None else "")
        everything = self._logbook.jobs()
        counts = {name: sum(r.status == name for r in everything) for name in ("open", "waiting", "finished")}
        for name, words in _FILTERS:
            self.chips[name].setText(f"{words} {len(everything) if name == 'all' else counts[name]}")
            self.chips[name].setMinimumWidth(self.chips[name].sizeHint().width())
        workshop = self._logbook.setting("workshop", tr("this workshop"))
        self.where.setText(
            tr(
                "{workshop} · {open} open, {finished} finished",
                workshop=workshop,
                open=len(everything) - counts["finished"],
                finished=counts["finished"],
            )
        )
        rows = self._logbook.jobs(self.find.text(), "" if self._filter == "all" else self._filter)
        self.model.set_rows(rows)
        self.list_stack.setCurrentIndex(0 if rows else 1)
        self.empty.setText(
            tr("No job has these words. Clear the search to see all.")
            if everything
            else tr("No jobs yet. Press Ctrl+N for the first.")
        )
        at = next((n for n, r in enumerate(rows) if r.id == chosen), 0)
        if rows:
            self.list.setCurrentIndex(self.model.index(at))
        self.card.setVisible(bool(rows))

    def current(self) -> JobRow | None:
        """The chosen job."""
        at = self.list.currentIndex().row() if hasattr(self, "list") else -1
        return self.model.rows[at] if 0 <= at < len(self.model.rows) else None

    def _show(self, index: QModelIndex) -> None:
        if not index.isValid():
            return
        row = self.model.rows[index.row()]
        s, card = row.summary, row.card
        self.side.setCurrentIndex(0)
        self.title.setText(f"{row.number:04d} · {row.radio}")
        parts = [tr("serial {n}", n=card["serial"]) if card["serial"] else "", tr("from {owner}", owner=card["owner"]) if card["owner"] else "",
                 tr("stand-in radio") if card["standin_seed"] is not None else tr("worked by hand"), row.updated[:10]]  # fmt: skip
        self.sub.setText(" · ".join(p for p in parts if p))
        self.complaint.setText(card["complaint"] or tr("none noted"))
        self.accessories.setText(
            tr("With it: {items}.", items=", ".join(card["accessories"]))
            if card["accessories"]
            else tr("Nothing came with it.")
        )
        counts = s.get("verdicts", {})
        tally = " · ".join(f"{n} {v}" for v, n in counts.items() if n)
        self.stands.setText(f"{state_words(row)[1]}. {tally}")
        self.found.setText(_found_table(s) if s.get("readings") else tr("Nothing read yet."))
        self.go.setText(
            tr("Open  ↵") if row.status == "finished" else tr("Go on  ↵") if s.get("readings") else tr("Begin  ↵")
        )
        self.wait.setText(tr("Open again") if row.status == "waiting" else tr("Waits…"))
        self.wait.setEnabled(row.status != "finished")
        self.wait_words.hide()
        self.message.hide()

    # -- doing ----------------------------------------------------------------------------------

    def press(self, name: str) -> None:
        """An action by its id."""
        if name == "new-job":
            self.ask_new()
        elif name == "find":
            self.find.setFocus()
            self.find.selectAll()
        elif name == "open-job":
            focus = self.focusWidget()
            if self.side.currentIndex() == 1:
                self.new_job.make()
            elif isinstance(focus, QPushButton) and focus.hasFocus():
                focus.click()
            elif focus is self.wait_words and focus.hasFocus():
                self._wait()
            else:
                self._open()

    def ask_new(self) -> None:
        """Show the new-job card."""
        self.new_job.begin()
        self.side.setCurrentIndex(1)

    def _choose_filter(self, name: str) -> None:
        self._filter = name
        self.refresh()

    def _with_row(self, then) -> None:  # type: ignore[no-untyped-def]
        row = self.current()
        if row is not None:
            then(row)

    def _open(self) -> None:
        self._with_row(lambda r: self.opened.emit(r.id))

    def _made(self, job_id: str) -> None:
        self.find.clear()
        self.side.setCurrentIndex(0)
        self.refresh(job_id)
        self.opened.emit(job_id)

    def _wait_pressed(self) -> None:
        row = self.current()
        if row is not None and row.status == "waiting":
            self._set_status("open", "")
            return
        self.wait_words.clear()
        self.wait_words.show()
        self.wait_words.setFocus()

    def _wait(self) -> None:
        self._set_status("waiting", self.wait_words.text().strip() or tr("waiting"))

    def _set_status(self, status: str, why: str) -> None:
        from unitone.session.session import Session

        row = self.current()
        if row is None:
            return
        try:
            session = Session(self._logbook, row.id)
            session.set_status(status, why)
            session.keep_summary()
        except UnitoneError as error:
            self.message.setText(str(error))
            self.message.show()
            return
        self.refresh()
