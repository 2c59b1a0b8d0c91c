"""A core swept by hand: what the live reading says of it, and the entry that comes of it."""

from __future__ import annotations

import math
from collections import deque
from dataclasses import replace
from typing import Literal

from unitone.actions import shown_key
from unitone.align.hill_readings import height
from unitone.align.peak.visits import KEPT, kept_level
from unitone.align.sweep.coach import Said, SweepCoach
from unitone.bench.ports import Measured
from unitone.errors import BenchError
from unitone.job.entries.readings import Reading
from unitone.session.session import Session
from unitone.sheet.model.sheet import Conditions
from unitone.words import tr

#: The trace reaches so far back (seconds).
TRACE_S = 30.0
#: So far over the strongest reading that still shows a top (dB), for so many ticks, and the sweep is ended.
_FLAT_OVER_DB, _FLAT_TICKS = 2.0, 5
#: After another level the needle says nothing for so long (s).
_SETTLES_S = 0.6
TOO_STRONG: Literal["too strong"] = "too strong"


class CoreSweep:
    """The sweep of one adjuster of the step at hand. Raises BenchError where it cannot be swept."""

    def __init__(self, session: Session, adjuster: str) -> None:
        step = session.step
        if session.bench.simulated:
            raise BenchError(tr("A simulated radio has no core for your hand: turn it step by step."))
        if adjuster not in step.adjusters or step.aim not in ("peak", "level"):
            raise BenchError(tr("Nothing is peaked here by sweeping. Choose a core of a step that is peaked."))
        self.conditions: Conditions = session.measuring.listening()
        self.quantity_id = session.reading_quantity(self.conditions)
        if not session.bench.can_measure(self.quantity_id):
            raise BenchError(
                tr("Sweeping needs a live reading. Press {key} to read by the sound card.", key=shown_key("source"))
            )
        session.need_hook_up()
        self.adjuster, self.step = adjuster, step
        self._coach = SweepCoach()
        #: (seconds, dB of signal) of the last half minute.
        self.trace: deque[tuple[float, float]] = deque()
        self._first: float | None = None
        self._flat, self._too_strong = 0, False
        #: What was taken off the level since the start (dB), and until when the needle still shows the level before (s).
        self._lowered_db, self._settled = 0.0, -math.inf
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

    def felt_stop(self) -> None:
        """The core is at its stop."""
        self._coach.felt_stop()

    @property
    def can_look(self) -> bool:
        """Is a peak found, and was none looked for beyond it?"""
        return self._coach.can_look and not self._too_strong

    def look_beyond(self) -> None:
        """Outwards for a second peak: the outer one is the right one."""
        self._coach.look_beyond()

    def take(self, session: Session, seconds: float) -> tuple[Measured | None, float | None]:
        """The needle at ``seconds`` (any clock), taken along, and its height (dB of signal). Raises BenchError as the meter does."""
        read = session.live(self.conditions)
        self.now = seconds
        high = None
        if read is not None:
            high = self._height(read)
            # A reading that is no reading (overload, a squelch that closes) says nothing of the core; a tone in noise does, however low.
            if high is not None and not read.warning and not self.over and seconds >= self._settled:
                high += self._lowered_db
                if self._first is None:
                    self._first = self.began = seconds
                self._coach.take(seconds - self._first, high)
                self.trace.append((seconds, high))
                self._notice_strength(session, read, seconds)
                while self.trace[0][0] < seconds - TRACE_S:
                    self.trace.popleft()
        return read, high

    def reading(self, read: Measured) -> Reading:
        """The needle as a reading."""
        return Reading(self.quantity_id, self.conditions, read.value, read.instrument, read.source, std=read.std)

    def finish(self, session: Session, ended: str = "") -> None:
        """Log the sweep as the coach ended it, or as ``ended``; then the whole reading that came of it. Raises TapeError, BenchError."""
        ended = ended or self.said.code
        if ended == TOO_STRONG:
            ended = "broken off"
        session.swept(self.adjuster, ended, self.said.gained_db, self.now - self.began)
        if ended != "broken off" or self._too_strong:
            session.measure(self.conditions)

    def _height(self, read: Measured) -> float | None:
        """The needle as decibels of signal that rise towards the peak; None where it says nothing."""
        found = height(self.step.hill_quantity, self.reading(read)) if read.value is not None else None
        return None if found is None else found[0] / self.step.hill_quantity.hill_slope

    def _notice_strength(self, session: Session, read: Measured, seconds: float) -> None:
        """Half a second over what the reading can show, and its top would be flat: a generator by wire goes down, else the sweep ends."""
        kept = KEPT.get(self.quantity_id)
        if kept is None or read.value is None or self.conditions.level_dbm is None:
            return
        self._flat = self._flat + 1 if read.value > kept.strong + _FLAT_OVER_DB else 0
        if self._flat < _FLAT_TICKS:
            return
        level = self.conditions.level_dbm
        lower = kept_level(self.step, read.value, level, read.value) if session.bench.source_by_wire else None
        if lower is None:
            self._too_strong = True
            return
        # The same radio shows less from now on: what is taken off stays on its height.
        self._lowered_db += level - lower
        self.conditions = replace(self.conditions, level_dbm=lower)
        self._flat, self._settled = 0, seconds + _SETTLES_S
