"""What Qt finds on this machine, as one JSON object: run as a program of its own, because a Qt that finds no screen ends its process.

``python -m unitone.desktop.shell.qt_probe``: ``qt``, ``platform``, and ``inputs``, ``outputs``, ``cameras``, ``speech`` as lists of names, or
under ``errors`` the reason why there is none.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import PYQT_VERSION_STR, QT_VERSION_STR
from PyQt6.QtGui import QGuiApplication


def _inputs() -> list[str]:
    from unitone.desktop.audio.soundcard import devices

    return [d.name for d in devices()]


def _outputs() -> list[str]:
    from unitone.desktop.audio.soundcard import devices

    return [d.name for d in devices(output=True)]


def _cameras() -> list[str]:
    from unitone.desktop.camera.webcam import webcams

    return [c.name for c in webcams()]


def _speech() -> list[str]:
    from PyQt6.QtTextToSpeech import QTextToSpeech

    from unitone.desktop.audio.voice import SILENT

    return [e for e in QTextToSpeech.availableEngines() if e != SILENT]


def main() -> None:
    """Print what there is; what cannot be asked costs itself alone."""
    app = QGuiApplication(sys.argv[:1])
    found: dict[str, Any] = {
        "qt": QT_VERSION_STR,
        "pyqt": PYQT_VERSION_STR,
        "platform": app.platformName(),
        "errors": {},
    }
    parts: dict[str, Callable[[], list[str]]] = {
        "inputs": _inputs,
        "outputs": _outputs,
        "cameras": _cameras,
        "speech": _speech,
    }
    for name, ask in parts.items():
        try:
            found[name] = ask()
        except Exception as error:
            found[name] = []
            found["errors"][name] = str(error)
    print(json.dumps(found))


if __name__ == "__main__":
    main()
