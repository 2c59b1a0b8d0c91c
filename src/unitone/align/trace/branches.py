"""The branches of a ladder: what feeds the signal's stages from the side, what holds them down or shuts them (a gain control, a squelch),
and what only looks at them (a meter).

No generator is carried along a branch: its voltages, its signal and the steps of the procedure that read it tell of it. A stage that a line
holds down looks bad itself, and so do its voltages: the line is read before its parts are suspected.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from unitone.align.trace.ladder import Rung, Traced, chain, dial, row_since, touched_at
from unitone.errors import SheetError
from unitone.job.state import JobState
from unitone.job.verdicts import Verdict, verdict
from unitone.job.voltages import row_states
from unitone.sheet.model.injection import terms_hz
from unitone.sheet.model.sheet import Stage, Step


@dataclass(frozen=True)
class Branch:
    """A stage beside the ladder: the rung that it would be (its voltages and checks), the stages that it comes from, those that it feeds,
    those that it acts on, and the steps that read it with what is said of them."""

    rung: Rung
    taps: tuple[Stage, ...]
    feeds: tuple[Stage, ...]
    acts_on: tuple[Stage, ...]
    steps: tuple[tuple[Step, Verdict], ...]

    @property
    def stage(self) -> Stage:
        """The stage itself."""
        return self.rung.stage

    @property
    def is_bad(self) -> bool:
        """Does one of its voltages, or its signal, say that it is the bad one?"""
        wrong = any(r.verdict in ("low", "high") for r in self.rung.rows)
        signals = [c for c in self.rung.checks if c.way == "signal"]
        return wrong or bool(signals and signals[-1].wrong)

    @property
    def is_unread(self) -> bool:
        """Is there a voltage that is known and was not read?"""
        return any(r.row.is_known and r.now is None for r in self.rung.rows)


def branches(state: JobState, way: Traced = "receive") -> tuple[Branch, ...]:
    """Every branch of the ladder, in the order in which the signal passes where they join it; empty where there is no ladder."""
    sheet, base = state.sheet, dial(state, way)
    main = chain(sheet, way, base.mode)
    if len(main) < 2:
        return ()
    every = {s.id for s in chain(sheet, way)}
    at, by_id = {s.id: n for n, s in enumerate(main)}, {s.id: s for s in sheet.stages}
    rows = row_states(state)
    made: list[tuple[int, Branch]] = []
    for stage in sheet.stages:
        if stage.way != way or stage.id in every or not stage.serves(base.mode):
            continue
        taps = tuple(by_id[a] for a in stage.after if a in at)
        feeds = tuple(s for s in main if stage.id in s.after)
        acts_on = tuple(by_id[a] for a in stage.acts_on if a in at)
        read = [s for s in sheet.steps if s.stage == stage.id or (stage.shows and s.quantity_id == stage.shows)]
        own = tuple(r for r in rows if r.row.stage == stage.id)
        if not (taps or feeds or acts_on or read or own):
            continue
        touched = touched_at(state, {stage.id})
        try:
            terms = stage.signal.terms if stage.signal is not None else ()
            hz = terms_hz(sheet, terms, base) if terms else None
        except SheetError:
            hz = None
        rung = Rung(
            stage, replace(base, inject=None), hz, (), None, None, False, tuple(row_since(r, touched) for r in own),
            tuple(c for c in state.checks if c.stage == stage.id and c.seq > touched),
        )  # fmt: skip
        joins = min((at[s.id] for s in (*acts_on, *feeds, *taps)), default=len(main))
        made.append((joins, Branch(rung, taps, feeds, acts_on, tuple((s, verdict(state, s)) for s in read))))
    return tuple(b for _, b in sorted(made, key=lambda x: x[0]))


def bad_branch(found: Sequence[Branch], rung: Rung) -> Branch | None:
    """The branch that acts on a stage and was found to be bad itself; None where none is."""
    return next((b for b in found if b.is_bad and rung.stage in b.acts_on), None)


def branch_to_read(found: Sequence[Branch], rung: Rung) -> Branch | None:
    """A branch that acts on a bad stage and is to be read before its parts are suspected: where a pin that it feeds stands wrong, or where
    the stage's own voltages are right, or not known. None where there is none."""
    known = [r for r in rung.rows if r.row.is_known]
    if any(r.now is None for r in known):
        return None
    wrong = [r for r in known if r.verdict in ("low", "high")]
    for branch in found:
        own = {r.row.id for r in branch.rung.rows}
        if (
            branch.is_unread
            and rung.stage in branch.acts_on
            and (not wrong or any(r.row.fed_from in own for r in wrong))
        ):
            return branch
    return None
