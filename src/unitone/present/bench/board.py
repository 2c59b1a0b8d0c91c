"""The picture of the board that is shown at a step."""

from __future__ import annotations

from collections.abc import Sequence

from unitone.job.state import JobState
from unitone.present.bench.bench_shapes import BoardPicture, Pin
from unitone.sheet.model.sheet import Adjuster, Part, Picture, Step, TestPoint


def boards_of(state: JobState) -> tuple[Picture, ...]:
    """The pictures of the board: a scan of a page is none of it."""
    scans = {s.picture for s in state.sheet.steps if s.picture}
    return tuple(p for p in state.sheet.pictures if p.id not in scans)


def scan_of(state: JobState, step: Step) -> BoardPicture | None:
    """The scan of the page that a step comes from; None where the sheet has none."""
    return _shown(state, step.picture) if step.picture else None


def picture_of(state: JobState, step: Step, hand: str) -> str:
    """Id of the picture that shows what is in hand, else the step's test point, else the first."""
    pictures = boards_of(state)
    if not pictures:
        return ""
    named = [a.picture for a in state.sheet.adjusters if a.id == hand]
    points = {c.test_point for c in step.required}
    named += [p.picture for p in state.sheet.test_points if p.id in points]
    if not hand and not any(named):
        # Nothing in hand: the side on which the work of this phase is done.
        turned = {a for s in state.sheet.steps if s.phase == step.phase for a in s.adjusters}
        sides = [a.picture or pictures[0].id for a in state.sheet.adjusters if a.id in turned]
        named += sorted(set(sides), key=sides.count, reverse=True)
    return next((n for n in named if n), pictures[0].id)


def board_picture(state: JobState, step: Step, hand: str) -> BoardPicture | None:
    """The board picture to show; its hash is empty where the job carries no copy."""
    return _shown(state, picture_of(state, step, hand))


#: So much of the picture is shown round a few pins, at the least.
_ROUND = 0.45


def pinned(
    state: JobState, places: Sequence[Adjuster | Part | TestPoint], kind: str
) -> tuple[BoardPicture | None, tuple[Pin, ...]]:  # fmt: skip
    """The picture that the first of these places is pinned on, the part of it round them, and their pins; (None, ()) where none is pinned."""
    first = next((p for p in places if p.pin is not None), None)
    if first is None:
        return None, ()
    pins = tuple(
        Pin(p.id, p.pin[0], p.pin[1], kind, p is first, False)
        for p in places
        if p.pin is not None and p.picture == first.picture
    )
    picture = next((x for x in state.sheet.pictures if x.id == first.picture), None) or next(
        iter(state.sheet.pictures), None
    )
    if picture is None:
        return None, pins
    crop = _round(pins, picture.crop)
    return BoardPicture(picture.id, state.pictures.get(picture.file, ""), picture.file, picture.title, crop), pins


def _round(pins: tuple[Pin, ...], crop: tuple[float, float, float, float]) -> tuple[float, float, float, float]:
    """The part of the picture round these pins: near enough to read them, far enough to know where one is."""
    left, top, right, bottom = crop
    x0, x1 = min(p.x for p in pins), max(p.x for p in pins)
    y0, y1 = min(p.y for p in pins), max(p.y for p in pins)
    wide, tall = max(_ROUND * (right - left), x1 - x0 + 0.1), max(_ROUND * (bottom - top), y1 - y0 + 0.1)
    x = min(max((x0 + x1 - wide) / 2, left), max(right - wide, left))
    y = min(max((y0 + y1 - tall) / 2, top), max(bottom - tall, top))
    return (x, y, min(x + wide, right), min(y + tall, bottom))


def _shown(state: JobState, shown: str) -> BoardPicture | None:
    kept = state.pictures
    for picture in state.sheet.pictures:
        if picture.id == shown:
            return BoardPicture(picture.id, kept.get(picture.file, ""), picture.file, picture.title, picture.crop)
    return None
