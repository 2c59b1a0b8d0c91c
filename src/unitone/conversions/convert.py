"""A conversion as a whole: the ranked plans, the divider and the pins of every channel, the corners of the VCO, and what to mind."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any, Literal

from unitone.conversions.locks import lock_at, sheet_law
from unitone.conversions.synthesiser import Synthesiser
from unitone.conversions.wanted import Wanted, channels_of, mhz, parse_wanted
from unitone.conversions.ways import LOAD_F, Crystal, Plan, Planner, Reached
from unitone.radio.vcofit import Law
from unitone.sheet.model.mixing_model import Place, spots
from unitone.sheet.model.sheet import Sheet, Way
from unitone.words import N_, tr

#: Harmonics up to this of a crystal are looked for, so near to a channel (Hz; common practice, no source).
_HARMONICS, _NEAR_HZ = 6, 3_000
#: Coils are peaked anew where the wanted range goes beyond the radio's own by more than this (Hz; common practice, no source).
_BEYOND_HZ = 150_000
_MOST_NAMED = 6
WAY_TITLES = {
    "there": N_("already in the radio"), "pins": N_("tie pins by a switch"), "pull": N_("pull a crystal"), "crystal": N_("another crystal"),
    "board": N_("a board on the programming pins"),
}  # fmt: skip


def way_title(kind: str) -> str:
    """A way as a person says it."""
    return tr(WAY_TITLES[kind])


@dataclass(frozen=True)
class Corner:
    """The VCO at one end of what is wanted, on one way: where it runs (Hz), its tuning voltage, and whether it locks."""

    way: Way
    end: str
    hz: float
    volts: float | None
    locks: str


@dataclass(frozen=True)
class Conversion:
    """What was asked of a sheet and what came of it; the best plan first."""

    synthesiser: Synthesiser
    wanted: tuple[Wanted, ...]
    plans: tuple[Plan, ...]
    law: Law | None

    @property
    def best(self) -> Plan:
        """The plan that ranks first."""
        return self.plans[0]


def convert(sheet: Sheet, want: str, law: Law | None = None, rail_share: float = 1.0) -> Conversion:
    """Everything that the wanted channels take. ``law``: the VCO as it was read on this radio, else the sheet's figures are taken.
    ``rail_share``: the regulated rail as it was read over its nominal: the tuning voltage cannot rise above it.

    Raises EntryError for what cannot be read as channels, SheetError for a sheet that does not describe its synthesiser.
    """
    synthesiser = Synthesiser.of(sheet, rail_share)
    wanted = parse_wanted(want, sheet)
    known = law or sheet_law(synthesiser.pll)
    return Conversion(synthesiser, wanted, Planner(synthesiser, wanted, known).plans(), known)


def corners(conversion: Conversion, plan: Plan) -> tuple[Corner, ...]:
    """The lowest and the highest wanted channel, receiving and transmitting: four corners, or two where receiving has no line of its own."""
    if not plan.reached:
        return ()
    made = []
    s = conversion.synthesiser
    law = conversion.law
    ways: tuple[Way, ...] = ("receive", "transmit")
    for way in ways:
        for end, r in ((N_("lowest"), plan.reached[0]), (N_("highest"), plan.reached[-1])):
            moved = {} if r.crystal is None else {r.crystal.oscillator: r.crystal.hz}
            hz = Synthesiser(s.sheet, s.pll, moved).chain(r.band, s.mode, way).vco_hz(r.n)
            volts = None if law is None else law.volts(hz, plan.locks.turned or 0.0)
            locks = "not known" if law is None else lock_at(s.pll, law, hz, plan.locks.turned or 0.0)
            made.append(Corner(way, end, hz, volts, locks))
    return tuple(made)


def warnings(conversion: Conversion, plan: Plan) -> tuple[str, ...]:
    """What to mind before anything is cut: what is not reached, what does not lock, birdies, what has to be re-aligned, the law."""
    made = []
    if plan.missing:
        made.append(tr("Not reached: {list}.", list=_named([w.name for w in plan.missing])))
    for word, text in (
        ("no", N_("Does not lock: {list}.")),
        ("too close", N_("Too close to say whether it locks: {list}.")),
    ):
        names = [r.wanted.name for r, x in zip(plan.reached, plan.locks.locks, strict=True) if x == word]
        if names:
            made.append(tr(text, list=_named(names)))
    lost = dict.fromkeys(b or tr("the radio's own channels") for b, _, x in plan.kept if x == "no")
    if lost:
        made.append(tr("No longer locks after that: {list}.", list=_named(list(lost))))
    if conversion.law is None:
        made.append(tr("Nothing is known of the VCO: read its tuning voltage on three channels first."))
    elif plan.locks.turned is None:
        made.append(tr("No place of the VCO core brings all channels into its window: the range is too wide."))
    elif plan.locks.turned:
        way = tr("further in") if plan.locks.turned > 0 else tr("further out")
        made.append(
            tr(
                "Turn the VCO core {way}: {pct} % of its inductance.",
                way=way,
                pct=f"{abs(100 * plan.locks.turned):.1f}",
            )
        )
    made += birdies(conversion, plan)
    made += realign(conversion, plan)
    made.append(
        tr("Transmit only where your licence and local rules allow it. A modified radio may no longer be approved.")
    )
    return tuple(made)


def _named(names: Sequence[str]) -> str:
    shown = ", ".join(names[:_MOST_NAMED])
    return shown + (tr(" and {n} more", n=len(names) - _MOST_NAMED) if len(names) > _MOST_NAMED else "")


CoilReach = Literal["reach", "too close", "fall off"]
#: Circuits that are peaked at the middle lose by the square of the distance. Ends that lie this much farther out than the radio's own
#: are as good as those (share of its half range); beyond the second nothing can be even over all of it (common practice, no source).
_AS_GOOD, _UNEVEN = 1.03, 1.20


def coil_reach(conversion: Conversion, plan: Plan) -> CoilReach:
    """Do front end, driver and final reach all of it, peaked at the middle of what is wanted and what there was?"""
    own = [w.hz for w in channels_of(conversion.synthesiser.sheet)]
    both = [*own, *(r.wanted.hz for r in plan.reached)]
    half = (max(own) - min(own)) / 2.0
    if half <= 0 or not plan.reached:
        return "reach"
    share = (max(both) - min(both)) / 2.0 / half
    return "reach" if share <= _AS_GOOD else "too close" if share <= _UNEVEN else "fall off"


def birdies(conversion: Conversion, plan: Plan) -> list[str]:
    """Harmonics of the radio's crystals that fall on a wanted channel, and images that lie among the wanted ones."""
    made = []
    sheet = conversion.synthesiser.sheet
    hz = sorted(r.wanted.hz for r in plan.reached)
    sources: dict[str, Fraction] = {o.id: o.at(Fraction(0)) for o in sheet.oscillators if not o.follows}
    sources |= {f"{c.oscillator} ({float(c.hz) / 1e6:.6g} MHz)": c.hz for c in plan.crystals}
    for name, at in sources.items():
        for times in range(2, _HARMONICS + 1):
            near = next((x for x in hz if abs(float(times * at) - x) <= _NEAR_HZ), None)
            if near is not None:
                made.append(tr("Birdie near {mhz} MHz: {n} times {name}.", mhz=mhz(near), n=times, name=name))
    for r in plan.reached[:: max(len(plan.reached) - 1, 1)]:
        place = Place("receive", r.band, conversion.synthesiser.mode, sheet.plan.names[0])
        found = spots(sheet, place)
        if found is None:
            continue
        step = (
            2.0 * found.intermediate_hz * (1 if found.image_hz > sheet.carrier_hz(sheet.plan.names[0], r.band) else -1)
        )
        image = r.wanted.hz + step
        if hz[0] <= image <= hz[-1]:
            made.append(tr("The image of {mhz} MHz lies in the band.", mhz=mhz(r.wanted.hz)))
    return made


def realign(conversion: Conversion, plan: Plan) -> list[str]:
    """What has to be set again after: new crystals to frequency; VCO, coils and power where the range has grown."""
    made = []
    if plan.crystals:
        made.append(
            tr(
                "Set to frequency after: {list}.",
                list=_named([f"{c.oscillator} {float(c.hz) / 1e6:.6f} MHz" for c in plan.crystals]),
            )
        )
    own = [w.hz for w in channels_of(conversion.synthesiser.sheet)]
    new = [r.wanted.hz for r in plan.reached]
    if new and (min(new) < min(own) - _BEYOND_HZ or max(new) > max(own) + _BEYOND_HZ):
        made.append(
            tr(
                "The range grows: read the VCO at all four corners, then peak front end, driver and final at the middle, read both ends."
            )
        )
    reach = coil_reach(conversion, plan)
    if reach == "fall off":
        made.append(
            tr(
                "Front end, driver and final are not even over the whole range: wider circuits, or give up the far end of what there is."
            )
        )
    elif reach == "too close":
        made.append(tr("Too close to say whether power and sensitivity stay in spec at both ends."))
    return made


# -- as data ----------------------------------------------------------------------------------------


def to_data(conversion: Conversion) -> dict[str, Any]:
    """As the command line prints it: the best plan in full, all plans in short."""
    plan = conversion.best
    return {
        "dividers": [_divider(conversion, r) for r in plan.reached],
        "pins": [
            {"name": r.wanted.name, "n": r.n, "word": conversion.synthesiser.word(r.n), "pins": states}
            for r in plan.reached
            if (states := pin_states(conversion.synthesiser, r.n)) is not None
        ],
        "crystals": [crystal_data(c) for c in plan.crystals],
        "locks": plan.lock,
        "volts": {
            way: {c.end: None if c.volts is None else round(c.volts, 3) for c in corners(conversion, plan) if c.way == way}
            for way in ("receive", "transmit")
        },
        "coils": coil_reach(conversion, plan),
        "turn_inductance_pct": None if plan.locks.turned is None else round(100 * plan.locks.turned, 2),
        "ways": [
            {
                "ways": list(p.kinds), "reached": len(p.reached), "missing": [w.name for w in p.missing], "parts": p.parts, "cuts": p.cuts,
                "lifted": list(p.lifted), "crystals": [crystal_data(c) for c in p.crystals], "locks": p.lock, "rank": round(p.score, 2),
            }
            for p in conversion.plans
        ],
        "warnings": list(warnings(conversion, plan)),
    }  # fmt: skip


def pin_states(synthesiser: Synthesiser, n: int) -> dict[str, int] | None:
    """0 or 1 by pin for N; None where the pins cannot say it."""
    states = synthesiser.pins(n)
    return None if states is None else {name: x for (name, _), x in zip(synthesiser.pll.pins, states, strict=True)}


def _divider(conversion: Conversion, r: Reached) -> dict[str, Any]:
    made: dict[str, Any] = {
        "name": r.wanted.name,
        "hz": r.wanted.hz,
        "n": r.n,
        "way": r.way,
        "band": r.band,
        "switch": r.shown or None,
    }
    if r.tied:
        made["tied"] = dict(r.tied)
    if r.crystal is not None:
        made["crystal_hz"] = float(r.crystal.hz)
    made["vco_hz"] = next(v for x, v in zip(conversion.best.reached, conversion.best.vco_hz, strict=True) if x is r)
    return made


def crystal_data(c: Crystal) -> dict[str, Any]:
    """A crystal as it is ordered, or as the one there is pulled."""
    return {
        "beside": c.oscillator, "hz": float(c.hz), "shift_hz": float(c.shift_hz), "pulled": c.pulled, "cut": c.cut,
        "load_pf": round(LOAD_F * 1e12, 1), "ppm": round(float(c.shift_hz / (c.hz - c.shift_hz)) * 1e6, 2),
    }  # fmt: skip
