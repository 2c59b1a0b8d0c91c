"""What the card says of a band switch: which wire is which, and how new lines are fed."""

from __future__ import annotations

from dataclasses import dataclass

from unitone.conversions.switch_logic import SwitchLogic, Wire, switch_logic
from unitone.errors import EntryError
from unitone.quantities.entry import parse_si
from unitone.quantities.show import number
from unitone.radio.diode_logic import SCHOTTKY_V, SILICON_V, Feed, dropper
from unitone.words import tr, tr_n

DROPS_V = {"silicon": SILICON_V, "schottky": SCHOTTKY_V}


@dataclass(frozen=True)
class SwitchView:
    """The switch in lines of (mark, words), wires first, then the new lines; and what it takes in all."""

    wires: tuple[tuple[str, str], ...]
    lines: tuple[tuple[str, str], ...]
    takes: str


def switch_view(wires: str, needs: str, diode: str, load_v: str = "", load_a: str = "") -> SwitchView:
    """The picture of a switch as it was typed; ``load_v`` and ``load_a``: a module that a line feeds. Raises EntryError."""
    made = switch_logic(wires, needs)
    drop = DROPS_V[diode]
    load = None
    if load_v.strip() or load_a.strip():
        if not (load_v.strip() and load_a.strip()):
            raise EntryError(tr("A module has a voltage and a current: type both, or neither."))
        load = (parse_si(load_v, "V"), parse_si(load_a, "A"))
        if min(load) <= 0:
            raise EntryError(tr("A module's voltage and current are above zero."))
    rail = max(v for w in made.wires for v in w.volts)
    lines = tuple(_line(f, rail, drop, load) for f in made.feeds)
    takes = tr_n("{n} diode", "{n} diodes", made.diodes) if made.feeds else ""
    return SwitchView(tuple(_wire(made, w) for w in made.wires), lines, takes)


def _wire(made: SwitchLogic, w: Wire) -> tuple[str, str]:
    if not w.live:
        return "todo", tr("{wire}: never live. Ground, or left over.", wire=w.name)
    if len(w.live) == made.positions:
        return "done", tr("{wire}: live in every position. The common.", wire=w.name)
    places = ", ".join(map(str, sorted(w.live)))
    if len(w.live) == 1:
        return "in_spec", tr("{wire}: position {places}.", wire=w.name, places=places)
    return "recheck", tr("{wire}: positions {places}.", wire=w.name, places=places)


def _line(f: Feed, rail: float, drop: float, load: tuple[float, float] | None) -> tuple[str, str]:
    if f.missing:
        places = ", ".join(map(str, sorted(f.missing)))
        return "out_of_spec", tr("{line}: no wire is live in position {places} alone.", line=f.line, places=places)
    if f.link:
        words = tr("{line}: link to {wire}, no diode.", line=f.line, wire=f.feeders[0])
    else:
        words = tr("{line}: a diode each from {list}, cathodes to the line.", line=f.line, list=", ".join(f.feeders))
    left = rail - f.drops * drop
    words += " " + tr("{v} V there.", v=number(left, 1))
    if load is not None:
        found = dropper(rail, f.drops, drop, *load)
        if found is None:
            words += " " + tr("Too low for the module.")
        else:
            words += " " + tr("Dropper {ohm} Ω, {w} W.", ohm=f"{found.ohm:g}", w=f"{found.rating_w:g}")
    return "in_spec", words
