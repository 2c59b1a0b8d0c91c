"""The transmit side in words: the dummy load that is needed, what a wrong hook-up breaks, what holds the power, which coil serves which end."""

from __future__ import annotations

import math

from unitone.align.even.problem import even_problem, is_even
from unitone.align.hill_readings import hill_points
from unitone.align.setpoint.bounds import heat_upper
from unitone.align.setpoint.heat import input_watts, last_sent
from unitone.job.state import JobState
from unitone.job.verdicts import lines
from unitone.quantities.registry import quantity
from unitone.quantities.show import number, show
from unitone.sheet.model.sheet import Step
from unitone.words import tr

#: Power readings of coils that stand this far apart (turns) and agree within a few spreads are held by something else.
_APART_TURNS, _HELD_DB = 0.9, 0.12
#: Readings at an end of the band that are held against each other: more say nothing new.
_RECENT = 40
#: Of a very long log, so many readings of the power are looked at.
_LOOKED_BACK = 1000


# -- at the step ---------------------------------------------------------------------------------------------------


def describe_power(state: JobState, step: Step) -> tuple[str, ...]:
    """At a power step: what the coils do over the band, what holds the power, and the heat."""
    if step.quantity_id not in ("tx.power", "tx.pep"):
        return ()
    return tuple(w for w in (describe_held(state, step), describe_ends(state, step), describe_heat(state, step)) if w)


def describe_held(state: JobState, step: Step) -> str:
    """Where a coil was moved far and the power hardly changed, though the others do change it: a part of the radio holds it."""
    if step.quantity_id != "tx.power" or not step.adjusters:
        return ""
    for name in step.adjusters:
        near = [
            (x.positions[name] / 360_000.0, 10.0 * math.log10(x.reading.value))
            for x in hill_points(state, step, (name,), _long_ago(state, step))
            if x.reading.value
        ]
        if len(near) < 3:
            continue
        best = max(h for _, h in near)
        top = [t for t, h in near if best - h < _HELD_DB]
        if max(top) - min(top) > 2 * _APART_TURNS and len(top) >= 3:
            return tr(
                "{id} hardly changes the power: a limiter or an overdriven stage keeps it. Peak at the band ends, or at lower power.", id=name,
            )  # fmt: skip
    return ""


def _long_ago(state: JobState, step: Step) -> int:
    """The entry after which readings still tell what the coils do."""
    told = state.read_of(step.quantity_id)[-_LOOKED_BACK:]
    return told[0].seq - 1 if told else 0


def describe_ends(state: JobState, step: Step) -> str:
    """Which coils serve the low end of the band and which the high end, from where they stand against their peak at the middle."""
    if not is_even(step) or not state.moved_at_all(step):
        return ""
    coils, reads, _, wanted = even_problem(state, step, _long_ago(state, step))
    low, high = min(wanted.places), max(wanted.places)
    serves: dict[str, list[str]] = {"low": [], "high": []}
    for n, name in enumerate(step.adjusters):
        gains: dict[float, float] = {}
        for end in (low, high):
            at = [(r.turns, r.height) for r in reads if r.place == end][-_RECENT:]
            pairs = [
                (b[1] - a[1]) / (b[0][n] - a[0][n])
                for a in at
                for b in at
                if b[0][n] - a[0][n] > coils.step and all(x == y for k, (x, y) in enumerate(zip(a[0], b[0], strict=True)) if k != n)
            ]  # fmt: skip
            if pairs:
                gains[end] = sum(pairs) / len(pairs)
        if len(gains) == 2 and gains[low] * gains[high] < 0:
            up = tr("clockwise") if gains[high] > 0 else tr("anticlockwise")
            serves["high"].append(f"{name} {up}")
    if not serves["high"]:
        return ""
    return tr("{coils}: the high end gains, the low end loses.", coils=", ".join(serves["high"]))


def describe_heat(state: JobState, step: Step) -> str:
    """The final's heat while it is keyed, from supply, current and the last power, against its rating; the efficiency with it."""
    taken, watts = input_watts(state), last_sent(state, step.quantity_id, step)
    if not taken or watts is None:
        return ""
    heat = heat_upper(taken, watts, quantity(step.quantity_id).usual_std * watts)
    share = 100.0 * watts / taken
    said = tr(
        "Transmit stages: {pct} % efficient, {heat} W of heat at most.", pct=number(share, 0), heat=number(heat, 0)
    )
    rating = state.sheet.final.dissipation_w
    if rating is not None and heat > rating:
        said += " " + tr(
            "Overheating: the final is rated {w} W. Let go, and find why it draws so much.", w=number(rating, 0)
        )
    return said


def describe_sag(state: JobState, step: Step) -> str:
    """How far the supply sags when the radio is keyed, from its volts receiving and sending."""
    if step.quantity_id != "supply.voltage":
        return ""
    by_way = {x.reading.conditions.way: x.reading.value for x in state.read_of("supply.voltage")}
    rest = by_way.get("receive", by_way.get("either"))
    keyed = by_way.get("transmit")
    if rest is None or keyed is None or rest <= 0:
        return ""
    sag = rest - keyed
    lost = 100.0 * (1.0 - (keyed / rest) ** 2)
    return tr(
        "Supply sags {volts} V when keyed: about {pct} % of the power. Check lead, fuse, plug, cells.",
        volts=number(sag, 2), pct=number(lost, 0),
    )  # fmt: skip


def describe_harmonic(state: JobState, step: Step) -> str:
    """A harmonic beside its carrier in dBm, where the carrier's power is known."""
    if step.quantity_id != "tx.harmonic":
        return ""
    read = [
        (p.place, p.now.reading.value)
        for p in lines(state, step)
        if p.now is not None and p.now.reading.value is not None
    ]
    watts = last_sent(state, "tx.power")
    if not read or not watts:
        return ""
    carrier = 10.0 * math.log10(watts / 1e-3)
    told = [f"{place}: {number(dbc, 0)} dBc = {number(carrier + dbc, 0)} dBm" for place, dbc in read]
    return tr("Carrier {dbm} dBm. {lines}.", dbm=number(carrier, 1), lines=" · ".join(told[:4]))


def describe_field(step: Step) -> str:
    """How field strength is compared: nothing but the coil may change between two readings."""
    if step.quantity_id != "tx.field_strength":
        return ""
    return tr("Relative: same place, distance and grip, whip fully out. Step back before you read.")


def describe_meter(step: Step) -> str:
    """The radio's own meter: what its preset moves."""
    if step.quantity_id != "tx.meter":
        return ""
    return tr("This preset moves the pointer only, not the power.")


def describe_ceiling(state: JobState, step: Step) -> str:
    """The rule's ceiling on what a step reads; and a word where the last reading is over it."""
    most = state.sheet.rule.ceiling(step.quantity_id)
    if most is None:
        return ""
    q = step.quantity
    now = last_sent(state, step.quantity_id)
    if now is not None and now > most:
        return tr(
            "Over the limit: {now}, {rule} allows {most}. Dummy load only, and bring it down.",
            now=show(q, now), most=show(q, most), rule=state.sheet.rule.name,
        )  # fmt: skip
    if step.limit.high == most:
        # The step's own limit says it.
        return ""
    return tr("{rule} allows {most}.", rule=state.sheet.rule.name, most=show(q, most))


def describe_transmit(state: JobState, step: Step) -> tuple[str, ...]:
    """Everything that this page has to say at a step of the transmit side, what matters most first."""
    if step.hook_up != "transmit":
        return ()
    said = (
        describe_ceiling(state, step), *describe_power(state, step), describe_harmonic(state, step), describe_sag(state, step), describe_field(step),
        describe_meter(step),
    )  # fmt: skip
    return tuple(w for w in said if w)
