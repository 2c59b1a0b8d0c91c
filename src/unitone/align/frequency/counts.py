"""Frequency readings of a radio traced to its oscillators: from a sheet's mixing model to words, for window and command line."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any

from unitone.align.frequency.attribution import (
    FINE_HZ,
    TIMEBASE_PPM,
    Attribution,
    Counted,
    Judged,
    Point,
    Source,
    attribute,
)
from unitone.errors import EntryError, SheetError, UnitoneError
from unitone.job.entries.readings import Reading
from unitone.job.records import by_conditions
from unitone.job.state import JobState
from unitone.quantities.entry import parse_si
from unitone.quantities.show import MINUS, number
from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import Library
from unitone.sheet.model.mixing_model import Place, oscillator_counted, outputs, places, spots
from unitone.sheet.model.sheet import Conditions, Sheet, Step, Way
from unitone.words import tr

COLUMNS = ("way", "band", "mode", "channel", "point", "hz")
#: A direct reading takes a probe on the board: twice the trouble of turning a switch.
_PROBE = 2.0
#: Beyond this share of nominal (13 kHz at 27 MHz) a reading is of something else: no trimmer takes a crystal so far.
_FAR = 0.0005
#: A counter on the bench shows whole hertz: spread of a reading besides (Hz).
USUAL_U_HZ = 10.0
#: A broadcast or locked standard (Hz).
_STANDARD_HZ = 10e6
#: A reading typed on the Bench counts to so many Hz; no counter is believed to better than so many ppm.
_COUNT_HZ, _LEAST_PPM = 3.0, 0.02
_SIMULATED_PPM = 0.1
#: With so wide a spread (ppm) the readings leave open whether the counter is right.
_DOUBTED_PPM = 2.0
#: Errors within this are left alone (Hz): a carrier's working accuracy (common practice, no source).
LEAVE_HZ = 30.0


@dataclass(frozen=True)
class Typed:
    """One reading as it was written: where, and how many Hz were counted there."""

    way: str
    band: str
    mode: str
    channel: str
    point: str
    hz: str


def mixing_sheets(library: Library) -> list[tuple[Sheet, str]]:
    """The sheets of a library that say how their frequencies are made, with their paths; those with problems are left out."""
    read = [(read_sheet(kept.path), str(kept.path)) for kept in library.kept() if not kept.problems]
    return [(sheet, path) for sheet, path in read if sheet.mixing and sheet.oscillators]


def sources(sheet: Sheet) -> list[Source]:
    """The oscillators of a sheet. Raises SheetError for a sheet without a mixing model."""
    if not sheet.oscillators or not sheet.mixing:
        raise SheetError(
            [
                tr(
                    "{title}: says no oscillators and mixing, so nothing can be traced. Add [[oscillator]] and [[mixing]].",
                    title=sheet.title,
                )
            ]
        )
    return [Source(o.id, o.nominal_hz, o.trim) for o in sheet.oscillators]


def standard() -> Point:
    """A broadcast or locked standard that tells the counter's own timebase."""
    return Point(tr("a 10 MHz standard on the counter"), _STANDARD_HZ, (), None, _PROBE)


def point_at(sheet: Sheet, place: Place, point: str) -> Point:
    """Something that can be counted: an output at a place (the carrier where no point is named), or an oscillator by itself.

    Raises EntryError naming what there is.
    """
    known = {o.id: o for o in sheet.oscillators}
    if point in known:
        return Point(tr("{id} at its test point", id=point), known[point].nominal_hz, _one(point), point, _PROBE)
    if point.lower() in ("standard", "10 mhz"):
        return standard()
    if place.channel is not None and place.channel not in sheet.plan.names:
        raise EntryError(
            tr(
                "there is no channel “{c}”: {first} to {last}",
                c=place.channel,
                first=sheet.plan.names[0],
                last=sheet.plan.names[-1],
            )
        )
    if place.band is not None and place.band not in dict(sheet.plan.bands):
        have = ", ".join(n for n, _ in sheet.plan.bands) or tr("none")
        raise EntryError(tr("there is no band “{b}”: {have}", b=place.band, have=have))
    there = outputs(sheet, place)
    wanted = point or ("tx.carrier" if place.way == "transmit" else "rx.lo1")
    for made in there:
        if made.output == wanted:
            label = place.words if not point else f"{place.words} {point}"
            return Point(label, float(made.hz), made.terms, None, 1.0 if made.output == "tx.carrier" else _PROBE)
    have = ", ".join([*(m.output for m in there), *known])
    raise EntryError(tr("no point “{point}” there: {have}", point=wanted, have=have))


def _one(name: str) -> tuple[tuple[str, Fraction], ...]:
    return ((name, Fraction(1)),)


def candidates(sheet: Sheet) -> list[Point]:
    """What could be read next: the carrier at the ends of every band and mode, each oscillator by itself, a standard."""
    found = []
    for place in places(sheet, "transmit", ends_only=True):
        try:
            found.append(point_at(sheet, place, ""))
        except UnitoneError:
            continue
    found += [point_at(sheet, Place("transmit"), o.id) for o in sheet.oscillators]
    return [*found, standard()]


def parse_readings(text: str, name: str = "readings") -> list[Typed]:
    """Rows of a CSV with the columns way, band, mode, channel, point, hz (comma or semicolon). Raises EntryError naming the line."""
    lines = [line for line in text.lstrip("\ufeff").splitlines() if line.strip() and not line.startswith("#")]
    if not lines:
        raise EntryError(tr("{name}: no readings in it. Columns: {columns}.", name=name, columns=",".join(COLUMNS)))
    between = ";" if ";" in lines[0] else ","
    table = list(csv.reader(io.StringIO("\n".join(lines)), delimiter=between))
    head = [cell.strip().lower() for cell in table[0]]
    if "hz" not in head or not set(head) <= set(COLUMNS):
        raise EntryError(
            tr("{name}:1: the first line names the columns {columns}.", name=name, columns=",".join(COLUMNS))
        )
    made = []
    for n, cells in enumerate(table[1:], 2):
        if len(cells) != len(head):
            raise EntryError(
                tr(
                    "{name}:{n}: {have} cells where the first line has {want}.",
                    name=name,
                    n=n,
                    have=len(cells),
                    want=len(head),
                )
            )
        row = dict(zip(head, (c.strip() for c in cells), strict=True))
        made.append(Typed(*(row.get(c, "") for c in COLUMNS)))
    return made


def counted(sheet: Sheet, typed: Sequence[Typed], u_hz: float = USUAL_U_HZ) -> list[Counted]:
    """Readings as the model takes them. Raises EntryError naming the row, what is wrong with it and the cure."""
    made = []
    for n, t in enumerate(typed, 1):
        try:
            made.append(counted_one(sheet, t, u_hz))
        except UnitoneError as error:
            raise EntryError(tr("row {n}: {error}", n=n, error=str(error))) from None
    return made


def counted_one(sheet: Sheet, t: Typed, u_hz: float = USUAL_U_HZ) -> Counted:
    """One reading as the model takes it. Raises EntryError saying what is wrong with it and the cure."""
    way: Way = "receive" if t.way.strip().lower() in ("receive", "rx", "r") else "transmit"
    if t.way.strip() and t.way.strip().lower() not in ("receive", "rx", "r", "transmit", "send", "tx", "s", "t"):
        raise EntryError(tr("“{way}” is neither transmit nor receive", way=t.way))
    place = Place(way, t.band or None, t.mode.lower() or None, t.channel or None)
    point = point_at(sheet, place, t.point.strip())
    hz = parse_si(t.hz, "Hz")
    for scale, unit in ((1.0, ""), (1e3, "kHz"), (1e6, "MHz")):
        if abs(hz * scale - point.hz) <= _FAR * point.hz:
            if scale == 1.0:
                return Counted(point, hz - point.hz, u_hz)
            raise EntryError(tr("{hz} looks like {unit}: write {hz} {unit}, or whole Hz", hz=t.hz, unit=unit))
    raise EntryError(
        tr(
            "{hz} Hz is more than 0.05 % off {nominal} MHz: is it another channel, or a harmonic?",
            hz=f"{hz:.0f}",
            nominal=f"{point.hz / 1e6:.6f}",
        )
    )


@dataclass(frozen=True)
class Traced:
    """What is said of a radio's oscillators: sentences, and the data they are made of."""

    found: Attribution
    headline: str
    named: tuple[str, ...]
    cannot_tell: tuple[str, ...]
    following: str
    suspect: str


def trace(
    sheet: Sheet, readings: Sequence[Counted], timebase_ppm: float = TIMEBASE_PPM, with_move: bool = True
) -> Traced:
    """Trace readings, and say it; ``timebase_ppm``: how far the counter may be (standard); ``with_move``: which trimmer to turn is said.

    Raises SheetError for a sheet without a mixing model.
    """
    found = attribute(sources(sheet), readings, candidates(sheet), timebase_ppm)
    touched = {name for r in readings for name, times in r.point.terms if times} | {
        r.point.direct for r in readings if r.point.direct
    }
    # Of an oscillator that no reading touches nothing is known: it is neither named nor among those that it may be.
    whole = found
    found = replace(found, judged=tuple(j for j in found.judged if j.source.id in touched))
    named = tuple(_named(j, with_move) for j in found.named)
    following = (
        ""
        if found.following is None
        else tr("read {point} next ({mhz} MHz)", point=found.following.label, mhz=f"{found.following.hz / 1e6:.6f}")
    )
    suspect = ""
    if found.suspect is not None:
        label = readings[found.suspect].point.label
        suspect = tr("reading {n}, {label}, does not fit the others: read it again", n=found.suspect + 1, label=label)
    alike = _all_alike([a for a in found.alike if _matters(a, whole)]) if readings else ()
    if abs(found.timebase_ppm) > 3.0 * max(found.timebase_std_ppm, 0.2) and abs(found.timebase_ppm) > 1.0:
        named = (
            *named,
            tr(
                "all readings are off by the same ppm: the counter is {ppm} ppm fast", ppm=number(found.timebase_ppm, 1)
            ),
        )
    return Traced(found, _headline(found, readings, named, with_move), named, alike, following, suspect)


def _headline(found: Attribution, readings: Sequence[Counted], named: Sequence[str], with_move: bool) -> str:
    if not readings:
        return tr("No reading yet.")
    if all(abs(r.error_hz) <= LEAVE_HZ for r in readings) and not found.named:
        return tr("Well in spec: leave it alone.")
    if found.named:
        left = ", ".join(j.source.id for j in found.open)
        return named[0] + (tr(". Not decided: {names}", names=left) if left else "")
    known = [j for j in found.open if j.std_hz <= FINE_HZ]
    if found.open and len(known) == len(found.open):
        # Each of them was as good as counted by itself: how far off it is is known, if not whether that is a fault.
        worst = max(known, key=lambda j: abs(j.error_hz))
        return (
            _named(worst, with_move)
            if abs(worst.error_hz) > LEAVE_HZ
            else tr("All oscillators are within normal tolerance.")
        )
    if found.open:
        names = ", ".join(j.source.id for j in found.open)
        if found.timebase_std_ppm > _DOUBTED_PPM:
            names += tr(", or the counter itself")
        return tr("Not decided by these readings: {names}.", names=names)
    return tr("All oscillators are within normal tolerance.")


def _named(j: Judged, with_move: bool) -> str:
    high = tr("high") if j.error_hz > 0 else tr("low")
    words = tr(
        "{id} is {hz} Hz {high} (± {u}): the counter shows {now} MHz at its test point, and should show {nominal}",
        id=j.source.id, hz=number(abs(j.error_hz), 0), high=high, u=number(2 * j.std_hz, 0), now=f"{(j.source.nominal_hz + j.error_hz) / 1e6:.6f}",
        nominal=f"{j.source.nominal_hz / 1e6:.6f}",
    )  # fmt: skip
    if not j.source.trim:
        return words + tr("; it has no trimmer")
    return words + tr("; turn {trim}", trim=j.source.trim) if with_move else words


def _matters(alike: tuple[tuple[str, int], ...], found: Attribution) -> bool:
    """Does something that cannot be told leave an oscillator open?"""
    open_ids = {j.source.id for j in found.open}
    return any(name in open_ids for name, _ in alike)


def _all_alike(found: Sequence[tuple[tuple[str, int], ...]]) -> tuple[str, ...]:
    """What cannot be told, in words; oscillators that no reading speaks of are named together."""
    unread = [a[0][0] for a in found if len(a) == 1]
    words = [_alike(a) for a in found if len(a) > 1]
    if unread:
        words.append(tr("no reading yet for {names}", names=", ".join(unread)))
    return tuple(words)


def _alike(alike: tuple[tuple[str, int], ...]) -> str:
    names = [name if name != "timebase" else tr("the counter's timebase") for name, _ in alike]
    sizes = [abs(k) for _, k in alike]
    if len(alike) == 2 and sizes[0] == sizes[1]:
        same = (alike[0][1] > 0) == (alike[1][1] > 0)
        way = tr("the other way") if same else tr("the same way")
        return tr("{a} or {b}: an error {way} in either gives these readings", a=names[0], b=names[1], way=way)
    return tr("these readings do not separate {names}", names=", ".join(names))


def to_data(traced: Traced) -> dict[str, Any]:
    """As plain data, in the keys that the command line promises."""
    following = traced.found.following
    return {
        "oscillators": [
            {
                "id": j.source.id,
                "error_hz": round(j.error_hz, 1),
                "std_hz": round(j.std_hz, 1),
                "off": round(j.p_off, 3),
                "trim": j.source.trim,
            }
            for j in traced.found.judged
        ],
        "named": [j.source.id for j in traced.found.named],
        "timebase_ppm": round(traced.found.timebase_ppm, 3),
        "cannot_tell": list(traced.cannot_tell),
        "next": None if following is None else {"point": following.label, "hz": round(following.hz, 3)},
        "suspect_reading": None if traced.found.suspect is None else traced.found.suspect + 1,
        "words": traced.headline,
    }


#: What a counter reads: at steps of these the oscillators are spoken of.
COUNTED = ("tx.frequency_error", "ref.frequency", "osc.frequency", "rx.lo_error")


def point_of(sheet: Sheet, quantity_id: str, c: Conditions, hz: float | None = None) -> Point | None:
    """The point of the mixing model that a reading of a quantity under conditions counts; ``hz``: about what is shown there.

    None where the model does not know it. Raises UnitoneError for a place that the sheet does not have.
    """
    if quantity_id == "tx.frequency_error":
        return point_at(sheet, Place("transmit", c.band, c.mode, c.channel), "")
    if quantity_id == "rx.lo_error":
        return point_at(sheet, Place("receive", c.band, c.mode, c.channel), "")
    known = oscillator_counted(sheet, c, hz)
    return None if known is None else point_at(sheet, Place("transmit"), known.id)


def readings_of(state: JobState, before: int | None = None) -> list[Counted]:
    """The frequency readings of a job that still stand: the latest of each place, none from before something that reaches it was
    touched, and none with a clarifier away from its middle. ``before``: those that stood before that entry, whatever came after."""
    found = sorted((x for q in COUNTED for x in _standing(state, q, before)), key=lambda x: x[0])
    return list({counted.point.label: counted for _, counted in found}.values())


def _standing(state: JobState, quantity_id: str, before: int | None) -> list[tuple[int, Counted]]:
    """The last count of each place that still stands (that stood before an entry), with its entry's number."""
    floor_of = by_conditions(lambda c: state.last_reached(quantity_id, c))
    away = by_conditions(shifted)
    done: dict[int, int | None] = {}
    found: list[tuple[int, Counted]] = []
    for x in reversed(state.read_of(quantity_id)):
        r = x.reading
        # By the object: the same conditions come again and again, and are made once each.
        if id(r.conditions) in done:
            _seen_twice(state, r, x.seq > floor_of(r.conditions), done, found)
            continue
        if before is not None and x.seq >= before:
            continue
        if r.value is None or r.bound or away(r.conditions) or (before is None and x.seq <= floor_of(r.conditions)):
            continue
        counted = _count_of(state, r)
        if counted is not None:
            done[id(r.conditions)] = len(found)
            found.append((x.seq, counted))
    return found


def _seen_twice(
    state: JobState, r: Reading, standing: bool, done: dict[int, int | None], found: list[tuple[int, Counted]]
) -> None:
    """Mark a count whose last reading but one, with nothing touched between, was the same: it is no slip."""
    at = done[id(r.conditions)]
    done[id(r.conditions)] = None
    if at is None or not standing:
        return
    earlier, (seq, counted) = _count_of(state, r), found[at]
    if earlier is not None and abs(earlier.error_hz - counted.error_hz) < LEAVE_HZ:
        found[at] = (seq, replace(counted, twice=True))


def _count_of(state: JobState, r: Reading) -> Counted | None:
    """A frequency reading as a count of its point; None for what no oscillator of the sheet can make."""
    if r.value is None:
        return None
    try:
        point = point_of(state.sheet, r.quantity_id, r.conditions, r.value)
    except (UnitoneError, ValueError):
        return None
    if point is None:
        return None
    error = r.value if r.quantity_id.endswith("error") else r.value - point.hz
    return Counted(point, error, max(r.std or 0.0, _COUNT_HZ)) if abs(error) <= _FAR * point.hz else None


#: Controls that shift a frequency, by the words that their names hold, and the positions that do not.
_SHIFTERS, _MIDDLE = ("clarifier", "shift", "fine"), ("0 %", "middle", "off", "0")


def is_shifter(control: str) -> bool:
    """Is a control of that name one that shifts a frequency?"""
    return any(w in control.lower() for w in _SHIFTERS)


def shifted(conditions: Conditions) -> bool:
    """Does a clarifier or shift switch stand away from its middle, or is it what the count is about?

    On receive a clarifier has a middle of its own, which is set: a count that names it tells of that, not of the crystals.
    """
    named = [at for name, at in conditions.panel if is_shifter(name)]
    return any(at not in _MIDDLE for at in named) or (bool(named) and conditions.way == "receive")


def describe_oscillator(state: JobState, step: Step, with_move: bool = True) -> str:
    """What the job's readings say of its oscillators, at a step that counts a frequency; empty elsewhere, and with nothing to say.

    ``with_move``: which trimmer to turn is said, too.
    """
    if step.quantity_id not in COUNTED or not state.sheet.mixing or not state.sheet.oscillators:
        return ""
    if step.aim == "level":
        # One trimmer for several crystals: what matters is the best compromise.
        return ""
    readings = readings_of(state)
    if not readings:
        return ""
    said = trace(state.sheet, readings, timebase_of(state), with_move)
    ids = {o.id for o in state.sheet.oscillators}

    def begun(words: str) -> str:
        # An oscillator's name stays as the sheet writes it.
        return words if words.split(" ", 1)[0] in ids else words[:1].upper() + words[1:]

    return " ".join(begun(w).rstrip(".") + "." for w in (said.headline, said.suspect, said.following) if w)


def timebase_of(state: JobState) -> float:
    """How far this bench's counter may be (ppm, standard): as found or calibrated, else a usual one.

    The simulated radio bench's counter runs from a standard.
    """
    if state.card.simulated_seed is not None:
        return _SIMULATED_PPM
    for instrument in state.instruments:
        if any(instrument.serves(q) for q in COUNTED):
            if instrument.found_u_ppm is not None:
                return max(instrument.found_u_ppm, _LEAST_PPM)
            if instrument.ppm is not None and instrument.standing == "calibrated":
                return max(instrument.ppm / math.sqrt(3.0), _LEAST_PPM)
    return TIMEBASE_PPM


@dataclass(frozen=True)
class PathBox:
    """A box of the drawn path: an oscillator or an output, with its frequency as it is read."""

    id: str
    mhz: str


@dataclass(frozen=True)
class FrequencyPath:
    """How a channel is made: oscillators, outputs, which goes into which how many times, and what else is heard there."""

    oscillators: tuple[PathBox, ...]
    outputs: tuple[PathBox, ...]
    joins: tuple[tuple[str, str, str], ...]
    words: tuple[str, ...]


def _mhz(hz: float) -> str:
    return f"{hz / 1e6:.6f} MHz"


def frequency_path(sheet: Sheet, band: str | None, mode: str | None, channel: str) -> FrequencyPath:
    """The path from the crystals to the aerial and back, send and receive, on a channel. Raises SheetError for a sheet that does not say."""
    sources(sheet)
    made = [
        *outputs(sheet, Place("receive", band, mode, channel)),
        *outputs(sheet, Place("transmit", band, mode, channel)),
    ]
    if not made:
        raise SheetError(
            [
                tr(
                    "{title}: no mixing line speaks of channel {channel}. Add one for it under [[mixing]].",
                    title=sheet.title,
                    channel=channel,
                )
            ]
        )
    # What goes into the mixers and to the aerial, and the VCO; sums on the way are in the fractions already.
    ends = {m.output: m for m in made if m.output.partition(".")[0] in ("tx", "rx") or m.output == "vco"}
    if "vco" in ends and any(m.terms == ends["vco"].terms for name, m in ends.items() if name != "vco"):
        # The VCO is itself the receiver's oscillator, or the carrier.
        del ends["vco"]
    made = list(ends.values()) or made
    used = {name for m in made for name, _ in m.terms}
    joins = []
    for m in made:
        for name, times in m.terms:
            # A Fraction prints a whole number without its denominator.
            joins.append((name, m.output, "" if times == 1 else f"× {times}".replace("-", MINUS)))
    words = []
    carrier = sheet.carrier_hz(channel, band)
    sent = next((m for m in made if m.output == "tx.carrier"), None)
    if sent is not None and abs(float(sent.hz) - carrier) > 100.0:
        words.append(
            tr(
                "The mixing lines give {made}, the channel is {carrier}: check them.",
                made=_mhz(float(sent.hz)),
                carrier=_mhz(carrier),
            )
        )
    seen = spots(sheet, Place("receive", band, mode, channel))
    if seen is not None:
        first, image, half = (_mhz(x) for x in (seen.intermediate_hz, seen.image_hz, seen.half_if_hz))
        words.append(tr("First IF {f}; image at {image}, half-IF at {half}", f=first, image=image, half=half))
    boxes = tuple(PathBox(o.id, _mhz(o.nominal_hz)) for o in sheet.oscillators if o.id in used)
    return FrequencyPath(boxes, tuple(PathBox(m.output, _mhz(float(m.hz))) for m in made), tuple(joins), tuple(words))
