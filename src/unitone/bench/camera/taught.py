"""A meter's face as it was taught: what it reads, where its pivot and its scale marks stand in the picture, or where its LEDs do."""

from __future__ import annotations

import math
from dataclasses import asdict, dataclass, replace
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from unitone.errors import BenchError
from unitone.quantities.registry import QUANTITIES, quantity
from unitone.words import tr

Face = Literal["needle", "leds"]
#: A frame of the camera: rows, columns, red-green-blue; 8 bits each.
Frame = NDArray[np.uint8]
#: Marks nearer to the pivot than this, or to each other along the scale, are no scale (pixels).
_NEAREST_PX = 30.0
_APART_PX = 6.0
_MOST_MARKS = 40


@dataclass(frozen=True)
class Mark:
    """A place of the picture (pixels from the left, from the top) and what the scale says there (canonical unit of the quantity)."""

    x: float
    y: float
    value: float


@dataclass(frozen=True)
class Taught:
    """A taught meter. A needle turns round ``pivot`` over two or more marks; LEDs stand one at each mark and light up to the reading."""

    name: str
    quantity: str
    face: Face
    marks: tuple[Mark, ...]
    pivot: tuple[float, float] | None = None
    #: The picture's size that the places hold for (pixels).
    width: int = 640
    height: int = 480

    def to_data(self) -> dict[str, Any]:
        """As plain data."""
        return asdict(self)

    @classmethod
    def from_data(cls, data: dict[str, Any]) -> Taught:
        """From plain data. Raises BenchError for what is no taught meter."""
        try:
            marks = tuple(Mark(float(m["x"]), float(m["y"]), float(m["value"])) for m in data["marks"])
            at = data.get("pivot")
            made = cls(
                str(data["name"]), str(data["quantity"]), data["face"], marks, None if at is None else (float(at[0]), float(at[1])),
                int(data["width"]), int(data["height"]),
            )  # fmt: skip
        except (KeyError, TypeError, ValueError, IndexError):
            raise BenchError(
                tr("The taught meter was saved by a newer Unitone. Update Unitone, or teach it again.")
            ) from None
        return made.checked()

    def checked(self) -> Taught:
        """Itself with its marks in the order of the scale. Raises BenchError: which click is wrong, and what to click instead."""
        if self.quantity not in QUANTITIES:
            raise BenchError(tr("Choose what this meter reads."))
        if self.face not in ("needle", "leds") or not 2 <= len(self.marks) <= _MOST_MARKS:
            raise BenchError(tr("A scale needs two marks or more, 40 at most. Click further marks."))
        if not all(math.isfinite(v) for m in self.marks for v in (m.x, m.y, m.value)):
            raise BenchError(tr("Each mark needs the number that stands beside it."))
        q = quantity(self.quantity)
        if any(not q.low <= m.value <= q.high for m in self.marks):
            raise BenchError(tr("A mark's number cannot be: {what} is never that much. Check it.", what=tr(q.title)))
        made = replace(self, marks=tuple(sorted(self.marks, key=lambda m: m.value)))
        values = [m.value for m in made.marks]
        if any(b <= a for a, b in zip(values, values[1:], strict=False)):
            raise BenchError(tr("Two marks have the same number. Remove one of them."))
        if self.face == "leds":
            return made
        if self.pivot is None:
            raise BenchError(tr("Click the pivot that the needle turns round."))
        if min(math.hypot(m.x - self.pivot[0], m.y - self.pivot[1]) for m in made.marks) < _NEAREST_PX:
            raise BenchError(
                tr(
                    "A mark stands on the pivot. Bring the camera nearer, or click the marks at the scale's end of the needle."
                )
            )
        along = made.angles()
        steps = np.diff(along)
        if not (np.all(steps > 0) or np.all(steps < 0)):
            raise BenchError(tr("The marks' numbers do not rise along the scale. Check the number of each mark."))
        if (
            np.min(np.abs(steps)) * float(np.min(made.radii())) < _APART_PX
            or abs(along[-1] - along[0]) > 1.95 * math.pi
        ):
            raise BenchError(tr("Two marks are too close together. Click marks farther apart."))
        return made

    def angles(self) -> NDArray[np.float64]:
        """Direction from the pivot to each mark, unwrapped along the scale (rad, clockwise as pictures go down), shape (marks,)."""
        px, py = self.pivot or (0.0, 0.0)
        return np.unwrap([math.atan2(m.y - py, m.x - px) for m in self.marks])

    def radii(self) -> NDArray[np.float64]:
        """Distance from the pivot to each mark (pixels), shape (marks,)."""
        px, py = self.pivot or (0.0, 0.0)
        return np.array([math.hypot(m.x - px, m.y - py) for m in self.marks])

    def viewing_angle_deg(self) -> float | None:
        """From how far beside the camera looks at the face, from the marks' ellipse round the pivot; None with fewer than four marks.

        The arc of a scale is a circle round the pivot: seen from the side its short axis shrinks by the cosine.
        """
        if self.face != "needle" or self.pivot is None or len(self.marks) < 4:
            return None
        d = np.array([(m.x - self.pivot[0], m.y - self.pivot[1]) for m in self.marks]) / float(np.mean(self.radii()))
        conic, *_ = np.linalg.lstsq(
            np.column_stack((d[:, 0] ** 2, 2.0 * d[:, 0] * d[:, 1], d[:, 1] ** 2)), np.ones(len(d)), rcond=None
        )
        low, high = np.linalg.eigvalsh(np.array([[conic[0], conic[1]], [conic[1], conic[2]]]))
        return None if low <= 0 else math.degrees(math.acos(math.sqrt(low / high)))
