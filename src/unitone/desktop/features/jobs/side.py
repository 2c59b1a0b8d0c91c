"""The chosen job, told: what was said, what came with it, what was found, what recurs, what was tried, what is loose."""

from __future__ import annotations

from html import escape
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QLabel, QLineEdit, QPushButton, QScrollArea, QVBoxLayout, QWidget

from unitone.actions import shown_key
from unitone.desktop.features.jobs.cards import describe_state
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.fitting import ButtonRows
from unitone.desktop.widgets.lines import CountedList, Line, Lines
from unitone.desktop.widgets.painted import label, set_tip
from unitone.job.verdicts import describe_verdict
from unitone.quantities.show import duration
from unitone.store.rows import JobRow
from unitone.words import figure, tr

if TYPE_CHECKING:
    from unitone.present.card.earlier_jobs import History


def found_table(s: dict[str, Any]) -> str:
    """Found and left side by side, as rich text."""

    def verdict(holds: bool | None) -> str:
        return tr(" (out of spec)") if holds is False else ""

    cell = "style='padding-right:14px'"
    rows = [f"<tr><td {cell}></td><td {cell}>{tr('found')}</td><td>{tr('now')}</td></tr>"]
    for m in s["marks"]:
        found = f"{figure(tr(m['found_text'])) if m['found_text'] else '—'}{verdict(m['found_holds'])}"
        now = f"<b>{escape(figure(tr(m['text'])) if m['text'] else '—')}</b>" + (
            tr(" (re-check)") if m["stale"] else verdict(m["in_spec"])
        )
        rows.append(f"<tr><td {cell}>{escape(tr(m['name']))}</td><td {cell}>{escape(found)}</td><td>{now}</td></tr>")
    return "<table cellspacing='3'>" + "".join(rows) + "</table>"


class JobSide(QFrame):
    """Shows a row of the list; says what was pressed. It knows no logbook."""

    opened = pyqtSignal()
    card = pyqtSignal()
    history = pyqtSignal()
    status = pyqtSignal(str, str)

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "card")
        outer = QVBoxLayout(self)
        outer.setContentsMargins(theme.px(18), theme.px(14), theme.px(12), theme.px(12))
        outer.setSpacing(theme.px(8))
        self.title, self.sub = label("title", "", True), label("quiet", "", True)
        outer.addWidget(self.title)
        outer.addWidget(self.sub)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inside = QWidget()
        self._column = QVBoxLayout(inside)
        self._column.setContentsMargins(0, 0, theme.px(6), 0)
        self._column.setSpacing(theme.px(6))
        self._column.addWidget(self._well())
        self.seen = Lines(tr("Inspection findings"))
        self.stands: QLabel = label("plain", "", True)
        self.found: QLabel = label("plain", "", True)
        self.found.setTextFormat(Qt.TextFormat.RichText)
        self.recurs = CountedList()
        self.tried, self.loose = Lines(tr("Attempts"), bold=True), Lines(tr("Loose ends"))
        self._heads: dict[QWidget, QLabel] = {}
        for title, body in (
            (tr("Inspection findings"), self.seen), (tr("Status"), self.stands), ("", self.recurs), (tr("Attempts"), self.tried),
            (tr("Loose ends"), self.loose), (tr("Found and left"), self.found),
        ):  # fmt: skip
            self._heads[body] = label("heading", title)
            self._column.addWidget(self._heads[body])
            self._column.addWidget(body)
        self.spent = label("quiet", "", True)
        self._column.addWidget(self.spent)
        self._column.addStretch(1)
        area.setWidget(inside)
        outer.addWidget(area, 1)
        self.wait_words = QLineEdit()
        self.wait_words.setAccessibleName(tr("Waiting for"))
        self.wait_words.setPlaceholderText(tr("waits for a part, the owner, a manual…"))
        self.wait_words.returnPressed.connect(self.keep_waiting)
        self.wait_words.hide()
        outer.addWidget(self.wait_words)
        self.message = label("warn", "", True)
        self.message.hide()
        outer.addWidget(self.message)
        outer.addWidget(self._buttons())
        self._status = ""

    def _well(self) -> QFrame:
        well = QFrame()
        well.setProperty("role", "well")
        inside = QVBoxLayout(well)
        inside.addWidget(label("small", tr("Complaint")))
        self.complaint = label("plain", "", True)
        self.accessories, self.missing = label("quiet", "", True), label("warn", "", True)
        for words in (self.complaint, self.accessories, self.missing):
            inside.addWidget(words)
        return well

    def _buttons(self) -> ButtonRows:
        self.go, self.to_card, self.to_history, self.wait = (
            QPushButton(),
            QPushButton(tr("Card")),
            QPushButton(tr("History")),
            QPushButton(),
        )
        self.go.setProperty("role", "main")
        self.go.clicked.connect(self.opened.emit)
        self.to_card.clicked.connect(self.card.emit)
        set_tip(self.to_card, tr("Intake, inspection, rails, work, papers: {key}", key=shown_key("card")))
        self.to_history.clicked.connect(self.history.emit)
        self.wait.clicked.connect(self._wait_pressed)
        self.buttons = ButtonRows(tr("Actions for this job"), (self.go, self.to_card, self.to_history, self.wait))
        return self.buttons

    # -- showing --------------------------------------------------------------------------------

    def show_row(self, row: JobRow) -> None:
        """Tell this job."""
        s, card = row.summary, row.card
        self._status = row.status
        self.title.setText(f"{row.number:04d} · {row.radio}")
        parts = [tr("serial {n}", n=card["serial"]) if card["serial"] else "", tr("from {owner}", owner=card["owner"]) if card["owner"] else "",
                 tr("simulated radio") if card["simulated_seed"] is not None else tr("typed readings"), row.updated[:10]]  # fmt: skip
        self.sub.setText(" · ".join(p for p in parts if p))
        self.complaint.setText(card["complaint"] or tr("none noted"))
        came, missing = card["accessories"], card.get("missing", [])
        self.accessories.setText(tr("Included: {items}.", items=", ".join(came)) if came else tr("Nothing included."))
        self.missing.setText(tr("Missing: {items}.", items=", ".join(missing)))
        self.missing.setVisible(bool(missing))
        tally = " · ".join(f"{n} {describe_verdict(v)}" for v, n in s.get("verdicts", {}).items() if n)
        self.stands.setText(". ".join(x for x in (describe_state(row)[1], s.get("why", ""), tally) if x))
        self.found.setText(found_table(s) if s.get("readings") else tr("No reading yet."))
        self._list(self.seen, [Line(f["look"], _describe_seen(f)) for f in s.get("findings", [])])
        self._list(self.tried, [Line(t["outcome"], t["what"], _describe_tried(t)) for t in s.get("tried", [])])
        self._list(self.loose, [Line("recheck", what) for what in s.get("loose", [])])
        self._heads[self.recurs].hide()
        self.recurs.hide()
        spent = [tr("Time {t}", t=duration(s["minutes"])) if s.get("minutes") else "", tr("parts {n}", n=s["parts"]) if s.get("parts") else "",
                 tr("approved up to {most}", most=s["approved"]) if s.get("approved") else "",
                 tr("certificate ready") if s.get("finished") else tr("certificate not yet")]  # fmt: skip
        self.spent.setText(" · ".join(x for x in spent if x))
        done = row.status in ("finished", "handed over", "archived")
        self.wait.setVisible(not done)
        going = tr("Go on  ↵") if s.get("readings") else tr("Begin  ↵")
        self.buttons.say(self.go, tr("Look at it  ↵") if row.held else tr("Open  ↵") if done else going)
        self.buttons.say(self.wait, tr("Open again") if row.status in ("waiting", "later") else tr("Set waiting…"))
        self.buttons.refresh()
        self.wait_words.hide()
        self.message.hide()

    def _list(self, lines: Lines, rows: list[Line]) -> None:
        lines.show_lines(rows)
        lines.setVisible(bool(rows))
        self._heads[lines].setVisible(bool(rows))

    def show_history(self, history: History) -> None:
        """What recurs in the last jobs of this model."""
        shown = bool(history.recurring)
        self._heads[self.recurs].setText(tr("Last {n} of this model", n=history.of))
        self._heads[self.recurs].setVisible(shown)
        self.recurs.setVisible(shown)
        self.recurs.show_counted(history.recurring, history.of, "", 4)

    def tell(self, words: str) -> None:
        """What went wrong, or how it went."""
        self.message.setText(words)
        self.message.setVisible(bool(words))

    # -- waiting -----------------------------------------------------------------------------------

    def _wait_pressed(self) -> None:
        if self._status in ("waiting", "later"):
            self.status.emit("open", "")
            return
        self.wait_words.clear()
        self.wait_words.show()
        self.wait_words.setFocus()

    def keep_waiting(self) -> None:
        """Keep the reason that was typed."""
        self.status.emit("waiting", self.wait_words.text().strip() or tr("waiting"))


def _describe_seen(f: dict[str, Any]) -> str:
    where = ", ".join(f.get("on", []))
    words = f["words"] or tr(f["item"])
    return f"{where}: {words}" if where else words


def _describe_tried(t: dict[str, Any]) -> str:
    return " · ".join(
        x
        for x in (
            t.get("result", ""),
            {"the cause": tr("that was the cause"), "not the cause": tr("not the cause")}.get(
                t["outcome"], tr("unclear")
            ),
        )
        if x
    )
