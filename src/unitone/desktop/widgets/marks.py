"""Verdicts as shapes, painted the same everywhere: disc, hollow square, triangle, lozenge, ring."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from unitone.desktop.theme.theme import theme

ROLE = {
    "in_spec": "in_spec", "left_as_found": "in_spec", "out_of_spec": "out_of_spec", "recheck": "recheck", "undecided": "recheck", "todo": "quiet",
    "accepted": "out_of_spec", "not applicable": "quiet",
    "done": "teal", "now": "orange",
}  # fmt: skip


def standing(read: bool, stale: bool, inside: bool | None) -> str:
    """The verdict of one place of a step: to do, re-check, holds, out, or too close to call."""
    if not read:
        return "todo"
    if stale:
        return "recheck"
    return {True: "in_spec", False: "out_of_spec", None: "undecided"}[inside]


def verdict_colour(verdict: str) -> QColor:
    """The colour that goes with the shape and the word."""
    return theme.colour(ROLE.get(verdict, "quiet"))


def draw_mark(painter: QPainter, box: QRectF, verdict: str, current: bool = False) -> None:
    """Draw the verdict's shape in ``box``; the step at hand is a ring with a dot in orange."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    colour = theme.colour("orange") if current else verdict_colour(verdict)
    side = min(box.width(), box.height())
    box = QRectF(box.center().x() - side / 2, box.center().y() - side / 2, side, side)
    thin = QPen(colour, max(1.6, side * 0.13))
    thin.setJoinStyle(Qt.PenJoinStyle.MiterJoin)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour)
    if current:
        painter.drawEllipse(box)
        painter.setBrush(theme.colour("card"))
        painter.drawEllipse(box.center(), side * 0.19, side * 0.19)
    elif verdict == "in_spec":
        painter.drawEllipse(box)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour("card"), side * 0.14))
        painter.drawPolyline(
            QPolygonF(
                [
                    QPointF(box.left() + side * x, box.top() + side * y)
                    for x, y in ((0.27, 0.52), (0.44, 0.68), (0.74, 0.34))
                ]
            )
        )
    elif verdict == "out_of_spec":
        painter.drawPolygon(_polygon(box, ((0.5, 0.02), (1.0, 0.94), (0.0, 0.94))))
    elif verdict == "accepted":
        # Out still, and so the same shape: hollow, with a bar under it for the decision.
        painter.setPen(thin)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolygon(_polygon(box, ((0.5, 0.04), (0.93, 0.74), (0.07, 0.74))))
        painter.drawLine(QPointF(box.left() + side * 0.07, box.top() + side * 0.96),
                         QPointF(box.left() + side * 0.93, box.top() + side * 0.96))  # fmt: skip
    elif verdict == "not applicable":
        painter.setPen(thin)
        painter.drawLine(
            QPointF(box.left() + side * 0.1, box.center().y()), QPointF(box.right() - side * 0.1, box.center().y())
        )
    elif verdict in ("recheck", "undecided"):
        painter.setPen(thin)
        painter.setBrush(theme.colour("recheck_soft"))
        painter.drawPolygon(_polygon(box, ((0.5, 0.04), (0.96, 0.5), (0.5, 0.96), (0.04, 0.5))))
    else:
        painter.setPen(thin)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        inset = side * 0.1
        inner = box.adjusted(inset, inset, -inset, -inset)
        if verdict == "left_as_found":
            painter.drawRect(inner)
        else:
            painter.drawEllipse(inner)
    painter.restore()


def _polygon(box: QRectF, corners: tuple[tuple[float, float], ...]) -> QPolygonF:
    return QPolygonF([QPointF(box.left() + box.width() * x, box.top() + box.height() * y) for x, y in corners])
