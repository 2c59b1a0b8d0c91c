"""A sweep on the Bench: one core, one hand, a live reading; what the sweep coach says in words, and the trace of the last seconds."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass, replace
from typing import Literal

from unitone.align.hill_readings import height
from unitone.align.peak.visits import KEPT
from unitone.align.sweep.coach import Said, SweepCoach
from unitone.bench.ports import Measured
from unitone.errors import BenchError
from unitone.job.entries.readings import Reading
from unitone.present.bench.figures import figure_of
from unitone.quantities.show import number
from unitone.session.session import Session
from unitone.sheet.model.sheet import Conditions
from unitone.words import tr

#: The trace reaches so far back (seconds).
TRACE_S = 30.0
#: So far over the strongest reading that still shows a top (dB), for so many ticks, and the sweep is ended.
_FLAT_OVER_DB, _FLAT_TICKS = 2.0, 5
TOO_STRONG: Literal["too strong"] = "too strong"


@dataclass(frozen=True)
class SweepView:
    """What is seen while a core is swept: the figure, the coach's line, the trace (seconds before now, dB of signal over the start), the top."""

    adjuster: str
    title: str
    code: str
    figure: str
    unit: str
    warning: str
    headline: str
    detail: str
    button: str
    trace: tuple[tuple[float, float], ...]
    top_db: float | None
    over: bool
    height_db: float | None
    #: Goes up with every command to the hand.
    count: int


class Sweeping:
    """The sweep of one adjuster of the step at hand. Raises BenchError where it cannot be swept."""

    def __init__(self, session: Session, adjuster: str) -> None:
        step = session.step
        if session.bench.simulated:
            raise BenchError(tr("A simulated radio has no core for your hand: turn it step by step."))
        if adjuster not in step.adjusters or step.aim not in ("peak", "level"):
            raise BenchError(tr("Nothing is peaked here by sweeping. Choose a core of a step that is peaked."))
        self._conditions = session.measuring.listening()
        quantity_id = session.reading_quantity(self._conditions)
        if not session.bench.can_measure(quantity_id):
            raise BenchError(tr("Sweeping needs a live reading. Press Shift+I to read by the sound card."))
        session.need_hook_up()
        self.adjuster, self._step, self._quantity_id = adjuster, step, quantity_id
        self._coach = SweepCoach()
        self._trace: deque[tuple[float, float]] = deque()
        self._first: float | None = None
        self._flat, self._too_strong = 0, False
        self._base = 0.0
        self.began = self.now = 0.0

    @property
    def said(self) -> Said:
        """What the coach says; a level too high has the last word."""
        said = self._coach.said
        return replace(said, code=TOO_STRONG) if self._too_strong else said

    @property
    def over(self) -> bool:
        """Is there nothing more to say?"""
        return self._coach.over or self._too_strong

    @property
    def conditions(self) -> Conditions:
        """What the reading is taken under."""
        return self._conditions

    def felt_stop(self) -> None:
        """The core is at its stop."""
        self._coach.felt_stop()

    def tick(self, session: Session, seconds: float) -> SweepView:
        """The needle at ``seconds`` (any clock), taken along. Raises BenchError as the meter does."""
        read = session.live(self._conditions)
        self.now = seconds
        high = None
        if read is not None:
            high = self._height(read)
            # A reading that is no reading (overload, a squelch that closes) says nothing of the core; a tone in noise does, however low.
            if high is not None and not read.warning and not self.over:
                if self._first is None:
                    self._first = self.began = seconds
                self._coach.take(seconds - self._first, high)
                self._trace.append((seconds, high))
                self._notice_strength(read)
                while self._trace[0][0] < seconds - TRACE_S:
                    self._trace.popleft()
        return self._view(read, high)

    def _height(self, read: Measured) -> float | None:
        """The needle as decibels of signal that rise towards the peak; None where it says nothing."""
        found = height(self._step.hill_quantity, self._reading(read)) if read.value is not None else None
        return None if found is None else found[0] / self._step.hill_quantity.hill_slope

    def _reading(self, read: Measured) -> Reading:
        return Reading(self._quantity_id, self._conditions, read.value, read.instrument, read.source, std=read.std)

    def _notice_strength(self, read: Measured) -> None:
        """Half a second over what the reading can show, and its top would be flat: the level is too high for sweeping."""
        kept = KEPT.get(self._quantity_id)
        if kept is None or read.value is None or self._conditions.level_dbm is None:
            return
        self._flat = self._flat + 1 if read.value > kept.strong + _FLAT_OVER_DB else 0
        self._too_strong = self._too_strong or self._flat >= _FLAT_TICKS

    def finish(self, session: Session, ended: str = "") -> None:
        """Log the sweep as the coach ended it, or as ``ended``; then the whole reading that came of it. Raises TapeError, BenchError."""
        ended = ended or self.said.code
        if ended == TOO_STRONG:
            ended = "broken off"
        session.swept(self.adjuster, ended, self.said.gained_db, self.now - self.began)
        if ended != "broken off" or self._too_strong:
            session.measure(self._conditions)

    def _view(self, read: Measured | None, high: float | None) -> SweepView:
        said = self.said
        figure, unit, warning = "—", "", ""
        if read is not None:
            figure, unit = figure_of(self._reading(read))
            warning = read.warning
        if self._trace:
            self._base = self._trace[0][1] if said.code == "hold" else self._base
        headline, detail = describe(said, self.adjuster)
        return SweepView(
            self.adjuster, tr("Sweep {adjuster}: {title}", adjuster=self.adjuster, title=self._step.title), said.code, figure, unit, warning,
            headline, detail, button_of(said, self.adjuster), tuple((at - self.now, db - self._base) for at, db in self._trace),
            None if said.top_db is None else said.top_db - self._base, self.over, high, said.count,
        )  # fmt: skip


def describe(said: Said, adjuster: str) -> tuple[str, str]:
    """Headline and reason of what the sweep coach says."""
    gained = number(said.gained_db, 1, sign=True)
    below = number(said.below_db, 1)
    match said.code:
        case "hold":
            return tr("Hold {a} still.", a=adjuster), tr("The start is read first.")
        case "turn":
            return tr("Turn {a} slowly, either way.", a=adjuster), tr("Do not stop until you are told.")
        case "rising":
            return tr("Turn {a} on, same way.", a=adjuster), tr("Rising: {db} dB since the start.", db=gained)
        case "back":
            return tr("Turn {a} the other way.", a=adjuster), tr("It falls this way.")
        case "slowly back":
            return tr("Turn {a} back slowly.", a=adjuster), tr("{db} dB below the top you passed.", db=below)
        case "straight back":
            return tr("Turn {a} back, same speed.", a=adjuster), tr("{db} dB below the top you passed.", db=below)
        case "stop":
            return tr("Stop."), tr("{db} dB below the top.", db=below)
        case "wait":
            return tr("Hold {a} still.", a=adjuster), tr("The end is read.")
        case "on a little":
            return tr("Turn {a} on a little, slowly.", a=adjuster), tr("Not quite there yet.")
        case "back a little":
            return tr("Turn {a} back a little, slowly.", a=adjuster), tr("A little past the top.")
        case "peaked":
            return tr("Log {a}: peaked.", a=adjuster), tr("{db} dB gained by sweep.", db=gained)
        case "at stop":
            return tr("Log {a}: at its stop.", a=adjuster), tr(
                "Still rising there: wrong core, or a part near it has changed."
            )
        case "too strong":
            return tr("Stop: the signal is too strong."), tr(
                "The top would look flat. Sweep {a} again with less level.", a=adjuster
            )
        case _:
            return tr("Log {a}: no effect.", a=adjuster), tr("The reading did not move. Is it the right core?")


def button_of(said: Said, adjuster: str) -> str:
    """What the main button says."""
    if said.code == TOO_STRONG:
        return tr("Lower the level")
    return tr("Log {a}", a=adjuster) if said.code in ("peaked", "at stop", "no effect") else tr("Break off")
