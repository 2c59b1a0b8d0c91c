"""What the Bench shows, computed apart from any widget: an immutable picture of a session."""

from __future__ import annotations

from dataclasses import replace

from unitone.align.advise import leave_alone
from unitone.align.charts import has_chart
from unitone.align.frequency.counts import describe_oscillator
from unitone.align.moves import Advice, Conclude, Measure, Turn, conditions_of
from unitone.align.probe.nudge import can_be_worth
from unitone.bench.drivers.recorded_meter import read_from_recordings
from unitone.bench.drivers.sound_meter import SoundMeter
from unitone.bench.second_radio import is_heard
from unitone.job.damages import damage
from unitone.job.records import Logged, by_conditions
from unitone.job.state import JobState
from unitone.job.summary import band_on_bar, bar_span, place_on_bar, reading_text, worst_found
from unitone.job.verdicts import Line, lines, verdict, worst
from unitone.present.bench import charts
from unitone.present.bench.bench_shapes import (
    Bar,
    BenchView,
    BoardView,
    ByEar,
    ChannelLine,
    CoachView,
    HillView,
    HookUpView,
    LedgerRow,
    LogView,
    PathStage,
    Pin,
    ProcedureRow,
    ProcedureView,
    ReadingView,
    StepView,
)
from unitone.present.bench.board import board_picture, boards_of, picture_of, scan_of
from unitone.present.bench.channel_chart import chart_view, describe_vco
from unitone.present.bench.eyes import height, reference_of
from unitone.present.bench.figures import figure_of, instrument_words, reading_notes
from unitone.present.bench.if_curve import describe_lead, describe_overcoupled, if_curve, is_peaked
from unitone.present.bench.instructions import chain, describe_hook_up, instruction, panel_words
from unitone.present.bench.judgement import (
    can_judge,
    convention_rows,
    judged_words,
    recheck_view,
    remarks,
    touchables,
    tried_rows,
    variant_words,
)
from unitone.present.bench.log import describe_sweep, log_strip
from unitone.present.bench.plots import hill_view, level_curve
from unitone.present.bench.receiving import describe_receive
from unitone.present.bench.sentences import amount, button, clock, describe_change, direction, position_text, sentence
from unitone.present.bench.steady import describe_more
from unitone.present.bench.transmitting import describe_transmit
from unitone.present.bench.trials import describe_trial
from unitone.present.bench.trimming import describe_elsewhere
from unitone.present.bench.where_was_i import where_was_i
from unitone.present.trace.offered import describe_offer
from unitone.quantities.registry import FOUND_BY, HEARD, quantity
from unitone.quantities.show import microvolts, show, show_value
from unitone.session.automatic import can_run
from unitone.session.session import Session
from unitone.sheet.model.sheet import PHASE_TITLES, TURN, Conditions, Step, same_level
from unitone.words import tr


def limit_text(step: Step) -> str:
    """``≥ 12.0 dB``, ``7.80 … 8.20 V``."""
    q, low, high = step.quantity, step.limit.low, step.limit.high
    if low is not None and high is not None:
        return f"{show_value(q, low)[0]} … {show(q, high)}"
    if low is None and high is None:
        return tr("as loud as it comes")
    return f"≥ {show(q, low)}" if low is not None else f"≤ {show(q, high or 0.0)}"


def _plot(state: JobState, step: Step, hand: str) -> HillView | None:
    """The step's plot: the level's curve, the S-meter's chart, or the hill of the adjuster in hand."""
    if step.quantity_id in FOUND_BY:
        return level_curve(state, step)
    if (chart := charts.curve(state, step)) is not None:
        return chart
    climbed = hill_view(state, step, hand) if hand else None
    passed = if_curve(state, step)
    return (
        passed if passed is not None and (climbed is None or not climbed.points or is_peaked(state, step)) else climbed
    )


def _source(session: Session, quantity_id: str, conditions: Conditions | None = None) -> str:
    meter = None if session.bench.simulated else session.bench.meter_for(quantity_id, conditions)
    return "" if meter is None else meter.name


def _source_words(session: Session, quantity_id: str) -> str:
    """What reads it, in words: an input's own name says less than what it is."""
    meter = session.bench.meter_for(quantity_id)
    return tr("sound card") if isinstance(meter, SoundMeter) else tr(_source(session, quantity_id))


def _by_ear(session: Session, quantity_id: str, wanted: Conditions) -> ByEar:
    """Is the reading a word of an ear: loudness, or the pitch of a voice? Not on a simulated bench, nor where a meter reads it."""
    if session.bench.simulated or session.bench.can_measure(quantity_id, wanted):
        return ""
    return "loudness" if quantity_id == HEARD else "pitch" if is_heard(wanted) else ""


def _sweepable(step: Step, hand: str) -> bool:
    return step.aim in ("peak", "level") and hand in step.adjusters


def _describe_bench(session: Session, quantity_id: str) -> str:
    if session.bench.simulated:
        return tr("Simulated bench · simulated radio")
    if _source(session, quantity_id):
        return tr(
            "Your bench · {what} live: {source}",
            what=tr(quantity(quantity_id).title),
            source=_source_words(session, quantity_id),
        )
    return tr("Your bench · readings are typed")


def take_view(session: Session, selected: str = "", coached: bool = True) -> BenchView:
    """The picture of a session now; ``selected`` is the adjuster in the technician's hand, if any. Where nobody is ``coached``, what is
    read is read as the bench stands, and what to dial is what the sheet says."""
    state, step = session.state, session.step
    advice = session.advice()
    headline, detail = sentence(advice, state.sheet, state.positions, session.bench.seen)
    if (
        isinstance(advice, Measure)
        and not session.bench.simulated
        and (words := describe_change(state, advice.conditions))
    ):
        detail = words
    if advice.act in ("turn", "goto") and step.hook_up == "receive" and (words := describe_offer(state)):
        # Aligning a dead stage moves cores that were right.
        detail = words
    trial = describe_trial(state, step)
    hand = _in_hand(state, step, advice if coached else None, selected)
    parts = lines(state, step)
    v = verdict(state, step)
    shown = _shown_reading(state, step)
    figure, unit = _figure(step, shown)
    wanted = (conditions_of(advice) or _standing(state, step)) if coached else state.set_up
    q_live = session.reading_quantity(wanted) if wanted is not None else step.quantity_id
    hooked = step.hook_up == "probe" or state.hook_up == step.hook_up
    adjuster = state.sheet.adjuster(hand) if hand else None
    small = adjuster.step_mdeg if adjuster else 0
    alone = v == "left_as_found" and leave_alone(state, step)
    bar = _bar(step, parts, wanted)
    return BenchView(
        job_id=session.job_id,
        seq=state.seq,
        number=state.card.number,
        title=" · ".join(
            p
            for p in (
                state.sheet.title,
                tr(state.sheet.kind),
                tr("serial {n}", n=state.card.serial) if state.card.serial else "",
            )
            if p
        ),
        bench_words=_describe_bench(session, q_live),
        finished=bool(state.finished),
        simulated=session.bench.simulated,
        procedure=ProcedureView(
            tally=_tally(state),
            phase=state.phase,
            phase_words=tr("As found, before anything is touched") if state.phase == "as-found" else tr("Adjusting"),
            procedure=_procedure(state),
            why=state.procedure_why,
            path=_path(state, step),
            recheck=recheck_view(state),
            conventions=convention_rows(state),
        ),
        step=StepView(
            id=step.id,
            quantity=step.quantity_id,
            title=step.title,
            place=tr(
                "step {n} of {all}", n=[s.id for s in state.sheet.steps].index(step.id) + 1, all=len(state.sheet.steps)
            ),
            verdict=v,
            dial_words=instruction(state, wanted if coached else step.setting, step, session.bench.source_by_wire),
            panel_words=panel_words(state, wanted if coached else step.setting, step),
            notes=_notes(state, step, trial),
            cautions=step.caution,
            channels=_channels(step, parts) if len(parts) > 1 else (),
            judged_words=judged_words(state, step),
            remarks=remarks(state, step, v),
            can_judge=can_judge(v, bool(state.finished)),
            trial=trial,
            can_be_worth=can_be_worth(step) and not state.finished,
            can_be_swept=hooked
            and not state.finished
            and step.aim in ("peak", "level")
            and hand in step.adjusters
            and bool(_source(session, q_live)),
            conditions=wanted,
            limit_words=tr("limit {limit} ({source})", limit=limit_text(step), source=step.source),
            leave_alone=alone,
        ),
        reading=ReadingView(
            figure=figure,
            unit=unit,
            figure_words=_describe_figure(state, step, parts, bar, shown),
            bar=bar,
            hill=_plot(state, step, hand),
            chart=chart_view(state, step, wanted),
            chart_next=charts.next_words(state, step),
            seq=0 if shown is None else shown.seq,
            pitch=_pitch(state, step, shown),
            instrument_words=instrument_words(state, step),
            instruments=state.instruments,
            rule=state.rule,
            live=hooked
            and not state.finished
            and session.bench.can_measure(q_live, wanted)
            and q_live not in ("rx.squelch_opens", "rx.led_lights"),
            source=_source(session, q_live, wanted),
            run=can_run(session) or "",
            can_change_source=not session.bench.simulated and any(m.measures(q_live) for m in session.bench.meters),
            recorded=not session.bench.simulated and not state.finished and read_from_recordings(q_live),
            quantity_id=q_live,
            by_ear=_by_ear(session, q_live, wanted),
            expected=session.expected_form(q_live),
            entry_unit=session.entry_unit(q_live),
        ),
        board=BoardView(
            pins=_pins(state, step, hand),
            picture=board_picture(state, step, hand),
            scan=scan_of(state, step),
            touchables=touchables(state),
            ledger=_ledger(session, step, hand),
            selected=hand,
            unpinned=hand if adjuster and adjuster.pin is None and boards_of(state) else "",
            selected_step_mdeg=small,
            step_words=(f"{amount(adjuster, small)} {direction(-1)}", f"{amount(adjuster, small)} {direction(1)}")
            if adjuster
            else ("", ""),
            moved_count=sum(1 for p in state.positions.values() if p),
        ),
        hook_up=HookUpView(
            present=state.hook_up,
            wanted=step.hook_up,
            chain=chain(state, step),
            words=describe_hook_up(state, step),
            damage=_damage(state),
            tool=state.tool,
            tool_in=state.tool_in,
            can_force=session.bench.simulated and step.hook_up == "transmit" and not hooked,
            ok=hooked,
            kit=state.kit,
        ),
        log=LogView(
            tried=tried_rows(state),
            loose=tuple((x.entry_id, state.describe_loose(x)) for x in state.open_ends),
            variant_words=variant_words(state),
            cells=log_strip(state),
            rested_words=where_was_i(state),
        ),
        coach=CoachView(
            advice=advice,
            headline=headline,
            detail=detail,
            button=button(
                advice,
                session.bench.simulated,
                bool(_source(session, q_live)),
                _by_ear(session, q_live, wanted) == "loudness",
            ),
            arrow=0 if not isinstance(advice, Turn) else (1 if advice.move_mdeg > 0 else -1),
        ),
    )


def _damage(state: JobState) -> tuple[str, str]:
    """What a wrong hook-up broke, in words, and what mends it; empty where nothing is broken."""
    found = [damage(w) for w in sorted(state.damaged)]
    return (" ".join(d.words for d in found), found[0].cure) if found else ("", "")


def _notes(state: JobState, step: Step, trial: str) -> tuple[str, ...]:
    """What there is to say beside the step: of its oscillators, its VCO, whether it is steady; the sheet's own note last."""
    elsewhere = describe_elsewhere(state, step)
    # The move says which trimmer: once is enough.
    told = describe_oscillator(state, step, with_move=not elsewhere)
    offered = describe_offer(state) if step.hook_up == "receive" else ""
    words = (
        offered, told, elsewhere, describe_vco(state, step), *describe_more(state, step), *describe_transmit(state, step), trial,
        describe_lead(step), describe_overcoupled(state, step), charts.words(state, step), describe_receive(state, step), step.note,
    )  # fmt: skip
    return tuple(w for w in words if w)


def _standing(state: JobState, step: Step) -> Conditions:
    """What the bench stands at, where that belongs to this step; otherwise what the step asks for."""
    plain = replace(state.set_up, level_dbm=None, channel=None)
    return state.set_up if plain == replace(step.setting, level_dbm=None, channel=None) else step.setting


def _in_hand(state: JobState, step: Step, advice: Advice | None, selected: str) -> str:
    if selected in state.positions:
        return selected
    if isinstance(advice, Turn | Conclude) and advice.adjuster:
        return advice.adjuster
    mine = set(step.adjusters)
    recent = next((t.adjuster for t in reversed(state.turns) if t.adjuster in mine), None) if mine else None
    return recent or (step.adjusters[0] if step.adjusters else "")


def _tally(state: JobState) -> str:
    counts: dict[str, int] = {}
    for step in state.sheet.steps:
        v = verdict(state, step)
        counts[v] = counts.get(v, 0) + 1
    names = (("in_spec", tr("in spec")), ("left_as_found", tr("as found")), ("todo", tr("to do")), ("out_of_spec", tr("out of spec")),
             ("recheck", tr("re-check")), ("undecided", tr("too close")), ("accepted", tr("accepted")),
             ("not applicable", tr("not applicable")))  # fmt: skip
    return " · ".join(f"{counts[k]} {name}" for k, name in names if counts.get(k))


def _procedure(state: JobState) -> tuple[tuple[str, tuple[ProcedureRow, ...]], ...]:
    groups: list[tuple[str, list[ProcedureRow]]] = []
    for step in state.sheet.steps:
        title = tr(PHASE_TITLES[step.phase])
        if not groups or groups[-1][0] != title:
            groups.append((title, []))
        parts = lines(state, step)
        row = ProcedureRow(step.id, step.title, verdict(state, step), _row_value(step, parts), step.id == state.at,
                       bool(state.worth_a_look(step)))  # fmt: skip
        groups[-1][1].append(row)
    return tuple((title, tuple(rows)) for title, rows in groups)


def _row_value(step: Step, parts: tuple[Line, ...]) -> str:
    line = worst(step, parts)
    if line.now is None:
        return ""
    if step.quantity_id in ("ref.frequency", "osc.frequency") and line.now.reading.value is not None:
        return show(quantity("tx.frequency_error"), line.now.reading.value - step.limit.middle)
    return reading_text(step, line.now)


def _path(state: JobState, now: Step) -> tuple[PathStage, ...]:
    marks = {}
    for stage in state.sheet.stages:
        verdicts = [verdict(state, s) for s in state.sheet.steps if s.stage == stage.id]
        if stage.id == now.stage:
            mark = "now"
        elif not verdicts or "todo" in verdicts:
            mark = "todo"
        else:
            mark = next((m for m in ("out_of_spec", "recheck") if m in verdicts), "done")
        marks[stage.id] = mark
    return tuple(PathStage(tr(s.title), s.way, marks[s.id]) for s in state.sheet.stages)


def _pitch(state: JobState, step: Step, shown: Logged | None) -> tuple[float | None, float | None]:
    """How high the reading stands for the ear, and what sounds as 440 Hz."""
    if shown is None:
        return None, None
    r = shown.reading
    return height(step, r.quantity_id, r.value, r.conditions.level_dbm), reference_of(state, step, r.quantity_id)


def _shown_reading(state: JobState, step: Step) -> Logged | None:
    """The reading that the large figure shows: the last of this step, or of its SINAD readings."""
    ids = {step.quantity_id} | ({FOUND_BY[step.quantity_id][0]} if step.quantity_id in FOUND_BY else set())
    charted = has_chart(step)
    for logged in reversed(state.readings):
        r = logged.reading
        if charted and r.conditions != state.set_up and not any(r.conditions.settles(c) for c in step.required):
            # A place of the chart is no reading of the step: its figure stands beside the step's limit.
            continue
        if r.quantity_id in ids and any(
            r.conditions.way == c.way and (c.channel is None or r.conditions.channel == c.channel)
            for c in step.required
        ):
            return logged
    return None


def _figure(step: Step, logged: Logged | None) -> tuple[str, str]:
    if logged is None:
        return "—", step.quantity.shown if step.quantity.kind != "s-units" else ""
    return figure_of(logged.reading)


def _describe_figure(state: JobState, step: Step, parts: tuple[Line, ...], bar: Bar, shown: Logged | None) -> str:
    found = worst_found(step, parts)
    words = []
    if found is not None:
        words.append(tr("found {value}", value=reading_text(step, found)))
    words += reading_notes(state, step)
    mine = by_conditions(lambda c: any(c.settles(one) for one in step.required))
    values = [
        x.reading.value
        for x in (state.read_of(step.quantity_id) if step.aim in ("peak", "null") else ())
        if x.reading.value is not None and mine(x.reading.conditions)
    ]
    if len(values) > 1:
        best = max(values) if step.quantity.better == "high" else min(values)
        if found is None or reading_text(step, found) != show(step.quantity, best):
            words.append(tr("best so far {value}", value=show(step.quantity, best)))
    if shown is not None and shown.reading.source == "file":
        words.append(tr("from {name}", name=shown.reading.instrument))
    told = " · ".join(words) or tr("no reading yet")
    return f"{bar.counts_at}: {told}" if bar.counts_at else told


def at_own_level(step: Step, conditions: Conditions) -> bool:
    """Is it a level (or none, where none is asked for) at which the step's limit counts?"""
    return any(same_level(conditions.level_dbm, c.level_dbm) for c in step.required)


def _counts_at(step: Step, wanted: Conditions) -> str:
    """The level at which the limit counts, where a hill is climbed at another."""
    levels = sorted({c.level_dbm for c in step.required if c.level_dbm is not None})
    if not levels or at_own_level(step, wanted):
        return ""
    return tr("at {levels}", levels=", ".join(microvolts(x) for x in levels))


def _bar(step: Step, parts: tuple[Line, ...], wanted: Conditions) -> Bar:
    start, end = bar_span(step)
    line, found = worst(step, parts), worst_found(step, parts)
    q = step.quantity
    return Bar(
        band_on_bar(step),
        None if found is None else place_on_bar(step, found),
        None if line.now is None else place_on_bar(step, line.now),
        show_value(q, start)[0],
        show_value(q, end)[0],
        limit_text(step),
        _counts_at(step, wanted),
    )


def _channels(step: Step, parts: tuple[Line, ...]) -> tuple[ChannelLine, ...]:
    return tuple(
        ChannelLine(
            p.place,
            "" if p.found is None else reading_text(step, p.found),
            "" if p.now is None else reading_text(step, p.now),
            p.inside,
            p.stale,
        )
        for p in parts
    )


def _pins(state: JobState, step: Step, hand: str) -> tuple[Pin, ...]:
    shown = picture_of(state, step, hand)
    boards = boards_of(state)
    first = boards[0].id if boards else ""
    pins = [
        Pin(a.id, a.pin[0], a.pin[1], a.kind, a.id == hand, bool(state.positions[a.id]))
        for a in state.sheet.adjusters
        if a.pin is not None and (a.picture or first) == shown
    ]
    points = {c.test_point for c in step.required}
    pins += [
        Pin(p.id, p.pin[0], p.pin[1], "test point", p.id in points, False)
        for p in state.sheet.test_points
        if p.pin is not None and (p.picture or first) == shown
    ]
    return tuple(pins)


def clock_text(seen: float, moved: int) -> str:
    """A preset in the ledger: where its slot pointed and where it points now."""
    now, found = clock(seen), clock(seen - moved)
    return now if moved == 0 else f"{found} → {now}"


def _ledger(session: Session, step: Step, hand: str) -> tuple[LedgerRow, ...]:
    state = session.state
    turned = [n for n, p in state.positions.items() if p or n in state.swept]
    names = [*step.adjusters, *(n for n in turned if n not in step.adjusters)]
    if hand and hand not in names:
        names.insert(0, hand)
    rows = []
    for name in names:
        adjuster, mdeg = state.sheet.adjuster(name), state.positions[name]
        reach = 2 * TURN if adjuster.kind == "core" else adjuster.travel_mdeg / 2
        place = max(-1.0, min(1.0, mdeg / reach))
        seen = session.bench.seen(name)
        preset = seen is not None and adjuster.kind == "preset"
        text = clock_text(seen or 0.0, mdeg) if preset else position_text(adjuster, mdeg)
        if name in state.swept:
            # Turns are not counted while sweeping.
            text = tr("swept: {how}", how=describe_sweep(state.swept[name].ended, state.swept[name].gained_db))
        points = tr("points to {clock}", clock=clock(seen or 0.0)) if preset else ""
        rows.append(
            LedgerRow(name, adjuster.kind, adjuster.where, text, place, name == hand, adjuster.tool, points, mdeg != 0)
        )
    return tuple(rows)
