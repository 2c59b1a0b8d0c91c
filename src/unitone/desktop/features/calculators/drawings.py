"""What is easier seen than read: a frequency axis, a divider, an attenuator, a trimmer's range, two power meter faces."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from unitone.calculators.typed import si_text
from unitone.desktop.theme.theme import theme
from unitone.errors import UnitoneError
from unitone.quantities.entry import parse_si
from unitone.words import figure, tr

Values = Mapping[str, float | None]
_HIGH = 150


class Drawing(QWidget):
    """The picture of a calculator's answer; takes no room where there is none."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self._draw = _DRAWINGS.get(name)
        self._typed: dict[str, str] = {}
        self._values: Values = {}
        self.setFixedHeight(theme.px(_HIGH) if self._draw is not None else 0)
        self.setVisible(self._draw is not None)
        self.setAccessibleName(tr("Drawing"))

    def show_answers(self, typed: Mapping[str, str], values: Values) -> None:
        """Draw what was typed and what came of it; nothing where nothing did."""
        self._typed, self._values = dict(typed), values
        if self._draw is not None:
            self.setVisible(bool(values))
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """The drawing."""
        if self._draw is None or not self._values:
            return
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setFont(theme.font(13))
            self._draw(_Pen(painter, self.width(), self.height()), self._typed, self._values)


class _Pen:
    """A painter with the few strokes that all drawings use."""

    def __init__(self, painter: QPainter, wide: int, high: int) -> None:
        self.p, self.wide, self.high = painter, wide, high

    def line(self, x1: float, y1: float, x2: float, y2: float, colour: str = "ink", width: float = 1.6) -> None:
        self.p.setPen(QPen(theme.colour(colour), width))
        self.p.drawLine(QPointF(x1, y1), QPointF(x2, y2))

    def text(
        self, x: float, y: float, words: str, colour: str = "ink", at: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignHCenter
    ) -> None:
        """Words about (x, y), kept inside the drawing."""
        self.p.setPen(theme.colour(colour))
        words = figure(words)
        room = self.p.fontMetrics().horizontalAdvance(words) + 4
        left = (
            x - room / 2 if at == Qt.AlignmentFlag.AlignHCenter else x if at == Qt.AlignmentFlag.AlignLeft else x - room
        )
        left = min(max(left, 0.0), max(self.wide - room, 0.0))
        self.p.drawText(QRectF(left, y - 10, room, 20), Qt.AlignmentFlag.AlignCenter, words)

    def resistor(self, x: float, y: float, upright: bool, words: str) -> None:
        """A resistor about (x, y), 40 long, with its value beside it."""
        self.p.setPen(QPen(theme.colour("ink"), 1.6))
        self.p.setBrush(theme.colour("card"))
        self.p.drawRect(QRectF(x - 7, y - 20, 14, 40) if upright else QRectF(x - 20, y - 7, 40, 14))
        if upright:
            self.text(x + 14, y, words, at=Qt.AlignmentFlag.AlignLeft)
        else:
            self.text(x, y - 20, words)

    def ground(self, x: float, y: float) -> None:
        for n, half in enumerate((9, 6, 3)):
            self.line(x - half, y + 4 * n, x + half, y + 4 * n)

    def dot(self, x: float, y: float, colour: str, size: float = 5.0) -> None:
        self.p.setPen(Qt.PenStyle.NoPen)
        self.p.setBrush(theme.colour(colour))
        self.p.drawEllipse(QPointF(x, y), size, size)


def _value(typed: Mapping[str, str], key: str, unit: str) -> float:
    try:
        return parse_si(typed.get(key, ""), unit)
    except UnitoneError:
        return math.nan


def _short(value: float, unit: str, digits: int = 3) -> str:
    return si_text(value, unit, digits).strip()


def _image(pen: _Pen, typed: Mapping[str, str], values: Values) -> None:
    """Channel, oscillator, half-IF and image on a frequency axis."""
    marks = [(tr("channel"), _value(typed, "carrier", "Hz"), "orange"), (tr("oscillator"), values.get("lo_hz"), "teal"),
             (tr("half-IF"), values.get("half_hz"), "out_of_spec"), (tr("image"), values.get("image_hz"), "out_of_spec")]  # fmt: skip
    known = [(w, hz, c) for w, hz, c in marks if hz is not None and math.isfinite(hz)]
    if len(known) < 2:
        return
    low, high = min(hz for _, hz, _ in known), max(hz for _, hz, _ in known)
    edge, base = 70.0, pen.high * 0.62
    pen.line(edge / 2, base, pen.wide - edge / 2, base, "quiet")
    for n, (words, hz, colour) in enumerate(sorted(known, key=lambda m: m[1])):
        x = edge + (hz - low) / (high - low or 1.0) * (pen.wide - 2 * edge)
        tall = pen.high * (0.42 if n % 2 == 0 else 0.26)
        pen.line(x, base, x, base - tall, colour, 2.4)
        pen.text(x, base - tall - 10, words, colour)
        pen.text(x, base + (14 if n % 2 == 0 else 32), figure(f"{hz / 1e6:.3f} MHz"))


def _two_resistors(pen: _Pen, supply: str, top: str, bottom: str, middle: str, meter: str = "") -> None:
    x, y = pen.wide * 0.36, 20.0
    pen.text(x - 12, y, supply, "out_of_spec", Qt.AlignmentFlag.AlignRight)
    pen.line(x, y, x, pen.high - 18)
    pen.resistor(x, y + 28, True, top)
    node = pen.high / 2 + 4
    pen.dot(x, node, "ink", 3.0)
    pen.resistor(x, pen.high - 44, True, bottom)
    pen.ground(x, pen.high - 16)
    far = pen.wide * 0.66
    pen.line(x, node, far, node, "teal")
    pen.text(far + 6, node if not meter else node - 26, middle, "teal", Qt.AlignmentFlag.AlignLeft)
    if meter:
        pen.line(far, node, far, pen.high - 18, "teal")
        pen.p.setBrush(theme.colour("card"))
        pen.p.setPen(QPen(theme.colour("teal"), 1.8))
        pen.p.drawEllipse(QPointF(far, pen.high - 46), 15, 15)
        pen.text(far, pen.high - 46, "V", "teal")
        pen.text(far + 20, pen.high - 46, meter, at=Qt.AlignmentFlag.AlignLeft)
        pen.ground(far, pen.high - 16)


def _divider(pen: _Pen, typed: Mapping[str, str], values: Values) -> None:
    shown = values.get("shown")
    _two_resistors(
        pen, _short(_value(typed, "supply", "V"), "V"), _short(_value(typed, "top", "ohm"), "Ω"), _short(_value(typed, "bottom", "ohm"), "Ω"),
        "" if shown is None else figure(f"{shown:.2f} V"), _short(_value(typed, "meter", "ohm"), "Ω"),
    )  # fmt: skip


def _range(pen: _Pen, low: float, high: float, wanted: float, unit: str, digits: int) -> None:
    """A range as a bar, and where what is wanted lies."""
    if not all(map(math.isfinite, (low, high, wanted))):
        return
    room = abs(high - low) or abs(low) * 1e-6 or 1.0
    start, end = min(low, high, wanted) - 0.15 * room, max(low, high, wanted) + 0.15 * room
    edge, y = 40.0, pen.high * 0.5

    def at(value: float) -> float:
        return edge + (value - start) / (end - start) * (pen.wide - 2 * edge)

    pen.line(edge, y, pen.wide - edge, y, "line", 8.0)
    pen.line(at(min(low, high)), y, at(max(low, high)), y, "teal", 8.0)
    inside = min(low, high) <= wanted <= max(low, high)
    pen.dot(at(wanted), y, "in_spec" if inside else "out_of_spec", 7.0)
    pen.text(at(wanted), y - 26, tr("wanted"), "in_spec" if inside else "out_of_spec")
    for value in (low, high):
        pen.text(at(value), y + 24, f"{value:.{digits}f} {unit}")


def _padder(pen: _Pen, typed: Mapping[str, str], values: Values) -> None:
    low, high, wanted = (_value(typed, k, "Hz") / 1e6 for k in ("low", "high", "wanted"))
    _range(pen, low, high, wanted, "MHz", 6)


def _preset(pen: _Pen, typed: Mapping[str, str], values: Values) -> None:
    low, high, wanted = (_value(typed, k, "V") for k in ("low", "high", "wanted"))
    _range(pen, low, high, wanted, "V", 2)


def _attenuator(pen: _Pen, typed: Mapping[str, str], values: Values) -> None:
    from unitone.radio.attenuators import exact, from_series

    loss, ohm = _value(typed, "db", ""), _value(typed, "ohm", "ohm")
    if not (math.isfinite(loss) and math.isfinite(ohm) and loss > 0):
        return
    kind = "pi" if typed.get("kind") == "pi" else "tee"
    pad = from_series(exact(kind, loss, ohm), typed.get("series", "E24"))  # type: ignore[arg-type]
    a, b, c = (_short(r, "Ω") for r in pad.ohms)
    y, left, right, middle = 46.0, pen.wide * 0.2, pen.wide * 0.72, pen.wide * 0.46
    pen.line(left - 50, y, right + 50, y)
    for x in (left - 50, right + 50):
        pen.dot(x, y, "ink", 3.0)
    if kind == "pi":
        for x, words in ((left, a), (right, c)):
            pen.line(x, y, x, pen.high - 18)
            pen.resistor(x, (y + pen.high - 18) / 2, True, words)
            pen.ground(x, pen.high - 16)
        pen.resistor(middle, y, False, b)
        return
    for x, words in ((left + 20, a), (right - 20, c)):
        pen.resistor(x, y, False, words)
    pen.line(middle, y, middle, pen.high - 18)
    pen.resistor(middle, (y + pen.high - 18) / 2, True, b)
    pen.ground(middle, pen.high - 16)


def _faces(pen: _Pen, typed: Mapping[str, str], values: Values) -> None:
    """Forward and reflected power as two needles."""
    back, share = values.get("reflected_w"), values.get("share")
    if back is None or not share or share <= 0.0:
        return
    forward = back / share
    full = next((s for s in (1e-3, 1e-2, 0.1, 1.0, 5.0, 10.0, 20.0, 50.0, 100.0, 1e3, 1e4) if s >= forward), forward)
    for words, watts, x in ((tr("forward"), forward, pen.wide * 0.28), (tr("reflected"), back, pen.wide * 0.72)):
        radius = min(pen.high * 0.72, pen.wide * 0.2)
        foot = pen.high - 26.0
        pen.p.setPen(QPen(theme.colour("quiet"), 1.6))
        pen.p.setBrush(Qt.BrushStyle.NoBrush)
        pen.p.drawArc(QRectF(x - radius, foot - radius, 2 * radius, 2 * radius), 30 * 16, 120 * 16)
        for tenth in range(11):
            angle = math.radians(150.0 - 12.0 * tenth)
            inner = radius - (9 if tenth % 5 == 0 else 5)
            dx, dy = math.cos(angle), math.sin(angle)
            pen.line(x + inner * dx, foot - inner * dy, x + radius * dx, foot - radius * dy, "quiet", 1.2)
        angle = math.radians(150.0 - 120.0 * min(watts / full, 1.0))
        pen.line(x, foot, x + (radius - 4) * math.cos(angle), foot - (radius - 4) * math.sin(angle), "orange", 2.2)
        pen.dot(x, foot, "ink", 4.0)
        pen.text(x, foot + 15, f"{words} {_short(watts, 'W')}")


_DRAWINGS: dict[str, Callable[[_Pen, Mapping[str, str], Values], None]] = {
    "image": _image, "divider": _divider, "padder": _padder, "preset": _preset, "attenuator": _attenuator, "swr": _faces,
}  # fmt: skip
