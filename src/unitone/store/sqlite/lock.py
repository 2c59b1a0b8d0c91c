"""One writer a folder: the lock that a logbook is opened and restored under. The system gives it back however the process ends."""

from __future__ import annotations

import fcntl
import os
from pathlib import Path

from filelock import FileLock, Timeout

from unitone.errors import LogbookBusy, StoreError
from unitone.files import PRIVATE_FILE, plain_reason, private_folder
from unitone.words import tr

NAME = "logbook.lock"


class FolderLock:
    """Holds a folder, which is made where it is missing. Raises LogbookBusy where another process has it, StoreError where it cannot be used."""

    def __init__(self, folder: Path) -> None:
        self._handle: int | None = None
        self._file: FileLock | None = None
        try:
            private_folder(folder)
            self._file = FileLock(folder / NAME, mode=PRIVATE_FILE)
            self._file.acquire(timeout=0)
            # The folder itself is locked, too: a lock file that somebody deletes lets no second writer in.
            self._handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
            _hold(self._handle)
        except (Timeout, BlockingIOError):
            self.release()
            raise LogbookBusy.at(str(folder)) from None
        except OSError as error:
            self.release()
            raise StoreError(
                tr(
                    "The folder {folder} cannot be used ({why}). Choose another with --workspace.",
                    folder=folder,
                    why=plain_reason(error),
                )
            ) from None

    def release(self) -> None:
        """Give it back; twice does no harm."""
        if self._handle is not None:
            os.close(self._handle)
            self._handle = None
        if self._file is not None:
            self._file.release()
            self._file = None


def _hold(handle: int) -> None:
    """Take an open folder for this process. Raises BlockingIOError where another has it; media without such locks go without."""
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        raise
    except OSError:
        return
