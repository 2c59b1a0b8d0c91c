"""What is shown of a recipe: its values by calculator, its changes in words, and what was read before and after on the simulated radio."""

from __future__ import annotations

import re
from collections.abc import Collection
from dataclasses import dataclass

from unitone.calculators.catalogue import calculator_of
from unitone.conversions.recipe import RecipeFile
from unitone.errors import UnitoneError
from unitone.job.modifications import Modification, describe_modification
from unitone.job.state import JobState
from unitone.present.bench.bench_shapes import BoardPicture, Pin
from unitone.present.bench.bench_view import limit_text
from unitone.present.bench.board import pinned
from unitone.present.bench.figures import figure_of
from unitone.quantities.registry import QUANTITIES, quantity
from unitone.session.recipes import TriedReading, WorkedRecipe
from unitone.sheet.model.front_panel import control_words
from unitone.sheet.model.sheet import Adjuster, Part, TestPoint
from unitone.words import tr, tr_n


@dataclass(frozen=True)
class ToType:
    """An input of a recipe: its key (``ask`` or the value's id, then the name), words, example, choices, and what stands in it."""

    key: str
    words: str
    hint: str
    choices: tuple[tuple[str, str], ...]
    text: str
    wide: bool


@dataclass(frozen=True)
class RecipeView:
    """A recipe as it is worked out: what to type, its values by question, its changes, whether it can be tried and carried out."""

    id: str
    title: str
    why: str
    leave: str
    caution: str
    inputs: tuple[ToType, ...]
    values: tuple[tuple[str, tuple[str, ...], str], ...]
    changes: tuple[str, ...]
    affects: str
    complete: bool
    worked: WorkedRecipe
    #: Where it is done on the sheet's board, and what of it is pinned nowhere.
    board: BoardPicture | None
    pins: tuple[Pin, ...]
    unpinned: str


def recipe_view(worked: WorkedRecipe, state: JobState) -> RecipeView:
    """The picture of a recipe that is worked out for this job."""
    recipe, oscillators = worked.recipe, tuple(o.id for o in state.sheet.oscillators)
    sheet = state.sheet
    words = {w for d in worked.done for w in re.findall(r"[\w-]+", d.where)}
    known: tuple[Adjuster | Part | TestPoint, ...] = (*sheet.parts, *sheet.adjusters, *sheet.test_points)
    places = [p for p in known if p.id in words]
    board, pins = pinned(state, places, "part")
    missing = [
        w for w in dict.fromkeys(d.where for d in worked.done) if not any(p.id in w for p in pins) and "…" not in w
    ]
    inputs: list[ToType] = []
    for n, ask in enumerate(recipe.ask):
        choices = tuple((o, o) for o in oscillators) if ask.of == "oscillator" else ()
        inputs.append(
            ToType(f"ask {ask.key}", tr(ask.words), ask.usual, choices, worked.given.get(ask.key, ""), n == 0)
        )
    values: list[tuple[str, tuple[str, ...], str]] = []
    for value in worked.values:
        try:
            calculator = calculator_of(value.calculator)
        except UnitoneError as error:
            values.append((value.calculator, (), str(error)))
            continue
        for n, g in enumerate(calculator.given):
            inputs.append(
                ToType(
                    f"{value.id} {g.key}", g.words, g.hint, g.choices, value.typed.get(g.key, "") or g.usual, n % 3 == 0
                )
            )
        values.append((calculator.question, tuple(f"{a.words}: {a.text}" for a in value.answers), value.problem))
    changes = tuple(
        describe_modification(Modification("", 0, "", d.what, d.where, d.was, d.now, d.why)) for d in worked.done
    )
    return RecipeView(
        recipe.id, tr(recipe.name), tr(recipe.why), tr(recipe.leave) if recipe.leave else "", tr(recipe.caution) if recipe.caution else "",
        tuple(inputs), tuple(values), changes, _named(recipe.check), not any("…" in c for c in changes), worked, board, pins,
        ", ".join(missing),
    )  # fmt: skip


def _named(patterns: tuple[str, ...]) -> str:
    found = [
        q.title for q in QUANTITIES.values() if any(p == q.id or (p.endswith("*") and q.id.startswith(p[:-1])) for p in patterns)
    ]  # fmt: skip
    return ", ".join(tr(t) for t in dict.fromkeys(found))


def list_words(file: RecipeFile) -> str:
    """A recipe in the list: its name, or its file's where it cannot be read."""
    return file.path.name if file.made is None else tr(file.made.name)


@dataclass(frozen=True)
class TriedLine:
    """A reading before and after: the mark of what it is now, in words."""

    mark: str
    words: str
    limit: str


def tried_view(tried: tuple[TriedReading, ...], moved: Collection[str] = ()) -> tuple[str, tuple[TriedLine, ...]]:
    """What trying it came to in one sentence, then reading by reading; ``moved``: the recipe's own controls, which are told."""
    made = []
    for t in tried:
        title = t.step.title if t.step is not None else tr(quantity(t.before.quantity_id).title)
        at = t.before.conditions
        place = " ".join(x for x in (at.band, at.mode, at.channel) if x)
        panel = ", ".join(f"{control_words(k)} {v}" for k, v in at.panel if k in moved)
        before, after = (" ".join(x for x in figure_of(r) if x) for r in (t.before, t.after))
        words = f"{title}, {place}: " if place else f"{title}: "
        mark = "todo" if t.holds is None else "in_spec" if t.holds else "out_of_spec"
        limit = limit_text(t.step) if t.step is not None else ""
        made.append(TriedLine(mark, f"{words}{before} → {after}", " · ".join(x for x in (panel, limit) if x)))
    lost = sum(bool(t.held) and t.holds is False for t in tried)
    won = sum(t.held is False and bool(t.holds) for t in tried)
    parts = [
        tr_n("{n} reading goes out of spec", "{n} readings go out of spec", lost) if lost else "",
        tr_n("{n} reading comes into spec", "{n} readings come into spec", won) if won else "",
    ]
    words = ", ".join(p for p in parts if p) or tr("nothing changes its verdict")
    return tr("Tried, before any re-alignment: {words}.", words=words), tuple(made)
