"""What a job's card shows, computed apart from any widget: an immutable picture of a session."""

from __future__ import annotations

from unitone.align.frequency.vco_readings import rail_share, vco_law
from unitone.job.beside import better_db, compared, finding
from unitone.job.leaving import LeavingItem, leaving_items
from unitone.job.modifications import describe_modification, describe_undo, standing, undo_list
from unitone.job.shop import SPEAKS_OF, Beside, Capacitor, SpeaksOf, describe_finding
from unitone.job.state import JobState
from unitone.job.verdicts import describe_verdict, verdict
from unitone.job.voltages import RowState, current_limit, lost_between, next_point, row_states
from unitone.job.worth import Cost, cost_of
from unitone.present.card.bands_view import bands_view
from unitone.present.card.card_shapes import (
    CapacitorCell,
    CardView,
    ControlCell,
    CurrentCell,
    LeavingCell,
    LookRow,
    Pictured,
    Told,
    VoltsCell,
)
from unitone.present.card.found_and_left import readings_view
from unitone.quantities.registry import quantity
from unitone.quantities.show import duration, microvolts, number, s_units, show
from unitone.radio.parts import TOLERANCE, recap_all
from unitone.session.session import Session
from unitone.sheet.model.looks import ACCESSORIES, family_of, inspection
from unitone.store.ports import Store
from unitone.words import N_, day, figure, tr

_SI = ((1e-3, "mF"), (1e-6, "µF"), (1e-9, "nF"), (1e-12, "pF"))


#: What can hurt somebody in a radio of each family.
_SAFETY = {
    "valve": N_("High voltage: unplug, bleed and measure the capacitors, use an isolating transformer. Qualified people only, by local rules."),
    "base": N_("Mains inside: unplug before opening. Qualified people only, by local rules."),
    "handheld": N_("Old battery packs leak and short: wear gloves. Never charge a swollen or unknown pack."),
}  # fmt: skip


def farads(value: float) -> str:
    """``47 µF``, ``100 nF``, ``6.8 pF``; the prefix is chosen after rounding to three figures."""
    for size, unit in _SI:
        scaled = float(f"{value / size:.3g}")
        if scaled >= 1.0 or size == _SI[-1][0]:
            return figure(f"{scaled:g} {unit}")
    return figure(f"{value:g} F")


def status_words(state: JobState) -> str:
    """Where the job stands, as a person says it."""
    word, why = state.status
    told = {
        "open": tr("on the bench"), "waiting": why or tr("waiting"), "later": why or tr("left for later"),
        "finished": tr("finished, to hand over"), "handed over": tr("handed over"), "archived": tr("archived"),
    }  # fmt: skip
    return told.get(word, word)


def take_card(session: Session) -> CardView:
    """The picture of a job's card now."""
    state = session.state
    shop, sheet = state.shop, state.sheet
    rows = row_states(state)
    following = next_point(state)
    caps = tuple(_capacitor(c) for c in shop.capacitors.values())
    names = tuple(dict.fromkeys([*(a.id for a in sheet.adjusters), *(p.id for p in sheet.parts), *shop.capacitors]))
    looks = _looks(state)
    rate, currency = rate_of(session.logbook)
    cost = cost_of(state, rate)
    return CardView(
        job_id=session.job_id,
        seq=state.seq,
        number=state.card.number,
        title=sheet.title,
        kind=tr(sheet.kind),
        safety=tr(_SAFETY.get(family_of(sheet), "")),
        finished=bool(state.finished),
        simulated=session.bench.simulated,
        status=state.status[0],
        status_words=status_words(state),
        why=state.status[1],
        approved=state.approved,
        worth=state.worth,
        cost_words=describe_cost(cost, currency),
        cost_mark={"": "", "near": "recheck"}.get(cost.finding, "out_of_spec"),
        card=state.card,
        usual_accessories=ACCESSORIES.get(family_of(sheet), ()),
        known_faults=sheet.known_faults,
        aliases=tuple(a for a in sheet.aliases if a != sheet.title),
        names=names,
        stages=tuple((s.id, s.title) for s in sheet.stages),
        looks=looks,
        looks_words=_describe_looks(looks),
        path=shop.path or sheet.power.usual_path,
        usual_path=sheet.power.usual_path,
        supply_words=_supply(state),
        limit=figure(f"{shop.limit_a:g} A") if shop.limit_a else "",
        meter=_ohms(shop.meter_ohm) if shop.meter_ohm else "",
        currents=_currents(state),
        volts=tuple(_volts(session, r, following) for r in rows),
        rails_words=_describe_rails(rows),
        next_words=_describe_next(state, following),
        capacitors=caps,
        capacitors_words=_describe_capacitors(state),
        recap=recap_all([c.verdict for c in shop.capacitors.values()]) is True,
        tried=tuple(Told(t.utc[:16].replace("T", " "), f"{t.suspected}: {t.done}" + (f" → {t.result}" if t.result else ""), t.outcome)
                    for t in reversed(state.tried)),
        loose=tuple(
            Told(
                x.utc[:16].replace("T", " "), state.describe_loose(x),
                tr("stays: {why}", why=x.stays) if x.stays else tr("put right") if x.tied else tr("still open"), "" if x.tied else x.entry_id,
            )
            for x in state.loose.values()
        ),
        parts=tuple(
            Told(f"{p.count} ×", f"{p.part}: {p.fitted}" + (tr(" for {was}", was=p.instead) if p.instead else ""),
                 p.why + (f" · {number(p.price * p.count, 2)}" if p.price else ""))
            for p in shop.parts
        ),
        times=tuple(Told(duration(m), what or tr("work"), "") for _, m, what in shop.minutes),
        time_words=duration(shop.minutes_spent),
        on_air=tuple(Told(day(r.utc), f"“{r.words}”" + (f" ({r.who})" if r.who else ""), _weight(state, r.speaks_of)) for r in shop.on_air),
        controls=controls_of(state),
        pages=pages_of(state),
        controls_words=_describe_controls(state),
        leaving=tuple(_leaving_cell(i) for i in leaving_items(state)),
        leaving_words=_describe_leaving(state),
        readings=readings_view(state, frozenset(q for q in {s.quantity_id for s in sheet.steps} if session.bench.can_measure(q))),
        bands=bands_view(state),
        synthesiser=(sheet, vco_law(state, "receive"), rail_share(state)) if sheet.plls else None,
        modified=tuple(
            Told(tr("job {number}", number=f"{m.job:04d}") if m.job else day(m.utc), describe_modification(m), m.why, m.entry_id)
            for m in standing(state)
        ),
        modified_pictures=tuple(
            Pictured(describe_modification(m), m.pictures, m.pins) for m in standing(state) if m.pictures
        ),
        undo=tuple(describe_undo(m) for m in undo_list(state)),
        beside=tuple(Told(day(p.utc), *_beside(p)) for p in reversed(state.shop.beside)),
        beside_words=_describe_beside(state),
    )  # fmt: skip


def rate_of(logbook: Store) -> tuple[float | None, str]:
    """The workshop's rate per hour (None where none is set) and its currency."""
    kept = logbook.setting("cost", {}) or {}
    rate = kept.get("rate")
    return (float(rate) if isinstance(rate, int | float) and rate > 0 else None), str(kept.get("currency", ""))


def describe_cost(cost: Cost, currency: str) -> str:
    """What work and parts cost so far, beside what was approved and what the radio is worth."""

    def money(value: float) -> str:
        return f"{number(value, 2)} {currency}".strip()

    words = []
    if cost.work:
        words.append(tr("work {cost}", cost=money(cost.work)))
    if cost.parts:
        words.append(tr("parts {cost}", cost=money(cost.parts)))
    if cost.work and cost.parts:
        words.append(tr("together {cost}", cost=money(cost.total)))
    if cost.approved is not None:
        words.append(tr("approved up to {most}", most=money(cost.approved)))
    told = {
        "near": tr("ask the owner before more"), "over approved": tr("more than was approved: ask the owner"),
        "over worth": tr("more than the radio is worth"), "": "",
    }[cost.finding]  # fmt: skip
    return " · ".join([*words, told] if told else words)


# -- inspection ---------------------------------------------------------------------------------


def _looks(state: JobState) -> tuple[LookRow, ...]:
    items = {x.id: (x.group, x.title, x.how) for x in inspection(state.sheet)}
    for f in state.shop.findings:
        items.setdefault(f.item, (tr("Also"), f.item, ""))
    made = []
    for identifier, (group, title, how) in items.items():
        said = [f for f in state.shop.findings if f.item == identifier]
        pictures = tuple(p for f in said for p in f.pictures)
        lines = tuple(f"{f.utc[11:16]} {describe_finding(f)}" for f in said)
        made.append(LookRow(identifier, group, title, how, said[-1].look if said else "", lines, pictures))
    return tuple(made)


def _describe_looks(looks: tuple[LookRow, ...]) -> str:
    seen, wrong = sum(bool(x.look) for x in looks), sum(x.look == "wrong" for x in looks)
    words = tr("{n} of {all} looked at", n=seen, all=len(looks))
    return words + (tr(", {n} wrong", n=wrong) if wrong else "")


# -- supply and rails ---------------------------------------------------------------------------


def _ohms(value: float) -> str:
    return figure(f"{value / 1e6:g} MΩ" if value >= 1e6 else f"{value / 1e3:g} kΩ" if value >= 1e3 else f"{value:g} Ω")


def _supply(state: JobState) -> str:
    most = current_limit(state.sheet)
    words = [tr("Set the current limit to {a:g} A.", a=most)] if most else []
    if most and state.shop.limit_a and state.shop.limit_a > most:
        words.append(tr("It is set to {a:g} A: too high to protect this radio.", a=state.shop.limit_a))
    if state.shop.path == "lamp limiter":
        words.append(tr("A bright lamp means a short: switch off. Rails read low behind it."))
    if state.shop.path == "mains":
        words.append(tr("Mains: isolating transformer, one hand only. Qualified people only, by local rules."))
    return " ".join(words)


def _currents(state: JobState) -> tuple[CurrentCell, ...]:
    q, power = quantity("supply.current"), state.sheet.power
    made = []
    sends = power.keyed_a is not None or any(s.hook_up == "transmit" for s in state.sheet.steps)
    for way, title, most in (("receive", tr("At rest"), power.rest_a), ("transmit", tr("Keyed"), power.keyed_a)):
        if way == "transmit" and not sends:
            continue
        step = next(
            (
                s
                for s in state.sheet.steps
                if s.quantity_id == q.id and (s.hook_up == "transmit") == (way == "transmit")
            ),
            None,
        )
        last = next(
            (x.reading for x in reversed(state.read_of(q.id))
             if (step is not None and x.reading.conditions in step.required) or (step is None and x.reading.conditions.way == way)),
            None,
        )  # fmt: skip
        mark = "todo"
        if last is not None and last.value is not None:
            limit = step.limit if step is not None else None
            if limit is not None:
                mark = "in_spec" if limit.holds(last.value) else "out_of_spec"
            elif most is not None:
                # A sheet's bare figure is taken with a quarter either way (common practice).
                mark = "in_spec" if last.value <= 1.25 * most else "out_of_spec"
            else:
                mark = "done"
        should = tr("about {i}", i=f"{most:.3g} A" if most >= 1 else show(q, most)) if most is not None else ""
        made.append(
            CurrentCell(way, title, should, "" if last is None or last.value is None else show(q, last.value), mark)
        )
    return tuple(made)


def _volts(session: Session, r: RowState, following: RowState | None) -> VoltsCell:
    row = r.row
    modes = [
        {"receive": tr("receive"), "transmit": tr("transmit")}.get(row.conditions.way, ""),
        row.conditions.mode or "",
    ]
    value = reading_of(r)
    found = "" if r.found is None or r.found is r.now else f"{number(r.found.reading.value or 0.0, 2)} V"
    said = tr(" or ").join(figure(f"{v:g}") for v in row.values)
    decimals = 2 if abs(row.nominal) < 100 else 1
    return VoltsCell(
        row.id, row.title, row.where, " ".join(m for m in modes if m) or tr("any"),
        tr("{said} V  ({low} … {high})", said=said, low=number(r.low, decimals), high=number(r.high, decimals)) if row.is_known
        else tr("not known"), value, found, r.verdict, r.words,
        following is not None and following.row.id == row.id,
        session.bench.simulated and row.quantity_id != "stage.voltage" and session.bench.can_measure(row.quantity_id),
    )  # fmt: skip


def reading_of(r: RowState) -> str:
    """The reading of a row as it is shown in its field; empty where there is none."""
    if r.now is None:
        return ""
    reading = r.now.reading
    return tr(reading.word) or (reading.bound + number(reading.value, 2) if reading.value is not None else "")


def _describe_rails(rows: tuple[RowState, ...]) -> str:
    if not rows:
        return tr("No voltage table yet. Add a point below while the probe is on it.")
    counts: dict[str, int] = {}
    for r in rows:
        counts[r.verdict] = counts.get(r.verdict, 0) + 1
    names = (("in_spec", tr("in spec")), ("low", tr("low")), ("high", tr("high")), ("recheck", tr("re-check")),
             ("undecided", tr("too close")), ("noted", tr("noted")), ("todo", tr("to do")))  # fmt: skip
    return " · ".join(f"{counts[k]} {name}" for k, name in names if k in counts)


def _describe_next(state: JobState, following: RowState | None) -> str:
    if following is not None:
        return tr("Measure {title} next: it halves the search.", title=following.row.title)
    found = lost_between(state)
    if found is None:
        return ""
    good, bad = found
    if good is None:
        return tr("{bad} is low at its source.", bad=bad.row.title)
    return tr("The voltage is lost between {good} and {bad}.", good=good.row.title, bad=bad.row.title)


# -- capacitors, parts, reports -----------------------------------------------------------------


def _capacitor(c: Capacitor) -> CapacitorCell:
    told = {
        "good": tr("good"), "low": tr("low capacitance: replace"), "high": tr("above its tolerance: replace"),
        "leaky": tr("far above its marking: leaky. Replace"), "esr": tr("ESR too high: replace"),
    }[c.verdict.finding]  # fmt: skip
    below, above = TOLERANCE[c.dielectric]
    words = tr(
        "{told} ({off:+.0f} %, limits −{below:g}/+{above:g} %)",
        told=told,
        off=c.verdict.deviation_pct,
        below=below,
        above=above,
    )
    return CapacitorCell(
        c.part, c.dielectric, farads(c.marked), farads(c.measured), "" if c.esr is None else figure(f"{c.esr:g} Ω"), c.verdict.replace, words
    )  # fmt: skip


def _describe_capacitors(state: JobState) -> str:
    """How the sample stands, and what the job's convention makes of that."""
    sample = [c.verdict for c in state.shop.capacitors.values()]
    if not sample:
        return tr("Nothing measured yet. Discharge first; lift one leg if the circuit shunts the meter.")
    bad = sum(v.replace for v in sample)
    words = tr("{bad} of {n} bad.", bad=bad, n=len(sample))
    convention = state.stand["electrolytics"].choice
    everything = recap_all(sample)
    if convention == "all":
        return words + " " + tr("This workshop's convention: replace all of them.")
    if everything is None:
        return words + " " + tr("Measure at least four before judging the lot.")
    if everything:
        return words + " " + tr("Most of the sample is bad: replacing all is quicker.")
    return words + " " + tr("Replace only the bad ones.")


def _weight(state: JobState, speaks_of: SpeaksOf) -> str:
    """What the measurements say of the same thing: they weigh more than what was heard."""
    measured = [
        v for s in state.sheet.steps if s.quantity_id in SPEAKS_OF[speaks_of]
        if (v := verdict(state, s)) not in ("todo", "not applicable")
    ]  # fmt: skip
    if not measured:
        return tr("weak evidence: not measured yet")
    out = [v for v in measured if v in ("out_of_spec", "recheck")]
    if out:
        return tr("weak evidence; measured {verdict} too", verdict=describe_verdict(out[0]))
    return tr("weak evidence; measured in spec: check aerial, cable, site")


def _beside(pair: Beside) -> tuple[str, str]:
    """(what was read of both, how much this radio is better)."""
    if pair.what == "sensitivity":
        both = (microvolts(pair.mine), microvolts(pair.its))
    elif pair.what == "S-meter":
        both = (s_units(pair.mine), s_units(pair.its))
    else:
        both = (figure(f"{pair.mine:g} dB"), figure(f"{pair.its:g} dB"))
    what = tr("{what}: {mine}, {other} {its}", what=tr(pair.what), mine=both[0], other=pair.other, its=both[1])
    signal = f" ({pair.signal})" if pair.signal else ""
    return what + signal, tr("{db} dB", db=number(better_db(pair), 1, sign=True))


def _describe_beside(state: JobState) -> str:
    words = [
        tr(
            "{what}: {db} dB against the other, of {n}",
            what=tr(c.what),
            db=number(c.better_db, 1, sign=True),
            n=c.count,
        )
        + (tr(" (spread {db} dB)", db=number(c.spread_db, 1)) if c.count > 1 else "")
        for c in compared(state)
    ]
    says = {
        "alike": tr("The two are alike."), "deaf": tr("This one is deaf: align the receiver."),
        "keen": tr("This one hears better."),
        "s-meter alone": tr("They hear alike: set the S-meter, not the receiver."),
        "weak on the air": tr("Weak on the air: check power, aerial, matching."), "": "",
    }[finding(state)]  # fmt: skip
    return " · ".join([*words, *([says] if says else [])])


def controls_of(state: JobState) -> tuple[ControlCell, ...]:
    """The controls of the radio: those of its sheet, and those that were told of in this job."""
    shop = state.shop
    known = {c.id: (c.positions, c.does) for c in state.sheet.controls}
    for name in (*shop.does, *shop.works):
        known.setdefault(name, ("", ""))
    made = []
    for name, (positions, does) in known.items():
        works, words = shop.works.get(name, (None, ""))
        made.append(ControlCell(name, positions, shop.does.get(name, does), works, words))
    return tuple(made)


def pages_of(state: JobState) -> tuple[tuple[str, bool], ...]:
    """The pages that are wanted: what was typed, and the places of the sheet that cannot be read."""
    marked = (f"{s.title}: {s.illegible}" for s in state.sheet.steps if s.illegible)
    return tuple({**dict.fromkeys(marked, False), **state.shop.pages}.items())


def _leaving_cell(i: LeavingItem) -> LeavingCell:
    found = i.found
    if found is None:
        return LeavingCell(i.key, i.title, i.how, None, "", ())
    return LeavingCell(i.key, i.title, i.how, found.fine, found.words, found.pictures)


def _describe_leaving(state: JobState) -> str:
    items = leaving_items(state)
    looked = sum(i.found is not None for i in items)
    wrong = sum(i.found is not None and not i.found.fine for i in items)
    words = tr("{n} of {all} looked at", n=looked, all=len(items))
    return words + (tr(", {n} not as it should be", n=wrong) if wrong else "")


def _describe_controls(state: JobState) -> str:
    rows = controls_of(state)
    tested = sum(c.works is not None for c in rows)
    broken = sum(c.works is False for c in rows)
    return tr("{n} of {all} tested", n=tested, all=len(rows)) + (tr(", {n} not working", n=broken) if broken else "")
