"""Starting the window."""

from __future__ import annotations

import sys
import traceback
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication, QLabel

from unitone.desktop.theme.theme import load_fonts, theme
from unitone.errors import UnitoneError
from unitone.store.logbook import Logbook


def make_application() -> QApplication:
    """The one QApplication, with typeface and theme."""
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        app = QApplication(sys.argv[:1])
        app.setApplicationName("Unitone")
        app.setDesktopFileName("unitone")
        app.setStyle("Fusion")
    load_fonts()
    return app


def run(folder: Path) -> int:
    """Open the window on the logbook in ``folder``; returns the exit code."""
    # An exception in a slot would end the process without a word: say it and go on.
    sys.excepthook = lambda kind, error, trace: traceback.print_exception(kind, error, trace)
    # The bench's thread hands the interpreter back soon enough for the window to stay quick.
    sys.setswitchinterval(0.001)
    app = make_application()
    try:
        logbook = Logbook(folder)
    except UnitoneError as error:
        print(f"unitone: {error}", file=sys.stderr)
        theme.use("day", 1.0)
        words = QLabel(str(error))
        words.setWindowTitle("Unitone")
        words.setMargin(40)
        words.show()
        app.exec()
        return 3
    from unitone.desktop.window import MainWindow

    look = logbook.setting("look", {}) or {}
    theme.use(look.get("theme", "day"), look.get("scale", 1.0))
    window = MainWindow(logbook)
    window.show()
    job = logbook.setting("open_job", "")
    if job:
        QTimer.singleShot(0, lambda: window.open_job(job))
    code = app.exec()
    logbook.close()
    return code
