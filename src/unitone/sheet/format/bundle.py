"""A sheet with its pictures in one file: a zip (``NAME.unitone``) with ``sheet.toml``, ``pictures/…`` and, where the
radio has a simulated radio, ``physics.toml``. The format is open and told in ``docs/sheet.md``."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path

from unitone import files
from unitone.errors import SheetError
from unitone.sheet.format.pictures import MAX_PICTURE_BYTES, check_picture
from unitone.words import tr

ENDING = ".unitone"
SHEET_NAME = "sheet.toml"
PHYSICS_NAME = "physics.toml"
MAX_FILES = 100
MAX_TOTAL = 200_000_000
MAX_TEXT = 4_000_000
_CHUNK = 1 << 16


@dataclass(frozen=True)
class Bundle:
    """What a bundle holds: the sheet's text, its pictures by file name, the physics text, and what was left out."""

    text: str
    pictures: dict[str, bytes] = field(default_factory=dict)
    physics: str = ""
    left_out: tuple[str, ...] = ()


def _refuse(path: Path, inside: str, what: str) -> SheetError:
    return SheetError([f"{path}:1: {inside}: {what}"])


def read_bundle(path: Path) -> Bundle:
    """Read a bundle. A picture that cannot be taken is left out and told; raises SheetError where the rest cannot be.

    Nothing is unpacked to disk. Sizes are counted while reading, so that what the
    zip says of itself is never trusted.
    """
    try:
        with files.open_zip(path, MAX_TOTAL) as archive:
            return _read(path, archive)
    except files.BAD_ZIP:
        raise _refuse(
            path, "file", tr("is not a complete sheet bundle (zip). Check the name, or export it again.")
        ) from None
    except OSError as error:
        reason = files.plain_reason(error)
        raise _refuse(
            path, "file", tr("cannot be read ({reason}). Check the name and its permissions.", reason=reason)
        ) from None


def _read(path: Path, archive: zipfile.ZipFile) -> Bundle:
    names = archive.infolist()
    if len(names) > MAX_FILES:
        raise _refuse(
            path,
            "file",
            tr(
                "{n} files in it; a bundle has {max_files} at most. It is not a sheet.",
                n=len(names),
                max_files=MAX_FILES,
            ),
        )
    left_out: list[str] = []
    pictures: dict[str, bytes] = {}
    text, physics, total = "", "", 0
    for info in names:
        name = info.filename
        if info.is_dir():
            continue
        if name.startswith(("/", "\\")) or ".." in name.replace("\\", "/").split("/") or ":" in name or "\\" in name:
            raise _refuse(path, name, tr("points outside its folder. Do not use this file; ask for a clean export."))
        if (info.external_attr >> 16) & 0o170000 == 0o120000:
            raise _refuse(path, name, tr("is a link to elsewhere. Do not use this file; ask for a clean export."))
        picture = name.startswith("pictures/") and name.count("/") == 1
        if name not in (SHEET_NAME, PHYSICS_NAME) and not picture:
            left_out.append(tr("{name}: is not part of a sheet and was left out.", name=name))
            continue
        room = MAX_PICTURE_BYTES if picture else MAX_TEXT
        content = _unpack(path, archive, info, min(room, MAX_TOTAL - total))
        if content is None:
            if not picture or total + room >= MAX_TOTAL:
                raise _refuse(path, name, tr("unpacks to far more than a sheet needs. Do not use this file."))
            left_out.append(tr("{name}: larger than 40 MB, left out. Save it smaller and add it again.", name=name))
            continue
        total += len(content)
        if picture:
            try:
                check_picture(name.partition("/")[2], content, name)
                pictures[name.partition("/")[2]] = content
            except SheetError as error:
                left_out += error.problems
        elif name == SHEET_NAME:
            text = _decoded(path, name, content)
        else:
            physics = _decoded(path, name, content)
    if not text:
        raise _refuse(path, "file", tr("has no {sheet_name}. It is not a sheet bundle.", sheet_name=SHEET_NAME))
    return Bundle(text, pictures, physics, tuple(left_out))


def _unpack(path: Path, archive: zipfile.ZipFile, info: zipfile.ZipInfo, most: int) -> bytes | None:
    """The content of one file, None where it is longer than ``most``. Raises SheetError for an encrypted one."""
    if info.flag_bits & 1:
        raise _refuse(path, info.filename, tr("is encrypted. Export it without a password."))
    out = io.BytesIO()
    with archive.open(info) as source:
        while chunk := source.read(_CHUNK):
            if out.tell() + len(chunk) > most:
                return None
            out.write(chunk)
    return out.getvalue()


def _decoded(path: Path, name: str, content: bytes) -> str:
    try:
        return content.decode("utf-8")
    except UnicodeDecodeError:
        raise _refuse(path, name, tr("is not UTF-8 text. Save it as UTF-8.")) from None


def write_bundle(path: Path, text: str, pictures: Mapping[str, bytes], physics: str = "") -> None:
    """Write a bundle in one piece: the old file stays until the new one is whole. Raises SheetError."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(SHEET_NAME, text)
        if physics:
            archive.writestr(PHYSICS_NAME, physics)
        for name, content in sorted(pictures.items()):
            archive.writestr(f"pictures/{name}", content)
    write_text_file(path, out.getvalue())


def write_text_file(path: Path, content: bytes) -> None:
    """Write a sheet file whole or not at all, its folder with it. Raises SheetError."""
    try:
        files.private_folder(path.parent)
    except OSError as error:
        reason = files.plain_reason(error)
        raise SheetError(
            [f"{path}:1: file: " + tr("cannot be written ({reason}). Choose another place.", reason=reason)]
        ) from None
    files.write_file(path, content, lambda words: SheetError([words.replace(": ", ":1: file: ", 1)]))
