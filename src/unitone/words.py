"""The words on screen and in advice, in the language in use.

``tr("Turn {adjuster}", adjuster="T1")`` looks the English text up in the
catalogue of the language and fills in the named parameters; ``tr_n`` does so
for a text with a number in it. Texts in tables that are made once, before any
language is chosen, are marked ``N_`` (gettext's usual name) and looked up where they are
read (``translated`` does that for the fields of a class). Catalogues lie in
``data/locale``; docs/translate.py extracts and compiles them.
"""

from __future__ import annotations

import gettext
import os
import re
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import replace
from datetime import date, datetime
from functools import lru_cache
from pathlib import Path
from typing import Any, TypeVar

#: Where the catalogues lie.
LOCALE = Path(__file__).resolve().parent / "data" / "locale"
#: Languages by their code, each by its own name. ``xx`` is no language: it shows what was never translated.
LANGUAGES = {"en": "English", "de": "Deutsch"}
PSEUDO = "xx"

T = TypeVar("T")
#: Between texts that were joined.
_BETWEEN = "\x1f"
#: A decimal point between digits, and not one of several (dates, versions).
_POINT = re.compile(r"(?<![\w.])(\d+)\.(\d+)(?![\d.]*\.\d)")


class _Pseudo(gettext.NullTranslations):
    """Every text in brackets, with accents and 40 % longer: what shows without them was never translated."""

    _LETTERS = str.maketrans("aeiouAEIOUnscy", "àéîôûÀÉÎÔÛñšçý")

    def gettext(self, message: str) -> str:
        """``Log`` as ``[Lôg··]``; names in braces stay."""
        parts = re.split(r"(\{[^}]*\})", message)
        drawn = "".join(p if p.startswith("{") else p.translate(self._LETTERS) for p in parts)
        return f"[{drawn}{'·' * (len(message) * 2 // 5 + 1)}]"

    def ngettext(self, msgid1: str, msgid2: str, n: int) -> str:
        """The same for a text with a number."""
        return self.gettext(msgid1 if n == 1 else msgid2)


class Catalogue:
    """A language: its code, its texts and its decimal mark."""

    def __init__(self, code: str, texts: gettext.NullTranslations, mark: str) -> None:
        self.code, self.texts, self.mark = code, texts, mark


@lru_cache(maxsize=4)
def _catalogue(code: str) -> Catalogue:
    if code == PSEUDO:
        return Catalogue(code, _Pseudo(), ".")
    if code == "en":
        return Catalogue(code, gettext.NullTranslations(), ".")
    if code not in LANGUAGES:
        raise ValueError(f"{code!r} is not one of the languages {', '.join(LANGUAGES)}")
    return Catalogue(code, gettext.translation("unitone", LOCALE, languages=[code]), ",")


#: The language of the program, and for a while another one: a certificate in the customer's.
_chosen = _catalogue("en")
#: The decimal mark that was chosen; empty: the language's own.
_mark = ""
_for_now: ContextVar[Catalogue | None] = ContextVar("language", default=None)


def _current() -> Catalogue:
    return _for_now.get() or _chosen


def language_wanted(kept: str = "") -> str:
    """The language to begin with: UNITONE_LANG, else what was chosen (``kept``), else the system's where it is one of ours."""
    for wanted in (
        os.environ.get("UNITONE_LANG", ""),
        kept,
        *(os.environ.get(v, "") for v in ("LC_ALL", "LC_MESSAGES", "LANG")),
    ):
        code = wanted.replace("-", "_").split("_")[0].split(".")[0].lower()
        if code in LANGUAGES or code == PSEUDO:
            return code
    return "en"


def use_language(code: str) -> None:
    """Speak this language from now on, on every thread. Raises ValueError for one that there is not."""
    global _chosen  # noqa: PLW0603  the one switch of language in the program
    _chosen = _catalogue(code)


@contextmanager
def in_language(code: str) -> Iterator[None]:
    """Speak another language inside this block, on this thread alone ("": the one in use). Raises ValueError."""
    token = _for_now.set(_catalogue(code) if code else _for_now.get())
    try:
        yield
    finally:
        _for_now.reset(token)


def language() -> str:
    """The code of the language in use."""
    return _current().code


def use_mark(mark: str) -> None:
    """Write figures with this decimal mark from now on; empty: the language's own. Raises ValueError for another sign."""
    global _mark  # noqa: PLW0603  the one switch of the decimal mark in the program
    if mark not in ("", ".", ","):
        raise ValueError(f"{mark!r} is no decimal mark")
    _mark = mark


def decimal_mark() -> str:
    """The decimal mark in use."""
    return _mark or _current().mark


def figure(text: str) -> str:
    """A figure with the decimal mark in use: ``0.31 µV`` as ``0,31 µV``."""
    mark = decimal_mark()
    return text if mark == "." else _POINT.sub(rf"\1{mark}\2", text)


def day(iso: str) -> str:
    """A date (ISO 8601, or its first ten letters) as the language writes it: ISO in English, 30.11.2026 in German."""
    if _current().code in ("en", PSEUDO):
        return iso[:10]
    # Only what is not English needs it, and it takes a while to load.
    from babel.dates import format_date

    try:
        return format_date(date.fromisoformat(iso[:10]), "dd.MM.yyyy", locale=_current().code)
    except ValueError:
        return iso[:10]


def clock(iso: str) -> str:
    """An ISO time as the clock on the wall shows it, with its day where that is not today."""
    when = datetime.fromisoformat(iso).astimezone()
    time = f"{when:%H:%M}"
    return time if when.date() == datetime.now().astimezone().date() else f"{day(iso)} {time}"


class _Figure(float):
    """A number that writes the decimal mark in use, however a text has it printed: ``{off:+.1f}``."""

    def __format__(self, how: str) -> str:
        return figure(super().__format__(how))


def _filled(text: str, parameters: dict[str, object]) -> str:
    if decimal_mark() == ".":
        return text.format(**parameters)
    told = {float: _Figure, str: figure}
    return text.format(**{k: told[type(v)](v) if type(v) in told else v for k, v in parameters.items()})  # type: ignore[operator]


def tr(text: str, /, **parameters: object) -> str:
    """Translate ``text`` and fill its named parameters. Raises KeyError where one is missing."""
    translated_text = _current().texts.gettext(text) if text else ""
    return _filled(translated_text, parameters) if parameters else translated_text


def tr_n(one: str, many: str, n: int, /, **parameters: object) -> str:
    """Translate a text with a number ``n`` in it, by the language's own plurals, and fill its parameters (``n`` among them)."""
    return _filled(_current().texts.ngettext(one, many, n), {"n": n, **parameters})


#: A text, or a code that is one of a few.
_Marked = TypeVar("_Marked", bound=str)


def N_(text: _Marked) -> _Marked:
    """Mark a text of a table for translation; it stays English here, and ``tr`` looks it up where it is shown."""
    return text


class _Text:
    """A field of a table of texts: kept in English, read in the language in use."""

    def __init__(self, name: str) -> None:
        self._name = name

    def __get__(self, instance: object | None, owner: type) -> Any:
        return self if instance is None else _looked_up(instance.__dict__[self._name])

    def __set__(self, instance: object, value: object) -> None:
        instance.__dict__[self._name] = value


def joined(*texts: str) -> str:
    """Several texts of a table as one: each is looked up by itself, and they are read with a space between."""
    return _BETWEEN.join(t for t in texts if t)


def replace_untranslated(record: T, **changes: Any) -> T:
    """``dataclasses.replace`` that copies texts as they are kept, not as the language in use reads them."""
    with in_language("en"):
        return replace(record, **changes)  # type: ignore[type-var]


def _looked_up(value: Any) -> Any:
    """A text, several of them, or the labels of (code, label) pairs and of ``{code: label}``."""
    if isinstance(value, str):
        return " ".join(tr(t) for t in value.split(_BETWEEN))
    if isinstance(value, tuple):
        return tuple((*v[:1], *(tr(x) for x in v[1:])) if isinstance(v, tuple) else tr(v) for v in value)
    if isinstance(value, dict):
        return {k: tr(v) for k, v in value.items()}
    return value


def translated(*names: str) -> Callable[[type[T]], type[T]]:
    """Make the fields ``names`` of a dataclass texts that are looked up whenever they are read."""

    def made(cls: type[T]) -> type[T]:
        for name in names:
            setattr(cls, name, _Text(name))
        return cls

    return made
