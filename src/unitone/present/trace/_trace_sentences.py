"""What the coach of a trace says: the move in a headline, why in a line, the danger first."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from unitone.align.trace.advice import Trace, TraceMove
from unitone.align.trace.ladder import HIGH_V, Rung, dial
from unitone.align.trace.noise_hunt import (
    AT,
    GROUNDED,
    QUESTIONS,
    Maker,
    OwnSound,
    in_chain,
    named_stage,
    next_input,
    next_question,
    own_sound,
    places,
    sources,
)
from unitone.align.trace.suspects import SuspectPart
from unitone.job.state import JobState
from unitone.job.voltages import RowState
from unitone.present.trace.trace_shapes import NoiseView, TraceCoach
from unitone.quantities.show import microvolts, number
from unitone.sheet.model.injection import SIDES, terms_hz
from unitone.sheet.model.sheet import Signal, Stage
from unitone.words import N_, figure, tr

#: Rated voltages that capacitors are made for (E series of ratings, common practice, no source).
_RATED_V = (50, 100, 250, 400, 630, 1000, 1600)
#: A capacitor between generator and pin is rated for so many times what stands there.
_MARGIN = 1.5
#: An audio generator gives what lies lower; below the second, people say kilohertz (Hz).
_AUDIO_HZ, _IN_KHZ = 1e5, 2e6
#: The pins of devices, in words.
ELECTRODES = (
    N_("anode"), N_("screen"), N_("grid"), N_("cathode"), N_("collector"), N_("base"), N_("emitter"), N_("drain"), N_("gate"), N_("source"),
    N_("pin"),
)  # fmt: skip
#: How a part failed, in words.
FAILURES = {
    "open": N_("open"), "drifted": N_("has drifted"), "leaky": N_("leaks"), "shorted": N_("is shorted"), "dead": N_("is dead"),
    "weak": N_("is tired"), "detuned": N_("is detuned"),
}  # fmt: skip


def describe_hz(hz: float | None) -> str:
    """A frequency as people say it, as fine as it has to be dialled; empty for none."""
    if hz is None:
        return ""
    if hz < _IN_KHZ:
        return tr("{khz} kHz", khz=f"{hz / 1e3:g}")
    # Beside a carrier by its tone, or on a raster of half a kilohertz, thousandths are too coarse.
    digits = next((d for d in (3, 4, 5) if abs(hz - round(hz, d - 6)) < 0.5), 6)
    return tr("{mhz} MHz", mhz=number(hz / 1e6, digits))


def describe_modulation(rung: Rung) -> str:
    """How the generator is modulated at a stage: ``AM 30 %, tone 1 kHz``; in single sideband not at all. Empty for an audio generator."""
    c = rung.conditions
    if rung.frequency_hz is not None and rung.frequency_hz < _AUDIO_HZ:
        return ""
    if (c.mode or "").lower() in SIDES:
        return tr("unmodulated")
    words = [tr("AM {pct} %", pct=f"{c.depth_pct:g}")] if c.depth_pct else []
    words += [tr("FM {khz} kHz dev.", khz=f"{c.deviation_hz / 1e3:g}")] if c.deviation_hz else []
    return ", ".join([*words, tr("tone {khz} kHz", khz=f"{c.tone_hz / 1e3:g}")]) if words and c.tone_hz else ""


def describe_point(rung: Rung) -> str:
    """Where a stage is fed, at which frequency, through what."""
    inject = rung.stage.inject
    if inject is None:
        signal = rung.stage.signal
        return "" if signal is None else " · ".join(x for x in (signal.at, describe_hz(rung.frequency_hz)) if x)
    return " · ".join(
        x
        for x in (inject.at, describe_hz(rung.frequency_hz), figure(tr(inject.coupling)) if inject.coupling else "")
        if x
    )


def rated(volts: float) -> int:
    """The rating (V) of a capacitor that keeps a generator from so many volts."""
    return next((r for r in _RATED_V if r >= _MARGIN * volts), _RATED_V[-1])


def describe_fault(lost_db: float | None) -> str:
    """What a stage has lost, in a word."""
    if lost_db is None:
        return tr("dead")
    return tr("weak, about {db} dB", db=number(lost_db, 0)) if lost_db > 1.0 else ""


def _danger(rung: Rung, feeds: bool) -> str:
    """High voltage at the pins of a stage: the danger first, then what to do."""
    volts = rung.highest_v
    if volts <= HIGH_V:
        return ""
    if feeds:
        return tr(
            "High voltage: {volts} V here. Switch off, bleed, connect, switch on. One hand; capacitor rated {rated} V.",
            volts=number(volts, 0), rated=rated(volts),
        )  # fmt: skip
    return tr(
        "High voltage: {volts} V here. One hand, insulated probe, touch nothing else.",
        volts=number(volts, 0),
    )


def _off(rung: Rung) -> str:
    if rung.highest_v <= HIGH_V:
        return tr("Radio off, supply off.")
    return tr("High voltage: switch off, bleed, measure that it is gone, then touch.")


def coach_of(state: JobState, now: Trace, move: TraceMove, measurable: bool, others: int) -> TraceCoach:
    """The coach's line for a move."""
    rung = next((r for r in (*now.rungs, *(b.rung for b in now.branches)) if r.stage.id == move.stage), None)
    headline = detail = caution = ""
    if rung is not None:
        headline, detail, caution = _at(state, now, move, rung)
    elif move.act == "hook-up" and now.rungs[0].stage.way == "transmit":
        headline = tr("Hook up for transmit, then confirm.")
        detail = tr("Dummy load on the aerial socket, generator off and away. Into the load only.")
    elif move.act == "hook-up":
        headline = tr("Hook up for receive, then confirm.")
        detail = tr("Generator ready, meter on the loudspeaker, microphone unplugged.")
    elif move.act == "whole":
        headline = tr("The ladder is whole. Align now.")
        detail = tr("Every stage takes what it should. What the repair touched is measured again on the Bench.")
    elif move.act == "stuck":
        headline = tr("No test is left that tells more.")
        detail = tr("Measure a stage again, or look at the parts of the likeliest one.")
    part = move.part
    if move.act == "signal" and rung is not None:
        # Whose signal it is: an oscillator beside the stage has its own.
        part = next((b.id for b in (rung.stage, *rung.beside) if b.signal is not None), "")
    marks = rung is None or rung.stage.way == "receive"
    return TraceCoach(move.act, move.stage, part, headline, detail, caution, measurable, others, marks)


def _at(state: JobState, now: Trace, move: TraceMove, rung: Rung) -> tuple[str, str, str]:
    stage = rung.stage
    if move.act == "inject" and stage.way == "transmit" and stage.signal is not None:
        what = ", ".join(
            x for x in (describe_hz(rung.frequency_hz), tr("about {v} V peak", v=f"{stage.signal.peak_v:g}")) if x
        )  # fmt: skip
        return (
            tr("Probe {at}, radio keyed.", at=stage.signal.at),
            f"{what}. {_why(now, rung)}",
            _danger(rung, False) or tr("RF burns: a few seconds at a time, into the dummy load only."),
        )
    if move.act == "inject" and stage.inject is not None:
        what = ", ".join(
            x for x in (
                describe_hz(rung.frequency_hz),
                "" if stage.expect_dbm is None else tr("about {level}", level=microvolts(stage.expect_dbm)),
                tr("through {coupling}", coupling=figure(tr(stage.inject.coupling))) if stage.inject.coupling else "",
                describe_modulation(rung),
            ) if x
        )  # fmt: skip
        return (
            tr("Inject at {at}.", at=stage.inject.at),
            f"{what}. {_why(now, rung)}",
            _danger(rung, bool(stage.inject.coupling)),
        )
    if move.act == "volts":
        pins = ", ".join(dict.fromkeys(r.row.where or r.row.title for r in rung.rows if r.now is None)) + "."
        if any(b.stage.id == stage.id and b.acts_on for b in now.branches):
            pins = " ".join((pins, tr("Where it stands wrong, the stages that it acts on look bad.")))
        return tr("Measure the voltages of {stage}.", stage=stage.title), pins, _danger(rung, False)
    if move.act == "signal":
        of = next((b for b in (stage, *rung.beside) if b.signal is not None), stage)
        assert of.signal is not None
        return (
            tr("Look for the {stage} at {at}.", stage=of.title, at=of.signal.at),
            describe_signal(state, of),
            _danger(rung, False),
        )
    if move.act == "look":
        return (
            tr("Look at {stage}.", stage=stage.title),
            tr("Joints, cracked parts, wires off, burnt resistors; press and flex gently."),
            _off(rung),
        )
    if move.act == "part":
        part = next((p for p in now.parts if p.part.id == move.part), None)
        if part is not None:
            title = part.part.what or part.part.id
            how = how_to_check(part)
            likely = tr(
                "{title}: {percent} % likely.",
                percent=number(100 * part.probability, 0),
                title=title[:1].upper() + title[1:],
            )
            words = f"{likely} {how[:1].upper()}{how[1:]}" + ("" if how.endswith("?") else ".")
            return tr("Check {part}.", part=part.part.id), words, _off(rung)
    return (
        tr("The fault is in {stage}.", stage=stage.title),
        tr("No part of it is left unchecked: look again, joint by joint."),
        _off(rung),
    )


def describe_signal(state: JobState, stage: Stage) -> str:
    """What a scope or counter should find there."""
    signal = stage.signal
    if signal is None:
        return ""
    level = "" if signal.peak_v is None else tr("about {v} V peak", v=f"{signal.peak_v:g}")
    words = ", ".join(x for x in (_signal_hz(state, signal), level) if x)
    return words + ". " + tr("Scope or counter, through a 10:1 probe.")


def _signal_hz(state: JobState, signal: Signal) -> str:
    if signal.ends_hz is not None:
        low, high = signal.ends_hz
        return tr("{low} to {high} MHz", low=number(low / 1e6, 3), high=number(high / 1e6, 3))
    if not signal.terms:
        return ""
    return describe_hz(terms_hz(state.sheet, signal.terms, dial(state)))


def _why(now: Trace, rung: Rung) -> str:
    """Why this point: how it splits what is left."""
    if now.search is None:
        return ""
    ids = [r.stage.id for r in now.rungs]
    at = ids.index(rung.stage.id)
    breaks = now.search.breaks
    if rung.stage.way == "transmit":
        # A probe hears all that comes before it.
        before, behind = float(breaks[: at + 1].sum()), float(breaks[at + 1 : -1].sum())
        return tr(
            "It splits what is left: {before} % up to here, {behind} % behind it.", before=number(100 * before, 0),
            behind=number(100 * behind, 0),
        )  # fmt: skip
    before, behind = float(breaks[:at].sum()), float(breaks[at:-1].sum())
    if before < 0.02:
        return tr("The whole chain first: does it take more than it should?")
    if rung.stage.watch == "s_meter" and now.rungs[-1].stage.watch != "s_meter":
        behind = float(breaks[at : next(n for n, r in enumerate(now.rungs) if r.stage.watch != "s_meter")].sum())
    return tr(
        "It splits what is left: {before} % before it, {behind} % from it on.",
        before=number(100 * before, 0),
        behind=number(100 * behind, 0),
    )


def how_to_check(suspect: SuspectPart) -> str:
    """How a part is checked, in a few words."""
    value = suspect.part.value.replace("ohm", "Ω")
    match suspect.part.kind:
        case "resistor":
            return tr("power off: {value}?", value=value) if value else tr("power off: burnt or open?")
        case "winding":
            return tr("power off: {value} end to end?", value=value) if value else tr("power off: winding open?")
        case "capacitor":
            if suspect.failure == "open":
                return tr("bridge it with a good one")
            return tr("lift one end: does it leak?") if suspect.failure == "leaky" else tr("power off: shorted?")
        case "device":
            return tr("swap it with one of the same type")
        case "contact":
            return tr("power off: under 1 Ω? clean, press, flex")
        case "crystal":
            return tr("try another crystal")
    return tr("look at it, measure it")


def meaning(rows: Sequence[RowState], parts: Sequence[SuspectPart]) -> str:
    """What the voltages of a stage say, in a sentence."""
    wrong = [r for r in rows if r.verdict in ("low", "high")]
    if not wrong:
        return tr("Every voltage is right: a capacitor in the signal's way, a tuned circuit, or a joint.")
    first = parts[0]
    likely = [p for p in parts[:3] if p.probability > 0.15] or [first]
    names = tr(" or ").join(f"{p.part.id} {tr(FAILURES[p.failure])}" for p in likely)
    pins = ", ".join(
        tr("{pin} low", pin=tr(r.row.electrode) if r.row.electrode else r.row.title) if r.verdict == "low"
        else tr("{pin} high", pin=tr(r.row.electrode) if r.row.electrode else r.row.title)
        for r in wrong[:3]
    )  # fmt: skip
    return tr("{pins}: {names}.", pins=pins[:1].upper() + pins[1:], names=names)


#: What a stage does by itself, in a sentence and in a word, and what is done about it (common practice, no source).
_OWN_SOUND: dict[OwnSound, tuple[str, str, str]] = {
    "noisy": (N_("{stage} is noisy."), N_("noisy"), N_("Change its device, then its load resistor and coupling capacitor.")),
    "oscillates": (
        N_("{stage} oscillates."), N_("oscillates"), N_("Bridge its decoupling capacitors, one at a time. Check shields and earth joints.")
    ),
    "hums": (N_("{stage} hums."), N_("hums"), N_("Check its decoupling, its earth joint, and heater to cathode.")),
}  # fmt: skip


def noise_view(answers: Mapping[str, bool], rungs: Sequence[Rung], often: Mapping[str, Maker]) -> NoiseView:
    """The noise hunt as it stands: by questions to the place, then by grounding inputs to the stage. ``often``: every stage as
    one that may make a noise."""
    words = {q.id: q.words for q in QUESTIONS}
    titles = {r.stage.id: r.stage.title for r in rungs}
    words |= {AT + name: tr("{stage}, input grounded: stops?", stage=title) for name, title in titles.items()}
    words |= {
        g + name: tr("{stage}, once more: stops?", stage=title)
        for name, title in titles.items()
        for g in GROUNDED
        if g != AT
    }
    answered = tuple((q, words[q], yes) for q, yes in answers.items() if q in words)
    if len(rungs) > 1 and in_chain(answers):
        return _noise_by_stage(answers, rungs, often, answered)
    question = next_question(answers)
    top = places(answers)
    at_if = next((r for r in rungs if often[r.stage.id].is_if_input), None)
    how = "" if question is None else question.how
    if question is not None and question.id == "grounded" and at_if is not None:
        how = _how_to_ground(at_if)
    return NoiseView(
        "" if question is None else question.id,
        "" if question is None else question.words,
        how,
        answered,
        tuple((h.place.title, h.place.then, 100.0 * h.probability) for h in top[:4]),
    )


def _how_to_ground(rung: Rung) -> str:
    """Where the input of a stage is, through what it is grounded, and the danger there."""
    danger = (
        tr(
            "{v} V DC there: one hand, capacitor for {rated} V.",
            v=number(rung.highest_v, 0),
            rated=rated(rung.highest_v),
        )
        if rung.highest_v > HIGH_V
        else ""
    )
    point = rung.stage.inject.at if rung.stage.inject is not None else ""
    return " · ".join(x for x in (point, tr("through 10 nF, audio 0.1 µF, to the nearest earth"), danger) if x)


def _noise_by_stage(
    answers: Mapping[str, bool],
    rungs: Sequence[Rung],
    often: Mapping[str, Maker],
    answered: tuple[tuple[str, str, bool], ...],
) -> NoiseView:
    asked, found = next_input(answers, often), named_stage(answers, often)
    _, word, then = (tr(x) for x in _OWN_SOUND[own_sound(answers)])
    shares = sorted(zip(sources(answers, often), rungs, strict=True), key=lambda s: -s[0])
    places_ = tuple((r.stage.title, then if r.stage.id == found else "", 100.0 * p) for p, r in shares[:4])
    if found:
        title = next(r.stage.title for r in rungs if r.stage.id == found)
        return NoiseView("", tr(_OWN_SOUND[own_sound(answers)][0], stage=title), then, answered, places_, found, word)
    if not asked:
        return NoiseView(
            "", tr("The inputs tell no stage."), tr("Answer again where you are not sure."), answered, places_
        )
    kind, _, name = asked.partition(":")
    rung = next(r for r in rungs if r.stage.id == name)
    ask = (
        tr("Ground the input of {stage} once more, to be sure. Does it stop?", stage=rung.stage.title)
        if kind + ":" != AT
        else tr("Ground the input of {stage}. Does it stop?", stage=rung.stage.title)
    )
    return NoiseView(asked, ask, _how_to_ground(rung), answered, places_)
