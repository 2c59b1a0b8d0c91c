"""The debrief: the log as a story beside the coach's on the same radio, what each dear moment cost, and the better move there."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from unitone.align.advise import advise
from unitone.align.moves import Advice, SetUp
from unitone.job.damages import damage
from unitone.job.entries import Entry
from unitone.job.entries.bench import Broken
from unitone.job.entries.hands import Turned
from unitone.job.entries.practice import HintTaken, ToolTaken
from unitone.job.entries.readings import Reading
from unitone.job.fold import advance, fold
from unitone.job.state import JobState
from unitone.job.verdicts import SETTLED, verdict
from unitone.scenario.exercise import Exercise
from unitone.scenario.exercise_file import opened
from unitone.scenario.marking import BROKEN, HINT, LEFT_ALONE, MOVES, NAMED, STALE, Mark, mark, moves_of, radio_of
from unitone.scenario.practice_radio import begin, end
from unitone.scenario.trainees import coached
from unitone.session.session import Session
from unitone.sheet.library import Library
from unitone.sheet.model.sheet import Step
from unitone.simulator.mechanics import specimen, unit_mdeg
from unitone.store.logbook import Logbook
from unitone.store.ports import Store

#: What makes a moment dear.
Kind = Literal["broken", "needless", "metal", "too-strong", "unread", "wandered", "fault", "stale", "out", "hint"]
#: So many moments are told.
MOMENTS = 3
#: A core that took so many times the coach's moves wandered.
_WANDERED = 2.0
#: A signal this much above what the coach dials hides a peak (dB).
_TOO_STRONG_DB = 6.0


@dataclass(frozen=True)
class Moment:
    """One dear moment: the entry, the seconds since the start, what it was, the step and the adjuster, what it cost (marks), how many moves it took,
    what the coach says there instead, and how the adjusters stood then."""

    seq: int
    at_s: float
    kind: Kind
    step: str
    adjuster: str
    cost: float
    moves: int
    better: Advice | None
    positions: dict[str, int]
    #: Did the move change what came out of the loudspeaker? Then it can be heard again.
    heard: bool = False


@dataclass(frozen=True)
class AdjusterLeft:
    """Where an adjuster stands against where this very radio is right (its own unit): as found, and as left."""

    adjuster: str
    unit: Literal["turns", "degrees"]
    found: float
    left: float
    turned: bool


@dataclass(frozen=True)
class Debrief:
    """The whole of it. Stories are (seconds since the start, height): how far the adjusters are from right, 100 as found; or, of a radio
    that nobody has turned, the results in spec on the log (``of`` all)."""

    job_id: str
    exercise: Exercise
    seed: int
    mark: Mark
    #: The results that there are, where the story counts them; None where it tells how far from right.
    of: int | None
    story: tuple[tuple[float, float], ...]
    coach_story: tuple[tuple[float, float], ...]
    moments: tuple[Moment, ...]
    adjusters: tuple[AdjusterLeft, ...]


def debrief(book: Store, job_id: str, exercise: Exercise, library: Library) -> Debrief:
    """Look at a finished exercise: marks, story, moments. It takes seconds. Raises SheetError, TapeError, StoreError."""
    given = exercise
    exercise, _ = opened(exercise)
    session = Session(book, job_id)
    seed = session.state.card.simulated_seed or 0
    with Logbook(None) as other:
        coach = begin(other, given, seed, library)
        coached(coach, exercise)
        end(coach)
        made = mark(session, exercise, moves_of(coach))
        coach_tape = other.tape(coach.job_id)
    tape = book.tape(job_id)
    turned = exercise.everything or bool(exercise.turned)
    off = _Off(book, session) if turned else None
    found = sorted(_moments(tape, coach_tape, made, exercise), key=lambda m: (-m.cost, m.seq))[:MOMENTS]
    return Debrief(
        job_id, exercise, seed, made, None if turned else len(session.sheet.steps), _story(tape, off), _story(coach_tape, off),
        tuple(sorted(found, key=lambda m: m.seq)), _adjusters(book, session),
    )  # fmt: skip


def _states(tape: Sequence[Entry]) -> Iterator[tuple[JobState, Entry]]:
    """Each entry after the opening, with the state before it."""
    state = fold(tape[:1])
    for entry in tape[1:]:
        yield state, entry
        state = advance(state, entry)


class _Off:
    """How far the adjusters of an exercise are from where this very radio is right."""

    def __init__(self, book: Store, session: Session) -> None:
        self.sheet, physics = radio_of(book, session.job_id)
        made = specimen(self.sheet, physics, session.state.card.simulated_seed or 0)
        self.found = {a: made.found[a] - made.right[a] for a in made.found}
        self.unit = {a.id: unit_mdeg(a) for a in self.sheet.adjusters}
        #: What counts as far for each: as the file's author turns it.
        self._far = {a: s.misaligned or 1.0 for a, s in physics.adjuster.items()}
        self.asked = {a for s in session.sheet.steps for a in s.adjusters}

    def height(self, positions: dict[str, int]) -> float:
        """All of them together, 100 as found."""
        now = found = 0.0
        for a in self.asked | {x for x, moved in positions.items() if moved}:
            now += abs(self.left(a, positions.get(a, 0))) / self._far[a]
            found += abs(self.found[a]) / self._far[a]
        return 100.0 * now / max(found, 1e-6)

    def left(self, adjuster: str, moved: int) -> float:
        """Where one stands now (own units)."""
        return self.found[adjuster] + moved / self.unit[adjuster]


def _story(tape: Sequence[Entry], off: _Off | None) -> tuple[tuple[float, float], ...]:
    """How far from right after each turn; without ``off`` the results in spec after each reading. From the start to the end."""
    start = tape[1].bench_s if len(tape) > 1 else tape[0].bench_s
    state = fold(tape[:1])

    def height() -> float:
        if off is not None:
            return off.height(dict(state.positions))
        return float(sum(verdict(state, s) in SETTLED for s in state.sheet.steps))

    told = [(0.0, height())]
    for entry in tape[1:]:
        state = advance(state, entry)
        if isinstance(entry.said, Reading if off is None else Turned) and (now := height()) != told[-1][1]:
            told.append((max(entry.bench_s - start, 0.0), now))
    return (*told, (max(tape[-1].bench_s - start, told[-1][0]), height()))


def _adjusters(book: Store, session: Session) -> tuple[AdjusterLeft, ...]:
    off = _Off(book, session)
    rows = []
    for adjuster in off.sheet.adjusters:
        moved = session.state.positions.get(adjuster.id, 0)
        if adjuster.id not in off.asked and not moved:
            continue
        unit: Literal["turns", "degrees"] = "turns" if adjuster.kind == "core" else "degrees"
        rows.append(AdjusterLeft(adjuster.id, unit, off.found[adjuster.id], off.left(adjuster.id, moved), bool(moved)))
    return tuple(rows)


def _moments(tape: Sequence[Entry], coach: Sequence[Entry], made: Mark, exercise: Exercise) -> list[Moment]:
    a_move = MOVES / max(1.5 * made.good_moves, 1.0)
    start = tape[1].bench_s if len(tape) > 1 else 0.0
    causes = [
        *_metal(tape, a_move),
        *_too_strong(tape, a_move),
        *_unread(tape, made, a_move),
        *_wandered(tape, coach, a_move),
    ]
    found = [
        *_breakages(tape),
        *_hints(tape),
        *_needless(tape, made),
        *_blamed(tape, causes, made),
        *_at_the_end(tape, made, exercise),
    ]
    return [replace(m, at_s=max(m.at_s - start, 0.0)) for m in found]


def _moment(state: JobState, entry: Entry, kind: Kind, step: str, adjuster: str, cost: float, moves: int = 1) -> Moment:
    return Moment(
        entry.seq,
        entry.bench_s,
        kind,
        step,
        adjuster,
        cost,
        moves,
        None if state.finished else advise(state),
        dict(state.positions),
        isinstance(entry.said, Turned) and state.hook_up == "receive" and state.set_up.way != "transmit",
    )


def _breakages(tape: Sequence[Entry]) -> Iterator[Moment]:
    """Each thing that broke, at the move that broke it: the way back leads to before that move."""
    turned: tuple[JobState, Entry] | None = None
    for state, entry in _states(tape):
        if isinstance(entry.said, Turned):
            turned = (state, entry)
        if isinstance(entry.said, Broken):
            of = damage(entry.said.what)
            by_turn = turned is not None and (
                of.what == "bias" or (bool(of.adjuster) and _turns_of(turned[1], of.adjuster))
            )
            before, at = turned if by_turn and turned is not None else (state, entry)
            yield _moment(before, at, "broken", before.at, entry.said.what, BROKEN)


def _turns_of(entry: Entry, adjuster: str) -> bool:
    return isinstance(entry.said, Turned) and entry.said.adjuster == adjuster


def _metal(tape: Sequence[Entry], a_move: float) -> Iterator[Moment]:
    """Cores turned with steel in them: one moment for each tool that was taken, at its first turn."""
    begun: tuple[JobState, Entry] | None = None
    moves, adjuster = 0, ""
    for state, entry in _states(tape):
        said = entry.said
        if isinstance(said, ToolTaken) and begun is not None and said.tool != "metal":
            yield _moment(*begun, "metal", begun[0].at, adjuster, a_move * moves, moves)
            begun, moves = None, 0
        if isinstance(said, Turned) and said.moved and state.tool == "metal" and _is_core(state, said.adjuster):
            if begun is None:
                begun, adjuster = (state, entry), said.adjuster
            moves += 1
    if begun is not None:
        yield _moment(*begun, "metal", begun[0].at, adjuster, a_move * moves, moves)


def _is_core(state: JobState, adjuster: str) -> bool:
    return state.sheet.adjuster(adjuster).kind == "core"


def _hints(tape: Sequence[Entry]) -> Iterator[Moment]:
    taken = [(s, e) for s, e in _states(tape) if isinstance(e.said, HintTaken)]
    if taken:
        yield _moment(*taken[0], "hint", taken[0][0].at, "", HINT * len(taken), len(taken))


def _owners(state: JobState, adjuster: str) -> list[Step]:
    return [s for s in state.sheet.steps if adjuster in s.adjusters]


def _needless(tape: Sequence[Entry], made: Mark) -> Iterator[Moment]:
    """The first turn of each step that was turned without need; what the mark lost by it."""
    steps = {name.partition(" (")[0] for name in made.needless}
    each = LEFT_ALONE / max(made.left_alone[1], 1)
    for state, entry in _states(tape):
        if isinstance(entry.said, Turned) and entry.said.moved:
            first = next((s.id for s in _owners(state, entry.said.adjuster) if s.id in steps), None)
            if first is not None:
                steps.discard(first)
                yield _moment(state, entry, "needless", first, entry.said.adjuster, each)


def _too_strong(tape: Sequence[Entry], a_move: float) -> Iterator[Moment]:
    """Turned although the coach would first dial the generator down: each run of such turns is one moment."""
    begun: tuple[JobState, Entry] | None = None
    moves, adjuster = 0, ""
    for state, entry in _states(tape):
        said = entry.said
        if isinstance(said, Turned) and said.moved and _is_too_strong(state, said.adjuster):
            begun, moves, adjuster = begun or (state, entry), moves + 1, adjuster or said.adjuster
        elif begun is not None and not isinstance(said, Turned | Reading):
            yield _moment(*begun, "too-strong", begun[0].at, adjuster, a_move * moves, moves)
            begun, moves, adjuster = None, 0, ""
    if begun is not None:
        yield _moment(*begun, "too-strong", begun[0].at, adjuster, a_move * moves, moves)


def _is_too_strong(state: JobState, adjuster: str) -> bool:
    step = state.sheet.step(state.at)
    if step.aim not in ("peak", "level") or adjuster not in step.adjusters or state.finished:
        return False
    asked, dialled = advise(state), state.set_up.level_dbm
    if not isinstance(asked, SetUp) or dialled is None or asked.conditions.level_dbm is None:
        return False
    return dialled - asked.conditions.level_dbm >= _TOO_STRONG_DB


def _unread(tape: Sequence[Entry], made: Mark, a_move: float) -> Iterator[Moment]:
    """An adjuster turned before its step was ever read: nobody knows any more how it was found."""
    needless = {name.partition(" (")[0] for name in made.needless}
    seen: set[str] = set()
    for state, entry in _states(tape):
        said = entry.said
        if not isinstance(said, Turned) or not said.moved or said.adjuster in seen:
            continue
        seen.add(said.adjuster)
        owners = _owners(state, said.adjuster)
        read = any((s.id, n) in state.latest for s in owners for n in range(len(s.required)))
        if owners and not read and not needless & {s.id for s in owners}:
            yield _moment(state, entry, "unread", owners[0].id, said.adjuster, a_move)


def _wandered(tape: Sequence[Entry], coach: Sequence[Entry], a_move: float) -> Iterator[Moment]:
    """An adjuster that took far more turns than the coach needed for it."""
    needed = _turns(coach)
    for adjuster, turns in _turns(tape).items():
        good = max(needed.get(adjuster, 0), 2)
        if turns > _WANDERED * good:
            state, entry = next(
                (s, e)
                for s, e in _states(tape)
                if isinstance(e.said, Turned) and e.said.adjuster == adjuster and e.said.moved
            )
            yield _moment(state, entry, "wandered", state.at, adjuster, a_move * (turns - good), turns)


def _blamed(tape: Sequence[Entry], causes: Sequence[Moment], made: Mark) -> Iterator[Moment]:
    """These moments, and the results that stayed out: each costs where it went wrong first, or at the end where nothing says where."""
    share = 100.0 / max(made.restored[1], 1)
    cost = {id(m): m.cost for m in causes}
    nowhere = []
    state, last = list(_states(tape))[-1]
    for name in made.out:
        step = state.sheet.step(name)
        mine = [m for m in causes if m.adjuster in step.adjusters]
        if mine:
            cost[id(min(mine, key=lambda m: (m.kind not in ("metal", "too-strong"), m.seq)))] += share
        else:
            nowhere.append(step)
    yield from (replace(m, cost=cost[id(m)]) for m in causes)
    if nowhere:
        adjuster = nowhere[0].adjusters[0] if nowhere[0].adjusters else ""
        yield _moment(state, last, "out", nowhere[0].id, adjuster, share * len(nowhere), len(nowhere))


def _turns(tape: Sequence[Entry]) -> dict[str, int]:
    counted: dict[str, int] = {}
    for entry in tape:
        if isinstance(entry.said, Turned) and entry.said.moved:
            counted[entry.said.adjuster] = counted.get(entry.said.adjuster, 0) + 1
    return counted


def _at_the_end(tape: Sequence[Entry], made: Mark, exercise: Exercise) -> Iterator[Moment]:
    """What was left undone: a fault that nobody named, results that nobody read again."""
    if made.named is False and exercise.fault:
        turns = [(s, e) for s, e in _states(tape) if isinstance(e.said, Turned)]
        state, entry = turns[0] if turns else list(_states(tape))[-1]
        yield _moment(state, entry, "fault", state.at, "", NAMED, len(turns))
    if made.unproven:
        state, entry = list(_states(tape))[-1]
        yield _moment(state, entry, "stale", made.unproven[0], "", STALE * len(made.unproven), len(made.unproven))
