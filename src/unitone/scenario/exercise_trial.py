"""One exercise taken by a robot, from the first move to the mark."""

from __future__ import annotations

from unitone.errors import EntryError
from unitone.scenario.exercise import Exercise
from unitone.scenario.marking import Mark, good_moves, mark
from unitone.scenario.practice_radio import begin, end
from unitone.scenario.trainees import TRAINEES
from unitone.session.own_sheets import library_of
from unitone.store.logbook import Logbook
from unitone.words import tr


def take_exercise(exercise: Exercise, seed: int, robot: str) -> Mark:
    """What a robot's work comes to. Raises EntryError for a robot that there is not, SheetError."""
    if robot not in TRAINEES:
        raise EntryError(tr("“{robot}”: the robots are {list}.", robot=robot, list=", ".join(TRAINEES)))
    with Logbook(None) as book:
        library = library_of(book)
        session = begin(book, exercise, seed, library)
        TRAINEES[robot](session, exercise)
        end(session)
        return mark(session, exercise, good_moves(exercise, seed, library))
