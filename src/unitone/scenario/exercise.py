"""What an exercise is: which radio, which steps, what somebody has turned, what is broken, and what it trains."""

from __future__ import annotations

from typing import Literal

import msgspec

from unitone.words import N_, tr

Skill = Literal["receive", "transmit", "synthesiser", "settings", "tracing", "vintage"]

#: The six skills, in the order in which a radio is worked on.
SKILLS: dict[Skill, str] = {
    "receive": N_("Receive"),
    "transmit": N_("Transmit"),
    "synthesiser": N_("Synthesiser"),
    "settings": N_("Settings"),
    "tracing": N_("Fault tracing"),
    "vintage": N_("Vintage receivers"),
}

#: How much help the trainee takes: none, hints for points, or the coach all the way.
Help = Literal["none", "hints", "coach"]
HELP: dict[Help, str] = {"none": N_("No help"), "hints": N_("Hints on request"), "coach": N_("Full coach")}

#: What can be wrong with a radio besides its alignment, and how it is called when the trainee names it.
DIAGNOSES: dict[str, str] = {
    "": N_("Alignment only"),
    "at-stop": N_("A part near a core has the wrong value: the core ends at its stop"),
    "dead": N_("A core or winding is broken: turning it changes nothing"),
    "gain": N_("A stage ahead of the meter has lost gain"),
    "threshold": N_("The S-meter's rectifier starts too late"),
    "compression": N_("A stage ahead of the S-meter limits too early"),
    "squelch range": N_("A leaky part spoils the squelch's range"),
    "stage": N_("A stage is dead or weak: a part of it has failed"),
}


#: Exercises that somebody made: their words are theirs, whatever language the program speaks.
OWN = "own-"


def in_words(exercise: Exercise, field: Literal["title", "complaint", "purpose", "habit"]) -> str:
    """What an exercise says of itself: one of the ladder in the program's language, somebody's own as it was written."""
    text: str = getattr(exercise, field)
    return text if exercise.id.startswith(OWN) else tr(text)


class Exercise(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """One exercise; with a seed it becomes a radio on the bench (``practice_radio``)."""

    id: str
    skill: Skill
    #: 1 (first steps) to 5 (a whole radio, and a fault).
    grade: int
    title: str
    complaint: str
    purpose: str
    habit: str
    #: A sheet of the library, which has a physics file.
    sheet: str
    #: The steps of the sheet that are asked for; all of them where none is named.
    steps: tuple[str, ...] = ()
    #: The adjusters that somebody has turned; the others stand as the years left them.
    turned: tuple[str, ...] = ()
    #: Somebody has been round the whole radio with a screwdriver.
    everything: bool = False
    #: How far each was turned, as a share of what the physics file calls misaligned: between these two.
    far: tuple[float, float] = (0.55, 1.0)
    #: A fault of the physics file, or PART:STATE at a stage.
    fault: str = ""
    #: Does it train leaving alone what is in spec? Then one needless turn fails it.
    leave_alone: bool = False
    #: Conventions that the job begins with.
    conventions: dict[str, str] = {}
    seed: int = 1
    #: An exercise of somebody's own: its radio, and what is wrong with it, under a seal.
    sealed: str = ""
