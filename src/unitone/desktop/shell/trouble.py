"""Errors that nobody foresaw, from every thread of the window: one message with details to copy, and the window goes on."""

from __future__ import annotations

import sys
import threading
from types import TracebackType

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QApplication, QFrame, QHBoxLayout, QPushButton

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.painted import label
from unitone.trouble import Trouble, report
from unitone.words import tr


class Troubles(QObject):
    """Tells of each one; may be called from any thread."""

    happened = pyqtSignal(object)

    def caught(self, error: BaseException, where: str) -> str:
        """An error arrived at a thread's edge: it is kept in the file and told; returns the message."""
        found = report(error, where)
        self.happened.emit(found)
        return found.words

    def install(self) -> None:
        """Catch what no edge catches: in slots (PyQt would end the process) and in threads."""

        def hook(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
            if issubclass(kind, KeyboardInterrupt):
                sys.__excepthook__(kind, error, trace)
                return
            self.caught(error, "window")

        def thread_hook(found: threading.ExceptHookArgs) -> None:
            if found.exc_value is not None and not isinstance(found.exc_value, SystemExit):
                self.caught(found.exc_value, found.thread.name if found.thread is not None else "thread")

        sys.excepthook, threading.excepthook = hook, thread_hook


troubles = Troubles()


class TroubleStrip(QFrame):
    """The message over every page, with a button that copies the details; the last one that came is shown."""

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "warning")
        self.setAccessibleName(tr("Something went wrong"))
        row = QHBoxLayout(self)
        row.setContentsMargins(theme.px(12), theme.px(5), theme.px(8), theme.px(5))
        self.words = label("warn", "", True)
        self.words.setAccessibleName(tr("Message"))
        row.addWidget(self.words, 1)
        self.copy, self.dismiss = QPushButton(tr("Copy details")), QPushButton(tr("Got it"))
        for button in (self.copy, self.dismiss):
            button.setProperty("role", "link")
            row.addWidget(button)
        self.copy.clicked.connect(self._copy)
        self.dismiss.clicked.connect(self.hide)
        self._details = ""
        troubles.happened.connect(self.show_trouble)
        self.hide()

    def show_trouble(self, found: Trouble) -> None:
        """Show this one."""
        self._details = found.details
        self.words.setText(found.words)
        self.show()

    def _copy(self) -> None:
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self._details)
