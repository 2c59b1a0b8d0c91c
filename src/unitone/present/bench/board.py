"""The picture of the board that is shown at a step."""

from __future__ import annotations

from unitone.job.state import JobState
from unitone.present.bench.bench_shapes import BoardPicture
from unitone.sheet.model.sheet import Picture, Step


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


def _shown(state: JobState, shown: str) -> BoardPicture | None:
    kept = state.pictures
    for picture in state.sheet.pictures:
        if picture.id == shown:
            return BoardPicture(picture.id, kept.get(picture.file, ""), picture.file, picture.title, picture.crop)
    return None
