"""A job's papers in the window."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtPdfWidgets import QPdfView
from PyQt6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from unitone.desktop.shell.errand import Errand
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.painted import label
from unitone.job.fold import read
from unitone.present.papers import FORMS, Paper, certificate_of, handover_of, paper_head, render_paper, write_paper
from unitone.store.logbook import Logbook
from unitone.words import LANGUAGES, tr


class PapersPage(QWidget):
    """The certificate or the handover page as it will be printed, and where to save it. Made off the window's thread."""

    leave = pyqtSignal()
    card = pyqtSignal()

    def __init__(self, logbook: Logbook) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAccessibleName(tr("Papers"))
        self._logbook, self._job = logbook, ""
        self.kind: Paper = "certificate"
        self._making, self._saving = Errand("paper", self), Errand("save", self, every=True)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(theme.px(20), theme.px(16), theme.px(20), theme.px(14))
        outer.addLayout(self._head())
        self.words = label("quiet", "", True)
        self.words.setAccessibleName(tr("About this page"))
        outer.addWidget(self.words)
        self._buffer = QBuffer(self)
        self.document = QPdfDocument(self)
        self.pages = QPdfView(self)
        self.pages.setAccessibleName(tr("Preview"))
        self.pages.setPageMode(QPdfView.PageMode.MultiPage)
        self.pages.setZoomMode(QPdfView.ZoomMode.FitToWidth)
        self.pages.setDocument(self.document)
        outer.addWidget(self.pages, 1)

    def _head(self) -> QVBoxLayout:
        """Which paper, and the ways back; beneath, how it is made and saved."""
        head = QVBoxLayout()
        head.setSpacing(theme.px(6))
        self._lines = (QHBoxLayout(), QHBoxLayout(), QHBoxLayout())
        for line in self._lines:
            line.setSpacing(theme.px(6))
            head.addLayout(line)
        self.kinds: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        for kind, words in (
            ("certificate", tr("Certificate")),
            ("handover", tr("Handover page")),
            ("readings", tr("As-found sheet")),
            ("before-after", tr("Before and after")),
        ):
            button = self.kinds[kind] = QPushButton(words)
            button.setProperty("role", "chip")
            button.setCheckable(True)
            button.clicked.connect(lambda _=False, k=kind: self.show_job(self._job, k))
            group.addButton(button)
        self.private = QCheckBox(tr("without the owner"))
        self.private.setAccessibleName(tr("Leave out owner and call sign everywhere"))
        self.private.toggled.connect(lambda _: self.show_job(self._job, self.kind))
        self.language = QComboBox()
        self.language.setAccessibleName(tr("Language of this paper"))
        self.language.addItem(tr("workshop's language"), "")
        for code, name in LANGUAGES.items():
            self.language.addItem(name, code)
        self.language.activated.connect(lambda _: self.show_job(self._job, self.kind))
        self.language.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.buttons: dict[str, QPushButton] = {}
        for form in ("pdf", "html", "csv", "json"):
            button = QPushButton(tr("Save {form}", form=form.upper()))
            button.clicked.connect(lambda _=False, f=form: self._ask(f))
            if form == "pdf":
                button.setProperty("role", "main")
            self.buttons[form] = button
        self._back: list[QPushButton] = []
        for words, signal in ((tr("Card"), self.card), (tr("Bench"), self.leave)):
            back = QPushButton(words)
            back.clicked.connect(signal.emit)
            self._back.append(back)
        self._arrange()
        return head

    def _arrange(self) -> None:
        """Two lines where their words have room, else three."""
        kinds, made, saved = [*self.kinds.values()], [self.private, self.language], [*self.buttons.values()]
        for narrow in (False, True):
            rows: tuple[tuple[Sequence[QWidget], Sequence[QWidget]], ...] = (
                ((kinds, ()), (made, self._back), (saved, ()))
                if narrow
                else ((kinds, self._back), (made, saved), ((), ()))
            )
            needed = max(sum(w.sizeHint().width() + theme.px(6) for w in (*left, *right)) for left, right in rows)
            if needed + theme.px(40) <= self.width():
                break
        for line, (left, right) in zip(self._lines, rows, strict=True):
            while line.count():
                line.takeAt(0)
            for widget in left:
                line.addWidget(widget)
            line.addStretch(1)
            for widget in right:
                line.addWidget(widget)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """See Qt."""
        super().resizeEvent(event)
        self._arrange()

    def tongue(self) -> str:
        """The language chosen for this paper; empty for the workshop's."""
        return str(self.language.currentData() or "")

    def show_job(self, job_id: str, kind: str = "certificate") -> None:
        """Make a paper of a job and show it."""
        self._job = job_id
        self.kind = next((k for k in FORMS if k == kind), "certificate")
        self.kinds[self.kind].setChecked(True)
        for form, button in self.buttons.items():
            button.setVisible(form in FORMS[self.kind])
        self.words.setText(tr("being made…"))
        chosen, private = self.kind, self.private.isChecked()
        tongue = self.tongue()
        self._making.run(lambda: self._make(job_id, chosen, private, tongue), self._show, self._failed)

    def _make(self, job_id: str, kind: Paper, private: bool, tongue: str) -> tuple[bytes, str]:
        state, head = read(self._logbook.tape(job_id), job_id), paper_head(self._logbook)
        about = handover_of(state).headline if kind == "handover" else certificate_of(state).summary
        if kind == "readings":
            about = tr("to print and fill in by pencil; typed in later on the card")
        elif kind == "before-after":
            about = tr("as found and as left, place by place")
        return render_paper(
            state, kind, "pdf", private, head, tongue
        ), f"{state.card.number:04d} · {state.sheet.title} · {about}"

    def _show(self, made: tuple[bytes, str]) -> None:
        content, words = made
        self.words.setText(words)
        self.document.close()
        self._buffer.close()
        self._buffer.setData(QByteArray(content))
        self._buffer.open(QIODevice.OpenModeFlag.ReadOnly)
        self.document.load(self._buffer)

    def _failed(self, words: str) -> None:
        self.document.close()
        self.words.setText(words)

    def _ask(self, form: str) -> None:
        row = self._logbook.job(self._job)
        name, _ = QFileDialog.getSaveFileName(self, tr("Save this paper"), f"{self.kind}-{row.number:04d}.{form}")
        if name:
            self.save(form, Path(name))

    def save(self, form: str, path: Path) -> None:
        """Write the paper; the words at the top say how it went."""
        job_id, kind, private, tongue = self._job, self.kind, self.private.isChecked(), self.tongue()
        self._saving.run(
            lambda: write_paper(
                read(self._logbook.tape(job_id), job_id), kind, form, path, private, paper_head(self._logbook), tongue
            ),
            lambda _: self.words.setText(tr("Saved as {path}", path=path)), self.words.setText,
        )  # fmt: skip
