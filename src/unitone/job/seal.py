"""The seal over what somebody at the bench is not to read: the fault of a practice radio, in a log or in an exercise's file.

It keeps an eye out, not a thief: the program that runs the radio has to be able to open it, and so has anybody with the program.
"""

from __future__ import annotations

import base64
import binascii
import zlib

from unitone.errors import TapeError
from unitone.words import tr

_MARK = "sealed/1:"
#: What a sealed text may come to (characters).
_MOST = 8_000_000


def seal(text: str) -> str:
    """A text as one line that no eye can read."""
    return _MARK + base64.b85encode(zlib.compress(text.encode(), 9)).decode()


def is_sealed(text: str) -> bool:
    """Is this text under a seal?"""
    return text.startswith(_MARK)


def unsealed(text: str) -> str:
    """The text under the seal; a text that was never sealed is given back. Raises TapeError for a seal that was tampered with."""
    if not is_sealed(text):
        return text
    try:
        opener = zlib.decompressobj()
        content = opener.decompress(base64.b85decode(text[len(_MARK) :]), _MOST)
        if not opener.eof:
            raise ValueError("too long")
        return content.decode()
    except (ValueError, zlib.error, binascii.Error):
        raise TapeError(tr("The sealed part is damaged. Get the file anew from whoever made it.")) from None
