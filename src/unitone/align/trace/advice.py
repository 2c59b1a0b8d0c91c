"""What to do next while tracing: a move, from the search, the voltages and the parts; the sentence is made from it (``present/trace``)."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from unitone.align.trace.branches import Branch, bad_branch, branch_to_read, branches
from unitone.align.trace.finder import Finder, Test, Way
from unitone.align.trace.ladder import Rung, Traced, finder, ladder, repaired_at
from unitone.align.trace.suspects import SuspectPart, suspect_parts
from unitone.job.state import JobState

Act = Literal["inject", "volts", "look", "signal", "part", "hook-up", "whole", "stuck", "nothing"]
#: A part that fits no better than this among the rest is not named as the cause yet, only looked at.
_WORTH_NAMING = 0.02


@dataclass(frozen=True)
class TraceMove:
    """One move: what to do at which stage; the part to check; why it is this one (bits it tells, or how likely)."""

    act: Act
    stage: str = ""
    part: str = ""
    bits: float = 0.0


@dataclass(frozen=True)
class Trace:
    """A trace as it stands: the ladder, the search, where the fault is once that is known, the parts there, and the moves, best first."""

    rungs: tuple[Rung, ...]
    search: Finder | None
    found: str
    parts: tuple[SuspectPart, ...]
    moves: tuple[TraceMove, ...]
    #: What stands beside the ladder; ``found`` may be one of them.
    branches: tuple[Branch, ...] = ()

    @property
    def move(self) -> TraceMove:
        """The move that the coach asks for."""
        return self.moves[0]


def trace(
    state: JobState, earlier: Mapping[str, int] | None = None, walk: bool = False, way: Traced = "receive", volts: bool = True
) -> Trace:  # fmt: skip
    """The trace of a job; ``walk``: injections in order, from the loudspeaker back (or probes, on to the aerial), instead of the test that
    tells most; ``volts``: can voltages be read at all? (A simulated radio whose file gives no circuits has none.)"""
    rungs = ladder(state, way)
    if len(rungs) < 2:
        return Trace(rungs, None, "", (), (TraceMove("nothing"),))
    search = finder(state, rungs, earlier)
    beside = branches(state, way)
    if search.sure:
        return _sure(state, rungs, search, beside, volts)
    tests = [t for t in search.tests() if volts or t.way != "volts"]
    moves = [TraceMove(_ACTS[t.way], t.stage, bits=t.bits) for t in _ordered(tests, rungs, walk) if t.bits > 1e-3]
    if not moves:
        moves = [TraceMove("stuck")]
    # After a repair nothing is left that points anywhere: the whole chain says whether it is whole.
    whole = rungs[0 if way == "receive" else -1].stage.id
    if repaired_at(state, way) and not any(r.is_tested for r in rungs):
        moves.sort(key=lambda m: not (m.act == "inject" and m.stage == whole))
    if moves[0].act == "inject" and (state.hook_up == "transmit") != (way == "transmit"):
        # Generator and transmitter never meet: what the ladder needs is connected first, and confirmed.
        moves.insert(0, TraceMove("hook-up"))
    return Trace(rungs, search, "", (), tuple(moves), beside)


def _sure(state: JobState, rungs: tuple[Rung, ...], search: Finder, beside: tuple[Branch, ...], volts: bool) -> Trace:
    """The stage is known, or that nothing is wrong: what is left is a branch that is, or the parts."""
    rung = next((r for r in rungs if r.stage.id == search.found), None)
    branch = next((b for b in beside if b.is_bad), None) if rung is None else bad_branch(beside, rung)
    at = rung if branch is None else branch.rung
    if at is not None:
        parts = suspect_parts(state, at.rows, [at.stage.id, *(b.id for b in at.beside)])
        moves = _at_the_break(at, parts, volts)
        unread = None if rung is None or branch is not None or not volts else branch_to_read(beside, rung)
        if unread is not None:
            # Until the line is read no part of the stage is suspected.
            moves, parts = (TraceMove("volts", unread.stage.id), *moves), ()
        return Trace(rungs, search, at.stage.id, parts, moves, beside)
    out = [
        TraceMove("volts", b.stage.id)
        for b in beside
        if volts and b.is_unread and any(v == "out_of_spec" for _, v in b.steps)
    ]
    return Trace(rungs, search, "", (), (*out, TraceMove("whole")), beside)


_ACTS: dict[Way, Act] = {"inject": "inject", "volts": "volts", "look": "look", "signal": "signal"}


def _ordered(tests: Sequence[Test], rungs: Sequence[Rung], walk: bool) -> list[Test]:
    if not walk:
        return list(tests)
    order = [r.stage.id for r in rungs]
    back = -1 if rungs[0].stage.way == "receive" else 1
    injected = sorted((t for t in tests if t.way == "inject"), key=lambda t: back * order.index(t.stage))
    return [*injected, *(t for t in tests if t.way != "inject")]


def _at_the_break(rung: Rung, parts: Sequence[SuspectPart], volts: bool) -> tuple[TraceMove, ...]:
    """At the stage: its voltages, an oscillator's signal, a look, then its parts in their order."""
    of = rung.stage.id
    moves: list[TraceMove] = []
    if volts and any(r.row.is_known and r.now is None for r in rung.rows):
        moves.append(TraceMove("volts", of))
    else:
        left = [p for p in parts if not p.is_checked and p.probability > _WORTH_NAMING]
        moves += [TraceMove("part", of, p.part.id) for p in left]
    if not any(c.way in ("look", "flex") for c in rung.checks):
        moves.append(TraceMove("look", of))
    return tuple(moves) or (TraceMove("stuck", of),)
