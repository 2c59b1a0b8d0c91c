"""Recipes at work in a job: their values from the sheet and the readings, tried on a simulated radio, carried out and kept on the log."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from unitone.align.frequency.vco_readings import vco_points
from unitone.calculators.calculator import Answer
from unitone.calculators.catalogue import calculator_of
from unitone.calculators.typed import si_text, work_out
from unitone.conversions.recipe import Done, Recipe, RecipeFile, done_with, filled, recipes, sheet_fact
from unitone.errors import BenchError, EntryError, UnitoneError
from unitone.job.entries.readings import Reading
from unitone.job.state import JobState
from unitone.quantities.registry import FOUND_BY, QUANTITIES, quantity
from unitone.quantities.show import show
from unitone.session.bench_of_job import bench_for
from unitone.session.own_sheets import library_of
from unitone.sheet.format.read import parse_sheet
from unitone.sheet.library import open_file
from unitone.sheet.model.sheet import Conditions, Effect, Sheet, Step, Way
from unitone.simulator.changes import Change, present, with_changes
from unitone.simulator.physics import parse_physics
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.store.ports import Store
from unitone.words import tr

if TYPE_CHECKING:
    from unitone.session.session import Session

#: So many readings are compared.
_MOST = 14


@dataclass(frozen=True)
class WorkedValue:
    """A value of a recipe: its calculator, what was typed or filled in, and the answers, or why there are none yet."""

    id: str
    calculator: str
    typed: dict[str, str]
    answers: tuple[Answer, ...]
    problem: str = ""


@dataclass(frozen=True)
class WorkedRecipe:
    """A recipe with its values, the changes as they will be noted, and what they do to a simulated radio (``None``: not known yet)."""

    recipe: Recipe
    given: dict[str, str]
    values: tuple[WorkedValue, ...]
    done: tuple[Done, ...]
    changes: tuple[Change, ...] | None


@dataclass(frozen=True)
class TriedReading:
    """A reading before and after, of a step (None: the sheet has none for it), and whether each is inside its limit (None without)."""

    step: Step | None
    before: Reading
    after: Reading
    held: bool | None
    holds: bool | None


def recipes_of(logbook: Store) -> tuple[RecipeFile, ...]:
    """The recipes that come with the program, and the workshop's own beside its logbook."""
    return recipes(None if logbook.folder is None else logbook.folder / "recipes")


def facts_of(sheet: Sheet, state: JobState | None, given: Mapping[str, str]) -> Callable[[str], str | None]:
    """What stands for a name in braces: what was asked, what was read in the job, what the sheet says."""

    def lookup(name: str) -> str | None:
        if name in given:
            return given[name]
        first, _, rest = name.partition(" ")
        if rest in given:
            return sheet_fact(sheet, f"{first} {given[rest]}")
        if name == "vco readings" and state is not None:
            points = vco_points(state, "receive") or vco_points(state)
            if points is not None:
                return "; ".join(f"{hz / 1e6:.6f} MHz {volts:.3g}" for hz, volts in points)
        if first == "read" and state is not None:
            last = next((r.reading for r in reversed(state.read_of(rest)) if r.reading.value is not None), None)
            return None if last is None or last.value is None else show(quantity(rest), last.value)
        return sheet_fact(sheet, name)

    return lookup


def work_out_recipe(
    recipe: Recipe, sheet: Sheet, state: JobState | None, given: Mapping[str, str], typed: Mapping[str, Mapping[str, str]] | None = None
) -> WorkedRecipe:  # fmt: skip
    """The recipe for this sheet (and job): its values, and its changes filled in. ``typed``: inputs that the technician corrected, by value."""
    asked = {a.key: given.get(a.key, "").strip() or a.usual for a in recipe.ask}
    lookup = facts_of(sheet, state, asked)
    values: list[WorkedValue] = []
    answers: dict[str, str] = {}
    for v in recipe.value:
        try:
            calculator = calculator_of(v.calculator)
        except UnitoneError as error:
            values.append(WorkedValue(v.id, v.calculator, {}, (), str(error)))
            continue
        inputs = {k: (filled(t, lookup) or "") for k, t in v.inputs.items()}
        inputs |= {k: t for k, t in (typed or {}).get(v.id, {}).items() if k in {g.key for g in calculator.given}}
        try:
            found = tuple(work_out(calculator, inputs))
            values.append(WorkedValue(v.id, v.calculator, inputs, found))
            answers |= {f"{v.id}.{a.key}": a.text for a in found}
            answers |= {f"={v.id}.{a.key}": f"{a.value:.9g}" for a in found if a.value is not None}
        except UnitoneError as error:
            values.append(WorkedValue(v.id, v.calculator, inputs, (), str(error)))

    def words(name: str) -> str | None:
        what, _, unit = name.partition(" ")
        if unit and f"={what}" in answers:
            return si_text(float(answers[f"={what}"]), unit, 3)
        return answers.get(name) or lookup(name)

    def figures(name: str) -> str | None:
        return answers.get(f"={name}") or lookup(name)

    changes: list[Change] = []
    for tries in recipe.tries:
        how, amount = tries.change
        key, value = filled(tries.key, figures), filled(amount, figures)
        if key is not None and value is not None:
            changes.append(Change(key, how, value, tries.optional))
    return WorkedRecipe(
        recipe,
        asked,
        tuple(values),
        done_with(recipe, words),
        tuple(changes) if len(changes) == len(recipe.tries) else None,
    )


class Recipes:
    """What a session does with recipes."""

    def __init__(self, session: Session) -> None:
        self._session = session

    def all(self) -> tuple[RecipeFile, ...]:
        """Every recipe that this workshop has."""
        return recipes_of(self._session.logbook)

    def worked(
        self, recipe: Recipe, given: Mapping[str, str], typed: Mapping[str, Mapping[str, str]] | None = None
    ) -> WorkedRecipe:
        """The recipe for this job."""
        return work_out_recipe(recipe, self._session.state.sheet, self._session.state, given, typed)

    def tried(self, worked: WorkedRecipe) -> tuple[TriedReading, ...]:
        """The recipe on the job's simulated radio as it stands; for a real radio on one of its sheet, aligned. Nothing of the job changes.

        Raises BenchError where there is no simulated radio or nothing to read, SheetError for a change that it cannot take.
        """
        session = self._session
        if isinstance(session.bench, SimulatedBench):
            bench = bench_for(session.state, session.state.entries[0])
            assert isinstance(bench, SimulatedBench)
            return try_on(bench, session.state.sheet, worked)
        path = library_of(session.logbook).find(session.state.card.sheet_id)
        bundle = open_file(path)
        if not bundle.physics:
            raise BenchError(tr("{title} has no simulated radio to try this on.", title=session.state.sheet.title))
        sheet = parse_sheet(bundle.text, str(path), path.stem)
        return try_on(aligned_bench(sheet, bundle.physics), sheet, worked)

    def carry_out(self, worked: WorkedRecipe, done: Sequence[Done]) -> None:
        """Note every change of the recipe; a simulated radio is changed with the last of them. Raises TapeError, SheetError."""
        effects = tuple(Effect(p) for p in worked.recipe.affects) or None
        for d in done:
            if "…" in d.where + d.was + d.now:
                raise EntryError(tr("Fill in what is still open (…): {where}.", where=d.where))
        bench = self._session.bench
        changes: tuple[Change, ...] = ()
        if isinstance(bench, SimulatedBench):
            if worked.changes is None:
                raise EntryError(tr("Its values are not known yet. Fill in what they are worked out from."))
            changes = present(bench.radio.physics, worked.changes)
            # Refused as a whole, before the first of its changes is on the log.
            with_changes(bench.radio.physics, changes)
        for n, d in enumerate(done, 1):
            sets = tuple((c.key, c.how, c.value) for c in changes) if n == len(done) else ()
            self._session.workshop.modify(d.what, d.where, d.was, d.now, d.why, sets=sets, affects=effects)


def aligned_bench(sheet: Sheet, physics_text: str, seed: int = 1) -> SimulatedBench:
    """The bench of a simulated radio of a sheet with every adjuster where it is right. Raises SheetError."""
    radio = SimulatedRadio(sheet, parse_physics(physics_text, sheet.id, sheet), seed)
    radio.mechanics.specimen = replace(radio.mechanics.specimen, found=dict(radio.mechanics.specimen.right))
    return SimulatedBench(radio)


def try_on(bench: SimulatedBench, sheet: Sheet, worked: WorkedRecipe) -> tuple[TriedReading, ...]:
    """What the recipe's checks read before and after. Raises BenchError, SheetError."""
    if worked.changes is None:
        raise BenchError(tr("Its values are not known yet. Fill in what they are worked out from."))
    if not worked.changes:
        raise BenchError(tr("This recipe says nothing of what it changes in a simulated radio."))
    wanted = present(bench.radio.physics, worked.changes)
    if not wanted:
        raise BenchError(tr("This simulated radio has nothing that the recipe changes."))
    before = _read(bench, sheet, worked.recipe)
    bench.radio.modify((*bench.radio.changes, *wanted))
    after = {(r.quantity_id, r.conditions): r for _, r in _read(bench, sheet, worked.recipe)}
    made = []
    for step, was in before:
        now = after.get((was.quantity_id, was.conditions))
        if now is not None:
            made.append(TriedReading(step, was, now, _holds(step, was), _holds(step, now)))
    if not made:
        raise BenchError(
            tr("The sheet has no step that would tell: it reads {list} nowhere.", list=", ".join(worked.recipe.check))
        )
    return tuple(made)


def _holds(step: Step | None, reading: Reading) -> bool | None:
    value = reading.value
    if step is None:
        return None
    if step.quantity_id in FOUND_BY and reading.quantity_id != step.quantity_id:
        return value is not None and value >= FOUND_BY[step.quantity_id][1]
    return value is not None and step.limit.holds(value)


def _wanted(sheet: Sheet, recipe: Recipe) -> Iterator[tuple[Step | None, str, Conditions]]:
    """What is read: both ends of every step that the recipe names, once more with its controls moved; then quantities without a step."""
    moved = tuple(p for p in recipe.panel.items() if p[0] in {c.id for c in sheet.controls})

    def with_panel(at: Conditions) -> Conditions:
        return replace(at, panel=(*((k, v) for k, v in at.panel if k not in recipe.panel), *moved))

    for step in sheet.steps:
        if recipe.checks(step.quantity_id) and step.required:
            first = step.required[0]
            own = any(k in recipe.panel for k, _ in first.panel)
            for at in (first, with_panel(first)) if moved and not own else dict.fromkeys((first, step.required[-1])):
                yield step, step.quantity_id, at
    mode = next((m.mode for m in sheet.mixing if m.mode), None)
    middle = sheet.plan.names[len(sheet.plan.names) // 2] if sheet.plan.names else None
    for q in recipe.check:
        if q in QUANTITIES and q not in {s.quantity_id for s in sheet.steps}:
            way: Way = "transmit" if q.startswith("tx.") else "receive"
            at = Conditions(way, middle, band=next((b for b, _ in sheet.plan.bands), None), mode=mode)
            yield None, q, at
            if moved:
                yield None, q, with_panel(at)


def _read(bench: SimulatedBench, sheet: Sheet, recipe: Recipe) -> list[tuple[Step | None, Reading]]:
    made: list[tuple[Step | None, Reading]] = []
    for step, q, at in _wanted(sheet, recipe):
        if q in FOUND_BY:
            # A level that is searched for is compared by what is read at the limit.
            level = None if step is None else step.limit.high if step.limit.high is not None else step.limit.nominal
            q, at = FOUND_BY[q][0], replace(at, level_dbm=at.level_dbm if level is None else level)
        if len(made) >= _MOST or not bench.can_measure(q):
            continue
        try:
            got = bench.measure(q, at)
        except BenchError:
            continue
        made.append((step, Reading(q, at, got.value, got.instrument, got.source, got.std, got.bound, got.word)))
    return made
