"""Measuring while it sounds: the last second (or what is wanted) measured again and again, by the code that measures files."""

from __future__ import annotations

import dataclasses
from collections import deque

from unitone.bench.drivers.live import Feed, Recent
from unitone.bench.drivers.recording import Samples
from unitone.present.meters.meter_pictures import measure_source
from unitone.present.meters.meter_shapes import How, MeterPicture
from unitone.words import tr

#: A new figure comes so often at most (seconds of signal).
EVERY_S = 0.05
#: The trend reaches so far back, and what may be kept as a file (seconds).
TREND_S, KEPT_S = 30.0, 10.0


class LiveMeter:
    """Takes blocks, keeps the last seconds, and makes a picture of the averaging time at their end."""

    def __init__(self, feed: Feed, how: How) -> None:
        self.feed, self.how = feed, how
        self._recent = Recent(feed.rate, feed.kind, KEPT_S + 1.0)
        self._measured = 0
        self._trend: deque[tuple[float, float]] = deque()
        self._lost = 0
        self.take, self.last = self._recent.take, self._recent.last

    @property
    def seconds(self) -> float:
        """How much was heard."""
        return self._recent.seconds

    @property
    def overload(self) -> bool:
        """Was full scale reached a moment ago?"""
        return self._recent.overload

    def due(self) -> bool:
        """Has enough come since the last picture, and enough altogether?"""
        return (
            self.seconds >= min(0.3, self.how.averaging_s)
            and self._recent.count - self._measured >= EVERY_S * self.feed.rate
        )

    def change(self, how: How) -> None:
        """Measure in another way from now on; the trend begins anew where its figure is another."""
        if (how.task, how.weighting, how.full_scale_v) != (self.how.task, self.how.weighting, self.how.full_scale_v):
            self._trend.clear()
        self.how = how

    def picture(self) -> MeterPicture:
        """The picture of the last averaging time. Raises SignalError, saying what cannot be measured; the feed goes on."""
        self._measured = self._recent.count
        feed = self.feed
        warnings = feed.warnings
        if feed.lost != self._lost:
            self._lost = feed.lost
            warnings = (*warnings, tr("{n} samples lost: this computer is too busy.", n=feed.lost))
        how = dataclasses.replace(self.how, full_scale_v=feed.full_scale_v)
        source = Samples(self.last(how.averaging_s), feed.rate, feed.kind, feed.name, feed.centre_hz, warnings)
        made = measure_source(source, how)
        now = self.seconds
        if made.value is not None:
            self._trend.append((now, made.value))
        while self._trend and self._trend[0][0] < now - TREND_S:
            self._trend.popleft()
        return dataclasses.replace(made, trend=tuple((at - now, value) for at, value in self._trend))
