"""A modification tried on a sheet's model before anything is cut or soldered: another crystal, a padder, a band, a divider.

What comes of it is told band by band: where every channel lies, how far off, and the VCO's tuning voltage there.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import product
from typing import Literal

from unitone.errors import EntryError, SheetError, UnitoneError
from unitone.quantities.entry import parse_si
from unitone.quantities.show import number
from unitone.radio.mixing import coefficient
from unitone.radio.vcofit import Law, fit
from unitone.sheet.model.mixing_model import Place, modes_of, outputs, vco_hz
from unitone.sheet.model.sheet import Conditions, Oscillator, Sheet, Way
from unitone.words import N_, tr

Kind = Literal["crystal", "band", "divider"]
KINDS: tuple[tuple[Kind, str], ...] = (
    ("crystal", N_("another crystal, or one pulled elsewhere")), ("band", N_("a band added")), ("divider", N_("another divider in a line")),
)  # fmt: skip
#: A channel that lies this near its plan is on frequency (Hz).
_RIGHT_HZ = 100.0


@dataclass(frozen=True)
class Tried:
    """What is tried: the sheet as it would be, in words, and the crystal that it asks for (Hz; None for none)."""

    sheet: Sheet
    words: str
    order_hz: float | None = None


@dataclass(frozen=True)
class BandRow:
    """A band and mode: the carriers at its ends (Hz), how far off the plan they come (Hz, the worse end), and the tuning voltage there."""

    band: str
    mode: str
    low_hz: float
    high_hz: float
    off_hz: float
    low_v: float | None
    high_v: float | None
    locks: bool | None
    moved: bool

    @property
    def law_open(self) -> bool:
        """Are there volts, but no telling whether they lock?"""
        return self.low_v is not None and self.locks is None


def other_crystal(sheet: Sheet, name: str, hz: float) -> Tried:
    """One oscillator at another frequency. Raises EntryError for one that the sheet does not have, or no frequency."""
    known = {o.id: o for o in sheet.oscillators}
    if name not in known:
        raise EntryError(tr("there is no oscillator “{id}”: {have}", id=name, have=", ".join(known)))
    if hz <= 0:
        raise EntryError(tr("a crystal frequency must be above zero, like 18.375 MHz"))
    was = known[name].nominal_hz
    changed = tuple(replace(o, nominal_hz=hz) if o.id == name else o for o in sheet.oscillators)
    words = tr(
        "{id}: {was} → {now} MHz, {hz} Hz",
        id=name,
        was=f"{was / 1e6:.6f}",
        now=f"{hz / 1e6:.6f}",
        hz=number(hz - was, 0, sign=True),
    )
    return Tried(replace(sheet, oscillators=changed), words)


def other_divider(sheet: Sheet, output: str, name: str, term: str) -> Tried:
    """A term of a mixing line changed (``N/1024``, ``3``), on every line of that output that has it. Raises EntryError."""
    try:
        coefficient(term, 1)
    except UnitoneError as error:
        raise EntryError(str(error)) from None
    lines = [m for m in sheet.mixing if m.output == output and name in dict(m.terms)]
    if not lines:
        have = ", ".join(dict.fromkeys(f"{m.output}: {n}" for m in sheet.mixing for n, _ in m.terms))
        raise EntryError(tr("no line for {output} has {id} in it: {have}", output=output, id=name, have=have))
    was = dict(lines[0].terms)[name]
    changed = tuple(
        replace(m, terms=tuple((n, term if n == name else t) for n, t in m.terms)) if m in lines else m
        for m in sheet.mixing
    )
    words = tr("{output}: {id} × {was} → × {now}", output=output, id=name, was=was, now=term)
    return Tried(replace(sheet, mixing=changed), words)


def added_band(sheet: Sheet, name: str, shift_hz: int, like: str, crystal_hz: float | None = None) -> Tried:
    """A band more, made as the band ``like`` is made, with a crystal of its own in the place of that band's.

    Without ``crystal_hz`` the crystal is worked out. Raises EntryError where the name is taken, or the model band has no one
    oscillator of its own to be exchanged.
    """
    bands = dict(sheet.plan.bands)
    if not name.strip() or name in bands:
        raise EntryError(
            tr("give the new band a name of its own; there are {have}", have=", ".join(bands) or tr("none yet"))
        )
    if bands and like not in bands:
        raise EntryError(tr("there is no band “{b}”: {have}", b=like, have=", ".join(bands)))
    lines = [m for m in sheet.mixing if m.band == like]
    used = {n for m in lines for n, _ in m.terms if n in {o.id for o in sheet.oscillators}}
    elsewhere = {n for m in sheet.mixing if m.band != like for n, _ in m.terms}
    own = sorted(used - elsewhere)
    if len(own) != 1:
        raise EntryError(
            tr(
                "band {b} shares its crystals in the mixing lines: write the new band's lines in the sheet",
                b=like,
            )
        )
    old = next(o for o in sheet.oscillators if o.id == own[0])
    new_id = old.id.removesuffix(like) + name if like and old.id.endswith(like) else f"{old.id}-{name}"
    made = [replace(m, band=name, terms=tuple((new_id if n == old.id else n, t) for n, t in m.terms)) for m in lines]
    plan = replace(sheet.plan, bands=(*sheet.plan.bands, (name, shift_hz)))
    draft = replace(
        sheet, plan=plan, mixing=(*sheet.mixing, *made), oscillators=(*sheet.oscillators, Oscillator(new_id, old.nominal_hz)),
    )  # fmt: skip
    needed = _needed(draft, name, new_id)
    hz = needed if crystal_hz is None else crystal_hz
    changed = tuple(replace(o, nominal_hz=hz) if o.id == new_id else o for o in draft.oscillators)
    words = tr(
        "band {b}, {khz} kHz from the plan, with {id} at {mhz} MHz",
        b=name,
        khz=f"{shift_hz / 1e3:g}",
        id=new_id,
        mhz=f"{hz / 1e6:.6f}",
    )
    return Tried(replace(draft, oscillators=changed), words, needed)


def _needed(sheet: Sheet, band: str, name: str) -> float:
    """The frequency (Hz) that puts the carrier of a band right. Raises EntryError where the oscillator is not in it."""
    mode = next(iter(modes_of(sheet)), None)
    channel = sheet.plan.names[0]
    made = next((m for m in outputs(sheet, Place("transmit", band, mode, channel)) if m.output == "tx.carrier"), None)
    times = dict(made.terms).get(name) if made is not None else None
    if made is None or not times:
        raise EntryError(tr("the crystal is not in the carrier of that band: check the mixing lines"))
    nominal = next(o.nominal_hz for o in sheet.oscillators if o.id == name)
    return nominal + float((Fraction(sheet.carrier_hz(channel, band)) - made.hz) / times)


def volts_typed(sheet: Sheet, text: str, way: Way = "receive") -> Law | None:
    """A VCO's law from typed channels: ``A 1 1.99; C 20 2.97; E 40 4.76`` (band, channel, volts; no band where there is none).

    None for an empty text. Raises EntryError saying which part is not understood, UnitoneError for what is no VCO's.
    """
    points = []
    mode = next(iter(modes_of(sheet)), None)
    for part in (p.strip() for p in text.split(";")):
        if not part:
            continue
        words = part.split()
        bands = dict(sheet.plan.bands)
        if len(words) != (3 if bands else 2):
            raise EntryError(
                tr(
                    "“{part}” is not a channel with its voltage. Write {form}.",
                    part=part,
                    form="A 1 1.99" if bands else "1 1.99",
                )
            )
        band, channel = (words[0], words[1]) if bands else (None, words[0])
        if (band is not None and band not in bands) or channel not in sheet.plan.names:
            raise EntryError(tr("“{part}”: there is no such channel", part=part))
        hz = vco_hz(sheet, Conditions(way=way, band=band, mode=mode, channel=channel))
        if hz is None:
            raise EntryError(tr("“{part}”: no mixing line says what the VCO makes there", part=part))
        points.append((hz, parse_si(words[-1], "V")))
    return fit(points) if points else None


def table(
    before: Sheet, after: Sheet, law: Law | None = None, window: tuple[float, float] = (1.0, 5.0), way: Way = "receive"
) -> tuple[BandRow, ...]:
    """Every band and mode of a changed sheet: its ends, how far off they come, the volts there, and whether it differs from before.

    Raises SheetError where no whole divider gives a channel.
    """
    names = sorted(after.plan.names, key=lambda n: after.carrier_hz(n))
    ends = (names[0], names[-1])
    rows = []
    bands: list[str | None] = [b for b, _ in after.plan.bands] or [None]
    modes: list[str | None] = [*modes_of(after)] or [None]
    for band, mode in product(bands, modes):
        carriers = [_carrier(after, band, mode, c) for c in ends]
        off = max((c - after.carrier_hz(n, band) for c, n in zip(carriers, ends, strict=True)), key=abs)
        moved = band not in dict(before.plan.bands) if before.plan.bands or band else False
        if not moved:
            moved = any(abs(c - _carrier(before, band, mode, n)) > 0.5 for c, n in zip(carriers, ends, strict=True))
        low_v = high_v = None
        locks = None
        if law is not None:
            at = [vco_hz(after, Conditions(way=way, band=band, mode=mode, channel=c)) for c in ends]
            if all(hz is not None for hz in at):
                low_v, high_v, locks = _lock(law, [hz for hz in at if hz is not None], window)
        rows.append(BandRow(band or "", mode or "", min(carriers), max(carriers), off, low_v, high_v, locks, moved))
    return tuple(rows)


def merged(rows: Sequence[BandRow]) -> tuple[BandRow, ...]:
    """Rows of a band that come out alike in every mode as one, its modes together."""
    found: dict[tuple[object, ...], BandRow] = {}
    for row in rows:
        volts = None if row.low_v is None or row.high_v is None else (round(row.low_v, 2), round(row.high_v, 2))
        key = (row.band, round(row.low_hz), round(row.high_hz), round(row.off_hz), volts, row.locks, row.moved)
        old = found.get(key)
        found[key] = row if old is None else replace(old, mode=f"{old.mode}, {row.mode}")
    return tuple(found.values())


def _lock(law: Law, hz: Sequence[float], window: tuple[float, float]) -> tuple[float, float, bool | None]:
    """Least and most volts, and whether both lie inside the window; None where the law leaves it open."""
    volts = [law.volts(f) for f in hz]
    ranges = [law.between(f) for f in hz]
    surely = all(window[0] <= a and b <= window[1] for a, b in ranges)
    never = any(b < window[0] or a > window[1] for a, b in ranges) or not all(math.isfinite(v) for v in volts)
    return min(volts), max(volts), True if surely else False if never else None


def _carrier(sheet: Sheet, band: str | None, mode: str | None, channel: str) -> float:
    made = outputs(sheet, Place("transmit", band, mode, channel))
    sent = next((m for m in made if m.output == "tx.carrier"), None)
    if sent is None:
        raise SheetError([tr("{title}: no mixing line gives tx.carrier. Add one.", title=sheet.title)])
    return float(sent.hz)


def describe_row(row: BandRow) -> tuple[str, str, str]:
    """(verdict's shape, words, quiet words) of a row."""
    where = " ".join(x for x in (row.band, row.mode.upper()) if x) or tr("all channels")
    right = abs(row.off_hz) <= _RIGHT_HZ
    words = tr(
        "{where}: {low} … {high} MHz", where=where, low=f"{row.low_hz / 1e6:.4f}", high=f"{row.high_hz / 1e6:.4f}"
    )
    words += "" if right else tr(", {hz} Hz off", hz=number(row.off_hz, 0, sign=True))
    quiet = []
    if row.low_v is not None and row.high_v is not None:
        volts = (
            f"{number(row.low_v, 2)} … {number(row.high_v, 2)} V"
            if math.isfinite(row.low_v + row.high_v)
            else tr("no voltage tunes it")
        )
        said = {True: tr("locks"), False: tr("does not lock"), None: tr("too close to call")}[row.locks]
        quiet.append(f"{volts}, {said}")
    quiet.append(tr("changes") if row.moved else tr("as before"))
    mark = "out_of_spec" if not right or row.locks is False else "undecided" if row.law_open else "in_spec"
    return mark, words, " · ".join(quiet)
