"""Live samples through the same narrow port as a file's: pushed in by whoever has them, taken out block by block."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from unitone.bench.drivers.recording import BLOCK, Block, Kind
from unitone.errors import SignalError

#: What may wait to be measured (seconds): beyond it the measuring is behind for good, and the oldest goes.
MOST_WAITING_S = 4.0


def _joined(blocks: Iterable[Any]) -> Block:
    """Blocks of one kind as one."""
    made: Block = np.concatenate(tuple(blocks))
    return made


@dataclass
class Feed:
    """A source that is fed while it is read. ``blocks`` waits for the next one, and ends when the feed is closed.

    ``full_scale_v``: volts rms of a sine at full scale, None where not calibrated.
    ``lost`` counts samples that nobody came to measure. Thread-safe for one feeder and one reader.
    """

    rate: float
    kind: Kind = "audio"
    name: str = "live"
    centre_hz: float = 0.0
    full_scale_v: float | None = None
    warnings: tuple[str, ...] = ()
    lost: int = 0
    taken: int = 0
    _waiting: deque[Block] = field(default_factory=deque)
    _size: int = 0
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
            for at in range(0, given.size, size):
                yield given[at : at + size]

    @property
    def waiting_s(self) -> float:
        """How much waits to be measured."""
        return self._size / self.rate
