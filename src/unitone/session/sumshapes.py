"""What a sum is made of: what is typed, what comes out, and the question that it answers."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any


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


@dataclass(frozen=True)
class Answer:
    """One thing that comes out: key, words, the text with its unit, and the value in plain units (None for words)."""

    key: str
    words: str
    text: str
    value: float | None = None


@dataclass(frozen=True)
class Sum:
    """One sum. ``formula`` is shown with the answer, ``assumes`` says what was taken for granted."""

    name: str
    question: str
    group: str
    given: tuple[Given, ...]
    work: Callable[[Mapping[str, Any]], list[Answer]]
    formula: str
    assumes: str = ""
    caution: str = ""
