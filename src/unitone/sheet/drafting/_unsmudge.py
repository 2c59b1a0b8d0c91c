"""What a scan garbles, put right word by word: ``Tl`` is T1, ``O.3 uV`` is 0.3 µV, ``maxirnum`` is maximum."""

from __future__ import annotations

import difflib
import re
from functools import lru_cache

#: Words that decide what a step is, in lower case. A garbled word is taken for one of them where it is near to no other.
KNOWN = (
    "adjust", "adjustment", "adjustments", "adjuster", "align", "alignment", "antenna", "aerial", "audio", "balance", "below", "between",
    "bias", "carrier", "channel", "channels", "clockwise", "condition", "connect", "control", "counter", "crystal", "current", "detector",
    "deviation", "distortion", "driver", "dummy", "final", "frequency", "generator", "harmonic", "instrument", "limit", "loudspeaker",
    "maximum", "measuring", "meter", "microphone", "minimum", "modulated", "modulation", "multimeter", "output", "power", "procedure",
    "reading", "reads", "receive", "receiver", "reference", "regulator", "requirement", "section", "sensitivity", "service", "signal",
    "sinad", "spec", "speaker", "squelch", "supply", "suppression", "test", "tolerance", "transmit", "transmitter", "tune", "until",
    "voltage", "voltmeter", "wattmeter",
)  # fmt: skip
_DIGIT = str.maketrans({"l": "1", "I": "1", "i": "1", "|": "1", "O": "0", "o": "0", "S": "5", "B": "8", "Z": "2"})
_LETTERS = str.maketrans({"1": "l", "0": "o", "3": "e", "5": "s", "8": "b", "4": "a"})
_NAME = re.compile(r"^(VR|RV|RT|CT|TC|CV|VC|TP|IFT|[LTPCR])([lIO\d]{1,3})$")
_NUMBER = re.compile(r"^[lIOo\d]+(?:[.,][lIOo\d]+)?$")
_WORD = re.compile(r"[A-Za-z0-9|]+(?:[.,][A-Za-z0-9|]+)?")


@lru_cache(maxsize=4096)
def _word(word: str) -> str:
    name = _NAME.match(word)
    if name and not name[2].isdigit() and any(c.isdigit() or c in "lI" for c in name[2]):
        return name[1] + name[2].translate(_DIGIT)
    if _NUMBER.match(word) and not re.fullmatch(r"[\d.,]+", word) and any(c.isdigit() for c in word):
        return word.translate(_DIGIT)
    letters = sum(c.isalpha() for c in word)
    if letters < 4 or not word.replace("|", "l").isalnum():
        return word
    plain = word.lower()
    if plain in KNOWN or (word.isalpha() and len(word) < 6):
        return word
    guess = plain.translate(_LETTERS)
    if guess.replace("rn", "m") in KNOWN:
        guess = guess.replace("rn", "m")
    near = difflib.get_close_matches(guess, KNOWN, 1, 0.84 if word.isalpha() else 0.78)
    if (
        near
        and near[0] != plain
        and (
            not word.isalpha() or (abs(len(near[0]) - len(plain)) <= 1 and not plain.endswith(("s", "ed", "ing", "er")))
        )
    ):
        return near[0].upper() if word.isupper() else near[0].capitalize() if word[0].isupper() else near[0]
    return word


def unsmudge(line: str) -> tuple[str, tuple[tuple[str, str], ...]]:
    """The line put right, and which figures and names were read otherwise than they stand: (as it stands, as it is read)."""
    changed: list[tuple[str, str]] = []

    def right(match: re.Match[str]) -> str:
        found = _word(match[0])
        if found != match[0] and any(c.isdigit() for c in found):
            changed.append((match[0], found))
        return found

    return _WORD.sub(right, line), tuple(changed)
