"""Pictures of a row of LEDs as a camera sees it: colours, glow that spills over, daylight on the dark ones, blur, noise."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from unitone.simulator.meter_picture import Frame

_W, _H = 640, 480
_COLOURS = ((70, 220, 80), (235, 190, 60), (240, 70, 50))


@dataclass(frozen=True)
class LedRow:
    """A row: how many, where, how large, how bright lit and dark (of 255), how the glow spills, and the light about it."""

    count: int
    first: tuple[float, float]
    step: tuple[float, float]
    size: float
    lit: float
    dark: float
    spill: float
    ground: float
    blur: float
    noise: float
    seed: int

    @classmethod
    def of(cls, rng: np.random.Generator) -> LedRow:
        """One of a seed: 5 to 12 LEDs, tilted to 20°."""
        count = int(rng.integers(5, 13))
        tilt, pitch = math.radians(float(rng.uniform(-20, 20))), float(rng.uniform(26, 44))
        step = (pitch * math.cos(tilt), pitch * math.sin(tilt))
        middle = (320 + float(rng.uniform(-40, 40)), 240 + float(rng.uniform(-60, 60)))
        first = (middle[0] - step[0] * (count - 1) / 2, middle[1] - step[1] * (count - 1) / 2)
        u = rng.uniform
        return cls(
            count, first, step, float(u(5, 8)), float(u(150, 250)), float(u(35, 80)), float(u(0.0, 0.22)), float(u(15, 60)),
            float(u(0.5, 1.8)), float(u(1, 8)), int(rng.integers(1 << 30)),
        )  # fmt: skip

    def places(self) -> list[tuple[float, float]]:
        """Where each LED stands (pixels), from the lowest."""
        return [(self.first[0] + n * self.step[0], self.first[1] + n * self.step[1]) for n in range(self.count)]

    def picture(self, lit: int) -> Frame:
        """With so many lit from the lowest: shape (480, 640, 3), 8 bits."""
        frame = np.full((_H, _W, 3), self.ground, np.float32)
        for n, (cx, cy) in enumerate(self.places()):
            share = n / max(1, self.count - 1)
            colour = np.array(_COLOURS[0 if share < 0.6 else 1 if share < 0.82 else 2], np.float32) / 240.0
            # Beyond this neither the LED nor its glow is worth a thousandth of a step.
            around = math.ceil(max(self.size + 17 * (0.4 + self.blur), 4.2 * 2.6 * self.size))
            top, left = max(0, round(cy) - around), max(0, round(cx) - around)
            part = frame[top : max(0, round(cy) + around), left : max(0, round(cx) + around)]
            y, x = np.ogrid[top : top + part.shape[0], left : left + part.shape[1]]
            away = np.hypot(x.astype(np.float32) - np.float32(cx), y.astype(np.float32) - np.float32(cy))
            body = 1.0 / (1.0 + np.exp(np.clip((away - self.size) / (0.4 + self.blur), -40, 40)))
            light = self.lit if n < lit else self.dark
            part[:] = part * (1 - body[..., None]) + light * body[..., None] * colour
            if n < lit:
                glow = self.spill * self.lit * np.exp(-((away / (2.6 * self.size)) ** 2)) * (1 - body)
                part += glow[..., None] * colour
        frame = frame + np.random.default_rng([self.seed, lit]).normal(0.0, self.noise, frame.shape).astype(np.float32)
        made: Frame = np.clip(frame + 0.5, 0, 255).astype(np.uint8)
        return made
