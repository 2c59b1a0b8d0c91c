"""The mixing model: outputs as exact rational combinations of a radio's oscillators.

A term is a fraction of an oscillator's frequency; its numerator or denominator
may be the divider number N of the channel. Fractions are exact
(``fractions.Fraction``), so that an error can be traced to its oscillator.
"""

from __future__ import annotations

import re
from fractions import Fraction

from unitone.errors import UnitoneError
from unitone.words import tr

_TERM = re.compile(r"^([+-]?)(N|\d+)(?:/(N|\d+))?$")


def coefficient(text: str, n: int) -> Fraction:
    """``"N/4096"``, ``"-1"``, ``"3/2"`` with the channel's divider ``n``. Raises UnitoneError."""
    match = _TERM.match(text.replace(" ", ""))
    if match is None:
        raise UnitoneError(
            tr("“{what}” is not a mixing term. Expected a fraction such as N/4096, 1 or -3/2.", what=text)
        )
    top, bottom = (n if part == "N" else int(part) for part in (match[2], match[3] or "1"))
    if bottom == 0:
        raise UnitoneError(tr("“{what}” divides by zero.", what=text))
    value = Fraction(top, bottom)
    return -value if match[1] == "-" else value


def output_hz(terms: dict[str, Fraction], oscillators: dict[str, float]) -> float:
    """Calculator of coefficient × oscillator frequency (Hz). Raises KeyError for an oscillator that is not given."""
    return float(sum(float(c) * oscillators[name] for name, c in terms.items()))
