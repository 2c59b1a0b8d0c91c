"""The glossary where it is needed: on hover over a text that uses one of its terms, and on Shift+F1."""

from __future__ import annotations

from PyQt6.QtGui import QHelpEvent
from PyQt6.QtWidgets import QAbstractButton, QComboBox, QGroupBox, QLabel, QToolTip, QWidget

from unitone.desktop.widgets.painted import plain_tip
from unitone.present.glossary import Term, terms_in


def text_of(widget: QWidget) -> str:
    """What a widget says."""
    if isinstance(widget, QLabel | QAbstractButton):
        return widget.text()
    if isinstance(widget, QComboBox):
        return widget.currentText()
    if isinstance(widget, QGroupBox):
        return widget.title()
    words = getattr(widget, "words", "")
    return words if isinstance(words, str) else ""


def terms_at(widget: QWidget | None, most: int = 3) -> tuple[Term, ...]:
    """The terms that a widget, or what holds it, uses: the nearest text first."""
    while widget is not None:
        found = terms_in(" ".join(x for x in (text_of(widget), widget.accessibleName()) if x), most)
        if found:
            return found
        widget = widget.parentWidget()
    return ()


def hint_at(window: QWidget, event: QHelpEvent) -> bool:
    """Show what the terms under the pointer mean, where no other tip is. False where there are none.

    A tip that no widget answers comes to its window; so no filter sees every event of the program.
    """
    watched = window.childAt(event.pos())
    if watched is None or watched.toolTip():
        return False
    found = terms_in(text_of(watched))
    if found:
        QToolTip.showText(event.globalPos(), plain_tip("\n".join(f"{t.term}: {t.means}" for t in found)), watched)
    return bool(found)
