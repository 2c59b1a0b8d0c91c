"""What to do with an error that nobody foresaw: one message, details to copy, a line in a file; never silence.

The details name the kind of the error, where in the code it arose and the versions. They hold no text of a job: an
error's own words may quote what was typed.
"""

from __future__ import annotations

import contextlib
import faulthandler
import logging
import os
import platform
import re
import time
import traceback
from dataclasses import dataclass
from logging.handlers import RotatingFileHandler
from pathlib import Path
from typing import TextIO

from unitone import __version__, files
from unitone.errors import UnitoneError
from unitone.files import PRIVATE_FILE, private_folder
from unitone.words import tr

FILE_NAME = "trouble.log"
_MOST_BYTES, _KEPT = 256_000, 3
_PACKAGE = Path(__file__).resolve().parent


@dataclass(frozen=True)
class Trouble:
    """An unforeseen error: the message for the screen, and the details for whoever repairs the program."""

    words: str
    details: str


def log_folder() -> Path:
    """Where the file with unforeseen errors lies: the user's state folder."""
    from platformdirs import user_state_path

    return user_state_path("unitone", appauthor=False)


def describe(error: BaseException, where: str) -> Trouble:
    """The message and the details of an error; ``where`` is what was being done, such as ``bench``."""
    frames = traceback.extract_tb(error.__traceback__)
    lines = [f"{_place(f.filename)}:{f.lineno} {f.name}" for f in frames]
    at = lines[-1].rpartition(" ")[0] if lines else "?"
    kind = type(error).__name__
    words = f": {error}" if type(error) in (TypeError, AttributeError, NameError, ImportError) else ""
    details = "\n".join(
        [f"Unitone {__version__}, Python {platform.python_version()}, {platform.system()} {platform.machine()}",
         f"{kind}{words} in {where}", *(f"  {x}" for x in lines[-30:])]
    )  # fmt: skip
    told = tr("Unitone hit an internal error ({kind} at {at}). Everything logged is safe on disk; the last action was not done.",
              kind=kind, at=at)  # fmt: skip
    return Trouble(told, details)


def report(error: BaseException, where: str) -> Trouble:
    """``describe``, and keep the details in the rotating file. A file that cannot be written is no reason to fail."""
    found = describe(error, where)
    with contextlib.suppress(OSError, UnitoneError):
        _keep(log_folder(), found.details)
    return found


def troubles_kept() -> int:
    """How many unforeseen errors the file holds; an old file that was turned over is not counted."""
    try:
        return sum(
            "Unitone " in line for line in files.read_text(log_folder() / FILE_NAME, 2 * _MOST_BYTES).splitlines()
        )
    except (OSError, UnitoneError, UnicodeDecodeError):
        return 0


def crashes() -> list[Path]:
    """What sudden ends left, oldest first."""
    return sorted(log_folder().glob("crash-*.txt"))


class CrashWatch:
    """Has the interpreter write where it stood when the process ends suddenly (``faulthandler``); at the next start that is told once.

    While the window is open a file stands beside the log; an orderly end takes it away. It holds places in the code, no text of a job.
    """

    def __init__(self, folder: Path | None = None) -> None:
        self._folder = folder or log_folder()
        self._path = self._folder / f"running-{os.getpid()}.txt"
        self._out: TextIO | None = None

    def last_time(self) -> Trouble | None:
        """What the last sudden end left, kept as ``crash-….txt``; None where every window ended in order. Told once."""
        told = None
        for left in sorted(self._folder.glob("running-*.txt")) if self._folder.is_dir() else []:
            number = left.stem.partition("-")[2]
            if not number.isdigit() or int(number) == os.getpid() or Path(f"/proc/{number}").exists():
                continue
            with contextlib.suppress(OSError, UnitoneError):
                words = files.read_text(left, _MOST_BYTES)
                kept = left.with_name(f"crash-{time.strftime('%Y%m%d-%H%M%S')}-{number}.txt")
                left.replace(kept)
                details = "\n".join(_without_folders(x) for x in words.splitlines())
                told = Trouble(
                    tr("Unitone ended suddenly last time. Every entry is safe on disk. Details: {path}", path=kept),
                    details,
                )
        for old in crashes()[:-_KEPT] if self._folder == log_folder() else []:
            with contextlib.suppress(OSError):
                old.unlink()
        return told

    def begin(self) -> None:
        """Watch from now on. A folder that cannot be written is no reason to fail."""
        with contextlib.suppress(OSError, UnitoneError):
            private_folder(self._folder)
            handle = os.open(self._path, os.O_CREAT | os.O_TRUNC | os.O_WRONLY, PRIVATE_FILE)
            self._out = os.fdopen(handle, "w", encoding="utf-8")
            self._out.write(
                f"Unitone {__version__}, Python {platform.python_version()}, {platform.system()} {platform.machine()}\n"
            )
            self._out.flush()
            faulthandler.enable(self._out)

    def end(self) -> None:
        """An orderly end: nothing is left."""
        if self._out is not None:
            faulthandler.disable()
            self._out.close()
            self._out = None
            with contextlib.suppress(OSError):
                self._path.unlink()


def _without_folders(line: str) -> str:
    """A line of a traceback with files by their place in the package, or by their name."""
    return re.sub(r'File "([^"]+)"', lambda m: f'File "{_place(m[1])}"', line)


def _place(file: str) -> str:
    """A file by its place in the package, or by its name alone: no folder of this machine."""
    path = Path(file)
    return str(path.relative_to(_PACKAGE)) if path.is_relative_to(_PACKAGE) else path.name


class _Private(RotatingFileHandler):
    """A log for its owner's eyes."""

    def _open(self):  # type: ignore[no-untyped-def]
        os.close(os.open(self.baseFilename, os.O_CREAT | os.O_APPEND | os.O_WRONLY, PRIVATE_FILE))
        return super()._open()


def _keep(folder: Path, details: str) -> None:
    """One more entry in the rotating file, which stands open no longer than that."""
    private_folder(folder)
    handler = _Private(folder / FILE_NAME, maxBytes=_MOST_BYTES, backupCount=_KEPT, encoding="utf-8", delay=True)
    handler.setFormatter(logging.Formatter("%(asctime)s %(message)s"))
    try:
        handler.emit(logging.LogRecord("unitone", logging.ERROR, "", 0, details, None, None))
    finally:
        handler.close()
