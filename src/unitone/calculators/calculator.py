"""What a sum is made of: what is typed, what comes out, and the question that it answers."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from unitone.words import N_, translated

#: Subjects that calculators are grouped by, in the order of the list.
LEVELS, RECEIVE, TRANSMIT, SYNTHESISER, PARTS = (
    N_("Levels"),
    N_("Receive"),
    N_("Transmit"),
    N_("Synthesiser"),
    N_("Parts"),
)
SUBJECTS = (LEVELS, RECEIVE, TRANSMIT, SYNTHESISER, PARTS)


@translated("words", "hint", "choices")
@dataclass(frozen=True)
class Given:
    """One thing to type: key, words, its unit (empty: a number, ``text``: as it stands), an example, what is usual, its choices."""

    key: str
    words: str
    unit: str = ""
    hint: str = ""
    usual: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    #: May be left empty.
    optional: bool = False
    #: What can be (plain unit): from, to; where both are None the unit's own bounds hold (``UNIT_BOUNDS``).
    least: float | None = None
    most: float | None = None
    #: A whole number.
    whole: bool = False
    #: Other spellings of a choice.
    aliases: tuple[tuple[str, str], ...] = ()

    @property
    def example(self) -> str:
        """A value to begin with: what is usual, else the first example of its hint; empty for what may stay empty."""
        if self.choices:
            return self.usual or self.choices[0][0]
        hint: str = self.__dict__["hint"]
        return (
            ""
            if self.optional
            else hint.split(",", maxsplit=1)[0].split(" for ", maxsplit=1)[0].split(" at ", maxsplit=1)[0] or self.usual
        )

    @property
    def bounds(self) -> tuple[float, float]:
        """From, to."""
        least, most = UNIT_BOUNDS.get(self.unit, (-1e12, 1e12))
        return (least if self.least is None else self.least, most if self.most is None else self.most)


#: What a quantity of a bench can be where nothing narrower is said. A frequency below that is one whose unit was forgotten.
UNIT_BOUNDS: dict[str, tuple[float, float]] = {
    "Hz": (1.0, 1e11), "V": (0.0, 1e5), "A": (0.0, 1e4), "W": (1e-15, 1e6), "ohm": (1e-3, 1e12), "F": (1e-15, 10.0), "H": (1e-12, 1e4),
    "dB": (-200.0, 200.0),
}  # fmt: skip


@dataclass(frozen=True)
class Answer:
    """One thing that comes out: key, words, the text with its unit, and the value in plain units (None for words)."""

    key: str
    words: str
    text: str
    value: float | None = None


@translated("question", "formula", "assumes", "caution")
@dataclass(frozen=True)
class Calculator:
    """One calculator. ``group`` is its subject, ``formula`` is shown with the answer, ``assumes`` says what was taken for granted."""

    name: str
    question: str
    group: str
    given: tuple[Given, ...]
    work: Callable[[Mapping[str, Any]], list[Answer]]
    formula: str
    assumes: str = ""
    caution: str = ""
