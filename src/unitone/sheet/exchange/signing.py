"""A folder of sheets signed by hash: ``SHA256SUMS``, as ``sha256sum`` of GNU coreutils writes and checks it.

The list says that a file is the one that was meant. Who meant it says the fingerprint of the list itself, compared with
its author's by word of mouth.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Literal

from unitone import files
from unitone.errors import SheetError
from unitone.sheet.format.pictures import ENDINGS
from unitone.words import tr

SUMS = "SHA256SUMS"
Signature = Literal["signed", "altered", "unsigned"]
#: What belongs to sheets.
_ENDINGS = frozenset({".unitone", ".toml", *ENDINGS})
_LARGEST, _MOST, _DEEPEST = 200_000_000, 5000, 4
#: "hash, space, space or asterisk, name" (GNU coreutils manual, md5sum invocation).
_LINE = re.compile(r"([0-9a-f]{64}) [ *](.+)")


@dataclass(frozen=True)
class Sums:
    """What a folder's list says: the hash of each file by its name inside the folder; and the fingerprint of the list.

    Both empty where there is no list.
    """

    hashes: dict[str, str] = field(default_factory=dict)
    fingerprint: str = ""


def files_in(folder: Path) -> Iterator[Path]:
    """The files of sheets in a folder and the folders in it, by name; no links, nothing hidden. Raises SheetError."""
    try:
        yield from _walk(folder, 0)
    except OSError as error:
        raise _refused(
            folder, tr("cannot be read ({why}). Is it plugged in, or mounted?", why=files.plain_reason(error))
        ) from None


def _walk(folder: Path, depth: int) -> Iterator[Path]:
    found = sorted(folder.iterdir())
    if len(found) > _MOST:
        raise _refused(folder, tr("{n} files in it. It is not a folder of sheets.", n=len(found)))
    for path in found:
        if path.name.startswith(".") or path.is_symlink():
            continue
        if path.is_dir():
            if depth < _DEEPEST:
                yield from _walk(path, depth + 1)
        elif path.suffix.lower() in _ENDINGS and path.is_file():
            yield path


def _refused(path: Path, words: str) -> SheetError:
    return SheetError([f"{path}:1: file: {words}"])


def sign(folder: Path) -> Sums:
    """Write the list anew for all that lies there now. Raises SheetError."""
    hashes = {p.relative_to(folder).as_posix(): _hash(p) for p in files_in(folder)}
    if not hashes:
        raise _refused(folder, tr("no sheet in it. Name a folder with sheets."))
    odd = next((name for name in hashes if "\n" in name or "\r" in name), None)
    if odd is not None:
        raise _refused(folder, tr("{name}: a name of two lines. Rename it.", name=repr(odd)))
    content = "".join(f"{hashed}  {name}\n" for name, hashed in sorted(hashes.items())).encode()
    files.write_file(folder / SUMS, content, lambda words: SheetError([words]))
    return Sums(hashes, _fingerprint(content))


def read_sums(folder: Path) -> Sums:
    """The list of a folder; an empty one where there is none. Raises SheetError with the line that is wrong."""
    path = folder / SUMS
    if not path.is_file():
        return Sums()
    try:
        content = files.read_bytes(path, 2_000_000)
        lines = content.decode("utf-8").splitlines()
    except (OSError, UnicodeDecodeError) as error:
        raise _refused(path, tr("cannot be read ({why}). Ask for it anew.", why=files.plain_reason(error))) from None
    hashes: dict[str, str] = {}
    for number, line in enumerate(lines, 1):
        match = _LINE.fullmatch(line)
        if match is None:
            raise SheetError(
                [f"{path}:{number}: " + tr("not a hash and a name. Write the list anew: unitone sheet sign")]
            )
        hashes[match[2].removeprefix("./")] = match[1]
    return Sums(hashes, _fingerprint(content))


def signature_of(folder: Path, sums: Sums, parts: tuple[Path, ...]) -> Signature:
    """Are all files of a sheet those that the list names? One that differs makes it altered, one that is not named unsigned."""
    state: Signature = "signed"
    for path in parts:
        named = sums.hashes.get(path.relative_to(folder).as_posix())
        if named is None:
            state = "unsigned"
        elif named != _hash(path):
            return "altered"
    return state


def _hash(path: Path) -> str:
    try:
        return hashlib.sha256(files.read_bytes(path, _LARGEST)).hexdigest()
    except OSError as error:
        raise _refused(path, tr("cannot be read ({why}). Ask for it anew.", why=files.plain_reason(error))) from None


def _fingerprint(content: bytes) -> str:
    """The first 80 bits of the list's own hash, in groups that can be read aloud."""
    short = hashlib.sha256(content).hexdigest()[:20].upper()
    return " ".join(short[at : at + 4] for at in range(0, 20, 4))
