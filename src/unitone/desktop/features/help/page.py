"""Help: the manual by chapters, searchable; the glossary; every key."""

from __future__ import annotations

from html import escape

from PyQt6.QtCore import Qt, QUrl, QVariant
from PyQt6.QtGui import QImage, QResizeEvent, QTextDocument
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QTextBrowser,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from unitone.actions import ACTIONS, key_of, keyed, named_key
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.fitting import ChipRow
from unitone.desktop.widgets.painted import label
from unitone.present.glossary import Term, terms
from unitone.present.manual import DOCS, chapter_for, chapters, found
from unitone.words import N_, tr

_PARTS = (("manual", N_("Manual")), ("glossary", N_("Glossary")), ("keys", N_("Keys")))
_SCOPES = (
    ("everywhere", N_("Everywhere")), ("bench", N_("On the Bench")), ("jobs", N_("Among the jobs")), ("card", N_("On the card of a job")),
    ("trace", N_("While tracing")),
    ("meters", N_("At the meters")), ("calculators", N_("In the calculators")), ("sheets", N_("Among the sheets")),
    ("welcome", N_("On the first evening")), ("practice", N_("In Practice")), ("debrief", N_("In a debrief")),
    ("help", N_("In the help")),
)  # fmt: skip


class _Text(QTextBrowser):
    """Text with pictures no wider than it is."""

    def __init__(self) -> None:
        super().__init__()
        self.setOpenLinks(False)
        self.setOpenExternalLinks(False)
        self._wide = 0

    def loadResource(self, kind: int, name: QUrl) -> QVariant | QImage | object:
        """A picture of the manual, drawn to fit; nothing from anywhere else."""
        if kind == QTextDocument.ResourceType.ImageResource.value and not name.scheme():
            path = (DOCS / name.path()).resolve()
            if path.is_relative_to(DOCS) and path.is_file():
                room = max(self.viewport().width() - theme.px(24), 200) if self.viewport() is not None else 600
                self._wide = room
                return QImage(str(path)).scaledToWidth(room, Qt.TransformationMode.SmoothTransformation)
        return None


class HelpPage(QWidget):
    """The manual opens at the chapter of the view and step at hand (F1), the glossary at the terms at hand (Shift+F1)."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAccessibleName(tr("Help"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(theme.px(20), theme.px(14), theme.px(20), theme.px(14))
        head = QHBoxLayout()
        head.addWidget(label("page", tr("Help")))
        self.row = ChipRow(tr("Part of the help"), [(n, tr(w)) for n, w in _PARTS], self.show_part)
        head.addWidget(self.row, 1)
        self.find = QLineEdit()
        self.find.setPlaceholderText(keyed(tr("Find in the manual and the glossary  Ctrl F"), "find-help"))
        self.find.setAccessibleName(tr("Find in the manual and the glossary"))
        self.find.setClearButtonEnabled(True)
        for clear in self.find.findChildren(QToolButton):
            clear.setAccessibleName(tr("Clear the search"))
        self.find.textChanged.connect(lambda _: self._fill())
        head.addWidget(self.find, 1)
        outer.addLayout(head)
        columns = QHBoxLayout()
        columns.setSpacing(theme.px(12))
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Chapters"))
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentRowChanged.connect(self._show_chosen)
        columns.addWidget(self.list, 1)
        self.text = _Text()
        self.text.setAccessibleName(tr("Text"))
        columns.addWidget(self.text, 3)
        outer.addLayout(columns, 1)
        self.empty = label("quiet", tr("Nothing has these words. Try fewer letters."))
        outer.addWidget(self.empty)
        self.part = "manual"
        self.row.mark("manual")
        self._fill()

    def press(self, name: str) -> None:
        """An action by its id."""
        if name == "find-help":
            self.find.setFocus()
            self.find.selectAll()

    def show_part(self, name: str) -> None:
        """Manual, glossary or keys."""
        self.part = name
        self.row.mark(name)
        self._fill()

    def show_for(self, wanted: tuple[str, ...]) -> None:
        """The manual at the chapter that helps with the first of these (a step's quantity, a view)."""
        self.find.clear()
        self.show_part("manual")
        self.list.setCurrentRow(chapter_for(wanted))

    def show_terms(self, chosen: tuple[Term, ...]) -> None:
        """The glossary at the first of these terms; from its top where there are none."""
        self.find.clear()
        self.show_part("glossary")
        names = [t.term for t in terms()]
        if chosen and chosen[0].term in names:
            self.list.setCurrentRow(names.index(chosen[0].term))

    def _fill(self) -> None:
        typed = self.find.text()
        self.list.blockSignals(True)
        self.list.clear()
        if self.part == "manual":
            rows = [(chapters()[n].title, n) for n in found(typed)]
        elif self.part == "glossary":
            words = typed.casefold().split()
            rows = [
                (t.term, n) for n, t in enumerate(terms())
                if all(w in f"{' '.join(t.spellings)} {t.means}".casefold() for w in words)
            ]  # fmt: skip
        else:
            rows = [(tr(words), n) for n, (_, words) in enumerate(_SCOPES)]
        for words_shown, n in rows:
            item = QListWidgetItem(words_shown)
            item.setData(Qt.ItemDataRole.UserRole, n)
            self.list.addItem(item)
        self.list.blockSignals(False)
        self.empty.setVisible(not rows)
        self.list.setCurrentRow(0)
        self._show_chosen(self.list.currentRow())

    def _show_chosen(self, row: int) -> None:
        item = self.list.item(row)
        if item is None:
            self.text.clear()
            return
        n = int(item.data(Qt.ItemDataRole.UserRole))
        if self.part == "manual":
            self.text.setMarkdown(chapters()[n].text)
        elif self.part == "glossary":
            t = terms()[n]
            also = f"<p>{escape(tr('Also: {words}', words=', '.join(t.also)))}</p>" if t.also else ""
            self.text.setHtml(f"<h2>{escape(t.term)}</h2><p>{escape(t.means)}</p>{also}")
        else:
            scope = _SCOPES[n][0]
            rows = "".join(
                f"<tr><td style='padding-right:14px'><b>{escape(named_key(key_of(a)) or '–')}</b></td><td>{escape(a.words)}</td></tr>"
                for a in ACTIONS if a.scope == scope
            )  # fmt: skip
            self.text.setHtml(f"<h2>{escape(tr(_SCOPES[n][1]))}</h2><table cellspacing=4>{rows}</table>")

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Pictures are as wide as their text."""
        super().resizeEvent(event)
        if self.part == "manual":
            self._show_chosen(self.list.currentRow())
