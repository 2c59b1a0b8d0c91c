"""The debrief in words: what a dear moment was, what it cost, and the better move there."""

from __future__ import annotations

from unitone.align.moves import Advice
from unitone.job.damages import damage
from unitone.present.bench.sentences import sentence
from unitone.scenario.debrief import Debrief, Moment
from unitone.sheet.model.sheet import Sheet
from unitone.words import tr, tr_n


def describe_moment(moment: Moment, sheet: Sheet) -> tuple[str, str, str]:
    """(headline, what it did, the better move) of a moment."""
    title = sheet.step(moment.step).title if sheet.has_step(moment.step) else ""
    adjuster = moment.adjuster
    better = describe_better(moment.better, sheet, moment.positions)
    if moment.kind == "broken":
        return _describe_broken(adjuster)
    if moment.kind == "metal":
        said = tr_n(
            "Steel in a core detunes it while it is in: {n} turn.",
            "Steel in a core detunes it while it is in: {n} turns.",
            moment.moves,
        )
        return (
            tr("Turned {adjuster} with a screwdriver", adjuster=adjuster),
            said,
            tr("Plastic tool; out before you read."),
        )
    if moment.kind == "needless":
        return (
            tr("Turned {adjuster} though in spec", adjuster=adjuster),
            tr("{title}: in spec as found.", title=title),
            better,
        )
    if moment.kind == "too-strong":
        said = tr_n(
            "The signal was too strong to show the peak: {n} turn.",
            "The signal was too strong to show the peak: {n} turns.",
            moment.moves,
        )
        return tr("Turned {adjuster} on too strong a signal", adjuster=adjuster), said, better
    if moment.kind == "unread":
        return (
            tr("Turned {adjuster} before reading", adjuster=adjuster),
            tr("{title}: never read as found.", title=title),
            better,
        )
    if moment.kind == "wandered":
        said = tr_n("{n} turn; the coach needed fewer.", "{n} turns; the coach needed fewer.", moment.moves)
        return tr("Wandered on {adjuster}", adjuster=adjuster), said, better
    if moment.kind == "fault":
        said = tr_n(
            "The fault was not named; {n} turn was made round it.",
            "The fault was not named; {n} turns were made round it.",
            moment.moves,
        )
        return tr("Aligned round a fault"), said, tr("What stays out after a good peak points to a part.")
    if moment.kind == "out":
        said = tr_n("{n} result is still out of spec.", "{n} results are still out of spec.", moment.moves)
        return tr("Stopped out of spec: {title}", title=title), said, better
    if moment.kind == "stale":
        said = tr_n("{n} result was not read again.", "{n} results were not read again.", moment.moves)
        return tr("Left results unproven"), said, better or tr("Read again whatever a turn has changed.")
    said = tr_n("{n} hint was taken.", "{n} hints were taken.", moment.moves)
    return tr("Asked for a hint"), said, better


def _describe_broken(what: str) -> tuple[str, str, str]:
    """(headline, what did it, the better move) of something that broke."""
    of = damage(what)
    headline = tr("Broke the {what}", what=of.name)
    if of.adjuster:
        return (
            tr("Broke core {adjuster}", adjuster=of.adjuster),
            of.words,
            tr("At a stop: back off, and look for the fault elsewhere."),
        )
    if what == "bias":
        return headline, of.words, tr("Bias: from its low end up, eyes on the current.")
    return headline, of.words, tr("Hook up for TX, then key.")


def describe_better(better: Advice | None, sheet: Sheet, positions: dict[str, int]) -> str:
    """The coach's move as one sentence; nothing where it had none."""
    return "" if better is None or better.act == "done" else sentence(better, sheet, positions)[0]


def describe_next(made: Debrief) -> str:
    """One line on what to practise next."""
    if not made.mark.passed:
        return tr("Take it again: the same radio, or another one.")
    return tr("Passed. Take the next one.")
