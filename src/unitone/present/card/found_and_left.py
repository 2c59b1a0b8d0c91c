"""The as-found sheet: every reading of the procedure on one page, by hook-up, a column a channel; found and left side by side."""

from __future__ import annotations

from dataclasses import dataclass

from unitone.bench.path import HOOK_UPS
from unitone.job.state import JobState
from unitone.job.summary import reading_text
from unitone.job.verdicts import Line, inside, lines
from unitone.quantities.entry import EXPECTED
from unitone.quantities.registry import quantity
from unitone.quantities.show import microvolts
from unitone.report.certificate import limit_words
from unitone.sheet.model.front_panel import knob_words
from unitone.sheet.model.sheet import Conditions, HookUp, Step
from unitone.words import N_, tr, tr_n

#: The order in which a bench is hooked up: meters alone, then the dummy load, then the generator.
_ORDER: tuple[HookUp, ...] = ("probe", "transmit", "receive")
_TITLES: dict[HookUp, str] = {
    "probe": N_("Radio on receive, meter and counter"),
    "transmit": N_("Radio on transmit into the dummy load"),
    "receive": N_("Generator on the aerial socket"),
}


@dataclass(frozen=True)
class ReadingCell:
    """A box of the sheet: which requirement it answers, the reading now and as found, and its verdict's name."""

    step: str
    index: int
    column: int
    name: str
    unit: str
    hint: str
    value: str
    found: str
    verdict: str
    #: The bench itself reads it: Enter on the empty box does.
    measurable: bool


@dataclass(frozen=True)
class ReadingRow:
    """A line: what is read, how the bench stands for it, the limit, and its boxes."""

    title: str
    how: str
    limit: str
    cells: tuple[ReadingCell, ...]


@dataclass(frozen=True)
class ReadingGroup:
    """The lines of one hook-up; ``safety`` is what to mind before it is confirmed."""

    hook_up: HookUp
    title: str
    safety: str
    confirmed: bool
    rows: tuple[ReadingRow, ...]


@dataclass(frozen=True)
class ReadingsView:
    """The whole sheet, and how far it is."""

    columns: tuple[str, ...]
    groups: tuple[ReadingGroup, ...]
    words: str
    next_words: str
    left: bool


def readings_view(state: JobState, measurable: frozenset[str] = frozenset()) -> ReadingsView:
    """The sheet of a job; ``measurable`` are the quantities that the bench itself reads."""
    columns = _columns(state)
    made: dict[HookUp, list[ReadingRow]] = {}
    seen: set[tuple[str, Conditions, str]] = set()
    for step in state.sheet.steps:
        if state.judged.get(step.id) is not None and state.judged[step.id].verdict == "not applicable":
            continue
        for row in _rows(state, step, columns, seen, step.quantity_id in measurable):
            made.setdefault(step.hook_up, []).append(row)
    groups = tuple(
        ReadingGroup(
            way, tr(_TITLES[way]), tr(HOOK_UPS[way][2]), way == "probe" or state.hook_up == way, tuple(made[way])
        )
        for way in _ORDER
        if way in made
    )
    cells = [c for g in groups for r in g.rows for c in r.cells]
    read = sum(bool(c.value) for c in cells)
    out = sum(c.verdict == "out_of_spec" for c in cells)
    words = tr("{n} of {all} read", n=read, all=len(cells))
    if out:
        words += ", " + tr_n("{n} out of spec", "{n} out of spec", out)
    return ReadingsView(
        tuple(tr("ch {c}", c=c) if c and c.isdigit() else c or tr("reading") for c in columns),
        groups,
        words,
        _next(groups),
        state.phase == "adjust",
    )


def _columns(state: JobState) -> tuple[str, ...]:
    """The channels that are read, in the plan's order; what names none stands in the column of the middle one."""
    named = {c.channel for s in state.sheet.steps for c in s.required if c.channel}
    return tuple(n for n in state.sheet.plan.names if n in named) or ("",)


def _rows(
    state: JobState, step: Step, columns: tuple[str, ...], seen: set[tuple[str, Conditions, str]], measurable: bool
) -> list[ReadingRow]:
    """A line for each band, mode and test point of a step; what another step reads already is not asked twice."""
    told = lines(state, step)
    limit = limit_words(step)
    by_line: dict[tuple[str, ...], list[ReadingCell]] = {}
    for index, (required, line) in enumerate(zip(step.required, told, strict=True)):
        key = (step.quantity_id, required, limit)
        if key in seen:
            continue
        seen.add(key)
        where = tuple(x for x in (required.band, required.mode, required.test_point) if x)
        column = columns.index(required.channel) if required.channel in columns else len(columns) // 2
        by_line.setdefault(where, []).append(_cell(state, step, index, column, line, measurable))
    many = len(by_line) > 1
    found = []
    for where, cells in by_line.items():
        title = step.title + (f", {' '.join(where)}" if many and where else "")
        found.append(ReadingRow(title, _how(step.required[cells[0].index]), limit, tuple(cells)))
    return found


def _cell(state: JobState, step: Step, index: int, column: int, line: Line, measurable: bool) -> ReadingCell:
    q, required = quantity(step.quantity_id), step.required[index]
    now, found = line.now, line.found
    verdict = "todo"
    if now is not None:
        holds = inside(step.limit, now.reading, state.rule)
        verdict = "recheck" if line.stale else "undecided" if holds is None else "in_spec" if holds else "out_of_spec"
    earlier = reading_text(step, found) if found is not None and now is not found else ""
    unit = "µV" if q.kind == "level" else q.shown
    name = ", ".join(x for x in (step.title, required.place) if x)
    value = reading_text(step, now) if now is not None else ""
    if q.shown == "MHz":
        # Eight figures fill a box: its unit stands in the limit beside it.
        value = value.removesuffix(" MHz")
    return ReadingCell(step.id, index, column, name, unit, EXPECTED[q.kind], value, earlier, verdict, measurable)


def _how(required: Conditions) -> str:
    """How the bench stands for a line, as short as a table takes."""
    parts = [required.test_point or ""]
    if required.level_dbm is not None:
        parts.append(microvolts(required.level_dbm))
    if required.mic_mv:
        parts.append(tr("{mv:g} mV at the microphone", mv=required.mic_mv))
    parts += [knob_words(name, position) for name, position in required.panel]
    return " · ".join(x for x in parts if x)


def _next(groups: tuple[ReadingGroup, ...]) -> str:
    """What comes: how many boxes are left before the bench has to be hooked up otherwise."""
    for at, group in enumerate(groups):
        left = sum(not c.value for r in group.rows for c in r.cells)
        if not left:
            continue
        if not group.confirmed:
            return tr("Next: {title}. Hook up, then confirm.", title=group.title)
        after = next((g for g in groups[at + 1 :] if any(not c.value for r in g.rows for c in r.cells)), None)
        here = tr_n("{n} reading left on this hook-up.", "{n} readings left on this hook-up.", left)
        return here + (" " + tr("Then: {title}.", title=after.title) if after is not None else "")
    return tr("Everything is read.")
