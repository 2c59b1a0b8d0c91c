"""A SINAD meter with a needle before a camera: what it shows is drawn, and read from the picture like any other meter."""

from __future__ import annotations

import numpy as np

from unitone.bench.camera.camera_meter import CameraMeter, Frames, reader_of
from unitone.bench.camera.taught import Mark, Taught
from unitone.bench.ports import Measured
from unitone.sheet.model.sheet import Conditions
from unitone.simulator.mechanics import stream
from unitone.simulator.meter_picture import SINAD_FACE, Meter, View

#: How fast the needle follows (first-order, s), and how badly its marks are clicked (pixels).
_FOLLOWS_S, _CLICK_PX = 0.2, 0.7


class NeedleEye:
    """Of a seed: from where the camera looks, in what light. Makes a reading of a value by drawing it."""

    def __init__(self, seed: int) -> None:
        """Raises BenchError where the meter cannot be taught from there."""
        rng = self._rng = stream(seed, "needle by camera")
        u = rng.uniform
        view = View(
            u(0, 30), u(0, 360), u(-6, 6), u(0.8, 1.0), (u(-12, 12), u(-8, 8)), u(0.6, 1.0), (u(-0.4, 0.4), u(-0.4, 0.4)), (),
            u(0.4, 1.4), u(1.5, 6), 0.0, (u(-1.2, 1.2), u(0.3, 1.0)), u(0.15, 0.4),
        )  # fmt: skip
        self._meter = Meter(SINAD_FACE, view)
        off = rng.normal(0.0, _CLICK_PX, (1 + len(SINAD_FACE.marks), 2))
        pivot = self._meter.pivot()
        marks = tuple(Mark(x + dx, y + dy, v) for (x, y, v), (dx, dy) in zip(self._meter.marks(), off[1:], strict=True))
        taught = Taught("SINAD by camera", "rx.sinad", "needle", marks, (pivot[0] + off[0, 0], pivot[1] + off[0, 1]))
        self._frames = Frames()
        self._camera = CameraMeter(reader_of(taught, self._picture(11.0)), self._frames)
        self._shown = 0.0

    def _picture(self, value: float) -> np.ndarray[tuple[int, ...], np.dtype[np.uint8]]:
        return self._meter.picture(value, int(self._rng.integers(1 << 30)))

    def live(self, value: float, conditions: Conditions, seconds: float) -> Measured | None:
        """The needle after it has followed the value for so long."""
        stop = min(max(value, SINAD_FACE.low - 0.4), SINAD_FACE.high + 0.5)
        self._shown += (stop - self._shown) * (1.0 - np.exp(-seconds / _FOLLOWS_S))
        self._frames.push(self._picture(float(self._shown)))
        return self._camera.live("rx.sinad", conditions)
