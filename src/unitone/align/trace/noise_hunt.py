"""The noise hunt: a few questions that a technician answers by ear, and the part of the radio that the answers point to.

What each place makes one hear is the trade's own table (common practice, no source); the next question is the one that is expected to
tell most (entropy in bits).

Once it comes from the chain of stages itself, the stage is found by grounding inputs: what a stage makes by itself stops when the input
of one behind it is grounded, and goes on when its own is, or that of one before it. A stage that oscillates does it through its own
input: grounded there, it stops as well. What the questions told counts there, too: a noise that is still there with the volume down comes
from the audio stage, whatever one input said.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from unitone.words import N_, translated


@translated("words", "how")
@dataclass(frozen=True)
class Question:
    """A question with how to try it."""

    id: str
    words: str
    how: str


@translated("title", "then")
@dataclass(frozen=True)
class Place:
    """Where a noise may come from: how often it does, what is done there, and how likely each question is answered with yes."""

    id: str
    title: str
    then: str
    often: float
    yes: Mapping[str, float]


QUESTIONS: tuple[Question, ...] = (
    Question("volume", N_("Is it there with the volume fully down?"), N_("Turn the volume down, listen closely.")),
    Question("aerial", N_("Is it there without the aerial?"), N_("Take the aerial off, put the dummy load on.")),
    Question("channel", N_("Does it change from channel to channel?"), N_("Go through some channels, or turn the dial.")),
    Question("hum", N_("Is it a hum, low and steady?"), N_("Meters, Spectrum: lines at 50 or 100 Hz (60 or 120 Hz).")),
    Question("whistle", N_("Is it a whistle, a tone by itself?"), N_("Meters, Spectrum: one line above 200 Hz.")),
    Question("amplifier", N_("Is it in another amplifier, fed from this set's detector?"),
             N_("Lead from the volume control's hot end, through 0.1 µF.")),
    Question("grounded", N_("Does it stop when the IF input is grounded?"),
             N_("Through 10 nF rated for the voltage there. Never lift a grid lead that may carry B+.")),
    Question("tap", N_("Does it crackle when parts are tapped?"), N_("With an insulated stick, gently.")),
)  # fmt: skip


def _yes(
    volume: float,
    aerial: float,
    channel: float,
    hum: float,
    whistle: float,
    amplifier: float,
    grounded: float,
    tap: float,
) -> dict[str, float]:
    return {
        "volume": volume, "aerial": aerial, "channel": channel, "hum": hum, "whistle": whistle, "amplifier": amplifier,
        "grounded": grounded, "tap": tap,
    }  # fmt: skip


PLACES: tuple[Place, ...] = (
    Place("supply", N_("Supply: filter capacitors"), N_("Bridge the filter capacitors, one at a time."), 1.2,
          _yes(0.9, 0.98, 0.05, 0.95, 0.03, 0.4, 0.1, 0.05)),
    Place("output", N_("AF output stage"), N_("Bridge the output stage's decoupling. Check its input coupling capacitor for leakage."), 0.8,
          _yes(0.95, 0.98, 0.03, 0.3, 0.1, 0.08, 0.05, 0.3)),
    Place("preamp", N_("AF preamplifier"), N_("Ground its input through 0.1 µF. Change the device, then its load resistor."), 0.8,
          _yes(0.15, 0.98, 0.05, 0.25, 0.1, 0.5, 0.1, 0.35)),
    Place("if", N_("IF and detector"), N_("Go back stage by stage: ground each input through 10 nF until it stops."), 0.8,
          _yes(0.04, 0.95, 0.15, 0.04, 0.3, 0.95, 0.25, 0.3)),
    Place("front", N_("RF amplifier or mixer"), N_("Ground the mixer's input, then the RF amplifier's. Change the first device."), 0.8,
          _yes(0.03, 0.9, 0.5, 0.03, 0.3, 0.95, 0.9, 0.3)),
    Place("oscillator", N_("Oscillator or synthesiser"), N_("Look at the oscillator's line for noise. Check the loop's decoupling."), 0.7,
          _yes(0.03, 0.9, 0.75, 0.1, 0.7, 0.95, 0.85, 0.15)),
    Place("outside", N_("Outside the radio"), N_("Switch the lamps and chargers of the house off, one by one. Try a battery."), 1.0,
          _yes(0.03, 0.05, 0.6, 0.2, 0.35, 0.95, 0.9, 0.03)),
    Place("joint", N_("A dry joint or tired contact"), N_("Watch it as an intermittent, and move things one at a time."), 0.6,
          _yes(0.4, 0.85, 0.2, 0.05, 0.03, 0.6, 0.4, 0.97)),
)  # fmt: skip


@dataclass(frozen=True)
class Maker:
    """A stage that may make a noise: how often it does, against the others; where in the radio it lies (of ``PLACES``); and whether its input
    is the IF's, which a question of its own asks to ground."""

    often: float = 1.0
    places: tuple[str, ...] = ("if",)
    is_if_input: bool = False


@dataclass(frozen=True)
class Heard:
    """A place with how likely the noise comes from there."""

    place: Place
    probability: float


def places(answers: Mapping[str, bool]) -> tuple[Heard, ...]:
    """Every place, the likeliest first, by what was answered."""
    asked = {q: yes for q, yes in answers.items() if not q.startswith(GROUNDED)}
    weights = [p.often * math.prod(p.yes[q] if yes else 1.0 - p.yes[q] for q, yes in asked.items()) for p in PLACES]
    whole = sum(weights)
    return tuple(
        sorted((Heard(p, w / whole) for p, w in zip(PLACES, weights, strict=True)), key=lambda h: -h.probability)
    )


def next_question(answers: Mapping[str, bool]) -> Question | None:
    """The question that tells most; None where all are answered, or where the place is known well enough."""
    if places(answers)[0].probability > 0.95:
        return None
    left = [q for q in QUESTIONS if q.id not in answers]
    if _share(answers) > _LIKELY and "whistle" not in answers:
        # What a stage does by itself: a whistle stops where noise goes on.
        return next(q for q in left if q.id == "whistle")
    return max(left, key=lambda q: _told_by(q.id, answers), default=None)


#: Places that lie in the chain of stages, and how likely one of them has to be before inputs are grounded.
_IN_CHAIN, _LIKELY = ("if", "front", "preamp", "output"), 0.75
#: With every question answered, this much is enough.
_LEFT = 0.4
#: Questions of the second part: the input of which stage is grounded; once more to be sure, and a third time where the two contradict.
AT = "at:"
GROUNDED = (AT, "again:", "third:")
#: So often an ear, or a hand, is wrong; and so sure a stage has to be to be named.
_WRONG, _NAMED = 0.06, 0.95
#: An input that tells less (bits) is not grounded.
_LEAST_BITS = 0.06
#: What a stage does by itself.
OwnSound = Literal["noisy", "oscillates", "hums"]


def in_chain(answers: Mapping[str, bool]) -> bool:
    """Does it come from one of the stages that the signal passes?"""
    if any(q.startswith(AT) for q in answers):
        return True
    if not answers or "whistle" not in answers:
        return False
    return _share(answers) > (_LIKELY if next_question(answers) is not None else _LEFT)


def _share(answers: Mapping[str, bool]) -> float:
    """How likely it comes from the chain."""
    return sum(h.probability for h in places(answers) if h.place.id in _IN_CHAIN)


def own_sound(answers: Mapping[str, bool]) -> OwnSound:
    """What the bad stage does, by what is heard."""
    return "oscillates" if answers.get("whistle") else "hums" if answers.get("hum") else "noisy"


def sources(answers: Mapping[str, bool], stages: Mapping[str, Maker]) -> tuple[float, ...]:
    """How likely each of the stages, from the aerial on, makes the noise, by what was answered and the inputs that were grounded."""
    own = own_sound(answers) == "oscillates"
    told = {p.id: p.yes for p in PLACES}
    weights = []
    for at, maker in enumerate(stages.values()):
        weight = maker.often * sum(_of_place(told[p], answers, stages) for p in maker.places) / len(maker.places)
        for where, (stage, other) in enumerate(stages.items()):
            for asked in (*(g + stage for g in GROUNDED), *(("grounded",) if other.is_if_input else ())):
                if (stopped := answers.get(asked)) is not None:
                    stops = at < where or (own and at == where)
                    weight *= 1.0 - _WRONG if stopped == stops else _WRONG
        weights.append(weight)
    whole = sum(weights)
    return tuple(w / whole for w in weights)


def _of_place(yes: Mapping[str, float], answers: Mapping[str, bool], stages: Mapping[str, Maker]) -> float:
    """How likely what was answered is where the noise comes from that place; where the stages tell which input is the IF's, they tell more of
    that question than the place does."""
    known = any(m.is_if_input for m in stages.values())
    asked = {q: a for q, a in answers.items() if q in yes and not (known and q == "grounded")}
    return math.prod(yes[q] if a else 1.0 - yes[q] for q, a in asked.items())


def named_stage(answers: Mapping[str, bool], stages: Mapping[str, Maker]) -> str:
    """The stage that makes it, once that is known well enough; empty before."""
    if not in_chain(answers) or not stages:
        return ""
    found, names = sources(answers, stages), list(stages)
    best = max(range(len(names)), key=lambda n: found[n])
    if found[best] > _NAMED:
        return names[best]
    # With nothing left that would tell, the likeliest.
    return names[best] if found[best] > _LEFT and not _telling(answers, stages) else ""


def next_input(answers: Mapping[str, bool], stages: Mapping[str, Maker]) -> str:
    """The question that grounds the next input: what tells most; empty where a stage is named, or none would tell anything. An input that
    decided alone is grounded once more."""
    return "" if named_stage(answers, stages) else _telling(answers, stages)


def _telling(answers: Mapping[str, bool], stages: Mapping[str, Maker]) -> str:
    now, own = sources(answers, stages), own_sound(answers) == "oscillates"
    best, name = _LEAST_BITS, ""
    for where, stage in enumerate(stages):
        before = sum(p for at, p in enumerate(now) if at < where or (own and at == where))
        bits = _two(before * (1.0 - _WRONG) + (1.0 - before) * _WRONG) - _two(_WRONG)
        question = next((g + stage for g in GROUNDED if g + stage not in answers), "")
        if question and bits > best:
            best, name = bits, question
    return name


def _two(p: float) -> float:
    """Entropy of a yes or no (bits)."""
    return -sum(x * math.log2(x) for x in (p, 1.0 - p) if x > 0.0)


def _told_by(question: str, answers: Mapping[str, bool]) -> float:
    """Bits that an answer is expected to tell."""
    now = places(answers)
    chance = sum(h.probability * h.place.yes[question] for h in now)
    after = chance * _bits(places({**answers, question: True})) + (1.0 - chance) * _bits(
        places({**answers, question: False})
    )
    return _bits(now) - after


def _bits(heard: tuple[Heard, ...]) -> float:
    return -sum(h.probability * math.log2(h.probability) for h in heard if h.probability > 0)
