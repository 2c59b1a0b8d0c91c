"""Pictures of boards: which are taken, and why the others are not. Nothing in a picture is ever executed or fetched."""

from __future__ import annotations

import base64
import hashlib
import io
import re
import warnings
from bisect import bisect_left
from collections import deque
from pathlib import Path
from xml.parsers import expat

from unitone import files
from unitone.errors import SheetError
from unitone.words import tr

MAX_PICTURE_BYTES = 40_000_000
#: The one limit on a photograph: whoever shows it takes as much (16 bits a colour: 400 MB while it is decoded).
MAX_PIXELS = 50_000_000
#: A drawing is a text: what is larger, or has more elements once every reuse is counted, is none of a board.
MAX_SVG_BYTES, MAX_ELEMENTS = 8_000_000, 20_000
#: A drawing below these is drawn in a moment, whatever stands in it.
_SIMPLE_BYTES, _SIMPLE_ELEMENTS = 20_000, 400
#: What takes long to draw even where there is little of it.
_COSTLY = frozenset({
    "use", "symbol", "filter", "mask", "pattern", "marker", "image", "switch", "style",
    "lineargradient", "radialgradient", "animate", "animatetransform", "animatemotion", "animatecolor", "set",
})  # fmt: skip
#: File endings by the kind of picture that they must hold.
ENDINGS = {".png": "PNG", ".jpg": "JPEG", ".jpeg": "JPEG", ".svg": "SVG"}

#: The last drawings that were looked through and taken, by their SHA-256.
_SOUND: deque[bytes] = deque(maxlen=64)
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
        raise _refuse(
            str(path), f"{files.plain_reason(error)}.", tr("Save it smaller: 4000 pixels across are plenty.")
        ) from None
    except OSError as error:
        reason = files.plain_reason(error)
        raise _refuse(
            str(path), tr("cannot be read ({reason}).", reason=reason), tr("Check the name and its permissions.")
        ) from None
    check_picture(path.name, content, str(path))
    return content


def is_simple_drawing(content: bytes) -> bool:
    """Can this SVG, which ``check_picture`` took, be drawn at once? Others may take long: they are drawn apart, with a time limit."""
    if len(content) > _SIMPLE_BYTES:
        return False
    counted = _Elements()
    parser = expat.ParserCreate()
    parser.StartElementHandler, parser.EndElementHandler = counted.start, counted.end
    try:
        parser.Parse(content, True)
    except expat.ExpatError:
        return False
    return counted.count <= _SIMPLE_ELEMENTS and not counted.kinds & _COSTLY


class _Elements:
    """Counts the elements of an SVG, with every reuse (``use``) counted as often as it is drawn."""

    def __init__(self) -> None:
        self.count = 0
        self.kinds: set[str] = set()
        self.embedded: list[str] = []
        self._open: list[tuple[str, int]] = []
        #: Where each named element begins and ends, in the order of the file.
        self._named: dict[str, tuple[int, int]] = {}
        self._uses: list[tuple[int, str]] = []

    def start(self, name: str, attributes: dict[str, str]) -> None:
        plain = name.rpartition(":")[2].lower()
        self.kinds.add(plain)
        self._open.append((attributes.get("id", ""), self.count))
        for key, value in attributes.items():
            if key.rpartition(":")[2].lower() == "href":
                if value.strip().startswith("#") and plain == "use":
                    self._uses.append((self.count, value.strip()[1:]))
                elif value.strip().lower().startswith("data:"):
                    self.embedded.append(value.strip())
        self.count += 1

    def end(self, _name: str) -> None:
        name, began = self._open.pop()
        if name:
            self._named.setdefault(name, (began, self.count))

    def drawn(self, most: int) -> int:
        """How many elements are drawn; counting stops just over ``most``."""
        total, waiting = self.count, [(0, self.count)]
        while waiting and total <= most:
            began, ended = waiting.pop()
            for _, target in self._uses[bisect_left(self._uses, (began, "")) : bisect_left(self._uses, (ended, ""))]:
                if target in self._named:
                    inside = self._named[target]
                    total += inside[1] - inside[0]
                    waiting.append(inside)
                if total > most:
                    break
        return total


def check_picture(name: str, content: bytes, shown: str = "") -> str:
    """PNG, JPEG or SVG. Raises SheetError for anything else, and for an SVG with scripts or links to elsewhere."""
    shown = shown or name
    wanted = ENDINGS.get(Path(name).suffix.lower())
    if wanted is None:
        raise _refuse(shown, tr("is not a picture that can be pinned."), tr("Use PNG, JPEG or SVG."))
    if len(content) > MAX_PICTURE_BYTES:
        raise _refuse(
            shown, tr("{x:.0f} MB is too large (40 MB at most).", x=len(content) / 1000000.0), tr("Save it smaller.")
        )
    if wanted == "SVG":
        # A sheet's drawings are taken again with every job: what was sound is sound.
        mark = hashlib.sha256(content).digest()
        if mark not in _SOUND:
            _check_svg(shown, content)
            _SOUND.append(mark)
        return wanted
    return _check_photograph(shown, content, wanted)


def _check_photograph(shown: str, content: bytes, wanted: str) -> str:
    from PIL import Image, UnidentifiedImageError

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with Image.open(io.BytesIO(content), formats=("PNG", "JPEG")) as picture:
                kind, (width, height) = picture.format, picture.size
                if width * height > MAX_PIXELS:
                    raise _refuse(
                        shown, tr("{width} × {height} pixels are too many (50 million at most).", width=width, height=height),
                        tr("Save it smaller: 4000 across are plenty."),
                    )  # fmt: skip
                picture.verify()
    except SheetError:
        raise
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, Image.DecompressionBombError):
        raise _refuse(
            shown,
            tr("is not a complete {wanted} picture.", wanted=wanted),
            tr("Open it in a picture program and save it again."),
        ) from None
    return str(kind)


def _check_svg(shown: str, content: bytes) -> None:
    if len(content) > MAX_SVG_BYTES:
        raise _refuse(
            shown,
            tr("{x:.0f} MB is too large for a drawing (8 MB at most).", x=len(content) / 1000000.0),
            tr("Save it as PNG."),
        )
    found: list[str] = []
    root: list[str] = []
    counted = _Elements()
    in_style = [False]
    parser = expat.ParserCreate()

    def start(name: str, attributes: dict[str, str]) -> None:
        counted.start(name, attributes)
        plain = name.rpartition(":")[2].lower()
        if not root:
            root.append(plain)
        if plain in _ACTIVE:
            found.append(tr("a <{plain}> element", plain=plain))
        in_style[0] = plain == "style"
        for key, value in attributes.items():
            attribute = key.rpartition(":")[2].lower()
            if attribute.startswith("on"):
                found.append(tr("a script in {attribute}", attribute=attribute))
            elif attribute in ("href", "src") and value.strip() and not _INSIDE.match(value):
                found.append(tr("a link to {value!r}", value=value[:40]))
            elif not key.startswith("xmlns") and _URL.search(value):
                found.append(tr("a link in {attribute}", attribute=attribute))

    def text(words: str) -> None:
        if in_style[0] and _URL.search(words):
            found.append(tr("a link in its style"))

    def end(name: str) -> None:
        counted.end(name)
        in_style[0] = False

    def declared(*_: object) -> None:
        found.append(tr("declarations of its own (DOCTYPE, ENTITY)"))

    parser.StartElementHandler = start
    parser.EndElementHandler = end
    parser.CharacterDataHandler = text
    parser.StartDoctypeDeclHandler = declared
    parser.EntityDeclHandler = declared
    parser.ProcessingInstructionHandler = lambda target, _: found.append(tr("an instruction ({target})", target=target))
    try:
        parser.Parse(content, True)
    except expat.ExpatError as error:
        if not found:
            raise _refuse(
                shown, tr("is not a complete SVG ({error}).", error=error), tr("Save it again as plain SVG.")
            ) from None
    if not found and root != ["svg"]:
        raise _refuse(shown, tr("is not an SVG drawing."), tr("Use PNG, JPEG or SVG."))
    if found:
        raise _refuse(
            shown, tr("holds {what}.", what=found[0]), tr("Save it as plain SVG without scripts and links, or as PNG.")
        )
    if counted.drawn(MAX_ELEMENTS) > MAX_ELEMENTS:
        raise _refuse(
            shown,
            tr("has more than {max_elements} elements to draw.", max_elements=MAX_ELEMENTS),
            tr("Save it as PNG."),
        )
    if sum(_pixels_inside(link) for link in counted.embedded) > MAX_PIXELS:
        raise _refuse(shown, tr("has pictures of more than 50 million pixels."), tr("Save them smaller."))


def _pixels_inside(link: str) -> int:
    """How many pixels the picture in a ``data:`` link has; 0 for one that cannot be read, which nothing is drawn of."""
    from PIL import Image, UnidentifiedImageError

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with Image.open(io.BytesIO(base64.b64decode(link.partition(",")[2])), formats=("PNG", "JPEG")) as picture:
                return picture.size[0] * picture.size[1]
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, Image.DecompressionBombError):
        return 0
