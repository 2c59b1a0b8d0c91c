"""Parts of the Bench's picture that are about judgement: re-check, touches, what was tried, conventions, variants, remarks."""

from __future__ import annotations

from unitone.job.recheck import Measurement, plan_of
from unitone.job.shop import SPEAKS_OF, describe_finding
from unitone.job.state import JobState
from unitone.job.summary import standing_variant
from unitone.job.verdicts import Verdict, guard_band, inside, settling
from unitone.present.bench.bench_shapes import ConventionRow, RecheckRow, RecheckView, Touchable, TriedRow
from unitone.present.bench.figures import describe_place, describe_size
from unitone.quantities.registry import quantity
from unitone.sheet.conventions.questions import CONVENTIONS
from unitone.sheet.model.effects import actions_of, affected_steps
from unitone.sheet.model.sheet import Step
from unitone.words import tr, tr_n

# -- re-check and touches ------------------------------------------------------------------------------


def recheck_view(state: JobState) -> RecheckView | None:
    """The plan that makes the job whole again; None where nothing is stale."""
    if state.finished:
        return None
    plan = plan_of(state)
    if not plan.results:
        return None
    count = len(plan.measurements)
    parts = [
        tr_n("{n} measurement", "{n} measurements", count),
        tr_n("for {n} result", "for {n} results", plan.results),
    ]
    hooks = plan.hook_up_changes
    more = tr_n("{n} hook-up change", "{n} hook-up changes", hooks) if hooks else tr("no hook-up change")
    sure = "" if plan.exact else tr_n("{n} result to re-check", "{n} results to re-check, shortest order", plan.results)
    rows = tuple(_row(state, m) for m in plan.measurements)
    return RecheckView(f"{parts[0]} {parts[1]}, {more}", sure, rows)


def _row(state: JobState, m: Measurement) -> RecheckRow:
    place = describe_place(state, m.conditions)
    title = quantity(m.quantity_id).title
    names = dict.fromkeys(state.sheet.step(s.step).title for s in m.settles)
    return RecheckRow(m.settles[0].step, f"{title}{', ' + place if place else ''}", ", ".join(names), m.hook_up)


def touchables(state: JobState) -> tuple[Touchable, ...]:
    """The sheet's parts, its actions and the usual ones, with what each reaches on this sheet."""
    found = [(p.id, p.what or p.id, p.affects) for p in state.sheet.parts]
    found += [(a.id, a.title, a.affects) for a in actions_of(state.sheet)]
    return tuple(
        Touchable(name, words, ", ".join(r.words for r in affects), len(affected_steps(state.sheet, affects)))
        for name, words, affects in found
    )


def tried_rows(state: JobState) -> tuple[TriedRow, ...]:
    """Everything that was tried, the last first, so that nobody tries it twice."""
    return tuple(
        TriedRow(f"{t.suspected}: {t.done}" + (f" → {t.result}" if t.result else ""), tr(t.outcome)) for t in reversed(state.tried)
    )  # fmt: skip


# -- conventions, variants, decisions --------------------------------------------------------------------------


def convention_rows(state: JobState) -> tuple[ConventionRow, ...]:
    """Every question as it stands in this job, and who decided it."""
    return tuple(
        ConventionRow(
            s.question, tr(s.title), tuple((k, tr(v)) for k, v in s.choices.items()), state.stand[s.question].choice,
            state.conventions.get(s.question, ""), state.stand[s.question].by, tr(s.why),
        )
        for s in CONVENTIONS
    )  # fmt: skip


def variant_words(state: JobState) -> str:
    """What the next one to open this radio must know; empty where it stands as its sheet says."""
    if not standing_variant(state):
        return ""
    last = state.variants[-1]
    shown = "; ".join(f"{what}: {before or '—'} → {after or '—'}" for what, before, after in last.changes[:3])
    more = tr(" and {n} more", n=len(last.changes) - 3) if len(last.changes) > 3 else ""
    return tr("Variant: {title}. {changes}{more}", title=last.title, changes=shown, more=more)


def judged_words(state: JobState, step: Step) -> str:
    """Why a step was accepted or put aside; what would settle it where it is too close to call."""
    judged = state.judged.get(step.id)
    if judged is not None:
        return tr("{verdict}: {reason}", verdict=tr(judged.verdict), reason=judged.reason)
    for index in range(len(step.required)):
        logged = state.latest.get((step.id, index))
        if logged is None or inside(step.limit, logged.reading, state.rule) is not None:
            continue
        w = guard_band(logged.reading, state.rule)
        if not w:
            continue
        needed = settling(step, logged.reading)
        words = tr(
            "Within ±{w} of the limit: too close for {name}.", w=describe_size(step, w), name=logged.reading.instrument
        )
        if needed is None:
            return words + " " + tr("Exactly at the limit: adjust it, or accept it.")
        return (
            words
            + " "
            + tr("Use a meter good to ±{need}, or adjust it away from the limit.", need=describe_size(step, 2 * needed))
        )
    return ""


def can_judge(now: Verdict, finished: bool) -> tuple[str, ...]:
    """Which decisions make sense at the step at hand."""
    if finished:
        return ()
    return ("accepted", "not applicable") if now in ("out_of_spec", "undecided") else ("not applicable",)


# -- what was seen, heard and done besides ------------------------------------------------------------------

#: So many of a kind are told beside a step.
_TOLD = 3


def remarks(state: JobState, step: Step, now: Verdict) -> tuple[str, ...]:
    """What stands beside a step: findings on its adjusters; where its stage is in question, the suspects of the stage."""
    words = [tr("Worth a look: {what}", what=describe_finding(f)) for f in state.worth_a_look(step)[:_TOLD]]
    if now not in ("out_of_spec", "undecided") or not step.stage:
        return tuple(words)
    suspects = [describe_finding(f) for f in state.suspects(step.stage)]
    suspects += [
        tr("{part} measured bad", part=c.part)
        for c in state.shop.capacitors.values()
        if c.verdict.replace and c.part in {p.id for p in state.sheet.parts if p.stage == step.stage}
    ]
    if suspects:
        words.append(tr("Suspects: {what}", what="; ".join(suspects[:_TOLD])))
    known = [f"{k.sign}: {k.cause}" for k in state.sheet.known_faults if k.stage == step.stage]
    if known:
        words.append(tr("Known fault: {what}", what="; ".join(known[:_TOLD])))
    heard = [r.words for r in state.shop.on_air if step.quantity_id in SPEAKS_OF[r.speaks_of]]
    if heard:
        words.append(tr("Reported on the air (weak evidence): “{what}”", what=heard[-1]))
    return tuple(words)
