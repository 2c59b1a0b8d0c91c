"""The robot technician: follows the coach's typed words literally, through the session that the window uses."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from unitone.align.hill_readings import height
from unitone.align.moves import Advice
from unitone.errors import BenchError
from unitone.quantities.registry import FOUND_BY
from unitone.robot.searches import golden_section
from unitone.session.session import Session
from unitone.sheet.model.sheet import TURN, Step

#: No radio of this kind needs so many moves: a technician who got here would stop and think.
MOVES_AT_MOST = 4000


@dataclass(frozen=True)
class Work:
    """What a robot did: readings and moves taken, and whether it came to the end."""

    readings: int
    moves: int
    finished: bool


def align(session: Session, each: Callable[[Advice], None] | None = None) -> Work:
    """Follow the coach until the job is finished; ``each`` sees every piece of advice."""
    for moves in range(MOVES_AT_MOST):
        advice = session.advice()
        if each is not None:
            each(advice)
        if advice.act == "done":
            return Work(len(session.state.readings), moves, True)
        follow(session, advice)
    return Work(len(session.state.readings), MOVES_AT_MOST, False)


def follow(session: Session, advice: Advice) -> None:
    """Do what the coach says; a step for which the simulated radio has no such side, or that this bench cannot reach, is put aside, as a
    technician would."""
    step = session.sheet.step(advice.step)
    asked = advice.act in ("hook-up", "set-up", "measure")
    if asked and not session.bench.can_measure(FOUND_BY.get(step.quantity_id, (step.quantity_id,))[0]):
        session.go_to(step.id)
        session.judge("not applicable", "the simulated radio has no such side")
        return
    try:
        session.follow(advice)
    except BenchError as error:
        if not asked:
            raise
        session.go_to(step.id)
        session.judge("not applicable", str(error))


class GoldenSection:
    """The baseline: the coach's procedure, but each coil peaked by golden section over ±3 turns, coordinate by coordinate.

    Everything that is not peaking follows the coach, so that the two differ in the peaking alone.
    """

    name = "coordinate golden section"

    def __init__(self, session: Session, rounds: int = 2) -> None:
        self.session = session
        self.rounds = rounds

    def align(self) -> Work:
        """Run to the end of the job."""
        moves = 0
        while moves < MOVES_AT_MOST:
            advice = self.session.advice()
            moves += 1
            if advice.act == "done":
                return Work(len(self.session.state.readings), moves, True)
            step = self.session.step
            if advice.act == "turn" and step.aim in ("peak", "null"):
                for _ in range(self.rounds if len(step.adjusters) > 1 else 1):
                    for name in step.adjusters:
                        self._search(step, name)
                self._close(step)
                continue
            follow(self.session, advice)
        return Work(len(self.session.state.readings), moves, False)

    def _read(self, step: Step) -> float:
        if self.session.state.hook_up != step.hook_up:
            self.session.confirm_hook_up(step.hook_up)
        if replace(self.session.state.set_up, level_dbm=None) != replace(step.setting, level_dbm=None):
            self.session.set_up(step.setting)
        self.session.measure()
        got = height(step.quantity, self.session.state.readings[-1].reading)
        return got[0] if got is not None else 0.0

    def _go(self, name: str, turns: float) -> None:
        wanted = round(turns * TURN)
        self.session.turn(name, wanted - self.session.state.positions[name])

    def _search(self, step: Step, name: str) -> None:
        def at(turns: float) -> float:
            self._go(name, turns)
            return self._read(step)

        here = self.session.state.positions[name] / TURN
        self._go(name, golden_section(at, here - 3.0, here + 3.0, 0.12))

    def _close(self, step: Step) -> None:
        for required in step.required:
            self.session.set_up(required)
            self.session.measure(required)
        self.session.conclude("peaked")
