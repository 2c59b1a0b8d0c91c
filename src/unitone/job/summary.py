"""What the list of jobs shows of a job: computed from its state, kept beside it as a copy."""

from __future__ import annotations

from typing import Any

from unitone.job.history import causes, facts
from unitone.job.modifications import describe_modification, standing
from unitone.job.records import Logged
from unitone.job.shop import Finding
from unitone.job.state import JobState
from unitone.job.verdicts import Line, inside, lines, verdict, worst
from unitone.quantities.show import show
from unitone.sheet.model.looks import inspection
from unitone.sheet.model.sheet import Step
from unitone.words import N_, in_language, tr

#: The quantities that a card shows, with their short names, in this order.
CARD_QUANTITIES = (
    ("rx.sensitivity", N_("sensitivity")),
    ("tx.power", N_("power")),
    ("tx.frequency_error", N_("frequency")),
    ("tx.deviation", N_("deviation")),
    ("rx.s_meter", "S9"),
    ("rx.squelch_opens", N_("squelch")),
)
#: So many findings and trials are kept with the list.
_SHORT = 6


def summary(state: JobState) -> dict[str, Any]:
    """Counts of verdicts, the step at hand, and found-and-left marks of the main quantities.

    Its words are English: it is kept, and whoever shows it translates them.
    """
    with in_language("en"):
        return _summary(state)


def _summary(state: JobState) -> dict[str, Any]:
    verdicts: dict[str, int] = {}
    for step in state.sheet.steps:
        v = verdict(state, step)
        verdicts[v] = verdicts.get(v, 0) + 1
    at = state.sheet.step(state.at)
    titles = {x.id: x.title for x in inspection(state.sheet)}
    return {
        "verdicts": verdicts,
        "phase": state.phase,
        "step_id": at.id,
        "step_title": at.title,
        "step_number": state.sheet.steps.index(at) + 1,
        "steps": len(state.sheet.steps),
        "entries": len(state.entries),
        "readings": len(state.readings),
        "why": state.status[1],
        "variant": standing_variant(state),
        "modified": [describe_modification(m) for m in standing(state)],
        "facts": facts(state),
        "causes": causes(state),
        "findings": [
            {"look": f.look, "words": f.words or f.done, "item": titles.get(f.item, f.item), "on": list(f.on)}
            for f in _last(state)[:_SHORT]
        ],
        "tried": [{"what": t.done, "result": t.result, "outcome": t.outcome} for t in state.tried[-_SHORT:]],
        "loose": [state.describe_loose(x) for x in state.open_ends],
        "minutes": state.shop.minutes_spent,
        "parts": sum(p.count for p in state.shop.parts),
        "cost": state.shop.parts_cost,
        "approved": state.approved,
        "finished": state.finished,
        "marks": [m for q, name in CARD_QUANTITIES if (m := _mark(state, q, name)) is not None],
    }


#: What older versions called the verdicts, in summaries that are kept with the list.
_EARLIER = {
    "holds": "in_spec", "out": "out_of_spec", "left alone": "left_as_found", "too close to call": "undecided", "to do": "todo",
    "re-check": "recheck",
}  # fmt: skip


def in_todays_terms(kept: dict[str, Any]) -> dict[str, Any]:
    """A summary as it was kept, an older one's verdicts under their names of today."""
    if not isinstance(kept.get("verdicts"), dict) or not isinstance(kept.get("marks", []), list):
        return kept
    verdicts = {_EARLIER.get(name, name): n for name, n in kept["verdicts"].items()}
    marks = [
        {"in_spec" if k == "holds" else k: v for k, v in m.items()} if isinstance(m, dict) else m
        for m in kept.get("marks", [])
    ]
    return {**kept, "verdicts": verdicts, **({"marks": marks} if "marks" in kept else {})}


def _last(state: JobState) -> list[Finding]:
    """What was found by looking, what is wrong first."""
    return sorted(state.shop.standing_findings(), key=lambda f: ("wrong", "repaired", "fine").index(f.look))


def standing_variant(state: JobState) -> str:
    """Title of the variant that this radio stands at; empty where it is as its sheet says."""
    if not state.variants or state.variants[-1].undone:
        return ""
    return state.variants[-1].title


def _mark(state: JobState, quantity_id: str, name: str) -> dict[str, Any] | None:
    steps = [s for s in state.sheet.steps if s.quantity_id == quantity_id]
    if not steps:
        return None
    # Of several steps (bands, modes) the one that stands worst, then the one that was found worst, speaks for all.
    step = min(steps, key=lambda s: _standing(state, s))
    line = worst(step, lines(state, step))
    found = worst_found(step, lines(state, step))
    return {
        "name": name,
        "text": "" if line.now is None else reading_text(step, line.now),
        "found_text": "" if found is None else reading_text(step, found),
        "found": None if found is None else place_on_bar(step, found),
        "now": None if line.now is None else place_on_bar(step, line.now),
        "found_holds": None if found is None else inside(step.limit, found.reading),
        "in_spec": line.inside,
        "stale": line.stale,
        "band": band_on_bar(step),
    }


def _standing(state: JobState, step: Step) -> tuple[int, bool]:
    parts = lines(state, step)
    now = {"out_of_spec": 0, "recheck": 1, "undecided": 2, "todo": 4}.get(verdict(state, step), 3)
    found = worst_found(step, parts)
    return now, found is None or inside(step.limit, found.reading) is not False


def worst_found(step: Step, parts: tuple[Line, ...]) -> Logged | None:
    """The as-found reading that lies worst."""
    return worst(step, tuple(Line(p.channel, p.found, p.found_clean, p.found, None, False) for p in parts)).found


def reading_text(step: Step, logged: Logged) -> str:
    """A logged reading as a person would say it: ``0.31 µV``, ``<0.06 µV``, ``never opens``."""
    r = logged.reading
    if r.word:
        return tr(r.word)
    return r.bound + show(step.quantity, r.value) if r.value is not None else "—"


#: What is peaked by ear has no limit: its bar shows so many decibels to either side.
_LOUDNESS_SPAN_DB = 20.0


def bar_span(step: Step) -> tuple[float, float]:
    """The ends of the drawn limit bar in the canonical unit: the limits with as much room again round them."""
    low, high = step.limit.low, step.limit.high
    if low is None and high is None:
        return -_LOUDNESS_SPAN_DB, _LOUDNESS_SPAN_DB
    if low is not None and high is not None:
        room = (high - low) or 1.0
        return low - room, high + room
    if step.quantity.kind in ("level",):
        end = high if high is not None else low
        assert end is not None
        return end - 14.0, end + 10.0
    end = low if low is not None else high
    assert end is not None
    size = abs(end) or 1.0
    return (0.0, size * 5 / 3) if step.quantity.low >= 0 else (end - size, end + size)


def place_on_bar(step: Step, logged: Logged) -> float | None:
    """Where on the bar (0 to 1) a reading lies; ends hold what lies beyond."""
    value = logged.reading.value
    if value is None:
        return None
    start, end = bar_span(step)
    return min(max((value - start) / (end - start), 0.0), 1.0)


def band_on_bar(step: Step) -> tuple[float, float]:
    """The part of the bar (0 to 1) that is inside the limits."""
    start, end = bar_span(step)
    low = 0.0 if step.limit.low is None else (step.limit.low - start) / (end - start)
    high = 1.0 if step.limit.high is None else (step.limit.high - start) / (end - start)
    return max(low, 0.0), min(high, 1.0)
