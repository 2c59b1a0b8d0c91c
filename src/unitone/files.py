"""Files at the edge: what is read is a plain file of a sane size; what is written is whole, and its owner's alone.

Everything that opens a file somebody names goes through this module: a pipe would
hang the reader, a device or an endless file would fill the memory, and writing
through a link or over a device destroys what nobody meant.
"""

from __future__ import annotations

import errno
import json
import lzma
import os
import re
import stat
import struct
import tempfile
import zipfile
import zlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, BinaryIO

from unitone.errors import UnitoneError
from unitone.words import N_, tr

#: Files that Unitone makes are for their owner alone.
PRIVATE_FILE, PRIVATE_FOLDER = 0o600, 0o700
#: A file of a workshop's own (a sheet with its pictures) is never larger (bytes).
PRIVATE_LARGEST = 400_000_000

_KINDS = (
    (stat.S_ISDIR, N_("it is a folder")), (stat.S_ISFIFO, N_("it is a pipe, not a file")), (stat.S_ISSOCK, N_("it is a socket, not a file")),
    (stat.S_ISCHR, N_("it is a device, not a file")), (stat.S_ISBLK, N_("it is a device, not a file")), (stat.S_ISLNK, N_("it is a link")),
)  # fmt: skip
#: Marks of structure in JSON: each value that is made costs memory far beyond its bytes in the file.
_MARKS = b"{[,"
_DEEP = re.compile(rb"(?:[\[{]\s*){400}")


class NotAFile(OSError):
    """What stands at a path is no plain file; ``strerror`` says what it is."""


class TooLarge(OSError):
    """A file is far larger than what it is taken for; ``strerror`` says how large."""


def kind_of(mode: int) -> str:
    """What a path is that is no plain file (``st_mode`` of it), in words; empty for a plain file."""
    return (
        ""
        if stat.S_ISREG(mode)
        else next((words for test, words in _KINDS if test(mode)), tr("it is not a plain file"))
    )


def check_readable(path: Path, most: int | None = None) -> int:
    """The size of a plain file in bytes. Raises NotAFile, TooLarge (over ``most`` bytes) or another OSError."""
    found = os.stat(path)
    if words := kind_of(found.st_mode):
        raise NotAFile(errno.EINVAL, words, str(path))
    if most is not None and found.st_size > most:
        raise TooLarge(
            errno.EFBIG,
            tr("{size} is too large: {size2} at most", size=_size(found.st_size), size2=_size(most)),
            str(path),
        )
    return found.st_size


def open_readable(path: Path, most: int | None = None) -> BinaryIO:
    """Open a plain file for reading; see ``check_readable``. Never waits for a pipe's other end."""
    check_readable(path, most)
    handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    # Looked at again by its handle: the path may mean something else by now.
    if words := kind_of(os.fstat(handle).st_mode):
        os.close(handle)
        raise NotAFile(errno.EINVAL, words, str(path))
    return os.fdopen(handle, "rb")


def read_bytes(path: Path, most: int) -> bytes:
    """The whole of a plain file of at most ``most`` bytes. Raises OSError (NotAFile, TooLarge)."""
    with open_readable(path, most) as file:
        content = file.read(most + 1)
    if len(content) > most:
        raise TooLarge(errno.EFBIG, tr("it is larger than {size}", size=_size(most)), str(path))
    return content


def read_text(path: Path, most: int, encoding: str = "utf-8") -> str:
    """The text of a plain file of at most ``most`` bytes. Raises OSError, UnicodeDecodeError."""
    return read_bytes(path, most).decode(encoding)


def read_json(path: Path, most: int, values: int = 4_000_000) -> Any:
    """The data of a JSON file of at most ``most`` bytes and about ``values`` values.

    Raises OSError for what cannot be read, ValueError for what is no JSON (also NaN,
    infinite numbers, text that is no Unicode, nesting beyond reason or too many values).
    """
    return parse_json(read_bytes(path, most), values)


def parse_json(content: bytes, values: int = 4_000_000) -> Any:
    """``read_json`` for bytes that are here already. Raises ValueError."""
    if sum(content.count(bytes([mark])) for mark in _MARKS) > values:
        raise ValueError(f"it is larger than {values} values")
    if _DEEP.search(content):
        raise ValueError("it is nested too deeply")
    try:
        data = json.loads(content.decode("utf-8"), parse_constant=_no_constant)
    except RecursionError:
        raise ValueError("it is nested too deeply") from None
    return data


def _no_constant(name: str) -> float:
    raise ValueError(f"{name} is not a number")


#: What a broken or foreign zip makes the standard library raise.
BAD_ZIP = (
    zipfile.BadZipFile, zlib.error, lzma.LZMAError, struct.error, EOFError, RuntimeError, ValueError, OverflowError,
)  # fmt: skip
_END_OF_ZIP = struct.Struct("<4s4H2LH")


@contextmanager
def open_zip(path: Path, most: int, directory: int = 1_000_000) -> Iterator[zipfile.ZipFile]:
    """A zip file for reading; one whose list of files alone is longer than ``directory`` bytes is refused unread.

    Raises OSError (NotAFile, TooLarge) and what stands in ``BAD_ZIP``.
    """
    with open_readable(path, most) as file:
        size = file.seek(0, os.SEEK_END)
        file.seek(max(0, size - 65_557))
        tail = file.read()
        at = tail.rfind(b"PK\5\6")
        if at >= 0 and len(tail) - at >= _END_OF_ZIP.size and _END_OF_ZIP.unpack_from(tail, at)[5] > directory:
            raise zipfile.BadZipFile("its list of files is too long")
        file.seek(0)
        with zipfile.ZipFile(file) as archive:
            yield archive


def check_target(path: Path) -> None:
    """May a file be written at ``path``? Raises NotAFile for a folder, pipe, device or link that is there already."""
    try:
        found = os.lstat(path)
    except FileNotFoundError:
        return
    if words := kind_of(found.st_mode):
        raise NotAFile(errno.EINVAL, tr("{words}: it is not replaced", words=words), str(path))


def write_whole(path: Path, content: bytes) -> None:
    """Write a file whole or not at all, readable by its owner alone; what was there stays until the new one is on disk.

    Nothing but a plain file is ever replaced, and nothing is left beside it when that fails. Raises OSError.
    """
    check_target(path)
    handle, beside = tempfile.mkstemp(dir=path.parent, prefix=".unitone-", suffix=".part")
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(content)
            file.flush()
            os.fsync(file.fileno())
        os.replace(beside, path)
    except BaseException:
        os.unlink(beside)
        raise


def write_file(path: Path, content: bytes, refuse: Callable[[str], UnitoneError] = UnitoneError) -> None:
    """``write_whole`` for a file that somebody named: raises what ``refuse`` makes of a message with its name and the cure."""
    try:
        write_whole(path, content)
    except OSError as error:
        raise refuse(
            tr("{path}: cannot be written ({why}). Choose another place.", path=path, why=plain_reason(error))
        ) from None


def private_folder(path: Path) -> None:
    """Make a folder, with those above it, that its owner alone can enter; one that is there keeps its permissions."""
    missing = [p for p in (path, *path.parents) if not p.exists()]
    for folder in reversed(missing):
        folder.mkdir(mode=PRIVATE_FOLDER, exist_ok=True)
    if not path.is_dir():
        raise NotAFile(errno.ENOTDIR, tr("it is not a folder"), str(path))


def plain_reason(error: OSError | ValueError) -> str:
    """Why a file could not be read or written, without the path that the message names already."""
    if isinstance(error, UnicodeDecodeError):
        return tr("it is not UTF-8 text")
    return (error.strerror or type(error).__name__) if isinstance(error, OSError) else str(error)


def _size(count: int) -> str:
    return f"{count / 1e9:.1f} GB" if count >= 1e9 else f"{count / 1e6:.0f} MB" if count >= 1e6 else f"{count} bytes"
