"""Recipes: a modification as a file of its own (``unitone-recipe/1``): the wish, parts, cuts and links, what it computes, affects, and asks to
be checked after, and what it changes of a simulated radio. Texts in braces are filled from the sheet, from what is asked, and from answers."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, model_validator

from unitone.errors import SheetError
from unitone.job.modifications import ModifiedWhat
from unitone.quantities.registry import CANONICAL_UNIT, QUANTITIES, quantity
from unitone.sheet.format.lines import key_lines, line_of
from unitone.sheet.format.small_files import ListedFile, listed, parse_as, text_of
from unitone.sheet.library import DATA
from unitone.sheet.model.mixing_model import Place, spots, vco_hz
from unitone.sheet.model.sheet import Conditions, Limit, Sheet
from unitone.words import tr

RECIPES = DATA / "recipes"
_BRACES = re.compile(r"\{([^{}]+)\}")


def _plain_text(value: object) -> object:
    """A number may stand where a text is meant: ``plus = -9``."""
    return f"{value:g}" if isinstance(value, int | float) and not isinstance(value, bool) else value


Words = Annotated[str, Field(min_length=1, max_length=600)]
Amount = Annotated[str, BeforeValidator(_plain_text), Field(min_length=1, max_length=120)]


class _Table(BaseModel):
    """Unknown keys are refused, and nothing changes."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Asked(_Table):
    """[[ask]]: what the technician says first: one of the sheet's oscillators or adjusters, or a text. Elsewhere ``{key}`` stands for it."""

    key: Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]*$", max_length=30)]
    words: Words
    of: Literal["oscillator", "adjuster", "text"] = "text"
    usual: str = ""


class Done(_Table):
    """[[do]]: one change: a part off, on or exchanged, a track cut, a link, a wire moved."""

    what: ModifiedWhat
    where: Words
    was: str = ""
    now: str = ""
    why: str = ""


class Computed(_Table):
    """[[value]]: what a calculator says with these inputs; its answers are ``{id.key}`` elsewhere."""

    id: Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]*$", max_length=30)]
    calculator: str
    inputs: dict[str, Amount] = {}


class Tries(_Table):
    """[[try]]: a key of the simulated radio's physics, set ``to`` a value, ``plus`` an amount, or ``times`` a factor; ``optional``: left out where a
    radio has no such key."""

    key: Words
    to: Amount | None = None
    plus: Amount | None = None
    times: Amount | None = None
    optional: bool = False

    @model_validator(mode="after")
    def _one(self) -> Tries:
        if sum(x is not None for x in (self.to, self.plus, self.times)) != 1:
            raise ValueError(tr("takes one of to, plus, times"))
        return self

    @property
    def change(self) -> tuple[Literal["to", "plus", "times"], str]:
        """How, and by what."""
        if self.to is not None:
            return "to", self.to
        return ("plus", self.plus) if self.plus is not None else ("times", self.times or "1")


class Recipe(_Table):
    """A whole recipe. ``leave``: why it is better left alone; empty where nothing speaks against it.
    ``panel``: controls at which what is checked is read once more."""

    format: Literal["unitone-recipe/1"]
    id: Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9-]*$", max_length=60)]
    name: Words
    wish: Annotated[tuple[Words, ...], Field(min_length=1, max_length=12)]
    why: Words
    caution: str = ""
    leave: str = ""
    ask: tuple[Asked, ...] = ()
    do: Annotated[tuple[Done, ...], Field(min_length=1, max_length=40)]
    value: tuple[Computed, ...] = ()
    affects: tuple[str, ...] = ()
    check: Annotated[tuple[str, ...], Field(min_length=1)]
    panel: dict[str, str] = {}
    tries: tuple[Tries, ...] = Field(default=(), alias="try")

    @property
    def search_words(self) -> str:
        """What a search looks in."""
        return " ".join(tr(x) for x in (self.name, *self.wish, self.why)).lower()

    def checks(self, quantity_id: str) -> bool:
        """Is that quantity read after?"""
        return _covers(self.check, quantity_id)


def _covers(patterns: Iterable[str], quantity_id: str) -> bool:
    return any(p == quantity_id or (p.endswith("*") and quantity_id.startswith(p[:-1])) for p in patterns)


RecipeFile = ListedFile[Recipe]


def parse_recipe(text: str, path: str) -> Recipe:
    """The recipe written in ``text``; ``path`` stands in messages. Raises SheetError with file, line, key and cure."""
    made, places = parse_as(Recipe, text, path), key_lines(text)
    problems = [
        f"{path}:{line_of(places, (key,))}: {key}: "
        + tr("no quantity {q!r}. Take one of docs/sheet.md's list.", q=pattern)
        for key, patterns in (("affects", made.affects), ("check", made.check))
        for pattern in patterns
        if not any(_covers([pattern], q) for q in QUANTITIES)
    ]
    known = {a.key for a in made.ask} | {v.id for v in made.value}
    for n, tried in enumerate(made.tries):
        for name in _BRACES.findall(tried.key + tried.change[1]):
            if re.split(r"[. ]", name)[0] not in known and not _is_fact(name):
                problems.append(
                    f"{path}:{line_of(places, ('try', n))}: try: "
                    + tr("{{{name}}} is nothing that is asked or computed. Correct the name.", name=name)
                )
    if problems:
        raise SheetError(problems)
    return made


def read_recipe(path: Path) -> Recipe:
    """Read and check a recipe's file. Raises SheetError."""
    return parse_recipe(text_of(path), str(path))


def recipes(own: Path | None = None) -> tuple[RecipeFile, ...]:
    """Those that come with the program and the workshop's own (a folder), by name."""
    return listed(RECIPES, own, read_recipe, lambda r: r.id, lambda r: tr(r.name))


# -- what stands in braces ---------------------------------------------------------------------------------

#: Words before a quantity: its limit's ends, and what was read last.
_OF_QUANTITY = ("low", "high", "nominal", "read")


def _is_fact(name: str) -> bool:
    first, _, rest = name.partition(" ")
    return name in ("carrier", "vco readings", "vco ends", "window low", "window high") or (
        first in (*_OF_QUANTITY, "crystal", "if") and bool(rest)
    )


def _middle(limit: Limit) -> float | None:
    return limit.middle if (limit.nominal, limit.low, limit.high) != (None, None, None) else None


def sheet_fact(sheet: Sheet, name: str) -> str | None:
    """What the sheet says to a name in braces, with its unit: ``carrier``, ``if 1``, ``crystal NAME``, ``low QUANTITY``, ``high QUANTITY``,
    ``nominal QUANTITY``, ``vco readings`` (as the maker tells them), ``vco ends``, ``window low``, ``window high``; None where it says nothing."""
    first, _, rest = name.partition(" ")
    middle = sheet.plan.names[len(sheet.plan.names) // 2] if sheet.plan.names else ""
    band = next((b for b, _ in sheet.plan.bands), None)
    made: str | None = None
    if name == "carrier" and middle:
        made = f"{sheet.carrier_hz(middle, band) / 1e6:.6f} MHz"
    elif name == "if 1" and middle:
        mode = next((m.mode for m in sheet.mixing if m.mode), None)
        spot = spots(sheet, Place("receive", band, mode, middle))
        made = None if spot is None else f"{spot.intermediate_hz / 1e6:.6f} MHz"
    elif first == "crystal":
        made = next((f"{o.nominal_hz / 1e6:.9g} MHz" for o in sheet.oscillators if o.id == rest and o.nominal_hz), None)
    elif first in ("low", "high", "nominal") and rest in QUANTITIES:
        step = next((s for s in sheet.steps if s.quantity_id == rest), None)
        end = (
            None
            if step is None
            else {"low": step.limit.low, "high": step.limit.high, "nominal": _middle(step.limit)}[first]
        )
        made = None if end is None else f"{end:.6g} {CANONICAL_UNIT[quantity(rest).kind]}".strip()
    elif name == "vco readings" and sheet.plls and sheet.plls[0].volts:
        made = "; ".join(f"{hz / 1e6:.6f} MHz {volts:g}" for hz, volts in sheet.plls[0].volts)
    elif name == "vco ends" and sheet.plan.names:
        bands: list[str | None] = [b for b, _ in sheet.plan.bands] or [None]
        mode = next((m.mode for m in sheet.mixing if m.mode), None)
        places = [
            Conditions("receive", c, band=b, mode=mode)
            for b in bands
            for c in (sheet.plan.names[0], sheet.plan.names[-1])
        ]
        found = [hz for c in places if (hz := vco_hz(sheet, c)) is not None]
        made = f"{min(found) / 1e6:.6f} MHz; {max(found) / 1e6:.6f} MHz" if found else None
    elif first == "window" and sheet.plls:
        made = f"{sheet.plls[0].window_v[0 if rest == 'low' else 1]:g} V"
    return made


def filled(text: str, lookup: Callable[[str], str | None]) -> str | None:
    """The text with everything in braces looked up; None where something is not known."""
    lacking = False

    def one(match: re.Match[str]) -> str:
        nonlocal lacking
        found = lookup(match[1])
        lacking |= not found
        return found or ""

    made = _BRACES.sub(one, text)
    return None if lacking else made


def done_with(recipe: Recipe, lookup: Callable[[str], str | None]) -> tuple[Done, ...]:
    """The changes with what is known filled in; what is not stays as a gap to fill (…)."""

    def text(words: str) -> str:
        return _BRACES.sub(lambda m: lookup(m[1]) or "…", tr(words) if words else "")

    return tuple(
        d.model_copy(
            update={
                "where": text(d.where),
                "was": text(d.was),
                "now": text(d.now),
                "why": text(d.why) or tr(recipe.name),
            }
        )
        for d in recipe.do
    )
