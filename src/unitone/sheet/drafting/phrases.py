"""What a step's words say: adjusters, limits, channels, levels, tones. Pure text; every find keeps to what stands there."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

#: Names that boards print beside what is turned.
NAMES = r"(?:VR|RV|RT|SVR|CT|TC|CV|VC|IFT|[LTPCR])\s?\d{1,3}[A-Z]?"
_NAME = re.compile(rf"\b{NAMES}\b(?!\s*[kKM]?(?:Ω|ohm))")
#: Resistors and capacitors are turned only where the words say so.
_FIXED = re.compile(r"^[RC]\s?\d")
_VERB = re.compile(r"\b(?:adjust|turn|set|tune|peak|align|rotate|bring|trim|with)\w*\b[^.;]{0,40}$", re.IGNORECASE)
_BEGINS = re.compile(rf"^{NAMES}(?:\s*(?:,|/|&|and)\s*{NAMES})*\s*[:=]")
_HANDS_OFF = re.compile(r"\b(?:do not|don't|never) (?:touch|turn|adjust)\b", re.IGNORECASE)

_N = r"[-+−]?\d+(?:[.,]\d+)?"
_U = r"(?:kHz|MHz|Hz|hertz|mV|[uµμ]V|kV|volts?|V|mW|watts?|W|mA|[uµμ]A|amps?|A|dBc|dBm|dB|%|per ?cent|ppm)(?![A-Za-z])"
_S = r"(?<![A-Za-z])S\s?\d(?:[.,]\d)?(?:\s?\+\s?\d{1,2})?(?:\s?dB)?"
_VALUE = rf"(?:{_N}\s*{_U}|{_S})"
_BEFORE_LOW = (
    r"(?:≥|>=|>|at least|not less than|no less than|not (?:be )?(?:under|below|less than|lower than)|more than|above|over|"
    r"min(?:imum)?\.?(?: of)?)"
)
_BEFORE_HIGH = (
    r"(?:≤|<=|<|at most|not more than|no more than|(?:not|never) (?:be )?(?:above|over|more than)|"
    r"(?:not |never )?exceed(?:ing)?|less than|lower than|under|below|up to|max(?:imum)?\.?(?: of)?)"
)
_AFTER_LOW = r"(?:or (?:better|more|higher|above)|(?:at )?min(?:imum)?\b\.?|at least|is the least)"
_AFTER_HIGH = r"(?:or (?:less|lower|below|under|a little less)|(?:at )?max(?:imum)?\b\.?|at most|is the most)"
_FIND = re.compile(
    "|".join(
        (
            rf"(?P<about>{_VALUE}|{_N})[,\s]*(?:±|\+/?-|plus or minus|give or take)\s*(?P<give>{_N}\s*{_U})",
            rf"(?:between\s+)?(?P<low>{_VALUE}|{_N})\s*(?:to|…|\.\.+|–|—|-|and)\s*(?P<high>{_VALUE})",
            rf"(?:(?:within|tolerance)\s*(?:±|\+/?-|plus or minus)?|±|\+/?-|plus or minus)\s*(?P<tol>{_N}\s*{_U})",
            rf"{_BEFORE_LOW}\s+(?P<least>{_VALUE})|(?:≥|>=|>)\s*(?P<least3>{_VALUE})|(?P<least2>{_VALUE})\s*,?\s*{_AFTER_LOW}",
            rf"{_BEFORE_HIGH}\s+(?P<most>{_VALUE})|(?:≤|<=|<)\s*(?P<most3>{_VALUE})|(?P<most2>{_VALUE})[^.,;]{{0,16}}?\s*,?\s*{_AFTER_HIGH}",
            rf"(?P<bare>{_VALUE})",
        )
    ),
    re.IGNORECASE,
)
_CHANNELS = re.compile(
    r"\bch(?:annel)?s?\.?\s*(\d{1,2}(?:\s*(?:,|and|&|/)\s*(?:ch(?:annel)?s?\.?\s*)?\d{1,2}(?![.,]?\d|\s*(?:[uµμmkM]?(?:V|Hz|W)|dB|%)))*)",
    re.IGNORECASE,
)
_LEVEL = re.compile(rf"(?<![\d.,])({_N})\s*([uµμm]V|dBm)\b(?!\s*(?:at|of|1 ?kHz)?[^.;]*micro)", re.IGNORECASE)
_MICROPHONE = re.compile(rf"({_N})\s*mV\b", re.IGNORECASE)


@dataclass(frozen=True)
class Phrase:
    """A limit as the words have it, each end as text with its unit; ``tolerance`` stands round ``nominal``."""

    low: str = ""
    high: str = ""
    nominal: str = ""
    tolerance: str = ""


def adjusters_in(words: str, named: bool = False) -> list[str]:
    """The adjusters of a step in order. ``named``: the words are a column of adjusters, where every name is one."""
    found: list[str] = []
    for sentence in re.split(r"(?<=[.;])\s+", words):
        if _HANDS_OFF.search(sentence):
            continue
        for match in _NAME.finditer(sentence):
            name = match[0].replace(" ", "")
            if (
                _FIXED.match(name)
                and not named
                and not _VERB.search(sentence[: match.start()])
                and not _BEGINS.match(sentence)
            ):
                continue
            if name not in found:
                found.append(name)
    return found


def channels_in(words: str) -> list[str]:
    """The channels that are named, in order."""
    found: list[str] = []
    for match in _CHANNELS.finditer(words):
        found += [n for n in re.findall(r"\d{1,2}", match[1]) if n not in found]
    return found


def level_in(words: str) -> str:
    """The generator's level, as text with its unit; empty where none is said."""
    for match in _LEVEL.finditer(words):
        if match[2].lower() == "mv" and re.search(r"micro|\bmic\b|\bAF\b", words, re.IGNORECASE):
            continue
        return f"{match[1].replace(',', '.')} {match[2].replace('µ', 'u').replace('μ', 'u')}"
    return ""


def microphone_in(words: str) -> str:
    """What is fed to the microphone, as text with its unit."""
    match = _MICROPHONE.search(words)
    return (
        f"{match[1].replace(',', '.')} mV"
        if match and re.search(r"micro|\bmic\b|\bAF\b|tone", words, re.IGNORECASE)
        else ""
    )


def unit_of(value: str) -> str:
    """The unit of a value as text, in one spelling; ``S`` for an S-unit, empty for a bare number."""
    if re.match(r"^\s*S\s?\d", value, re.IGNORECASE):
        return "S"
    match = re.search(rf"{_U}\s*$", value, re.IGNORECASE)
    unit = match[0].strip() if match else ""
    plain = unit.replace("µ", "u").replace("μ", "u")
    words = {
        "volt": "V",
        "volts": "V",
        "watt": "W",
        "watts": "W",
        "hertz": "Hz",
        "percent": "%",
        "per cent": "%",
        "amp": "A",
        "amps": "A",
    }
    spelt = {
        "khz": "kHz",
        "mhz": "MHz",
        "hz": "Hz",
        "db": "dB",
        "dbm": "dBm",
        "dbc": "dBc",
        "v": "V",
        "w": "W",
        "a": "A",
    }
    return words.get(plain.lower(), spelt.get(plain.lower(), plain))


def _clean(value: str, unit: str = "") -> str:
    plain = value.strip().replace("−", "-")
    own = unit_of(plain)
    if own == "S":
        return re.sub(r"\s", "", plain).replace("dB", "").replace(",", ".")
    number = re.match(_N, plain)
    figure = (number[0] if number else plain).replace(",", ".").lstrip("+")
    return f"{figure} {own or unit}".strip()


def phrases_in(words: str, units: frozenset[str]) -> Iterator[Phrase]:
    """Every limit-like phrase whose unit is one of ``units``, in order."""
    for match in _FIND.finditer(words):
        got = {k: v for k, v in match.groupdict().items() if v}
        if "about" in got:
            about, give = got["about"], got["give"]
            unit = unit_of(about) or unit_of(give)
            if unit in units:
                yield Phrase(nominal=_clean(about, unit), tolerance=_clean(give))
        elif "low" in got:
            unit = unit_of(got["high"])
            if unit in units:
                yield Phrase(low=_clean(got["low"], unit), high=_clean(got["high"]))
        elif "tol" in got:
            yield Phrase(tolerance=_clean(got["tol"]))
        else:
            kind, value = next((k.rstrip("23"), v) for k, v in got.items())
            if unit_of(value) not in units:
                continue
            if kind == "least":
                yield Phrase(low=_clean(value))
            elif kind == "most":
                yield Phrase(high=_clean(value))
            else:
                yield Phrase(nominal=_clean(value))
