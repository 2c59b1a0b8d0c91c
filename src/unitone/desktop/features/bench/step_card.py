"""The middle of the Bench: the step at hand, its figure, hill, the coach's sentence and the hand's buttons."""

from __future__ import annotations

from weakref import WeakKeyDictionary

from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPaintEvent, QPolygonF, QResizeEvent
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QStackedLayout,
    QVBoxLayout,
    QWidget,
)

from unitone.actions import bare_key, keyed, shown_key
from unitone.desktop.shell.worker import LiveFigure
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.chart import ChannelChart
from unitone.desktop.widgets.figure import Figure
from unitone.desktop.widgets.fitting import together
from unitone.desktop.widgets.hill import HillPlot
from unitone.desktop.widgets.lines import Line, Lines
from unitone.desktop.widgets.marks import draw_mark, standing
from unitone.desktop.widgets.painted import Elided, Painted, label, restyle, set_tip
from unitone.desktop.widgets.strips import LimitBar
from unitone.present.bench.bench_shapes import BenchView
from unitone.words import tr


class Arrow(Painted):
    """Which way the hand goes: an arrow for a turn, the verdict's shape when nothing is turned."""

    def __init__(self) -> None:
        super().__init__(tr("Direction"))
        self._way, self._mark = 0, "todo"
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(theme.px(44), theme.px(40))

    def show_way(self, way: int, mark: str) -> None:
        self._way, self._mark = way, mark
        self.setAccessibleDescription({-1: tr("anticlockwise"), 1: tr("clockwise")}.get(way, mark))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        del event
        painter = self.painter()
        w, h = self.width(), self.height()
        if self._way == 0:
            side = theme.px(24)
            draw_mark(painter, QRectF((w - side) / 2, (h - side) / 2, side, side), self._mark)
            return
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("orange"))
        points = [(0.05, 0.5), (0.45, 0.08), (0.45, 0.34), (0.97, 0.34), (0.97, 0.66), (0.45, 0.66), (0.45, 0.92)]
        if self._way > 0:
            points = [(1 - x, y) for x, y in points]
        painter.drawPolygon(QPolygonF([QPointF(x * w, y * h) for x, y in points]))


#: Height of the reading beside a plot, and where nothing is plotted (pixels before scaling).
_FIGURE, _LARGE_FIGURE = 58, 104


class Entry(QLineEdit):
    """The field that a digit opens: Enter logs, Escape closes."""

    closed = pyqtSignal()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.closed.emit()
            return
        super().keyPressEvent(event)


class ChannelTable(Painted):
    """Channels of one step side by side: found, now, verdict."""

    def __init__(self) -> None:
        super().__init__(tr("Channels"))
        self._view: BenchView | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(theme.px(300), theme.px(44))

    def show_view(self, view: BenchView) -> None:
        self._view = view
        self.setVisible(bool(view.step.channels) and view.reading.chart is None)
        self.setAccessibleDescription(
            "; ".join(f"channel {c.channel}: found {c.found}, now {c.now}" for c in view.step.channels)
        )
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        del event
        if self._view is None or not self._view.step.channels:
            return
        painter = self.painter()
        width = self.width() / len(self._view.step.channels)
        for n, line in enumerate(self._view.step.channels):
            box = QRectF(n * width, 0, width - theme.px(8), self.height())
            painter.setPen(Qt.PenStyle.NoPen)
            at_hand = self._view.step.conditions.channel == line.channel
            painter.setBrush(theme.colour("orange_soft" if at_hand else "well"))
            painter.drawRoundedRect(box, 6, 6)
            mark = standing(bool(line.now), line.stale, line.inside)
            side = theme.px(13)
            draw_mark(painter, QRectF(box.left() + theme.px(10), box.center().y() - side / 2, side, side), mark)
            inner = box.adjusted(theme.px(30), theme.px(4), -theme.px(8), -theme.px(4))
            painter.setPen(theme.colour("quiet"))
            painter.setFont(theme.font(12))
            upright = Qt.AlignmentFlag.AlignTop if line.found else Qt.AlignmentFlag.AlignVCenter
            painter.drawText(
                inner,
                upright | Qt.AlignmentFlag.AlignLeft,
                tr("ch {n}", n=line.channel) if line.channel.isdigit() else line.channel,
            )
            if line.found:
                painter.drawText(
                    inner, Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft, tr("found {v}", v=line.found)
                )
            painter.setPen(theme.colour("ink"))
            painter.setFont(theme.font(14, True))
            painter.drawText(inner, upright | Qt.AlignmentFlag.AlignRight, line.now or "—")


class StepCard(QFrame):
    """Shows a view; says what was pressed. It knows no session."""

    pressed = pyqtSignal(str)
    typed = pyqtSignal(str)
    #: The field of a typed reading was opened, or closed.
    typing_changed = pyqtSignal(bool)

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "card")
        self._view: BenchView | None = None
        self._pending = False
        self._short = False
        self._fitting = self._fit_again = False
        #: Has this step's needle been shown?
        self._lives, self._lives_at = False, ""
        #: What is wrong with what the needle shows.
        self._warning = ""
        #: May the core at hand be swept?
        self._swept = False
        #: Is there anything to go back to?
        self._leads_back = True
        #: What was last fitted into what room.
        self._fitted: object = None
        self._heights: WeakKeyDictionary[QLabel, tuple[object, int]] = WeakKeyDictionary()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(theme.px(18), theme.px(10), theme.px(18), theme.px(12))
        layout.setSpacing(theme.px(7))
        head = QHBoxLayout()
        self.title, self.place = label("title", "", True), label("quiet")
        head.addWidget(self.title, 1)
        head.addWidget(self.place)
        layout.addLayout(head)
        self.dial = QFrame()
        self.dial.setProperty("role", "dial")
        inside = QVBoxLayout(self.dial)
        inside.setContentsMargins(theme.px(12), theme.px(6), theme.px(12), theme.px(6))
        inside.setSpacing(1)
        self.dial_words, self.panel_words = label("", "", True), label("teal", "", True)
        self.caution = label("caution", "", True)
        for widget in (self.dial_words, self.panel_words, self.caution):
            inside.addWidget(widget)
        layout.addWidget(self.dial)
        layout.addLayout(self._figure_row())
        layout.addWidget(self._by_ear())
        self.words = label("quiet", "", True)
        layout.addWidget(self.words)
        self.judged = label("recheck", "", True)
        self.judged.setAccessibleName(tr("Decision"))
        layout.addWidget(self.judged)
        self.remarks = Lines(tr("Beside this step"))
        layout.addWidget(self.remarks)
        self.channels = ChannelTable()
        layout.addWidget(self.channels)
        self.notes = label("quiet", "", True)
        self.notes.setAccessibleName(tr("Notes"))
        layout.addWidget(self.notes)
        #: The same in one line where there is no room for more.
        self.brief = Elided("quiet")
        self.brief.setAccessibleName(tr("Notes"))
        layout.addWidget(self.brief)
        self.chart = ChannelChart()
        layout.addWidget(self.chart, 1)
        self.hill = HillPlot()
        layout.addWidget(self.hill, 1)
        layout.addWidget(self._coach())
        layout.addLayout(self._buttons())

    def _figure_row(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(theme.px(10))
        self.figure = Figure(_FIGURE)
        self.entry = Entry()
        self.entry.setProperty("role", "entry")
        self.entry.setAccessibleName(tr("Type a reading"))
        self.entry.returnPressed.connect(lambda: self.typed.emit(self.entry.text()))
        self.entry.closed.connect(self.close_entry)
        holder = QWidget()
        holder.setMinimumWidth(200)
        self.stack = QStackedLayout(holder)
        self.stack.addWidget(self.figure)
        entering = QWidget()
        beside = QHBoxLayout(entering)
        beside.setContentsMargins(0, 0, 0, 0)
        beside.setSpacing(theme.px(8))
        self.entry_unit = label("headline")
        self.entry_unit.setAccessibleName(tr("Unit of a number typed alone"))
        beside.addWidget(self.entry, 1)
        beside.addWidget(self.entry_unit)
        self.stack.addWidget(entering)
        self.bar = LimitBar()
        row.addWidget(holder, 5)
        row.addWidget(self.bar, 5)
        return row

    def _by_ear(self) -> QWidget:
        """Three keys for ears: they are pressed without looking, on the number pad too."""
        self.ear = QWidget()
        self.ear.setAccessibleName(tr("What you hear"))
        row = QHBoxLayout(self.ear)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(theme.px(8))
        self._ears = []
        for name, words in (
            ("ear-softer", tr("Softer  −")),
            ("ear-same", tr("Same  /")),
            ("ear-louder", tr("Louder  +")),
        ):
            button = self._button(name, words)
            button.setText(words)
            button.setMinimumHeight(theme.px(46))
            row.addWidget(button, 1)
            self._ears.append(button)
        self.ear.hide()
        return self.ear

    def _coach(self) -> QFrame:
        self.coach = QFrame()
        self.coach.setProperty("role", "coach")
        inside = QHBoxLayout(self.coach)
        inside.setContentsMargins(theme.px(14), theme.px(8), theme.px(14), theme.px(8))
        inside.setSpacing(theme.px(14))
        self.arrow = Arrow()
        inside.addWidget(self.arrow)
        words = QVBoxLayout()
        words.setSpacing(1)
        self.headline, self.detail = label("headline", "", True), label("quiet", "", True)
        self.headline.setAccessibleName(tr("The coach says"))
        words.addWidget(self.headline)
        words.addWidget(self.detail)
        inside.addLayout(words, 1)
        return self.coach

    def _buttons(self) -> QHBoxLayout:
        row = self._row = QHBoxLayout()
        row.setSpacing(theme.px(8))
        self.ccw = self._button("ccw", tr("Turn anticlockwise"))
        self.cw = self._button("cw", tr("Turn clockwise"))
        self.log = self._button("log", tr("Log the reading"))
        self.back = self._button("back", tr("Back to where it was found"))
        self.main = self._button("main", tr("Do the next move"))
        self.main.setProperty("role", "main")
        self.judge = self._button("judge", tr("Accept a reading out of spec, or skip the step"))
        self.judge.setText(keyed(tr("Decide…  A"), "judge"))
        self.charted = self._button(
            "chart",
            tr("Read the chart: S-meter against level, squelch against its control, detector and IF against frequency"),
        )
        self.sweep = self._button("sweep", tr("Sweep the selected core: turn it while it is read"))
        self.sweep.hide()
        for button in (self.ccw, self.cw, self.sweep, self.log, self.back, self.charted, self.judge):
            row.addWidget(button)
        row.addStretch(1)
        row.addWidget(self.main)
        return row

    def _button(self, name: str, accessible: str) -> QPushButton:
        button = QPushButton()
        button.setObjectName(name)
        button.setAccessibleName(accessible)
        # Arrow keys and Enter belong to the bench: buttons take the focus with Tab alone.
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.clicked.connect(lambda: self.pressed.emit(name))
        return button

    # -- showing -------------------------------------------------------------------------------

    def show_view(self, view: BenchView) -> None:
        """Show the step at hand."""
        before, self._view = self._view, view
        self.title.setText(view.step.title)
        self.place.setText(view.step.place)
        self.dial_words.setText(together(view.step.dial_words))
        self.panel_words.setText(together(view.step.panel_words))
        warnings = [*view.step.cautions]
        self.caution.setText(" ".join(warnings))
        self.caution.setVisible(bool(warnings))
        self._set_figure(view.reading.figure, view.reading.unit)
        self._describe_set(view, False)
        self.judged.setText(view.step.judged_words)
        self.judged.setVisible(bool(view.step.judged_words))
        if before is None or view.step.remarks != before.step.remarks:
            self.remarks.show_lines([Line("recheck", words) for words in view.step.remarks])
        self.bar.show_bar(view.reading.bar)
        if before is None or (view.step, view.reading.chart) != (before.step, before.reading.chart):
            self.channels.show_view(view)
            self.chart.show_chart(view.reading.chart)
        empty = self._describe_empty(view)
        if before is None or view.reading.hill != before.reading.hill or empty != self._describe_empty(before):
            self.hill.show_hill(view.reading.hill, empty)
        # With many places the chart says more than a hill of one place, but while that one is turned.
        self._show_coach(view)
        self._show_buttons(view)
        self._refit()

    def _describe_empty(self, view: BenchView) -> str:
        note = " ".join(view.step.notes)
        if view.step.leave_alone:
            return tr("In spec as found: leave it alone.") + (" " + note if note else "")
        if not view.board.selected:
            return note or tr("Measure only: nothing to adjust in this step.")
        return (note + " " if note else "") + tr(
            "Readings against the turns of {adjuster} are drawn here.", adjuster=view.board.selected
        )

    def _show_coach(self, view: BenchView) -> None:
        calm = view.coach.advice.act in ("conclude", "go to", "seal", "finish", "done", "log")
        restyle(self.coach, str(calm).lower(), "calm", self.headline, self.detail)
        self.headline.setText(view.coach.headline)
        self.detail.setText(together(view.coach.detail))
        self.arrow.show_way(view.coach.arrow, view.step.verdict)

    def _fit_buttons(self) -> None:
        """Say less on the hand's buttons where their row is narrower than their words."""
        if self._view is None:
            return
        step = self._describe_step(self._view)
        row = (self.ccw, self.cw, self.sweep, self.log, self.back, self.charted, self.judge, self.main)
        self.ccw.setVisible(True)
        self.cw.setVisible(True)
        log = self._log_words()
        for less in range(6):
            # First the hand's buttons, then the others. Where not even signs fit, the arrow keys are left: they say so in Help.
            self.ccw.setHidden(less >= 3)
            self.cw.setHidden(less >= 3)
            self.log.setText(log[less > 3])
            self.sweep.setText(tr("Sweep") if less > 1 else keyed(tr("Sweep  Space"), "sweep"))
            self.sweep.setVisible(self._swept and less <= 3)
            self.back.setText(bare_key("back") if less > 3 else keyed(tr("Back  B"), "back"))
            self.ccw.setText(f"◂ {step}" if less else f"◂ {step} " + tr("ccw"))
            self.cw.setText(f"{step} ▸" if less else f"{step} " + tr("cw") + " ▸")
            self.charted.setText(
                bare_key("chart")
                if less > 1
                else keyed(tr("Run  M"), "chart")
                if self._view.reading.run
                else keyed(tr("Chart  M"), "chart")
            )
            self.judge.setText(
                bare_key("judge")
                if less > 3
                else f"{bare_key('judge')}…"
                if less > 1
                else keyed(tr("Decide…  A"), "judge")
            )
            # The way back is in the ledger, too.
            self.back.setVisible(self._leads_back and less < 5)
            shown = [b for b in row if not b.isHidden()]
            if sum(b.sizeHint().width() + theme.px(8) for b in shown) <= self.contentsRect().width() - theme.px(36):
                break
        # What was hidden in the middle of a layout still has its place there until the row is laid out again.
        self._row.invalidate()
        self._row.activate()

    def _log_words(self) -> tuple[str, str]:
        """Whole and in short: what is live is logged, anything else typed."""
        live = self._view is not None and (self._view.simulated or self._view.reading.live)
        return (
            (keyed(tr("Log  L"), "log"), bare_key("log")) if live else (keyed(tr("Type  R"), "type"), bare_key("type"))
        )

    def _show_buttons(self, view: BenchView) -> None:
        can_turn = bool(view.board.selected) and not view.finished
        for button in (self.ccw, self.cw):
            button.setEnabled(can_turn)
            set_tip(
                button,
                tr("{adjuster}: own step, key ← or →", adjuster=view.board.selected) if view.board.selected else "",
            )
        self.log.setText(self._log_words()[0])
        self.log.setEnabled(not view.finished and view.hook_up.ok)
        asked = view.reading.by_ear
        if asked:
            words = (
                (tr("Softer  −"), tr("Same  /"), tr("Louder  +"))
                if asked == "loudness"
                else (tr("Too low  −"), tr("Natural  /"), tr("Too high  +"))
            )
            for button, text in zip(self._ears, words, strict=True):
                button.setText(text)
                button.setAccessibleName(text)
        self.ear.setVisible(
            bool(asked) and not view.finished and view.hook_up.ok and view.coach.advice.act == "measure"
        )
        self._swept = view.step.can_be_swept and bool(view.board.selected)
        moved = any(r.adjuster == view.board.selected and r.moved for r in view.board.ledger)
        self.back.setText(keyed(tr("Back  B"), "back"))
        self.back.setEnabled(moved and not view.finished)
        # Where a core is swept there is seldom anything to turn back by count.
        self._leads_back = self.back.isEnabled() or not self._swept
        self.charted.setVisible(bool(view.reading.chart_next or view.reading.run))
        self.charted.setEnabled(view.hook_up.ok)
        by_itself = tr("Takes the readings by itself; Esc stops it. You are told when to change the channel.")
        set_tip(self.charted, by_itself if view.reading.run else tr("next: {what}", what=view.reading.chart_next))
        self.main.setText(f"{view.coach.button}  ↵")
        self.judge.setVisible("accepted" in view.step.can_judge and view.procedure.phase != "as-found")

    def _describe_step(self, view: BenchView) -> str:
        small = view.board.selected_step_mdeg
        if small and small % 45_000 == 0:
            return "⅛" if small == 45_000 else f"{small // 45_000}/8"
        return f"{small / 1000:g}°" if small else ""

    def show_pending(self, pending: bool) -> None:
        """What was asked for is not answered yet: nothing of it is logged."""
        if pending != self._pending:
            self._pending = pending
            if self._view is not None:
                self._describe_set(self._view, False)

    def show_live(self, live: LiveFigure) -> None:
        """The needle now, drawn as such."""
        self._set_figure(live.figure, live.unit)
        self._warning = live.warning
        if self._view is not None:
            self._describe_set(self._view, True)
        self.bar.show_live(live.place)

    def _describe_set(self, view: BenchView, live: bool) -> None:
        """Under the figure: whether it is the needle or a logged reading, found, best, limit."""
        needle = tr("live reading, not logged")
        if view.reading.source:
            needle = self._warning or tr("live from {source}, not logged", source=view.reading.source)
        first = needle if live else tr("logged") if view.reading.figure != "—" else ""
        first = tr("pending: not logged yet") if self._pending else first
        self._lives = live or (self._lives and self._lives_at == view.step.id)
        self._lives_at = view.step.id
        rest = (view.reading.figure_words,)
        if not self._short:
            rest += (view.step.limit_words, view.reading.instrument_words)
            if view.reading.recorded and not view.reading.live and view.reading.figure == "—":
                rest += (tr("or from a recording: {key}", key=shown_key("recording")),)
        said = [together(" · ".join(x for x in (word, *rest) if x)) for word in (first, needle)]
        # Between two needles the words are shorter: what stands below stays where it is.
        room = QRect(0, 0, max(self.words.width(), 1), 10_000)
        high = (
            self.words.fontMetrics().boundingRect(room, Qt.TextFlag.TextWordWrap, said[1]).height()
            if self._lives
            else 0
        )
        grown = high != self.words.minimumHeight()
        if grown:
            self.words.setMinimumHeight(high)
        self.words.setText(said[0])
        if grown:
            # A needle that comes alive takes a line more: what there is no room for then gives way.
            self._refit()

    def _set_figure(self, figure: str, unit: str) -> None:
        self.figure.show_figure(figure, unit)

    def set_compact(self, low: bool) -> None:
        """Give way in a low window: the hill may be small."""
        self.hill.setMinimumHeight(theme.px(84 if low else 120))
        self.chart.setMinimumHeight(theme.px(80 if low else 118))
        self._short = low
        self._refit()
        if self._view is not None:
            self._describe_set(self._view, False)

    def _place_notes(self) -> None:
        """What there is to say beside a plot: whole where the card is tall, else in one line with the rest in its tip."""
        view = self._view
        words = "" if view is None else " ".join(view.step.notes)
        plotted = view is not None and (
            view.reading.chart is not None or (view.reading.hill is not None and bool(view.reading.hill.points))
        )
        roomy = self.height() >= theme.px(560) and not self._short
        self.notes.setText(together(words))
        self.brief.setText(words)
        hill = None if view is None else view.reading.hill
        # A curve of one place says less than the chart of all: only what is turned is worth the room beside it.
        turned = hill is not None and hill.x_unit != "dBm" and len({x for x, _ in hill.points}) > 1
        charted = view is not None and view.reading.chart is not None
        wanted = (bool(words), plotted, roomy, turned, charted, self._short, theme.scale)
        if self._fitted == (wanted, self._taken()):
            # A plot that is hidden and shown again is drawn again, at every reading.
            return
        # Where nothing is plotted its room goes to the figure, which is then read from farther away.
        self.figure.set_size(_FIGURE if plotted or not roomy else _LARGE_FIGURE)
        self.notes.setVisible(bool(words) and plotted and roomy)
        self.brief.setVisible(bool(words) and plotted and not roomy)
        self.hill.setVisible(view is not None and (not charted or (turned and not self._short)))
        # Large type in a low window: what has to be read and heeded goes before what is drawn.
        self.chart.setVisible(charted)
        self.detail.setVisible(True)
        self.words.setVisible(True)
        self.place.setVisible(True)
        self.remarks.setVisible(view is not None and bool(view.step.remarks))
        self.panel_words.setVisible(bool(self.panel_words.text()))
        restyle(self.headline, "false", "tight")
        set_tip(self.dial_words, self.panel_words.text())
        parts = (self.brief, self.hill, self.chart, self.detail, self.words, self.place, self.remarks, self.panel_words)
        for widget in parts:
            if self._fits():
                break
            widget.hide()
        if not self._fits():
            # The move itself is read whole, if smaller.
            restyle(self.headline, "true", "tight")
        self._fitted = (wanted, self._taken())

    def _taken(self) -> tuple[object, ...]:
        """What the room for each part comes of: the card's own size, and how high each text is."""
        said = tuple((x.width(), self._height(x), x.isHidden()) for x in self.findChildren(QLabel) if x.wordWrap())
        inner = (self.place.sizeHint().width(), self.remarks.sizeHint().height(), self.channels.isHidden())
        return (self.isVisible(), self.width(), self.height(), *inner, *said)

    def _height(self, label: QLabel) -> int:
        """How high a label's words are at its width: the layout of a text is not worked out again while nothing of it changes."""
        now = (label.width(), label.text(), label.font().key())
        known = self._heights.get(label)
        if known is None or known[0] != now:
            known = self._heights[label] = (now, label.heightForWidth(label.width()))
        return known[1]

    @property
    def says_notes(self) -> bool:
        """Are the notes to be read as the card stands: beside the plot, or instead of it?"""
        return self.notes.isVisible() or self.brief.isVisible() or (self.hill.isVisible() and not self.hill.drawn)

    def _fits(self) -> bool:
        """Is there room for all that is shown, each line of words whole?"""
        made = self.layout()
        if made is None or not self.isVisible():
            return True
        # What stands in frames of its own tells the card of a change only later: it is asked first, and looked at after.
        inner = [x for x in (self.dial.layout(), self.coach.layout()) if x is not None]
        for layout in inner:
            layout.invalidate()
            layout.activate()
        made.invalidate()
        if made.minimumHeightForWidth(self.width()) > self.height():
            return False
        made.activate()
        for layout in inner:
            layout.activate()
        said = (x for x in self.findChildren(QLabel) if x.isVisible() and x.wordWrap())
        # Frames in frames round their heights: a pixel short cuts no letter.
        return all(x.height() + 1 >= x.heightForWidth(x.width()) for x in said)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._refit()

    def _refit(self) -> None:
        """Let what is shown fit its room. What is shown or hidden for it may change that room again, in the middle of it: it is only
        looked at once more then, as a plot that is hidden while it is being shown stays on the screen."""
        if self._fitting:
            self._fit_again = True
            return
        self._fitting = True
        try:
            for _ in range(2):
                self._fit_again = False
                self._place_notes()
                self._fit_buttons()
                if not self._fit_again:
                    return
        finally:
            self._fitting = False

    # -- typing ---------------------------------------------------------------------------------

    @property
    def typing(self) -> bool:
        """Is the entry field open?"""
        return self.stack.currentIndex() == 1

    def open_entry(self, first: str = "") -> None:
        """Open the field, with the digit that opened it."""
        if self._view is None or self._view.finished:
            return
        self.entry.setPlaceholderText(self._view.reading.expected)
        self.entry_unit.setText(self._view.reading.entry_unit)
        set_tip(self.entry, self._view.reading.expected)
        self.entry.setText(first)
        self.stack.setCurrentIndex(1)
        self.typing_changed.emit(True)
        self.entry.setFocus()
        self.entry.setCursorPosition(len(first))

    def close_entry(self) -> None:
        """Close the field; the figure is back."""
        self.stack.setCurrentIndex(0)
        self.typing_changed.emit(False)
        page = self.parentWidget()
        if page is not None:
            page.setFocus()
