"""The parts of a sheet that are about care rather than alignment: supply, voltage table, inspection, known faults."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

from unitone.errors import EntryError
from unitone.quantities.entry import parse_si
from unitone.sheet.format import keys as form
from unitone.sheet.format.lines import Place
from unitone.sheet.model.sheet import Conditions, KnownFault, Look, Sheet, Supply, Voltage
from unitone.words import tr

Complain = Callable[[Place, str], None]
#: The quantity of a row that belongs to no step.
POINT = "stage.voltage"
#: What a key of a row names.
_NAMED = {"fed_from": "voltage", "through": "part", "beside": "part"}


def _value(complain: Complain, place: Place, text: str | None, unit: str) -> float | None:
    if text is None or not text.strip():
        return None
    try:
        found = parse_si(text, unit)
    except EntryError as error:
        complain(place, str(error))
        return None
    if unit != "V" and found < 0:
        complain(place, tr("{what!r} is below zero.", what=text))
        return None
    return found


def supply(complain: Complain, part: form.SupplyPart, told: str) -> Supply:
    """How the radio is fed; ``told`` is the model's supply in words, which older sheets begin with the volts."""
    rest, keyed, limit = (
        _value(complain, ("supply", key), text, "A")
        for key, text in (("rest", part.rest), ("keyed", part.keyed), ("limit", part.limit))
    )
    meter = part.meter.replace("/V", "").replace("/v", "").strip() if part.meter else None
    meter_ohm = _value(complain, ("supply", "meter"), _ohms(meter), "ohm") or 0.0
    volts = _value(complain, ("supply", "volts"), part.volts, "V") if part.volts else _volts_of(told)
    return Supply(rest, keyed, limit, part.path, meter_ohm, volts)


def _volts_of(told: str) -> float | None:
    """The volts that an older sheet's words begin with (``12 V, eight cells``); None where they begin with none."""
    head = told.split(",", maxsplit=1)[0].strip()
    try:
        return parse_si(head, "V") if head.upper().endswith("V") else None
    except EntryError:
        return None


def _ohms(text: str | None) -> str | None:
    """Ohms with their unit written out, as they are parsed."""
    return None if text is None else text.replace("Ω", "ohm").replace("Ohm", "ohm")


def voltages(complain: Complain, w: form.SheetFile, sheet: Sheet) -> tuple[Voltage, ...]:
    """The voltage table with everything that it names checked; a row may belong to a step, whose reading it then is."""
    ids, steps, stages = {v.id for v in w.voltage}, {s.id: s for s in sheet.steps}, {s.id for s in w.stage}
    made = []
    for i, v in enumerate(w.voltage):
        place: Place = ("voltage", i)
        parts = {p.id for p in w.part}
        for name, key, known in (
            *((name, "through", parts) for name in v.through),
            *((name, "beside", parts) for name in v.beside),
            (v.fed_from, "fed_from", ids),
            (v.stage, "stage", stages),
            (v.step, "step", set(steps)),
        ):
            if name and name not in known:
                complain(
                    (*place, key),
                    tr(
                        "no {replace} {name!r}. Add it or name another.",
                        replace=_NAMED.get(key, key),
                        name=name,
                    ),
                )
        given = [v.volts] if isinstance(v.volts, str) else v.volts
        values = [x for text in given if (x := _value(complain, (*place, "volts"), text, "V")) is not None]
        if given and not values:
            complain((*place, "volts"), tr('names no volts. Write it like "8.0 V".'))
            values = [0.0]
        # A row without volts: somebody measured there, and nobody knows yet what is right.
        low, high = _ends(complain, (*place, "tolerance"), v.tolerance, values) if values else (-math.inf, math.inf)
        series, usual, source = (
            _value(complain, (*place, key), _ohms(text), unit)
            for key, text, unit in (
                ("series", v.series, "ohm"),
                ("current", v.current, "A"),
                ("source", v.source, "ohm"),
            )
        )
        quantity_id, conditions = POINT, Conditions(way=v.way, mode=v.mode, test_point=v.id)
        if v.step in steps:
            step = steps[v.step]
            quantity_id, conditions = step.quantity_id, replace(step.required[0])
            if step.quantity.kind != "volts":
                complain((*place, "step"), tr("step {step!r} does not read volts. Name one that does.", step=v.step))
        made.append(
            Voltage(v.id, v.title or v.id, v.where, tuple(values), low, high, quantity_id, conditions, v.fed_from,
                    series, usual or 0.0, source or 0.0, v.stage, v.device, v.pin, v.electrode, tuple(v.through), tuple(v.beside))
        )  # fmt: skip
    _no_circle(complain, w)
    return tuple(made)


def _ends(complain: Complain, place: Place, text: str, values: list[float]) -> tuple[float, float]:
    """The ends that every value with its tolerance leaves, the widest of them."""
    try:
        if text.strip().endswith("%"):
            part = parse_si(text, "%") / 100.0
            widths = [abs(v) * part for v in values]
        else:
            widths = [parse_si(text, "V")] * len(values)
    except EntryError as error:
        complain(place, str(error))
        widths = [0.0] * len(values)
    if min(widths) < 0:
        complain(place, tr("{what!r} is below zero. Write it like 5 %.", what=text))
    return min(v - d for v, d in zip(values, widths, strict=True)), max(
        v + d for v, d in zip(values, widths, strict=True)
    )


def _no_circle(complain: Complain, w: form.SheetFile) -> None:
    feeds = {v.id: v.fed_from for v in w.voltage}
    for i, v in enumerate(w.voltage):
        seen, at = {v.id}, v.fed_from
        while at and at in feeds:
            if at in seen:
                complain(("voltage", i, "fed_from"), tr("is fed from itself in the end. Name what really feeds it."))
                return
            seen.add(at)
            at = feeds[at]


def looks(complain: Complain, w: form.SheetFile) -> tuple[Look, ...]:
    """What the sheet itself asks to be looked at."""
    names = {a.id for a in w.adjuster} | {p.id for p in w.part}
    for i, x in enumerate(w.inspect):
        for name in x.on:
            if name not in names:
                complain(("inspect", i, "on"), tr("no adjuster or part {name!r}. Add it or name another.", name=name))
    return tuple(Look(x.id, x.title, x.how, tuple(x.on), "this model") for x in w.inspect)


def known_faults(complain: Complain, w: form.SheetFile) -> tuple[KnownFault, ...]:
    """What radios of this sheet are known for."""
    stages = {s.id for s in w.stage}
    for i, f in enumerate(w.known_fault):
        if f.stage and f.stage not in stages:
            complain(("known_fault", i, "stage"), tr("no stage {stage!r}. Add it or name another.", stage=f.stage))
    return tuple(KnownFault(f.sign, f.cause, f.cure, f.part, f.stage) for f in w.known_fault)
