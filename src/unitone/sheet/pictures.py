"""Pictures of boards: which are taken, and why the others are not. Nothing in a picture is ever executed or fetched."""

from __future__ import annotations

import io
import re
import warnings
from pathlib import Path
from xml.parsers import expat

from unitone import files
from unitone.errors import SheetError

MAX_PICTURE_BYTES = 40_000_000
MAX_PIXELS = 120_000_000
#: File endings by the kind of picture that they must hold.
ENDINGS = {".png": "PNG", ".jpg": "JPEG", ".jpeg": "JPEG", ".svg": "SVG"}

_ACTIVE = frozenset({"script", "foreignobject", "iframe", "embed", "object", "handler", "audio", "video"})
_INSIDE = re.compile(r"^\s*(#|data:image/(png|jpeg);base64,)", re.IGNORECASE)
_URL = re.compile(r"url\(\s*['\"]?(?!#)|@import|expression\(|javascript:", re.IGNORECASE)


def _refuse(name: str, what: str, cure: str) -> SheetError:
    return SheetError([f"{name}:1: picture: {what} {cure}"])


def read_picture(path: Path) -> bytes:
    """The bytes of a picture file that can be taken. Raises SheetError."""
    try:
        content = files.read_bytes(path, MAX_PICTURE_BYTES)
    except files.TooLarge as error:
        raise _refuse(str(path), f"{error.strerror}.", "Save it smaller: 4000 pixels across are plenty.") from None
    except OSError as error:
        reason = files.plain_reason(error)
        raise _refuse(str(path), f"cannot be read ({reason}).", "Check the name and its permissions.") from None
    check_picture(path.name, content, str(path))
    return content


def check_picture(name: str, content: bytes, shown: str = "") -> str:
    """PNG, JPEG or SVG. Raises SheetError for anything else, and for an SVG with scripts or links to elsewhere."""
    shown = shown or name
    wanted = ENDINGS.get(Path(name).suffix.lower())
    if wanted is None:
        raise _refuse(shown, "is no picture that can be pinned.", "Use PNG, JPEG or SVG.")
    if len(content) > MAX_PICTURE_BYTES:
        raise _refuse(shown, f"{len(content) / 1e6:.0f} MB is too large (40 MB at most).", "Save it smaller.")
    if wanted == "SVG":
        _check_svg(shown, content)
        return wanted
    from PIL import Image, UnidentifiedImageError

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with Image.open(io.BytesIO(content), formats=("PNG", "JPEG")) as picture:
                kind, (width, height) = picture.format, picture.size
                if width * height > MAX_PIXELS:
                    raise _refuse(
                        shown, f"{width} × {height} pixels are too many.", "Save it smaller: 4000 across are plenty."
                    )
                picture.verify()
    except SheetError:
        raise
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, Image.DecompressionBombError):
        raise _refuse(
            shown, f"is no whole {wanted} picture.", "Open it in a picture program and save it again."
        ) from None
    return str(kind)


def _check_svg(shown: str, content: bytes) -> None:
    found: list[str] = []
    root: list[str] = []
    in_style = [False]
    parser = expat.ParserCreate()

    def start(name: str, attributes: dict[str, str]) -> None:
        plain = name.rpartition(":")[2].lower()
        if not root:
            root.append(plain)
        if plain in _ACTIVE:
            found.append(f"a <{plain}> element")
        in_style[0] = plain == "style"
        for key, value in attributes.items():
            attribute = key.rpartition(":")[2].lower()
            if attribute.startswith("on"):
                found.append(f"a script in {attribute}")
            elif attribute in ("href", "src") and value.strip() and not _INSIDE.match(value):
                found.append(f"a link to {value[:40]!r}")
            elif not key.startswith("xmlns") and _URL.search(value):
                found.append(f"a link in {attribute}")

    def text(words: str) -> None:
        if in_style[0] and _URL.search(words):
            found.append("a link in its style")

    def end(_name: str) -> None:
        in_style[0] = False

    def declared(*_: object) -> None:
        found.append("declarations of its own (DOCTYPE, ENTITY)")

    parser.StartElementHandler = start
    parser.EndElementHandler = end
    parser.CharacterDataHandler = text
    parser.StartDoctypeDeclHandler = declared
    parser.EntityDeclHandler = declared
    parser.ProcessingInstructionHandler = lambda target, _: found.append(f"an instruction ({target})")
    try:
        parser.Parse(content, True)
    except expat.ExpatError as error:
        if not found:
            raise _refuse(shown, f"is no whole SVG ({error}).", "Save it again as plain SVG.") from None
    if not found and root != ["svg"]:
        raise _refuse(shown, "is no SVG drawing.", "Use PNG, JPEG or SVG.")
    if found:
        raise _refuse(shown, f"holds {found[0]}.", "Save it as plain SVG without scripts and links, or as PNG.")
