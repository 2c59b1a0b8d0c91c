"""What to do with an error that nobody foresaw: one message, details to copy, a line in a file; never silence.

The details name the kind of the error, where in the code it arose and the versions. They hold no text of a job: an
error's own words may quote what was typed.
"""

from __future__ import annotations

import contextlib
import logging
import os
import platform
import traceback
from dataclasses import dataclass
from logging.handlers import RotatingFileHandler
from pathlib import Path

from unitone import __version__
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
