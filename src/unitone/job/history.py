"""What earlier jobs tell: how each radio was found, kept with its job, and what comes back again and again."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from unitone.job.state import JobState
from unitone.job.verdicts import inside
from unitone.sheet.model.looks import inspection
from unitone.sheet.model.sheet import Step
from unitone.words import tr

#: So many of the last jobs are looked at, and so often must a thing have come up to be told.
LAST, OFTEN = 5, 2


def facts(state: JobState) -> list[str]:
    """How this radio was found, in short words that are the same from job to job.

    First presets and trimmers that stood wrong, then parts, causes and what was seen,
    then what is only a consequence: peaks and checks that were out. Each part is told once.
    """
    set_wrong = [w for s in state.sheet.steps if s.aim == "set" and s.adjust and (w := _found(state, s))]
    others = [w for s in state.sheet.steps if not (s.aim == "set" and s.adjust) and (w := _found(state, s))]
    parts: dict[str, str] = {}
    for p in state.shop.parts:
        parts.setdefault(p.part, tr("{part} replaced", part=p.part))
    for c in state.shop.capacitors.values():
        if c.verdict.replace:
            parts.setdefault(c.part, tr("{part} bad", part=c.part))
    causes = [
        tr("cause: {what}", what=t.suspected)
        for t in state.tried
        if t.outcome == "the cause" and not any(part in f"{t.suspected} {t.done}" for part in parts)
    ]
    titles = {x.id: x.title for x in inspection(state.sheet)}
    seen = [
        tr("{part}: {item}", part=name, item=titles.get(f.item, f.item))
        for f in state.shop.standing_findings()
        if f.look == "wrong"
        for name in f.on
        if name not in parts
    ]
    return list(dict.fromkeys([*set_wrong, *parts.values(), *causes, *seen, *others]))


def _found(state: JobState, step: Step) -> str:
    """How a step was found, where it was read before anything that reaches it was touched, and was out."""
    ways: Counter[str] = Counter()
    for index in range(len(step.required)):
        key = (step.id, index)
        logged = state.found.get(key)
        if logged is None or not state.found_clean.get(key):
            continue
        if inside(step.limit, logged.reading, state.rule) is not False:
            continue
        value = logged.reading.value
        low, high = step.limit.low, step.limit.high
        if logged.reading.word:
            ways[tr(logged.reading.word)] += 1
        elif value is not None and high is not None and value > high:
            ways[tr("too high")] += 1
        elif value is not None and low is not None and value < low:
            ways[tr("too low")] += 1
    if not ways:
        return ""
    return tr("{title}: {way}", title=step.title, way=ways.most_common(1)[0][0])


def causes(state: JobState) -> list[str]:
    """The parts that were replaced, or named as the cause: what a later job on this model looks at first."""
    named = [t.suspected for t in state.tried if t.outcome == "the cause"]
    return list(dict.fromkeys([*(p.part for p in state.shop.parts), *named]))


def recurring(jobs: Sequence[Sequence[str]]) -> list[tuple[str, int]]:
    """What came up in several of these jobs, with how often, the most frequent first; each job's ``facts`` are given."""
    counted = Counter(fact for one in jobs for fact in dict.fromkeys(one))
    often = [(fact, n) for fact, n in counted.items() if n >= OFTEN]
    # What is told first in a job is told first here, too, where two are as frequent.
    return sorted(often, key=lambda pair: -pair[1])
