"""Live samples through the same narrow port as a file's: pushed in by whoever has them, taken out block by block."""

from __future__ import annotations

import math
import threading
from collections import deque
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from unitone.bench.drivers.recording import BLOCK, Block, Kind
from unitone.errors import SignalError

#: What may wait to be measured (seconds): beyond it the measuring is behind for good, and the oldest goes.
MOST_WAITING_S = 4.0


#: A converter's ends: from here on the overload lamp is lit, for so long after the last time (seconds).
OVERLOAD, _LED_S = 0.985, 2.0


def clips(block: Block) -> bool:
    """Does a block, shape (n,), n > 0, reach full scale? I or Q alone is enough."""
    return float(np.max(np.abs(block.view(np.float32) if np.iscomplexobj(block) else block))) >= OVERLOAD


class Recent:
    """The last seconds of a feed, in a ring; and whether full scale was reached a moment ago."""

    def __init__(self, rate: float, kind: Kind, seconds: float) -> None:
        self.rate = rate
        self._ring: NDArray[Any] = np.zeros(round(seconds * rate), np.complex64 if kind == "iq" else np.float64)
        self._over = -math.inf
        #: Samples taken since the beginning.
        self.count = 0

    def take(self, block: Block) -> None:
        """Keep a block, shape (n,)."""
        block = block[-self._ring.size :]
        at = self.count % self._ring.size
        first = min(block.size, self._ring.size - at)
        self._ring[at : at + first] = block[:first]
        self._ring[: block.size - first] = block[first:]
        self.count += block.size
        if clips(block):
            self._over = self.seconds

    @property
    def seconds(self) -> float:
        """How much was heard."""
        return self.count / self.rate

    @property
    def overload(self) -> bool:
        """Was full scale reached a moment ago?"""
        return self.seconds - self._over < _LED_S

    def last(self, seconds: float) -> NDArray[Any]:
        """The last samples, a copy, shape (n,): fewer where fewer came."""
        n = min(round(seconds * self.rate), self.count, self._ring.size)
        at = self.count % self._ring.size
        if n <= at:
            return self._ring[at - n : at].copy()
        return np.concatenate((self._ring[at - n :], self._ring[:at]))


def _joined(blocks: Iterable[Any]) -> Block:
    """Blocks of one kind as one."""
    made: Block = np.concatenate(tuple(blocks))
    return made


@dataclass
class Feed:
    """A source that is fed while it is read. ``blocks`` waits for the next one, and ends when the feed is closed.

    ``full_scale_v``: volts rms of a sine at full scale, None where not calibrated.
    ``lost`` counts samples that nobody came to measure; ``gap`` is after which of the samples given out the last of them are missing,
    -1 where none are. Thread-safe for one feeder and one reader.
    """

    rate: float
    kind: Kind = "audio"
    name: str = "live"
    centre_hz: float = 0.0
    full_scale_v: float | None = None
    warnings: tuple[str, ...] = ()
    lost: int = 0
    gap: int = -1
    taken: int = 0
    _waiting: deque[Block] = field(default_factory=deque)
    _size: int = 0
    _given: int = 0
    _closed: bool = False
    _words: str = ""

    def __post_init__(self) -> None:
        self._there = threading.Condition()

    def push(self, block: Block) -> None:
        """Give samples, shape (n,). What has waited too long is dropped and counted."""
        if not block.size:
            return
        with self._there:
            self._waiting.append(block)
            self._size += block.size
            self.taken += block.size
            while self._size > MOST_WAITING_S * self.rate and len(self._waiting) > 1:
                gone = self._waiting.popleft().size
                self._size -= gone
                self.lost += gone
                self.gap = self._given
            self._there.notify()

    def close(self, words: str = "") -> None:
        """No more samples; ``words`` say what went wrong, if anything did."""
        with self._there:
            self._closed, self._words = True, words or self._words
            self._there.notify()

    def blocks(self, size: int = BLOCK) -> Iterator[Block]:
        """What was given since the last time, as it comes, at most ``size`` samples at once. Raises SignalError as it was closed."""
        while True:
            with self._there:
                while not self._waiting and not self._closed:
                    self._there.wait()
                if not self._waiting:
                    if self._words:
                        raise SignalError(self._words)
                    return
                given: Block = self._waiting.popleft() if len(self._waiting) == 1 else _joined(self._waiting)
                self._waiting.clear()
                self._size = 0
                self._given += given.size
            for at in range(0, given.size, size):
                yield given[at : at + size]

    @property
    def waiting_s(self) -> float:
        """How much waits to be measured."""
        return self._size / self.rate
