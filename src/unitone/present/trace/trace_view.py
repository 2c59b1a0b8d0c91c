"""The picture of a job's trace: ladder, next test, suspects, the stage pin by pin, parts in order."""

from __future__ import annotations

from dataclasses import replace

from unitone.align.trace.advice import Trace, TraceMove, trace
from unitone.align.trace.branches import Branch
from unitone.align.trace.intermittent import DROP_DB, rank
from unitone.align.trace.ladder import (
    INJECTION,
    PROBED,
    WAYS,
    Rung,
    Traced,
    chain,
    dial,
    ladder,
    makes_noise,
    noise_answers,
    quantity_of,
    repaired_at,
    traced_modes,
)
from unitone.job.state import JobState
from unitone.job.verdicts import describe_verdict
from unitone.job.voltages import RowState
from unitone.present.bench.bench_shapes import TapeCell
from unitone.present.bench.board import board_picture, pinned
from unitone.present.bench.log import log_cell
from unitone.present.trace._trace_sentences import (
    coach_of,
    describe_fault,
    describe_point,
    how_to_check,
    meaning,
    noise_view,
)
from unitone.present.trace.trace_shapes import (
    BranchView,
    MovedView,
    PartView,
    PinView,
    RungMark,
    RungView,
    StageView,
    SuspectView,
    TraceCoach,
    TraceView,
)  # fmt: skip
from unitone.quantities.show import microvolts, number
from unitone.session.session import Session
from unitone.words import N_, tr

#: So many suspects, parts and cells of the log are shown.
_SUSPECTS, _PARTS, _CELLS = 4, 3, 16
#: A stage less likely than this is not worth a line (per cent).
_LEAST_PCT = 2.0
#: Kinds of entries that tracing makes, or that it starts from.
_TRACED = ("checked", "intermittent", "noise", "tried", "touch")


def take_trace(
    session: Session, chosen: str = "", other: int = 0, walk: bool = False, way: Traced = "receive"
) -> TraceView:
    """The picture of a session's trace; ``chosen`` is the stage that is looked at, ``other`` how many better tests were put aside."""
    state = session.state
    earlier = session.tracing.earlier()
    there = [w for w in WAYS if len(chain(state.sheet, w)) > 1]
    way = way if way in there or not there else there[0]
    reads = session.bench.can_measure("stage.voltage")
    now = trace(state, earlier, walk, way, reads or not session.bench.simulated)
    base = dial(state, way)
    move = now.moves[min(other, len(now.moves) - 1)]
    hz = state.sheet.carrier_hz(base.channel, base.band)
    every = (*now.rungs, *(b.rung for b in now.branches))
    at = chosen if chosen in {r.stage.id for r in every} else now.found or move.stage
    rung = next((r for r in every if r.stage.id == at), None)
    moved = rank(state.watches)
    received = now.rungs if way == "receive" else ladder(state)
    noise = noise_view(noise_answers(state), received, makes_noise(state, received))
    if noise.question and noise.question != "aerial" and dial(state).deviation_hz:
        noise = replace(noise, how=tr("Strong carrier without tone: FM hisses by itself.") + " " + noise.how)
    return TraceView(
        job_id=session.job_id,
        seq=state.seq,
        number=state.card.number,
        title=" · ".join(x for x in (state.sheet.title, tr(state.sheet.kind), state.card.complaint) if x),
        dial=" · ".join(x for x in (tr("{mhz} MHz on the dial", mhz=number(float(hz) / 1e6, 3)), (base.mode or "").upper(), base.band or "") if x),
        way=way,
        both_ways=len(there) > 1,
        mode=base.mode or "",
        modes=traced_modes(state.sheet) if way == "receive" else (),
        simulated=session.bench.simulated,
        finished=bool(state.finished),
        empty="" if len(now.rungs) > 1 else _empty(),
        output=_output(state, now),
        rungs=tuple(_rung(state, now, r, move, at, noise.does if r.stage.id == noise.stage else "") for r in now.rungs),
        branches=tuple(_branch(state, now, b, move, at) for b in now.branches),
        coach=coach_of(state, now, move, session.bench.can_measure(quantity_of(way)), len(now.moves) - 1)
        if now.rungs else TraceCoach("nothing", "", "", "", "", "", False, 0),
        suspects=_suspects(now),
        tests=0 if now.search is None else len(now.search.told),
        odd=_odd(state, now),
        stage=_stage(state, now, rung, reads),
        steps=_steps(session),
        step=state.at,
        drop_by=DROP_DB if session.step.quantity.kind in ("ratio-db", "s-units", "gain-db", "dbc") else 0.0,
        moved=tuple(
            MovedView(m.what, tr("{drops} of {times}", drops=m.drops, times=m.times), 100.0 * m.probability) for m in moved
        ),
        watched=_watched(state),
        noise=noise,
        log=_log(state),
    )  # fmt: skip


def _steps(session: Session) -> tuple[tuple[str, str], ...]:
    """The steps whose reading can be watched live: (id, title)."""
    state, found = session.state, []
    for step in state.sheet.steps:
        if step.hook_up in ("probe", state.hook_up) and session.bench.can_measure(step.quantity_id):
            found.append((step.id, f"{step.title} · {step.quantity.title}"))
    return tuple(found)


def _empty() -> str:
    return tr(
        "This sheet does not say where to inject. Open it in Sheets and give its stages “inject”, with point, frequency and level."
    )


def _output(state: JobState, now: Trace) -> str:
    if now.rungs and now.rungs[0].stage.way == "transmit":
        return tr("peak RF volts at each stage's output, radio keyed into the dummy load")
    if any(r.stage.watch == "s_meter" for r in now.rungs):
        return tr("level for S9; last stages: {volts} V AF", volts=f"{state.sheet.tracing.output_v:g}")
    return tr("level for {volts} V AF", volts=f"{state.sheet.tracing.output_v:g}")


def _mark(now: Trace, rung: Rung, move: TraceMove) -> RungMark:
    if now.found == rung.stage.id:
        return "break"
    if rung.stage.id == move.stage and move.act == "inject":
        return "here"
    if not rung.is_tested:
        return "todo"
    if rung.not_heard:
        return "dead"
    return "weak" if rung.is_bad else "ok"


def _rung(state: JobState, now: Trace, rung: Rung, move: TraceMove, at: str, does: str) -> RungView:
    """``does``: what it was found to do by itself, in a word."""
    stage, mark = rung.stage, _mark(now, rung, move)
    value = ""
    if rung.not_heard:
        value = tr("not heard")
    elif rung.logged is not None and rung.logged.reading.value is not None and stage.way == "transmit":
        value = tr("{v} V", v=number(rung.logged.reading.value, 2))
    elif rung.logged is not None and rung.logged.reading.value is not None:
        value = rung.logged.reading.bound + microvolts(rung.logged.reading.value)
    elif mark == "here":
        value = tr("measure here")
    expected = "" if stage.expect_dbm is None else tr("expected {level}", level=microvolts(stage.expect_dbm))
    if stage.way == "transmit" and stage.signal is not None:
        expected = tr("expected {level}", level=tr("{v} V", v=f"{stage.signal.peak_v:g}"))
    held = next((b.stage.title for b in now.branches if b.is_bad and stage in b.acts_on), "")
    checks = [does]
    checks += [_check_words(r) for r in (rung,) if r.checks or any(x.now for x in r.rows)]
    beside = ", ".join(tr("fed by {stage}", stage=b.title) for b in rung.beside)
    # Where it is held, that counts more than where it is fed: it is read first where the line is short.
    words = (tr("held down by {stage}", stage=held) if held else "", describe_point(rung), *checks)
    return RungView(
        stage.id, stage.title, " · ".join(x for x in words if x), value, expected, mark, rung.excess_db, beside,
        stage.id == at,
    )  # fmt: skip


def _branch(state: JobState, now: Trace, branch: Branch, move: TraceMove, at: str) -> BranchView:
    """What was read of a branch: its one voltage, or what its voltages, its signal, its steps say together."""
    stage, rung = branch.stage, branch.rung
    known = [r for r in rung.rows if r.row.is_known]
    signals = [c for c in rung.checks if c.way == "signal"]
    value = _check_words(rung)
    expected = ""
    if len(known) == 1:
        one = known[0]
        reading = None if one.now is None else one.now.reading.value
        value = value if reading is None else tr("{v} V", v=number(reading, 1))
        expected = tr(
            "expected {level}", level=tr("{v} V", v=number(one.row.nominal, 1 if abs(one.row.nominal) < 20 else 0))
        )
    elif stage.signal is not None and stage.signal.peak_v:
        expected = tr("expected {level}", level=tr("{v} V peak", v=f"{stage.signal.peak_v:g}"))
    if signals and not any(r.verdict in ("low", "high") for r in known):
        value = tr("no signal") if signals[-1].wrong else tr("signal there")
    told = [v for _, v in branch.steps if v != "todo"]
    if not value and told:
        other = next((v for v in told if v not in ("in_spec", "left_as_found")), "in_spec")
        value = describe_verdict("out_of_spec" if "out_of_spec" in told else other)
    if now.found == stage.id:
        mark: RungMark = "break"
    elif move.stage == stage.id:
        mark, value = "here", value or tr("measure here")
    elif branch.is_bad:
        mark = "dead"
    elif "out_of_spec" in told:
        mark = "weak"
    else:
        read = bool(known) and all(r.now is not None for r in known)
        mark = "ok" if read or (signals and not signals[-1].wrong) or (told and not known) else "todo"
    joined = [
        tr(words, stages=", ".join(x.title for x in of))
        for words, of in (
            (N_("from {stages}"), branch.taps),
            (N_("feeds {stages}"), branch.feeds),
            (N_("acts on {stages}"), branch.acts_on),
        )
        if of
    ]
    # What hangs on nothing in the sheet is known by the steps that read it.
    joined = joined or [s.title for s, _ in branch.steps[:2]]
    point = describe_point(rung) if stage.signal is not None else ""
    detail = " · ".join((*joined, *([point] if point else [])))
    return BranchView(stage.id, stage.title, detail, value, expected, mark, stage.id == at)


def _check_words(rung: Rung) -> str:
    read = [r for r in rung.rows if r.now is not None]
    wrong = [r for r in read if r.verdict in ("low", "high")]
    if wrong:
        return tr("voltages wrong")
    if any(c.wrong for c in rung.checks):
        return tr("something found")
    return tr("voltages right") if read and len(read) == len(rung.rows) else ""


def _suspects(now: Trace) -> tuple[SuspectView, ...]:
    if now.search is None:
        return ()
    titles = {r.stage.id: r.stage.title for r in now.rungs}
    line = next((b for b in now.branches if b.stage.id == now.found), None)
    if line is not None:
        # Its own voltages or its signal say so: a stage that looks bad is only held by it.
        wrong = any(r.verdict in ("low", "high") for r in line.rung.rows)
        return (SuspectView(line.stage.title, 100.0, tr("voltages wrong") if wrong else tr("no signal")),)
    made = [
        SuspectView(titles[s.stage], 100.0 * s.probability, describe_fault(s.lost_db))
        for s in now.search.suspects
        if 100.0 * s.probability >= _LEAST_PCT
    ]
    sound = 100.0 * now.search.nothing_wrong
    if sound >= _LEAST_PCT:
        made.append(SuspectView(tr("nothing wrong"), sound, ""))
    return tuple(sorted(made, key=lambda s: -s.percent)[:_SUSPECTS])


def _odd(state: JobState, now: Trace) -> str:
    if now.search is None:
        return ""
    titles = {s.id: s.title for s in state.sheet.stages}
    odd = [titles[t.stage] for t in now.search.contradictions() if t.way == "inject"]
    if odd:
        return tr("{stages} does not fit the rest: measure again.", stages=", ".join(dict.fromkeys(odd)))
    if now.search.two_faults > 0.25:
        return tr("Two faults are likely: repair this one, then measure the ladder again.")
    if any(repaired_at(state, w) for w in WAYS) and not now.found:
        return tr("Repaired: the ladder is measured again from here.")
    return ""


def _stage(state: JobState, now: Trace, rung: Rung | None, measurable: bool) -> StageView:
    if rung is None:
        return StageView("", "")
    devices = {r.row.device for r in rung.rows if r.row.device}
    if len(devices) == 1:
        title = tr("{device}, pin by pin", device=next(iter(devices)))
    elif devices:
        title = tr("{stage}, pin by pin", stage=rung.stage.title)
    else:
        # A line that no device hangs from has no pins.
        title = tr("{stage}: voltages", stage=rung.stage.title)
    parts = now.parts if now.found == rung.stage.id else ()
    shown = tuple(
        PartView(p.part.id, p.part.what or p.part.id, how_to_check(p), 100.0 * p.probability, p.is_checked)
        for p in parts[:_PARTS]
    )
    lit = [p.part for p in parts[:_PARTS]] or [p for p in state.sheet.parts if p.stage == rung.stage.id]
    picture, pins = pinned(state, lit, "part")
    picture = picture or (None if pins else board_picture(state, state.sheet.steps[0], ""))
    ohm = state.shop.meter_ohm
    return StageView(
        rung.stage.id,
        title,
        tuple(_pin(r, measurable, len(devices) > 1) for r in rung.rows),
        tr("meter {ohm} MΩ", ohm=f"{ohm / 1e6:g}") if ohm else tr("meter 10 MΩ"),
        _meaning(now, rung),
        shown,
        picture,
        pins,
    )


def _pin(r: RowState, measurable: bool, named: bool) -> PinView:
    row = r.row
    name = " ".join(x for x in (row.pin, tr(row.electrode) if row.electrode else "") if x) or row.title
    if row.device and named:
        name = f"{row.device} · {name}"
    value = "" if r.now is None or r.now.reading.value is None else number(r.now.reading.value, 1)
    should = tr("{v} V", v=number(row.nominal, 1 if abs(row.nominal) < 20 else 0)) if row.is_known else ""
    return PinView(row.id, name, ", ".join((*row.through, *row.beside)), should, value, r.verdict, measurable)


def _meaning(now: Trace, rung: Rung) -> str:
    """What the voltages say, in a sentence: the likeliest part and how it failed."""
    if now.found != rung.stage.id or not now.parts or not any(r.now for r in rung.rows):
        return ""
    return meaning(rung.rows, now.parts)


def _watched(state: JobState) -> str:
    if not state.watches:
        return ""
    seconds = sum(w.seconds for w in state.watches)
    drops = sum(len(w.drops) for w in state.watches)
    return tr("watched {minutes} min, {drops} drop-outs", minutes=number(seconds / 60.0, 1), drops=drops)


def _log(state: JobState) -> tuple[TapeCell, ...]:
    cells = []
    for entry in reversed(state.entries):
        reading = entry.kind == "reading" and getattr(entry.said, "quantity_id", "") in (
            INJECTION,
            PROBED,
            "stage.voltage",
        )
        if reading or entry.kind in _TRACED:
            cell = log_cell(state, entry)
            if cell is not None:
                cells.append(cell)
        if len(cells) >= _CELLS:
            break
    return tuple(reversed(cells))
