"""The certificate in the window, and help with every key."""

from __future__ import annotations

import threading
from html import escape
from pathlib import Path

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, pyqtSignal
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtPdfWidgets import QPdfView
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QPushButton, QTextBrowser, QVBoxLayout, QWidget

from unitone.desktop.actions import ACTIONS
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.painted import label
from unitone.errors import UnitoneError
from unitone.store.logbook import Logbook
from unitone.words import tr

_MANUAL = Path(__file__).resolve().parents[4] / "docs" / "manual.md"


class CertificatePage(QWidget):
    """The certificate as it will be printed, and where to save it. Made off the window's thread."""

    ready = pyqtSignal(str, bytes, str)
    leave = pyqtSignal()

    def __init__(self, logbook: Logbook) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAccessibleName(tr("Certificate"))
        self._logbook, self._job = logbook, ""
        outer = QVBoxLayout(self)
        outer.setContentsMargins(theme.px(20), theme.px(16), theme.px(20), theme.px(14))
        head = QHBoxLayout()
        self.title = label("page", tr("Certificate"))
        self.words = label("quiet", "", True)
        head.addWidget(self.title)
        head.addWidget(self.words, 1)
        self.buttons: dict[str, QPushButton] = {}
        for form in ("pdf", "html", "csv", "json"):
            button = QPushButton(tr("Save {form}", form=form.upper()))
            button.clicked.connect(lambda _=False, f=form: self._ask(f))
            if form == "pdf":
                button.setProperty("role", "main")
            self.buttons[form] = button
            head.addWidget(button)
        back = QPushButton(tr("Back to the bench"))
        back.clicked.connect(self.leave.emit)
        head.addWidget(back)
        outer.addLayout(head)
        self._buffer = QBuffer(self)
        self.document = QPdfDocument(self)
        self.pages = QPdfView(self)
        self.pages.setAccessibleName(tr("Certificate preview"))
        self.pages.setPageMode(QPdfView.PageMode.MultiPage)
        self.pages.setZoomMode(QPdfView.ZoomMode.FitToWidth)
        self.pages.setDocument(self.document)
        outer.addWidget(self.pages, 1)
        self.ready.connect(self._show)

    def show_job(self, job_id: str) -> None:
        """Make the certificate of a job and show it."""
        self._job = job_id
        self.words.setText(tr("being made…"))
        threading.Thread(target=self._make, args=(job_id,), name="certificate", daemon=True).start()

    def _make(self, job_id: str) -> None:
        from unitone.job.state import fold
        from unitone.report.write import render
        from unitone.session.papers import certificate_of

        try:
            made = certificate_of(fold(self._logbook.tape(job_id), job_id))
            self.ready.emit(job_id, render(made, "pdf"), f"{made.radio} · {made.summary}")
        except UnitoneError as error:
            self.ready.emit(job_id, b"", str(error))

    def _show(self, job_id: str, content: bytes, words: str) -> None:
        if job_id != self._job:
            return
        self.words.setText(words)
        self.document.close()
        if content:
            self._buffer.close()
            self._buffer.setData(QByteArray(content))
            self._buffer.open(QIODevice.OpenModeFlag.ReadOnly)
            self.document.load(self._buffer)

    def _ask(self, form: str) -> None:
        row = self._logbook.job(self._job)
        name, _ = QFileDialog.getSaveFileName(self, tr("Save the certificate"), f"certificate-{row.number:04d}.{form}")
        if name:
            self.save(form, Path(name))

    def save(self, form: str, path: Path) -> None:
        """Write the certificate; the words at the top say how it went."""
        from unitone.job.state import fold
        from unitone.report.write import write
        from unitone.session.papers import certificate_of

        try:
            write(certificate_of(fold(self._logbook.tape(self._job), self._job)), form, path)
            self.words.setText(tr("Saved as {path}", path=path))
        except UnitoneError as error:
            self.words.setText(str(error))


class HelpPage(QWidget):
    """Every key, then the manual."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAccessibleName(tr("Help"))
        outer = QVBoxLayout(self)
        outer.setContentsMargins(theme.px(20), theme.px(16), theme.px(20), theme.px(14))
        outer.addWidget(label("page", tr("Help")))
        columns = QHBoxLayout()
        columns.setSpacing(theme.px(12))
        self.keys, self.manual = QTextBrowser(), QTextBrowser()
        self.keys.setAccessibleName(tr("Keys"))
        self.manual.setAccessibleName(tr("Manual"))
        self.manual.setOpenExternalLinks(False)
        columns.addWidget(self.keys, 2)
        columns.addWidget(self.manual, 3)
        outer.addLayout(columns, 1)
        self._fill()

    def _fill(self) -> None:
        rows = []
        for scope, words in (
            ("everywhere", tr("Everywhere")),
            ("bench", tr("On the Bench")),
            ("jobs", tr("Among the jobs")),
            ("sheets", tr("Among the sheets")),
        ):
            rows.append(f"<tr><td colspan=2><br><b>{words}</b></td></tr>")
            rows += [
                f"<tr><td style='padding-right:14px'><b>{a.key}</b></td><td>{escape(a.words)}</td></tr>"
                for a in ACTIONS
                if a.scope == scope
            ]
        self.keys.setHtml("<table cellspacing=4>" + "".join(rows) + "</table>")
        text = (
            _MANUAL.read_text(encoding="utf-8")
            if _MANUAL.is_file()
            else tr("The manual is in docs/manual.md of the source.")
        )
        self.manual.setMarkdown(text)
