"""The radio's sound, or a receiver's I/Q, as a meter of the bench: the needle ten times a second, and whole readings.

The technician's own radio is read here by the code that reads recordings and simulated
radios. Somebody else pushes samples into the feed; ``pump`` takes them in a thread of its
caller's, and the bench reads from another one.
"""

from __future__ import annotations

import threading
import time
from typing import Any

from numpy.typing import NDArray

from unitone.bench.drivers.live import Feed, Recent
from unitone.bench.drivers.recording import Block
from unitone.bench.drivers.sound_figures import AGAINST, LEAST_S, SPEECH_S, Figure, SoundFigures
from unitone.bench.ports import Measured
from unitone.errors import BenchError, SignalError
from unitone.sheet.model.sheet import Conditions
from unitone.words import tr

#: How much is kept, and how long a reading waits for sound that does not come (seconds).
_KEPT_S, _PATIENCE_S = 6.0, 3.0
#: How often a reading begins anew where sound was lost in the midst of it.
_BEGINNINGS = 5


class SoundMeter:
    """Reads ``FROM_AUDIO`` or ``FROM_IQ`` from a live feed. Thread-safe for one that pumps and one that reads.

    ``averaging_s``: what the needle averages over, and what a whole reading waits for. AF
    voltage needs the input's calibration (``full_scale_v`` of the feed) and is not read without.
    """

    source = "sound card"

    def __init__(self, feed: Feed, averaging_s: float = 1.0) -> None:
        self.feed, self.averaging_s, self._usual_s = feed, averaging_s, averaging_s
        self._figures = SoundFigures(feed.rate, feed.kind, feed.name, feed.full_scale_v)
        self._recent = Recent(feed.rate, feed.kind, _KEPT_S)
        self._there = threading.Condition()
        self._cancelled = False
        self._ended = False

    def compares(self, quantity_id: str) -> bool:
        """See ``Comparing``."""
        return quantity_id in AGAINST

    def keep_reference(self, quantity_id: str) -> None:
        """Hold what is heard now as the reference of a reading of ``AGAINST``. Raises BenchError where nothing is heard."""
        with self._there:
            x = self._recent.last(self.averaging_s)
        if x.size < LEAST_S * self.feed.rate:
            raise BenchError(tr("Nothing is heard yet. Wait a second, then press the key again."))
        try:
            self._figures.keep_reference(quantity_id, x)
        except SignalError as error:
            raise BenchError(str(error)) from None

    def pump(self) -> None:
        """Take what comes until the feed is closed. Raises SignalError as it was closed."""
        try:
            for block in self.feed.blocks():
                self.take(block)
        finally:
            with self._there:
                self._ended = True
                self._there.notify_all()

    def take(self, block: Block) -> None:
        """Samples as they come, shape (n,)."""
        with self._there:
            self._recent.take(block)
            self._there.notify_all()

    @property
    def name(self) -> str:
        """What it is called beside a figure."""
        return self.feed.name

    @property
    def overload(self) -> bool:
        """Was full scale reached a moment ago?"""
        return self._recent.overload

    def average(self, seconds: float | None) -> None:
        """Let the needle average over so long; None: as at first."""
        self.averaging_s = self._usual_s if seconds is None else seconds

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        return self._figures.measures(quantity_id)

    def seconds_for(self, quantity_id: str) -> float:
        """See ``Meter``."""
        del quantity_id
        return self.averaging_s

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        """The needle over the averaging time; None before there is enough."""
        with self._there:
            x = self._recent.last(self.averaging_s)
        if x.size < min(LEAST_S, self.averaging_s) * self.feed.rate:
            return None
        try:
            return self._measured(self._read(quantity_id, x, conditions))
        except SignalError as error:
            return Measured(None, self.name, source=self.source, warning=str(error))

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """A reading of nothing but what comes from now on: whatever was turned before it is settled.

        Raises BenchError: cancelled, no sound, or nothing in it that could be measured.
        """
        x = self._fresh(max(self.averaging_s, LEAST_S))
        try:
            found = self._read(quantity_id, x, conditions)
        except SignalError as error:
            raise BenchError(str(error)) from None
        if found.value is None:
            raise BenchError(found.warning)
        if self.overload:
            raise BenchError(
                tr("The sound card is overloaded: nothing is logged. Turn its level down until the lamp stays off.")
            )
        return self._measured(found)

    def cancel(self) -> None:
        """See ``Meter``."""
        with self._there:
            self._cancelled = True
            self._there.notify_all()

    def _measured(self, found: Figure) -> Measured:
        words = tr("Overload: turn the sound card's level down") if self.overload else found.warning
        if self.feed.gap >= 0 and self._recent.count - self.feed.gap < self.averaging_s * self.feed.rate:
            words = words or tr("sound was lost: this computer is too busy")
        return Measured(found.value, self.name, found.std, source=self.source, warning=words)

    def _fresh(self, seconds: float) -> NDArray[Any]:
        """What comes from now on, so long, nothing in it missing. Raises BenchError."""
        with self._there:
            self._cancelled = False
            need, gap, begun = round(seconds * self.feed.rate), self.feed.gap, 1
            until = max(self._recent.count, gap) + need
            count, patience = self._recent.count, time.monotonic() + _PATIENCE_S
            while self._recent.count < until:
                if self.feed.gap != gap:
                    # Two ends of a sound that were never together: what is measured across them is noise that is not there.
                    gap, begun = self.feed.gap, begun + 1
                    until = max(until, gap + need)
                    if begun > _BEGINNINGS:
                        raise BenchError(
                            tr("Sound is being lost: this computer is too busy. Close other programs, then log again.")
                        )
                if self._cancelled:
                    raise BenchError(tr("The reading was cancelled."))
                if self._ended or time.monotonic() > patience:
                    raise BenchError(
                        tr("No sound comes from {name}. Plug it in again, or type the reading.", name=self.name)
                    )
                self._there.wait(0.25)
                if self._recent.count != count:
                    count, patience = self._recent.count, time.monotonic() + _PATIENCE_S
            return self._recent.last(seconds)

    def _read(self, quantity_id: str, x: NDArray[Any], conditions: Conditions) -> Figure:
        """Raises SignalError."""
        return self._figures.read(quantity_id, x, conditions, self._spoken)

    def _spoken(self) -> NDArray[Any]:
        """The last sentence."""
        with self._there:
            return self._recent.last(SPEECH_S)
