"""The head of a paper: the workshop's own name, its address line and its mark."""

from __future__ import annotations

import base64
import binascii
import io
from dataclasses import dataclass
from typing import Any

from unitone.errors import UnitoneError
from unitone.words import tr

#: A mark is drawn 12 mm high: more pixels than this show nothing.
_MARK_PX = 512
#: A picture file larger than this is no mark (bytes).
_MOST = 8_000_000


@dataclass(frozen=True)
class Head:
    """Whose paper it is: ``mark`` is a small PNG, empty where there is none; ``paper_language`` "" for the program's own."""

    name: str = ""
    line: str = ""
    mark: bytes = b""
    paper_language: str = ""

    def to_data(self) -> dict[str, str]:
        """As plain data, for the workshop's settings."""
        return {
            "name": self.name,
            "line": self.line,
            "mark": base64.b64encode(self.mark).decode(),
            "language": self.paper_language,
        }

    @classmethod
    def from_data(cls, data: Any, name: str = "") -> Head:
        """From plain data; ``name`` where the workshop has not said what it is called. What is damaged is left out."""
        if not isinstance(data, dict):
            return cls(name)
        texts = {k: data[k] for k in ("name", "line", "language") if isinstance(data.get(k), str)}
        try:
            mark = base64.b64decode(str(data.get("mark") or ""), validate=True)
        except (binascii.Error, ValueError):
            mark = b""
        return cls(texts.get("name") or name, texts.get("line", ""), mark, texts.get("language", ""))


def mark_from(content: bytes) -> bytes:
    """A workshop's mark as a small PNG, from the bytes of a PNG or JPEG. Raises UnitoneError for what is no picture."""
    from PIL import Image

    if len(content) > _MOST:
        raise UnitoneError(tr("This picture is larger than 8 MB. Save it smaller: 512 pixels across are plenty."))
    try:
        with Image.open(io.BytesIO(content), formats=("PNG", "JPEG")) as opened:
            opened.draft("RGB", (_MARK_PX, _MARK_PX))
            made = opened.convert("RGBA")
        made.thumbnail((_MARK_PX, _MARK_PX))
    except (OSError, ValueError, Image.DecompressionBombError):
        raise UnitoneError(tr("This is not a PNG or JPEG picture. Choose another file.")) from None
    out = io.BytesIO()
    made.save(out, "PNG", optimize=True)
    return out.getvalue()
