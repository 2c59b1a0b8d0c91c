"""The lines of a procedure from a file: plain text, the text layer of a PDF, or a scan by way of tesseract where it is installed."""

from __future__ import annotations

import io
import logging
import re
import shutil
import subprocess
from dataclasses import dataclass
from pathlib import Path

from unitone import files
from unitone.errors import EntryError, SheetError
from unitone.sheet.format.pictures import check_picture
from unitone.words import tr

#: A procedure is a few pages: a whole manual is asked which ones.
MOST_PAGES = 40
_MOST_TEXT, _MOST_FILE = 2_000_000, 200_000_000
#: A page that a slow machine recognises takes some seconds.
_OCR_SECONDS = 120.0
#: A page whose text layer holds fewer letters is a scan.
_SCANNED = 40
_PICTURES = (".png", ".jpg", ".jpeg")
_TESSERACT = "tesseract"
# What is wrong with a PDF is told once, in our words.
logging.getLogger("pypdf").setLevel(logging.CRITICAL)


@dataclass(frozen=True)
class Text:
    """The lines of a file, and what was said while it was read (a page without text, a scan that was recognised)."""

    lines: tuple[str, ...]
    said: tuple[str, ...] = ()
    #: Scanned pages: the line from which on each goes (from 1), what it is called, its picture.
    scans: tuple[tuple[int, str, bytes], ...] = ()


def pages_of(words: str) -> tuple[int, int]:
    """``12`` or ``12-15`` as first and last page. Raises EntryError."""
    match = re.fullmatch(r"(\d{1,5})(?:\s*[-–]\s*(\d{1,5}))?", words.strip())
    if match is None:
        raise EntryError.not_understood(words, tr("pages, like 12 or 12-15"))
    return int(match[1]), int(match[2] or match[1])


def text_of(path: Path, pages: tuple[int, int] | None = None) -> Text:
    """The lines of a text, a PDF (``pages``: first and last, from 1) or a picture. Raises SheetError: what, where, the cure."""
    suffix = path.suffix.lower()
    try:
        if suffix == ".pdf":
            return _of_pdf(path, pages)
        if suffix in _PICTURES:
            content = files.read_bytes(path, _MOST_FILE)
            check_picture(path.name, content)
            return Text(
                tuple(_recognised(content, path.name)), (tr("{name}: read from the picture", name=path.name),),
                ((1, path.name, content),),
            )  # fmt: skip
        return Text(tuple(files.read_text(path, _MOST_TEXT).splitlines()))
    except UnicodeDecodeError:
        raise _bad(path, tr("this is no text. Save it as plain text, or give the PDF or picture itself.")) from None
    except OSError as error:
        raise _bad(path, files.plain_reason(error)) from None


def _bad(path: Path, words: str) -> SheetError:
    return SheetError([f"{path}:1: file: {words}"])


def _of_pdf(path: Path, pages: tuple[int, int] | None) -> Text:
    # Taken in for a PDF alone: it takes as long as the rest of the Sheets together.
    from pypdf import PdfReader
    from pypdf.errors import PyPdfError

    content = files.read_bytes(path, _MOST_FILE)
    try:
        reader = PdfReader(io.BytesIO(content))
        if reader.is_encrypted and not reader.decrypt(""):
            raise _bad(path, tr("this PDF asks for a password. Save it without one."))
        count = len(reader.pages)
        first, last = pages or (1, count)
        if not 1 <= first <= last <= count:
            raise _bad(path, tr("it has {count} pages. Name pages from 1 to {count}.", count=count))
        if last - first + 1 > MOST_PAGES:
            raise _bad(
                path,
                tr(
                    "it has {count} pages; {most} are read at once. Say which, such as --pages 12-15.",
                    count=count,
                    most=MOST_PAGES,
                ),
            )
        lines: list[str] = []
        said: list[str] = []
        pictures: list[tuple[int, str, bytes]] = []
        for number in range(first, last + 1):
            page = reader.pages[number - 1]
            text = page.extract_text(extraction_mode="layout") or ""
            if sum(c.isalpha() for c in text) < _SCANNED:
                scans = [image.data for image in page.images]
                name = f"{path.stem}-{number}"
                pictures += [(len(lines) + 1, name, scan) for scan in scans[:1]]
                got = [line for scan in scans for line in _recognised(scan, f"{path.name}, {number}")]
                if got:
                    said.append(tr("page {number}: read from the scan", number=number))
                    text = "\n".join(got)
                else:
                    said.append(tr("page {number}: no text", number=number))
            lines += text.splitlines()
    except SheetError:
        raise
    except (
        PyPdfError,
        ValueError,
        KeyError,
        TypeError,
        AttributeError,
        IndexError,
        RuntimeError,
    ) as error:
        raise _bad(
            path,
            tr("this PDF cannot be read ({reason}). Print it to a new PDF and try again.", reason=type(error).__name__),
        ) from None
    if not any(line.strip() for line in lines):
        raise _bad(path, tr("no text in it. A scan is read by tesseract: install the package tesseract-ocr."))
    return Text(tuple(lines), tuple(said), tuple(pictures))


def _recognised(picture: bytes, name: str) -> list[str]:
    """The lines of a scan. Raises SheetError where tesseract is missing, fails or takes too long."""
    program = shutil.which(_TESSERACT)
    if program is None:
        raise SheetError(
            [
                f"{name}:1: file: "
                + tr("a scan is read by tesseract, which is not installed: apt install tesseract-ocr.")
            ]
        )
    try:
        done = subprocess.run(
            [program, "stdin", "stdout", "-c", "preserve_interword_spaces=1", "--psm", "6"], input=picture,
            capture_output=True, timeout=_OCR_SECONDS, check=False,
        )  # fmt: skip
    except (OSError, subprocess.TimeoutExpired) as error:
        raise SheetError(
            [f"{name}:1: file: " + tr("tesseract gave no text ({reason}).", reason=type(error).__name__)]
        ) from None
    if done.returncode:
        last = done.stderr.decode("utf-8", "replace").strip().splitlines()[-1:] or ["?"]
        raise SheetError([f"{name}:1: file: " + tr("tesseract gave no text ({reason}).", reason=last[0][:80])])
    return done.stdout.decode("utf-8", "replace").splitlines()
