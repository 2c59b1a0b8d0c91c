"""The coach's advice as sentences, rendered from the typed data and from nothing else."""

from __future__ import annotations

from typing import assert_never

from unitone.align.moves import Advice, Conclude, Done, Finish, GoTo, HookUp, LogLevel, Measure, Seal, SetUp, Turn, Why
from unitone.quantities.registry import FOUND_BY, Quantity, quantity
from unitone.quantities.show import microvolts, number, show
from unitone.sheet.model.sheet import EIGHTH, TURN, Adjuster, Conditions, Sheet, Step
from unitone.words import tr

_EIGHTHS = ("", "⅛", "¼", "⅜", "½", "⅝", "¾", "⅞")
#: A preset's travel of 270° runs from half past seven to half past four.
_CLOCK_START_HOURS = 7.5


def turns_text(mdeg: int) -> str:
    """A size in turns and eighths, ``1⅜``, or in sixteenths, ``1 3/16``; anything finer in degrees."""
    size = abs(mdeg)
    if size % (EIGHTH // 2):
        return f"{number(size / 1000, 0)}°"
    if size % EIGHTH:
        whole, sixteenths = divmod(size // (EIGHTH // 2), 16)
        return f"{whole} {sixteenths}/16" if whole else f"{sixteenths}/16"
    whole, eighths = divmod(size // EIGHTH, 8)
    return (str(whole) if whole else "") + _EIGHTHS[eighths] or "0"


def amount(adjuster: Adjuster, mdeg: int) -> str:
    """How far, as a technician says it: eighths of a turn for cores, degrees for trimmers, the clock for presets."""
    if adjuster.kind == "core" and mdeg % (EIGHTH // 2) == 0:
        size = abs(mdeg)
        if size == EIGHTH // 2:
            return tr("a sixteenth of a turn")
        if size == EIGHTH:
            return tr("an eighth of a turn")
        return tr("{n} turn" if size <= TURN else "{n} turns", n=turns_text(mdeg))
    return f"{number(abs(mdeg) / 1000, 1 if mdeg % 1000 else 0)}°"


def clock(mdeg_from_stop: float) -> str:
    """Where a preset's slot points, as a clock shows it: 12:00 in the middle of its 270°."""
    minutes = round((_CLOCK_START_HOURS * 60 + mdeg_from_stop / 500) / 5) * 5
    return f"{(minutes // 60 - 1) % 12 + 1}:{minutes % 60:02d}"


def direction(mdeg: int) -> str:
    """Clockwise or anticlockwise."""
    return tr("clockwise") if mdeg > 0 else tr("anticlockwise")


def position_text(adjuster: Adjuster, mdeg: int) -> str:
    """A ledger entry: how far from where it was found (``+⅞ cw``, ``0``)."""
    if mdeg == 0:
        return "0"
    sign, way = ("+", tr("cw")) if mdeg > 0 else ("−", tr("ccw"))
    size = turns_text(mdeg) if adjuster.kind == "core" else f"{number(abs(mdeg) / 1000, 1 if mdeg % 1000 else 0)}°"
    return f"{sign}{size} {way}"


_LOCKS = {
    "nut": "Its lock nut first: hold the core, loosen the nut.",
    "wax": "Its wax first: soften it with a warm tip, never by force; a core that cracks is lost.",
}
_DETAIL: dict[Why, str] = {
    "as-found": "As found: everything is read once before anything is touched.",
    "first-reading": "Nothing is known here yet: read before you turn.",
    "closing": "The reading as the sheet wants it closes the step.",
    "other-channel": "The same adjuster serves this channel too.",
    "recheck": "Something that affects this reading was turned after it.",
    "level-too-strong": "The signal is so strong that limiting flattens the hill. Come down, then go on.",
    "level-too-weak": "Too deep in the noise to see the hill. Come up, then go on.",
    "level-of-sheet": "Back to the level that the sheet names.",
    "level-next": "Read again at this level.",
    "first-move": "A first move shows which way is up. The readings tell the direction, never a guess.",
    "uphill": "Still climbing this way.",
    "flank": "One reading well down this flank shows where the top lies between the two.",
    "to-peak": "The readings either side put the top here.",
    "confirm-peak": "Read it here.",
    "pair": "The two of a pair pull each other: this reading tells where both tops lie together.",
    "two-peaks": "This core has two peaks, one either side of its winding's middle. The outer one, further out, is the right one.",
    "read-again": "The readings fit no single hill. Go back to where it was highest, and see whether it reads the same.",
    "put-back": "It does nothing to this reading: back to where it was found, it may do something elsewhere.",
    "by-ear": "Turn, and say what you hear: louder, softer, or the same.",
    "level-check": "Ten decibels less at the top: it has to fall as much, else something flattens the hill.",
    "jumps": "The same place reads differently each time: a cracked or loose core. Leave it where it reads best, and renew it before it is aligned.",
    "stagger": "A move away from the top shows which end of the band this coil serves.",
    "even": "All coils together serve the whole band better here: what the middle can spare goes to the ends.",
    "best-so-far": "Back to the best setting that was read.",
    "too-near-rating": "So near to what the final bears, any move of unknown size may break it: let go, and turn the preset back to its "
    "low end before it is keyed again.",
    "heat": "The final may overheat: read the power before the next move.",
    "too-hot": "The final dissipates more than its rating: let go, and find out why it draws so much.",
    "toward-target": "It comes nearer this way.",
    "first-try": "A first move shows what it does.",
    "past-target": "The target lies between two readings.",
    "in-spec": "Turning it could only make it worse.",
    "peaked": "Another round would gain less than the noise of a reading.",
    "set": "As near as the adjuster allows.",
    "at-stop": "The core stands at its stop and the reading would still rise: a part beside it has changed, or the wrong core.",
    "dead": "It does nothing to this reading: a broken core, or not the part that the sheet means. Leave it.",
    "out-of-range": "Its whole range does not reach the target: a part beside it has changed value.",
    "no-convergence": "The readings jump about too much to go on: check the hook-up and the core.",
    "nothing-to-adjust": "Nothing is adjusted in this step.",
    "nudge": "A trial: a nudge, a reading, and back again.",
    "nudge-read": "A trial: read it here.",
    "nudge-back": "The trial's readings are taken: back to where it stood.",
    "not-worth": "Too little to be gained for a turn: leave it alone.",
    "no-preset": "No squelch preset in this radio: repair, not adjustment. Check its electrolytics and diodes.",
    "other-end": "Its preset is set at the other end of the control. There is a place that should serve both: back to it next.",
    "ends-apart": "No place of its preset brings both ends of the control in: a deaf set does that, or something in the squelch has "
    "changed. Sensitivity first, then look for a leaky electrolytic.",
    "count": "It tells which oscillator is off, or how far.",
    "trim": "Of the oscillators that it can be, this one is off.",
    "on-frequency": "On frequency on all bands and modes, or as close as the trimmers allow.",
    "out-of-lock": "Loop out of lock. Set the VCO first, then count again.",
    "check-counter": "All readings are off by the same ppm: check the counter against a standard first.",
    "chart": "The next place of the chart.",
    "chart-read": "The whole chart is read.",
    "found-level": "The readings round the mark give the level.",
    "next-in-procedure": "Next in the procedure.",
    "stale": "Readings there are older than what was touched since.",
    "still-out": "Still out, and something that reaches it has changed since: worth another visit.",
    "check-out": "In limits by itself, but what it feeds is out: here there may be something to gain.",
    "unsealed": "Cores were turned: seal them, nuts tight, covers on. T tells what was put on, and what it reaches is measured once more.",
    "sealing": "Wax and covers move a core a hair: what they reach is measured once more.",
    "procedure-done": "Every step has been read since the last touch that reaches it.",
    "finished": "The certificate is ready.",
    "receive": "Generator on the aerial socket, meter on the loudspeaker. Hands off the microphone switch.",
    "transmit": "Generator off, wattmeter and dummy load on the aerial socket. Only then key.",
    "accepted": "Out of spec, accepted with the reason in the log.",
    "not-applicable": "Skipped with the reason in the log.",
    "worth-a-look": "Earlier hands were on its adjusters: look at them, then leave the step or turn.",
    "worked-twice": "Worked on twice: what is left is not in these adjusters.",
}


def sentence(advice: Advice, sheet: Sheet, state_positions: dict[str, int]) -> tuple[str, str]:
    """(headline, detail) of an advice. The headline alone is enough to act on."""
    detail = tr(_DETAIL[advice.why])
    step = sheet.step(advice.step)
    match advice:
        case Turn():
            return _turn(advice, sheet.adjuster(advice.adjuster), state_positions[advice.adjuster], detail)
        case SetUp():
            parts = [words] if (words := _place(advice.conditions)) else []
            if advice.conditions.level_dbm is not None:
                parts.append(tr("{level} at the set", level=microvolts(advice.conditions.level_dbm)))
            return tr("Set up {what}.", what=", ".join(parts) or tr("the bench as the step says")), detail
        case Measure():
            words = _place(advice.conditions)
            where = tr(" on {place}", place=words) if words else ""
            return tr(
                "Log the {quantity}{where}.", quantity=_measured_title(advice, step.quantity), where=where
            ), detail
        case LogLevel():
            spread = tr(" ± {std} dB", std=number(advice.std, 1)) if advice.std else ""
            q = step.quantity
            mark = FOUND_BY[q.id][2] if q.id in FOUND_BY else q.title
            return tr("{mark} at {value}{spread}.", mark=mark, value=show(q, advice.value), spread=spread), detail
        case Conclude():
            return _conclusion(advice, step, detail)
        case HookUp():
            if advice.way == "receive" and step.inject is not None:
                detail = tr("Generator to the {at}, meter on the loudspeaker.", at=step.inject.at)
            elif advice.way == "receive" and not any(s.hook_up == "transmit" for s in sheet.steps):
                detail = tr("Generator to the aerial terminal, meter on the loudspeaker.")
            return tr("Hook up for {way}, then confirm.", way=tr(advice.way)), detail
        case GoTo():
            return tr("Go on to {step}.", step=step.title), detail
        case Seal():
            return tr("Seal the cores, tighten their nuts, put the covers on."), detail
        case Finish():
            return tr("All done: finish the job."), detail
        case Done():
            return tr("This job is finished."), detail
        case _:
            assert_never(advice)


def _turn(advice: Turn, adjuster: Adjuster, stands: int, detail: str) -> tuple[str, str]:
    headline = tr(
        "{adjuster}: {amount} {direction}.", adjuster=advice.adjuster, amount=amount(adjuster, advice.move_mdeg),
        direction=direction(advice.move_mdeg),
    )  # fmt: skip
    if stands + advice.move_mdeg == 0 and abs(advice.move_mdeg) > adjuster.step_mdeg:
        detail += " " + tr("Back where it was found.")
    if not stands and adjuster.lock:
        detail += " " + tr(_LOCKS[adjuster.lock])
    return headline, detail


#: A gain smaller than this is not told (dB).
_TOLD_DB = 0.1


def _conclusion(advice: Conclude, step: Step, detail: str) -> tuple[str, str]:
    if advice.why == "worth-a-look":
        return tr("In spec, but worth a look."), detail
    # A coil and what it gained stay together at a line's end.
    told = ", ".join(
        tr("{id} {db} dB", id=a, db=number(db, 1)).replace(" ", "\u00a0") for a, db in advice.gains if db >= _TOLD_DB
    )
    if told:
        detail += " " + tr("Gained: {list}.", list=told)
    if not advice.adjuster:
        return _CONCLUSIONS[advice.outcome](step.title), detail
    ends = {"at-stop": tr("{adjuster}: no peak inside its travel."), "dead": tr("{adjuster} has no effect here.")}
    words = ends.get(advice.outcome, tr("{adjuster}: the reading jumps."))
    if advice.outcome == "dead" and step.hill_id in ("rx.sinad", "rx.sn_ratio"):
        detail += " " + tr("This stage hardly changes (S+N)/N: peak it by AF output voltage (O).")
    return words.format(adjuster=advice.adjuster), detail


def _place(conditions: Conditions) -> str:
    """``band A, USB, channel 20``: what of it is named."""
    band, mode, channel = conditions.band, conditions.mode, conditions.channel
    words = [tr("band {band}", band=band)] if band else []
    words += [mode.upper()] if mode else []
    words += [tr("channel {channel}", channel=channel)] if channel else []
    return ", ".join(words)


def _measured_title(advice: Measure, q: Quantity) -> str:
    if advice.conditions.level_dbm is not None and q.id in FOUND_BY:
        return quantity(FOUND_BY[q.id][0]).title
    return q.title


_CONCLUSIONS = {
    "in-spec": lambda title: tr("In spec: leave it alone."),
    "peaked": lambda title: tr("Peaked."),
    "set": lambda title: tr("Set."),
    "at-stop": lambda title: tr("No peak inside the travel."),
    "dead": lambda title: tr("This adjuster has no effect here."),
    "out-of-range": lambda title: tr("The adjuster's range ends before the target."),
    "no-convergence": lambda title: tr("No improvement found."),
    "even": lambda title: tr("As even as these coils allow."),
    "judged": lambda title: tr("{step}: decision logged.", step=title),
    "nothing-to-adjust": lambda title: tr("{step}: measured.", step=title),
}


def button(advice: Advice, simulated: bool) -> str:
    """What the main button says: the hand's next move."""
    match advice:
        case Turn():
            words = tr("Turn {adjuster}") if simulated else tr("I turned {adjuster}")
            return words.format(adjuster=advice.adjuster)
        case Measure():
            return tr("Log reading") if simulated else tr("Type the reading")
        case SetUp():
            return tr("It is set up")
        case HookUp():
            return tr("Hooked up for {way}", way=tr(advice.way))
        case LogLevel():
            return tr("Log this level")
        case Conclude():
            return tr("Next step")
        case GoTo():
            return tr("Go there")
        case Seal():
            return tr("Sealed, covers on")
        case Finish():
            return tr("Finish the job")
        case Done():
            return tr("Certificate")
        case _:
            assert_never(advice)
