"""Pictures of analogue meters as a camera sees them: faces of seven kinds, seen at an angle, in uneven light, blurred and noisy.

A face is drawn flat, then seen in true perspective; the needle casts its shadow on it. What
reads such pictures shares no code with what draws them.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFilter, ImageFont

Frame = NDArray[np.uint8]
_W, _H = 640, 480
#: Blur and a shadow's edge reach so far (pixels).
_ROOM = 10
#: The flat drawing: so many of its pixels are a millimetre.
_PX_MM = 8.0
_WIDE_MM, _TALL_MM = 110.0, 84.0


@dataclass(frozen=True)
class Face:
    """What is printed: arc, law, colours. Angles clockwise from straight up (degrees).

    ``law`` is the power of the deflection over the value; 0 for a scale of decibels over a needle that follows the voltage.
    """

    kind: str
    low: float
    high: float
    sweep_deg: tuple[float, float]
    law: float
    ground: tuple[int, int, int]
    ink: tuple[int, int, int]
    needle: tuple[int, int, int]
    radius_mm: float
    pivot_mm: tuple[float, float]
    width_mm: float
    #: The numbers that are printed, which a hand would click.
    marks: tuple[float, ...]
    #: Parts between two of them.
    parts: int
    words: str
    #: Where the needle comes out from under a cover (share of the radius).
    cover: float = 0.0
    band: tuple[int, int, int] | None = None

    def share(self, value: float) -> float:
        """Deflection of a value, 0..1 over the scale."""
        if not self.law:
            volts = 10.0 ** (np.array([self.low, value, self.high]) / 20.0)
            return float((volts[1] - volts[0]) / (volts[2] - volts[0]))
        return math.copysign(abs((value - self.low) / (self.high - self.low)) ** self.law, value - self.low)

    def value(self, share: float) -> float:
        """The value at a deflection."""
        if not self.law:
            low, high = 10.0 ** (self.low / 20.0), 10.0 ** (self.high / 20.0)
            return 20.0 * math.log10(low + share * (high - low))
        return float(self.low + (self.high - self.low) * share ** (1.0 / self.law))

    def angle(self, share: float) -> float:
        """Direction of the needle at a deflection (rad, clockwise from up)."""
        first, last = self.sweep_deg
        return math.radians(first + share * (last - first))


_UP = (55.0, 67.0)
FACES: tuple[Face, ...] = (
    Face("panel voltmeter", 0.0, 10.0, (-48.0, 48.0), 1.0, (238, 236, 228), (25, 25, 28), (20, 20, 20), 46.0, _UP, 0.55,
         (0, 2, 4, 6, 8, 10), 10, "V"),
    Face("dark face", 0.0, 5.0, (-50.0, 50.0), 1.0, (28, 30, 36), (225, 222, 205), (240, 236, 224), 46.0, _UP, 0.6, (0, 1, 2, 3, 4, 5), 5, "W"),
    Face("red needle", 0.0, 100.0, (-44.0, 44.0), 1.0, (232, 222, 188), (40, 34, 30), (190, 36, 28), 48.0, (55.0, 68.0), 0.7,
         (0, 20, 40, 60, 80, 100), 10, "%", band=(196, 206, 160)),
    Face("signal strength", 0.0, 12.0, (-40.0, 40.0), 0.75, (244, 240, 214), (30, 30, 34), (24, 22, 22), 44.0, (55.0, 72.0), 0.8,
         (0, 1, 3, 5, 7, 9, 12), 2, "S", cover=0.45, band=(220, 120, 96)),
    Face("wattmeter", 0.0, 30.0, (-46.0, 46.0), 0.5, (246, 246, 242), (20, 24, 40), (16, 16, 18), 47.0, _UP, 0.5,
         (0, 1, 3, 5, 10, 20, 30), 4, "WATTS"),
    Face("lit scale", -20.0, 3.0, (-45.0, 45.0), 0.0, (236, 206, 128), (50, 34, 20), (28, 18, 12), 45.0, (55.0, 68.0), 0.45,
         (-20, -10, -7, -5, -3, -1, 0, 1, 2, 3), 2, "LEVEL", cover=0.3, band=(206, 84, 60)),
    Face("round gauge", 0.0, 16.0, (-125.0, 125.0), 1.0, (240, 240, 240), (22, 22, 22), (28, 28, 30), 34.0, (55.0, 42.0), 0.9,
         (0, 2, 4, 6, 8, 10, 12, 14, 16), 4, "A"),
)  # fmt: skip


#: An audio analyser's needle.
SINAD_FACE = Face(
    "audio analyser", 0.0, 24.0, (-48.0, 48.0), 1.0, (240, 238, 230), (26, 26, 30), (22, 22, 22), 46.0, _UP, 0.55, (0, 4, 8, 12, 16, 20, 24), 4,
    "dB",
)  # fmt: skip


@dataclass(frozen=True)
class View:
    """How it is seen: tilt (degrees) towards ``azimuth``, zoom, shift (pixels), roll, light, blur (pixels), noise (of 255)."""

    tilt_deg: float = 0.0
    azimuth_deg: float = 0.0
    roll_deg: float = 0.0
    zoom: float = 1.0
    shift: tuple[float, float] = (0.0, 0.0)
    light: float = 1.0
    gradient: tuple[float, float] = (0.0, 0.0)
    #: Spots of glare: (x, y, radius in pixels, strength of 255).
    glare: tuple[tuple[float, float, float, float], ...] = ()
    blur: float = 0.6
    noise: float = 2.0
    #: The needle above the face (mm); the shadow falls so far beside it (mm), this dark.
    height_mm: float = 0.0
    shadow_mm: tuple[float, float] = (0.8, 0.6)
    shadow: float = 0.35
    #: A hand over the picture: its outline (pixels).
    hand: tuple[tuple[float, float], ...] = ()
    seed: int = 0

    def places(self, points_mm: NDArray[np.float64], height_mm: float = 0.0) -> NDArray[np.float64]:
        """Points of the face (mm from its upper left corner, shape (n, 2)) in the picture (pixels): true perspective from 300 mm."""
        x = points_mm[:, 0] - _WIDE_MM / 2
        y = points_mm[:, 1] - _TALL_MM / 2
        z = np.full(len(x), height_mm)
        tilt, az, roll = (math.radians(v) for v in (self.tilt_deg, self.azimuth_deg, self.roll_deg))
        # Turn about an axis in the face, at the azimuth.
        u, v = x * math.cos(az) + y * math.sin(az), -x * math.sin(az) + y * math.cos(az)
        u, z = u * math.cos(tilt) + z * math.sin(tilt), -u * math.sin(tilt) + z * math.cos(tilt)
        x, y = u * math.cos(az) - v * math.sin(az), u * math.sin(az) + v * math.cos(az)
        x, y = x * math.cos(roll) - y * math.sin(roll), x * math.sin(roll) + y * math.cos(roll)
        away = 300.0
        scale = self.zoom * (_W / _WIDE_MM) * away / (away - z)
        return np.column_stack((_W / 2 + self.shift[0] + scale * x, _H / 2 + self.shift[1] + scale * y))


@dataclass
class Meter:
    """A face from one view. What does not move is drawn once; of a picture only what is round the needle is drawn anew."""

    face: Face
    view: View
    _flat: Any = field(default=None, repr=False)
    _boss: Any = field(default=None, repr=False)
    _still: Any = field(default=None, repr=False)

    def pivot(self) -> tuple[float, float]:
        """Where the pivot is in the picture (pixels)."""
        x, y = self.view.places(np.array([self.face.pivot_mm]), self.view.height_mm)[0]
        return float(x), float(y)

    def marks(self) -> list[tuple[float, float, float]]:
        """(x, y, value) of the marks that a hand would click (pixels)."""
        at = self.view.places(np.array([_on(self.face, self.face.share(v), 1.0) for v in self.face.marks]))
        return [(float(x), float(y), v) for (x, y), v in zip(at, self.face.marks, strict=True)]

    def picture(self, value: float, seed: int | None = None) -> Frame:
        """The meter at a value: shape (480, 640, 3), 8 bits."""
        view, share = self.view, self.face.share(value)
        if self._flat is None:
            self._flat, self._boss = _seen(_printed(self.face), view, 0.0), _cover(self.face, view)
            self._still = self._drawn(None, (0, 0, _W, _H))
        made = self._still.copy()
        left, top, right, bottom = self._round(share)
        made[top:bottom, left:right] = self._drawn(share, (left, top, right, bottom))
        if view.noise:
            rng = np.random.default_rng(view.seed if seed is None else seed)
            made += view.noise * rng.standard_normal(made.shape, dtype=np.float32)
        frame: Frame = np.clip(made + 0.5, 0, 255).astype(np.uint8)
        return frame

    def _round(self, share: float) -> tuple[int, int, int, int]:
        """The part of the picture (left, top, right, bottom) that the needle and its shadow reach."""
        points = np.concatenate(
            [
                _outline(self.face, share, self.view, mm, off)
                for mm, off in ((self.view.height_mm, (0.0, 0.0)), (0.0, self.view.shadow_mm))
            ]
        )
        (x0, y0), (x1, y1) = points.min(axis=0), points.max(axis=0)
        room = _ROOM
        return (
            max(0, math.floor(x0) - room), max(0, math.floor(y0) - room), min(_W, math.ceil(x1) + room), min(_H, math.ceil(y1) + room)
        )  # fmt: skip

    def _drawn(self, share: float | None, part: tuple[int, int, int, int]) -> NDArray[np.float32]:
        """That part of the picture with the needle at a deflection (None: none), lit, without noise."""
        view = self.view
        left, top, right, bottom = part
        # Blurring looks a few pixels beyond the part.
        wide = (max(0, left - _ROOM), max(0, top - _ROOM), min(_W, right + _ROOM), min(_H, bottom + _ROOM))
        frame = self._flat.crop(tuple(2 * v for v in wide))
        corner = np.array(wide[:2], float)
        if share is not None:
            shadow = _outline(self.face, share, view, 0.0, view.shadow_mm) - corner
            _lay(frame, 2.0 * shadow, (0, 0, 0, round(255 * view.shadow)), 2.4)
            needle = _outline(self.face, share, view, view.height_mm, (0.0, 0.0)) - corner
            _lay(frame, 2.0 * needle, (*self.face.needle, 255), 0.0)
        _lay(frame, 2.0 * (self._boss - corner), (*self.face.ink, 255), 0.0)
        if view.hand:
            _lay(frame, 2.0 * (np.array(view.hand) - corner), (172, 128, 104, 255), 0.0)
        small = frame.convert("RGB").resize((wide[2] - wide[0], wide[3] - wide[1]), Image.Resampling.BOX)
        if view.blur:
            small = small.filter(ImageFilter.GaussianBlur(view.blur))
        lit = _lit(np.asarray(small, np.float32), view, wide[:2])
        return lit[top - wide[1] : bottom - wide[1], left - wide[0] : right - wide[0]]


def _on(face: Face, share: float, part: float) -> tuple[float, float]:
    """A place of the face at a deflection, at a part of the radius (mm)."""
    angle, r = face.angle(share), face.radius_mm * part
    return face.pivot_mm[0] + r * math.sin(angle), face.pivot_mm[1] - r * math.cos(angle)


def _printed(face: Face) -> Image.Image:
    """The face, flat."""
    made = Image.new("RGBA", (round(_WIDE_MM * _PX_MM), round(_TALL_MM * _PX_MM)), (*face.ground, 255))
    draw = ImageDraw.Draw(made)

    def px(place: tuple[float, float]) -> tuple[float, float]:
        return place[0] * _PX_MM, place[1] * _PX_MM

    if face.band is not None:
        outer = [px(_on(face, s, 0.985)) for s in np.linspace(0.7, 1.0, 30)]
        inner = [px(_on(face, s, 0.90)) for s in np.linspace(1.0, 0.7, 30)]
        draw.polygon(outer + inner, fill=(*face.band, 255))
    draw.line([px(_on(face, s, 0.96)) for s in np.linspace(0, 1, 120)], fill=(*face.ink, 255), width=3)
    for low, high in zip(face.marks, face.marks[1:], strict=False):
        for n in range(1, face.parts):
            share = face.share(low + (high - low) * n / face.parts)
            draw.line([px(_on(face, share, 0.96)), px(_on(face, share, 1.015))], fill=(*face.ink, 255), width=3)
    font = ImageFont.load_default(34)
    for v in face.marks:
        s = face.share(v)
        draw.line([px(_on(face, s, 0.94)), px(_on(face, s, 1.06))], fill=(*face.ink, 255), width=4)
        tx, ty = px(_on(face, s, 1.16))
        draw.text((tx, ty), f"{v:g}", font=font, fill=(*face.ink, 255), anchor="mm")
    x, y = px(_on(face, 0.5, 0.62))
    draw.text((x, y), face.words, font=ImageFont.load_default(64), fill=(*face.ink, 255), anchor="mm")
    x, y = px(_on(face, 0.5, 0.45))
    draw.text((x, y), "CLASS 2.5", font=ImageFont.load_default(24), fill=(*face.ink, 255), anchor="mm")
    # A second scale nearer to the pivot, as many have.
    draw.line([px(_on(face, s, 0.78)) for s in np.linspace(0.05, 0.95, 90)], fill=(*face.ink, 255), width=2)
    for n in range(11):
        s = 0.05 + 0.09 * n
        draw.line([px(_on(face, s, 0.78)), px(_on(face, s, 0.82))], fill=(*face.ink, 255), width=3)
    return made


def _seen(flat: Image.Image, view: View, height_mm: float) -> Image.Image:
    """A flat drawing as it is seen, at twice the picture's size."""
    corners = np.array([[0.0, 0.0], [_WIDE_MM, 0.0], [_WIDE_MM, _TALL_MM], [0.0, _TALL_MM]])
    to = 2.0 * view.places(corners, height_mm)
    rows, right = [], []
    for (x, y), (u, v) in zip(to, corners * _PX_MM, strict=True):
        rows += [[x, y, 1, 0, 0, 0, -u * x, -u * y], [0, 0, 0, x, y, 1, -v * x, -v * y]]
        right += [u, v]
    back = np.linalg.solve(np.array(rows), np.array(right))
    # The bench around it.
    made = Image.new("RGBA", (2 * _W, 2 * _H), (96, 90, 82, 255))
    seen = flat.transform((2 * _W, 2 * _H), Image.Transform.PERSPECTIVE, tuple(back), Image.Resampling.BILINEAR)
    made.alpha_composite(seen)
    return made


def _outline(
    face: Face, share: float, view: View, height_mm: float, beside_mm: tuple[float, float]
) -> NDArray[np.float64]:
    """The needle's outline (or its shadow's) in the picture (pixels), shape (4, 2)."""
    angle = face.angle(share)
    ux, uy = math.sin(angle), -math.cos(angle)
    nx, ny = -uy, ux
    (px, py), r, w = face.pivot_mm, face.radius_mm, face.width_mm
    outline = np.array(
        [
            (px + beside_mm[0] + along * r * ux + side * w * wide * nx, py + beside_mm[1] + along * r * uy + side * w * wide * ny)
            for along, side, wide in ((-0.12, -0.5, 1.2), (0.985, -0.5, 0.8), (0.985, 0.5, 0.8), (-0.12, 0.5, 1.2))
        ]
    )  # fmt: skip
    return view.places(outline, height_mm)


def _cover(face: Face, view: View) -> NDArray[np.float64]:
    """What hides the needle near its pivot, a boss or a cover over the lower part of the face: its outline (pixels)."""
    around = np.linspace(0, 2 * math.pi, 60)
    radius = max(3.2, face.cover * face.radius_mm)
    ring = np.column_stack((face.pivot_mm[0] + radius * np.cos(around), face.pivot_mm[1] + radius * np.sin(around)))
    return view.places(ring, view.height_mm)


def _lay(frame: Image.Image, outline: NDArray[np.float64], colour: tuple[int, int, int, int], blur: float) -> None:
    """Lay a filled outline over a picture, its edge blurred; what has no width is nothing."""
    area = 0.5 * abs(
        float(np.sum(outline[:, 0] * np.roll(outline[:, 1], 1) - outline[:, 1] * np.roll(outline[:, 0], 1)))
    )
    room = math.ceil(4 * blur) + 2
    left, top = (max(0, math.floor(v) - room) for v in outline.min(axis=0))
    right, bottom = (min(most, math.ceil(v) + room) for v, most in zip(outline.max(axis=0), frame.size, strict=True))
    if area < 1e-6 or right <= left or bottom <= top:
        return
    layer = Image.new("RGBA", (right - left, bottom - top), (*colour[:3], 0))
    ImageDraw.Draw(layer).polygon([(x - left, y - top) for x, y in outline], fill=colour)
    frame.alpha_composite(layer.filter(ImageFilter.GaussianBlur(blur)) if blur else layer, (left, top))


def _lit(frame: NDArray[np.float32], view: View, corner: tuple[int, int]) -> NDArray[np.float32]:
    """Light and glare on a part of the picture whose upper left corner is there."""
    height, width = frame.shape[:2]
    x = np.arange(corner[0], corner[0] + width, dtype=np.float32)[None, :]
    y = np.arange(corner[1], corner[1] + height, dtype=np.float32)[:, None]
    light = view.light * (1.0 + view.gradient[0] * (x / _W - 0.5) + view.gradient[1] * (y / _H - 0.5))
    lit = np.asarray(frame * light[..., None], np.float32)
    for gx, gy, radius, strength in view.glare:
        lit += (strength * np.exp(-((x - gx) ** 2 + (y - gy) ** 2) / (2 * radius**2)))[..., None].astype(np.float32)
    return lit
