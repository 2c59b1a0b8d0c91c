"""The Bench without its coach: what the bench shows of itself, and no word on what to do next. For practice."""

from __future__ import annotations

from dataclasses import replace

from unitone.actions import shown_key
from unitone.job.state import JobState
from unitone.present.bench.bench_shapes import BenchView
from unitone.words import tr


def without_coach(view: BenchView, state: JobState, can_ask: bool) -> BenchView:
    """The same picture without the coach's move, its fitted curves and its remarks; ``can_ask`` says whether a hint can be had."""
    if view.finished:
        return view
    if state.hook_up != view.step.conditions.way and not view.hook_up.ok:
        detail = tr("The hook-up is not confirmed for this step.")
    else:
        detail = f"{view.step.limit_words[:1].upper()}{view.step.limit_words[1:]}."
    if can_ask:
        detail += " " + tr("A hint ({key}) costs 3 marks.", key=shown_key("exercise-hint"))
    hill = view.reading.hill
    if hill is not None:
        # The points are the trainee's own; the curve through them and its top are the coach's.
        hill = replace(hill, curve_x=(), curve_y=(), curve_low=(), curve_high=(), peak=None, peak_text="", target=None)
    return replace(
        view,
        coach=replace(
            view.coach, headline=tr("Your move: {title}", title=view.step.title), detail=detail, button=tr("Log reading"),
            arrow=0, silent=True,
        ),
        reading=replace(view.reading, hill=hill, chart_next=""),
        step=replace(view.step, remarks=(), trial="", can_be_worth=False, leave_alone=False),
    )  # fmt: skip
