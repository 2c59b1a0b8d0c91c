"""Screenshots of the main views, made from the demo workshop without a screen."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QApplication

from unitone.desktop.app import make_application
from unitone.desktop.theme.theme import theme
from unitone.desktop.window import MainWindow
from unitone.robot.demo import fill
from unitone.store.logbook import Logbook


def wait(app: QApplication, until: Callable[[], bool], seconds: float = 90.0) -> None:
    """Let the program run until something is true. Raises TimeoutError."""
    end = time.monotonic() + seconds
    while not until():
        if time.monotonic() > end:
            raise TimeoutError("the view did not come")
        app.processEvents()
        time.sleep(0.01)


def take_all(
    folder: Path, size: tuple[int, int] = (1280, 800), look: tuple[str, float] = ("day", 1.0), prefix: str = ""
) -> list[Path]:
    """Write the pictures to ``folder``; returns their paths."""
    folder.mkdir(parents=True, exist_ok=True)
    app = make_application()
    theme.use(*look)
    made: list[Path] = []
    with tempfile.TemporaryDirectory() as place, Logbook(Path(place) / "demo") as logbook:
        fill(logbook)
        window = MainWindow(logbook)
        window.resize(*size)
        window.show()

        def shoot(name: str) -> None:
            for _ in range(8):
                app.processEvents()
                time.sleep(0.02)
            path = folder / f"{prefix}{name}.png"
            window.grab().save(str(path))
            made.append(path)

        shoot("jobs")
        window.open_job(logbook.job("147").id)
        bench = window._bench
        wait(app, lambda: bench.view is not None and bench.view.number == 147)
        wait(app, lambda: bench.step.figure.text() not in ("", "—"))
        time.sleep(0.3)
        shoot("bench")
        window.open_job(logbook.job("145").id)
        wait(app, lambda: bench.view is not None and bench.view.number == 145)
        window.worker.do(lambda s: (s.start_work(), s.go_to("sensitivity")))
        wait(app, lambda: bench.view.step_id == "sensitivity")
        shoot("bench-channels")
        window.show_certificate(logbook.job("144").id)
        wait(app, lambda: window._papers.document.pageCount() > 0)
        time.sleep(0.3)
        shoot("certificate")
        window.show_place("jobs")
        window.jobs.ask_new()
        shoot("new-job")
        window.show_place("help")
        shoot("help")
        theme.use("night" if look[0] == "day" else "day", look[1])
        window.open_job(logbook.job("147").id)
        wait(app, lambda: bench.view is not None and bench.view.number == 147)
        shoot("bench-night")
        window.close()
    return made
