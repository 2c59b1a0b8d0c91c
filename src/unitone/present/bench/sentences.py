"""The coach's advice as sentences, rendered from the typed data and from nothing else."""

from __future__ import annotations

from collections.abc import Callable
from typing import assert_never

from unitone.align.moves import (
    Advice,
    Conclude,
    Done,
    Finish,
    GoTo,
    HookUp,
    LogLevel,
    Measure,
    Seal,
    SetUp,
    Try,
    Turn,
    Why,
)
from unitone.bench.second_radio import is_heard
from unitone.job.state import JobState
from unitone.quantities.registry import FOUND_BY, HEARD, Quantity, quantity
from unitone.quantities.show import microvolts, number, show
from unitone.sheet.model.front_panel import knob_words
from unitone.sheet.model.sheet import EIGHTH, TURN, Adjuster, Conditions, Sheet, Step
from unitone.words import N_, tr

_EIGHTHS = ("", "⅛", "¼", "⅜", "½", "⅝", "¾", "⅞")
#: A preset's travel of 270° runs from half past seven to half past four.
_CLOCK_START_HOURS = 7.5


def turns_text(mdeg: int) -> str:
    """A size in turns and eighths, ``1⅜``, or in sixteenths, ``1 3/16``; anything finer in degrees, or past a whole turn in hundredths."""
    size = abs(mdeg)
    if size % (EIGHTH // 2):
        return f"{number(size / 1000, 0)}°" if size < TURN else number(size / TURN, 2)
    if size % EIGHTH:
        whole, sixteenths = divmod(size // (EIGHTH // 2), 16)
        return f"{whole} {sixteenths}/16" if whole else f"{sixteenths}/16"
    whole, eighths = divmod(size // EIGHTH, 8)
    return (str(whole) if whole else "") + _EIGHTHS[eighths] or "0"


def amount(adjuster: Adjuster, mdeg: int) -> str:
    """How far, as a technician says it: eighths of a turn for cores, degrees for trimmers, the clock for presets."""
    if adjuster.kind == "core" and mdeg % (EIGHTH // 2) == 0:
        size = abs(mdeg)
        return tr("{n} turn", n=turns_text(mdeg)) if size <= TURN else tr("{n} turns", n=turns_text(mdeg))
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
    "nut": N_("Loosen its lock nut first: hold the core still."),
    "wax": N_("Soften its wax with a warm tip first. Never force it: a cracked core is lost."),
}
_DETAIL: dict[Why, str] = {
    "as-found": N_("As found: read everything once before you touch anything."),
    "first-reading": N_("Nothing read here yet: read before you turn."),
    "closing": N_("Reading at the sheet's conditions: it closes the step."),
    "other-channel": N_("This adjuster affects this channel too."),
    "recheck": N_("Something that affects this reading was turned after it."),
    "near-limit": N_("In, but nearer to its limit than a reading is exact: read it once more."),
    "level-too-strong": N_("Signal too strong: no peak visible. Turn the generator down."),
    "level-too-weak": N_("Signal too weak: no peak visible. Turn the generator up."),
    "level-of-sheet": N_("Back to the sheet's level."),
    "level-next": N_("Read again at this level."),
    "first-move": N_("The first move shows which way is up."),
    "uphill": N_("Still rising this way."),
    "flank": N_("A reading past the top shows where the top is."),
    "to-peak": N_("The readings on both sides put the top here."),
    "confirm-peak": N_("Read it at the top."),
    "pair": N_("The two cores interact: this reading shows the top of both."),
    "two-peaks": N_("This core has two peaks. The outer one is the right one."),
    "read-again": N_("The readings do not fit one peak. Go back to the highest and read again."),
    "put-back": N_("No effect on this reading: put it back, it may act elsewhere."),
    "by-ear": N_("Turn, and say what you hear: louder, softer or the same."),
    "level-check": N_("10 dB less at the top: the reading must fall too, or a stage is limiting."),
    "jumps": N_("Same position, different readings: cracked or loose core. Leave it at its best and replace it."),
    "stagger": N_("A move off the peak shows which end of the band this coil affects."),
    "even": N_("All coils together: the middle gives up a little, the ends gain."),
    "best-so-far": N_("Back to the best setting so far."),
    "too-near-rating": N_("Final near its rating: let go, turn the preset to its low end, then key again."),
    "heat": N_("The final may overheat: read the power before the next move."),
    "too-hot": N_("Final above its rated dissipation: let go and find out why."),
    "toward-target": N_("This way brings it nearer."),
    "first-try": N_("The first move shows what it does."),
    "past-target": N_("The target is between two readings."),
    "in-spec": N_("Turning could only make it worse."),
    "stagger-if": N_("Staggered for sound: one transformer down, the other as much up."),
    "staggered": N_("The plot shows how wide the IF is now, and what it costs."),
    "peaked": N_("Another round would gain less than a reading's noise."),
    "set": N_("As near as this adjuster can be set."),
    "at-stop": N_("At its stop and still rising: a part near it has changed, or wrong core."),
    "dead": N_("No effect on the reading: broken core, or wrong part. Leave it."),
    "out-of-range": N_("Its whole range misses the target: a part near it has changed value."),
    "no-convergence": N_("The readings jump too much: check the hook-up and the core."),
    "nothing-to-adjust": N_("Nothing to adjust in this step."),
    "nudge": N_("Trial: move it a little, read, and put it back."),
    "nudge-read": N_("Trial: read it here."),
    "nudge-back": N_("Trial readings done: put it back."),
    "not-worth": N_("Too little to gain: leave it alone."),
    "try-first": N_("In spec. A nudge either way tells whether there is more to gain."),
    "no-preset": N_("No squelch preset in this radio: check its electrolytics and diodes."),
    "other-end": N_("This preset is also set at the other end of the control. Go back there next."),
    "ends-apart": N_(
        "No setting suits both ends of the control. Check sensitivity, then suspect a leaky electrolytic."
    ),
    "count": N_("It shows which oscillator is off, or how far."),
    "trim": N_("This oscillator is the one that is off."),
    "on-frequency": N_("On frequency on all bands and modes, or as close as the trimmers allow."),
    "out-of-lock": N_("Loop out of lock. Set the VCO first, then count again."),
    "check-counter": N_("All readings are off by the same ppm: check the counter against a standard first."),
    "chart": N_("The next point of the chart."),
    "chart-read": N_("The whole chart is read."),
    "found-level": N_("The readings on both sides give this level."),
    "next-in-procedure": N_("Next in the procedure."),
    "stale": N_("Something was turned after its readings."),
    "pulled": N_("What was turned since pulls it. Once more, until neither moves."),
    "still-out": N_("Out of spec, and something that affects it has changed since."),
    "check-out": N_("In spec, but a later check is out of spec: there may be gain here."),
    "unsealed": N_("Cores were turned. Seal them, covers on; then press T and measure again."),
    "sealing": N_("Wax and covers move a core slightly: measure once more."),
    "procedure-done": N_("Every step was read after the last turn that affects it."),
    "finished": N_("The certificate is ready."),
    "receive": N_("Generator on the aerial socket, meter on the loudspeaker. Hands off the microphone switch."),
    "transmit": N_("Generator off, wattmeter and dummy load on the aerial socket. Only then key."),
    "accepted": N_("Out of spec, accepted with the reason in the log."),
    "not-applicable": N_("Skipped with the reason in the log."),
    "worth-a-look": N_("Its adjusters were touched before: look, then leave the step or turn."),
    "worked-twice": N_("Worked on twice: the rest is not in these adjusters."),
}


def sentence(
    advice: Advice,
    sheet: Sheet,
    state_positions: dict[str, int],
    seen: Callable[[str], float | None] = lambda name: None,
) -> tuple[str, str]:
    """(headline, detail) of an advice. The headline alone is enough to act on.

    ``seen`` tells where a preset's slot points, in millidegrees from its stop, where that is known.
    """
    detail = tr(_DETAIL[advice.why])
    step = sheet.step(advice.step)
    match advice:
        case Turn():
            return _turn(
                advice, sheet.adjuster(advice.adjuster), state_positions[advice.adjuster], detail, seen(advice.adjuster)
            )
        case SetUp():
            parts = [words] if (words := _place(advice.conditions)) else []
            if advice.conditions.level_dbm is not None:
                parts.append(microvolts(advice.conditions.level_dbm))
            return tr("Set up {what}.", what=", ".join(parts) or tr("as the step says")), detail
        case Measure():
            words = _place(advice.conditions)
            where = tr(" on {place}", place=words) if words else ""
            if (advice.quantity or step.quantity_id) == HEARD:
                return tr("Listen{where}.", where=where), tr(
                    "Louder, softer or the same as before? The first time: same."
                )
            if is_heard(advice.conditions):
                return tr("Read the sentence{where}.", where=where), detail
            # Cores may be peaked by another reading than the step's own.
            q = quantity(advice.quantity) if advice.quantity else step.quantity
            return tr("Log the {quantity}{where}.", quantity=_measured_title(advice, q), where=where), detail
        case LogLevel():
            spread = tr(" ± {std} dB", std=number(advice.std, 1)) if advice.std else ""
            q = step.quantity
            mark = FOUND_BY[q.id][2] if q.id in FOUND_BY else q.title
            return tr("Log {mark} at {value}{spread}.", mark=mark, value=show(q, advice.value), spread=spread), detail
        case Conclude():
            return _conclusion(advice, step, detail)
        case HookUp():
            if advice.way == "receive" and step.inject is not None:
                detail = tr("Generator to the {at}, meter on the loudspeaker.", at=step.inject.at)
            elif advice.way == "receive" and not any(s.hook_up == "transmit" for s in sheet.steps):
                detail = tr("Generator to the aerial terminal, meter on the loudspeaker.")
            return tr("Hook up for {way}, then confirm.", way=tr(advice.way)), detail
        case Try():
            return tr("Try each adjuster a little."), detail
        case GoTo():
            return tr("Go on to {step}.", step=step.title), detail
        case Seal():
            return tr("Seal the cores. Put the covers on."), detail
        case Finish():
            return tr("Finish the job."), detail
        case Done():
            return tr("Finished: print the certificate."), detail
        case _:
            assert_never(advice)


def _turn(advice: Turn, adjuster: Adjuster, stands: int, detail: str, seen: float | None) -> tuple[str, str]:
    how_far, way = amount(adjuster, advice.move_mdeg), direction(advice.move_mdeg)
    if adjuster.kind == "preset" and seen is not None:
        # A slot is set by the clock: 80° is two hours and forty minutes.
        way += f" ({clock(seen)} → {clock(seen + advice.move_mdeg)})"
    headline = tr("Turn {adjuster} {amount} {direction}.", adjuster=advice.adjuster, amount=how_far, direction=way)
    if stands + advice.move_mdeg == 0 and abs(advice.move_mdeg) > adjuster.step_mdeg:
        detail += " " + tr("Back where it was found.")
    if not stands and adjuster.lock:
        detail += " " + tr(_LOCKS[adjuster.lock])
    return headline, detail


#: A gain smaller than this is not told (dB).
_TOLD_DB = 0.1


def _conclusion(advice: Conclude, step: Step, detail: str) -> tuple[str, str]:
    if advice.why == "worth-a-look":
        return tr("In spec, but look at it."), detail
    # A coil and what it gained stay together at a line's end.
    told = ", ".join(
        tr("{id} {db} dB", id=a, db=number(db, 1)).replace(" ", "\u00a0") for a, db in advice.gains if db >= _TOLD_DB
    )
    if told:
        detail += " " + tr("Gained: {list}.", list=told)
    if not advice.adjuster:
        return _CONCLUSIONS[advice.outcome](), detail
    ends = {"at-stop": tr("{adjuster}: no peak. Go on."), "dead": tr("{adjuster} has no effect. Go on.")}
    words = ends.get(advice.outcome, tr("{adjuster}: the reading jumps. Go on."))
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
    if q.id in FOUND_BY:
        # Read at a level, it is the ratio that is logged; without one, the level itself.
        ratio, _, mark = FOUND_BY[q.id]
        at_level = advice.conditions.level_dbm is not None
        return quantity(ratio).title if at_level else tr("level for {mark}", mark=mark)
    levels = {
        "rx.squelch_opens": tr("level that opens the squelch"), "rx.squelch_closes": tr("level that closes the squelch"),
        "rx.squelch_tight": tr("level that opens the squelch"), "rx.led_lights": tr("level that lights the LED"),
    }  # fmt: skip
    return levels.get(q.id, q.title)


_CONCLUSIONS = {
    "in-spec": lambda: tr("In spec: leave it alone."),
    "peaked": lambda: tr("Peaked. Go on."),
    "staggered": lambda: tr("Staggered. Go on."),
    "set": lambda: tr("Set. Go on."),
    "at-stop": lambda: tr("No peak inside the travel. Go on."),
    "dead": lambda: tr("No effect here. Go on."),
    "out-of-range": lambda: tr("Range ends before the target. Go on."),
    "no-convergence": lambda: tr("No improvement found. Go on."),
    "even": lambda: tr("As even as possible. Go on."),
    "judged": lambda: tr("Decision logged. Go on."),
    "nothing-to-adjust": lambda: tr("Measured. Go on."),
}


def describe_change(state: JobState, wanted: Conditions) -> str:
    """What has to be set up before a reading under ``wanted`` is taken, against how the bench stood at the last one; empty for nothing."""
    if wanted == state.set_up:
        return ""
    parts = [words] if (words := _place(wanted)) and words != _place(state.set_up) else []
    if wanted.level_dbm is not None and wanted.level_dbm != state.set_up.level_dbm:
        parts.append(microvolts(wanted.level_dbm))
    parts += [knob_words(name, at) for name, at in wanted.panel if dict(state.set_up.panel).get(name) != at]
    return tr("Set up first: {what}.", what=", ".join(parts)) if parts else ""


def button(advice: Advice, simulated: bool, live: bool = False, by_ear: bool = False) -> str:
    """What the main button says: the hand's next move."""
    match advice:
        case Turn():
            words = tr("Turn {adjuster}") if simulated else tr("I turned {adjuster}")
            return words.format(adjuster=advice.adjuster)
        case Measure():
            if by_ear:
                return tr("Say what you hear")
            return tr("Log reading") if simulated or live else tr("Type the reading")
        case SetUp():
            return tr("Confirm set-up")
        case HookUp():
            return tr("Confirm hook-up")
        case LogLevel():
            return tr("Log this level")
        case Conclude():
            return tr("Next step")
        case Try():
            return tr("Worth aligning?")
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
