"""The robot technician hunts noises: simulated radios with a stage that hisses or oscillates, from what is heard to the stage, and to the
radio aligned.

It asks what the noise hunt asks, does it on the simulated radio, and answers by ear. Two other ways ground the same inputs without a
question before: halving, and walking back from the loudspeaker.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from unitone.align.trace.ladder import ladder, makes_noise, noise_answers, traced_modes
from unitone.align.trace.noise_hunt import AT, in_chain, named_stage, next_input, next_question, own_sound
from unitone.errors import BenchError
from unitone.job.card import Card
from unitone.robot.many import many, simulated
from unitone.robot.technician import align
from unitone.robot.whole_radios import judge
from unitone.session.session import Session, open_job
from unitone.simulator.mechanics import stream
from unitone.simulator.noise_trials import NoiseTrial
from unitone.simulator.stage_faults import sounding_stages
from unitone.store.logbook import Logbook

#: An ear says "it stops" where so much is gone, and "it changes" where so much differs (dB); a line that holds this share of the power is a
#: tone, and a hum up to so high (Hz).
_STOPS_DB, _CHANGES_DB, _TONE_SHARE, _HUM_HZ = 10.0, 6.0, 0.2, 200.0
#: So often what is tried goes wrong: a hand slipped, a capacitor lay beside the pin. What is plainly heard is not mistaken.
_SLIPS, _PLAIN = 0.03, ("hum", "whistle")
_MOST = 24


@dataclass(frozen=True)
class NoiseHunt:
    """How the hunt of one radio went: right at the first naming, what it does named right, questions and inputs tried (and by halving, by
    walking: right, inputs), whole in the end."""

    seed: int
    fault: str
    named: str
    right: bool
    sound_right: bool
    tests: int
    halving: tuple[bool, int]
    walk: tuple[bool, int]
    recovered: bool


def heard(question: str, trial: NoiseTrial) -> bool:
    """What an ear answers to a question of the hunt: yes or no."""
    hz, share = trial.line
    match question:
        case "hum":
            return share > _TONE_SHARE and hz <= _HUM_HZ
        case "whistle":
            return share > _TONE_SHARE and hz > _HUM_HZ
        case "channel":
            return abs(trial.change_db) > _CHANGES_DB
        case "tap":
            return trial.change_db > _CHANGES_DB
        case "volume" | "aerial" | "amplifier":
            return trial.change_db > -_STOPS_DB
    return trial.change_db < -_STOPS_DB


def hunt_one(sheet_name: str, seed: int, fault: str = "any") -> NoiseHunt:
    """Hunt the noise of the simulated radio of that seed; ``fault``: ``noisy``, ``oscillates``, any, or one by name. Raises BenchError for
    a radio none of whose stages makes one."""
    _, sheet, physics = simulated(sheet_name)
    made = [f for f in sounding_stages(physics) if fault in ("any", f.own_sound, f.id)]
    there = {s.id for s in sheet.stages if s.inject is not None}
    made = [f for f in made if f.stage in there]
    if not made:
        raise BenchError(f"{sheet.title}: no stage of it makes such a noise ({fault}).")
    rng = stream(seed, "noise-hunt")
    true = made[int(rng.integers(len(made)))]
    book = Logbook(None)
    job = open_job(book, sheet_name, Card(book.next_number(), sheet_name, simulated_seed=seed, simulated_fault=true.id))
    session = Session(book, job)
    session.confirm_hook_up("receive")
    of = next(s for s in sheet.stages if s.id == true.stage)
    heard_in = next((m for m in traced_modes(sheet) if of.serves(m) and m.lower() != "fm"), None)
    if heard_in is not None:
        # The owner says in which mode it is heard.
        session.tracing.set_mode(heard_in)
    stages = [r.stage.id for r in ladder(session.state)]

    answer = by_ear(session, rng)
    # Who knows that a whistle stops at its own stage's input as well needs one question for it.
    own = answer("whistle")
    halving, walk = (_searched(how, stages, answer, own, true.stage) for how in (_halve, _walk))
    named, tests = find_noise(session, answer)
    sound = own_sound(noise_answers(session.state)) == true.own_sound
    right = named == true.stage
    if not right:
        # A repair of the wrong stage cures nothing: it is heard at once, and the right one is found later.
        session.tracing.repaired(named or stages[-1], "")
    session.tracing.repaired(true.stage, "")
    work = align(session)
    whole = judge(session, session.sheet, physics, seed, work.readings, work.moves, work.finished).recovered
    book.close()
    return NoiseHunt(seed, true.id, named, right, sound, tests, halving, walk, whole)


def by_ear(session: Session, rng: np.random.Generator) -> Callable[[str], bool]:
    """Does what a question of the hunt asks on the simulated radio, and answers; now and then what it does goes wrong."""

    def answer(question: str) -> bool:
        slips = question not in _PLAIN and bool(rng.random() < _SLIPS)
        return heard(question, session.tracing.try_noise(question)) != slips

    return answer


def find_noise(session: Session, answer: Callable[[str], bool]) -> tuple[str, int]:
    """(stage named, questions and inputs tried) by what the hunt asks next."""
    for tests in range(_MOST):
        state = session.state
        rungs, answers = ladder(state), noise_answers(state)
        often = makes_noise(state, rungs)
        if in_chain(answers):
            question = next_input(answers, often)
            if not question:
                return named_stage(answers, often), tests
        else:
            following = next_question(answers)
            if following is None:
                return "", tests
            question = following.id
        session.tracing.answer_noise(question, answer(question))
    return "", _MOST


def _searched(
    how: Callable[[Sequence[str], Callable[[str], bool]], int],
    stages: Sequence[str],
    answer: Callable[[str], bool],
    own: bool,
    true: str,
) -> tuple[bool, int]:
    """(right, inputs grounded and the question before) of a way that else only grounds inputs. ``own``: its own input stops it, too."""
    asked: dict[str, bool] = {}

    def stops(stage: str) -> bool:
        if stage not in asked:
            asked[stage] = answer(AT + stage)
        return asked[stage]

    at = min(max(how(stages, stops) + own, 0), len(stages) - 1)
    return stages[at] == true, len(asked) + 1


def _halve(stages: Sequence[str], stops: Callable[[str], bool]) -> int:
    """The last stage whose grounded input does not stop it; -1 where all do."""
    low, high = -1, len(stages)
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if stops(stages[middle]) else (middle, high)
    return low


def _walk(stages: Sequence[str], stops: Callable[[str], bool]) -> int:
    return next((at for at in range(len(stages) - 1, -1, -1) if not stops(stages[at])), -1)


def _one(arguments: tuple[str, int, str]) -> NoiseHunt:
    return hunt_one(*arguments)


def run_noise_trial(sheet_name: str, sets: int, seed: int, workers: int, fault: str = "any") -> dict[str, Any]:
    """Radios of the seeds from ``seed`` on, a stage of each that makes a noise by itself: what it took to find it, and how often right."""
    told = many(
        _one, [(sheet_name, s, "any" if fault in ("none", "") else fault) for s in range(seed, seed + sets)], workers
    )
    n = len(told)

    def mean(of: Callable[[NoiseHunt], float]) -> float:
        return round(float(np.mean([of(t) for t in told])), 4)

    return {
        "task": "noise", "sets": n, "tests_per_set": round(mean(lambda t: t.tests), 2), "right": mean(lambda t: t.right),
        "sound_right": mean(lambda t: t.sound_right),
        "cost": {
            "this": round(mean(lambda t: t.tests), 2), "bisection": round(mean(lambda t: t.halving[1]), 2),
            "walk": round(mean(lambda t: t.walk[1]), 2),
        },
        "right_of": {"bisection": mean(lambda t: t.halving[0]), "walk": mean(lambda t: t.walk[0])},
        "recovered": mean(lambda t: t.recovered),
        "problems": [{"seed": t.seed, "fault": t.fault, "named": t.named} for t in told if not (t.right and t.sound_right and t.recovered)],
    }  # fmt: skip
