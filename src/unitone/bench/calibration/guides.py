"""Guided calibrations of My bench, as data: what is needed, what to do, what to type, and what comes of it."""

from __future__ import annotations

import datetime
import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from unitone.bench.calibration.arithmetic import (
    SAME_U_DB,
    Alike,
    counter_ppm,
    full_scale_v,
    generator_steps,
    leakage,
    level_error_db,
    solve_pads,
    wattmeter_pct,
    watts_of,
)
from unitone.bench.instruments import Instrument
from unitone.bench.mybench import STALE_DAYS, Calibration, Kind, MyBench
from unitone.bench.second_radio import clock_hours, side_of
from unitone.errors import EntryError, UnitoneError
from unitone.quantities.entry import parse_si
from unitone.quantities.show import number
from unitone.radio.levels import parse_level
from unitone.words import N_, tr, translated

Typed = Mapping[str, str]
Rows = Sequence[tuple[str, str]]


@translated("words", "hint", "choices")
@dataclass(frozen=True)
class GuideAsk:
    """One field of a guide: its key, words, example; ``what`` fills a choice (counter, wattmeter, input, output, or fixed choices)."""

    key: str
    words: str
    hint: str = ""
    what: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    usual: str = ""


@translated("title", "needs", "steps", "rows", "caution")
@dataclass(frozen=True)
class Guide:
    """One calibration. ``rows``: the headings of a small table, where it has one; ``caution`` stands above the fields."""

    kind: Kind
    title: str
    needs: str
    steps: tuple[str, ...]
    asks: tuple[GuideAsk, ...]
    rows: tuple[str, str] | None = None
    row_count: int = 0
    caution: str = ""


@dataclass(frozen=True)
class Concluded:
    """What a calibration says, before it is kept: the sentence, its target, its data, and what to mind."""

    words: str
    target: str
    data: dict[str, Any]
    mind: str = ""


#: Nearer to each other two places of a knob say little; and what an hour of a clarifier may tune (Hz).
_LEAST_HOURS, _LEAST_RATE_HZ, _MOST_RATE_HZ = 1.0, 10.0, 5000.0
_SAME = GuideAsk("same", N_("Repeatability, dB"), "0.2", usual="0.2")
_ALIKE = (N_("Pads in line (A + B, or none)"), N_("Level dialled"))
_VOLTS_LIMIT = GuideAsk("pct", N_("Meter accuracy, ± %"), "3", usual="3")

GUIDES: tuple[Guide, ...] = (
    Guide(
        "pads", N_("Pad against pad"), N_("generator, working receiver, pads"),
        (
            N_("Pick a level that the reading follows well: 10 to 14 dB SINAD, or mid S-meter."),
            N_("With one pad in line, dial up to that reading. Note pad and dial."),
            N_("Swap the pad, then use both, then none. Dial to the same reading each time."),
        ),
        (_SAME,), _ALIKE, 6,
    ),
    Guide(
        "generator", N_("Generator's level against a scope or meter"), N_("50 Ω at a scope or meter that works at that frequency"),
        (N_("Set a strong level into 50 Ω: 0 dBm if it can."), N_("Read the volts rms across the 50 Ω.")),
        (
            GuideAsk("dial", N_("Dialled"), "0 dBm"), GuideAsk("volts", N_("Volts rms"), "224 mV"), GuideAsk("ohm", N_("Load, Ω"), "50", usual="50"),
            _VOLTS_LIMIT,
        ),
    ),
    Guide(
        "steps", N_("Generator's steps against the pads"), N_("the pads, calibrated first if possible"),
        (
            N_("Dial to a reading with a pad in line. Take the pad out, and dial down to the same reading."),
            N_("Repeat down the dial, 10 or 20 dB at a time."),
        ),
        (_SAME,), _ALIKE, 6,
    ),
    Guide(
        "leak", N_("Generator leakage"), N_("20 dB more pads than usual, at least"),
        (
            N_("Dial to a reading at a weak level, the radio in its usual place."),
            N_("Add 20 dB of pads and dial up to the same reading. With leakage, less than 20 dB is needed."),
        ),
        (_SAME,), _ALIKE, 2,
    ),
    Guide(
        "counter", N_("Counter against a standard"), N_("a broadcast carrier of known frequency, or a source locked to satellites"),
        (N_("Warm the counter up for half an hour."), N_("Count the standard, with the longest gate.")),
        (
            GuideAsk("target", N_("Counter"), what="counter"), GuideAsk("true", N_("Standard"), "10 MHz"),
            GuideAsk("shown", N_("Counter reading"), "10.000012 MHz"), GuideAsk("step", N_("Counter resolution"), "1 Hz", usual="1 Hz"),
            GuideAsk("ppm", N_("Standard accuracy, ± ppm"), "0.01", usual="0.01"),
        ),
    ),
    Guide(
        "wattmeter", N_("Wattmeter against volts on the dummy load"), N_("a scope with a ×10 probe (its factor set), the dummy load"),
        (N_("Connect wattmeter and dummy load to the radio. Probe across the load."), N_("Key, no modulation. Read watts and volts, let go.")),
        (
            GuideAsk("target", N_("Wattmeter"), what="wattmeter"), GuideAsk("shown", N_("It shows"), "4 W"), GuideAsk("volts", N_("Volts"), "40 V"),
            GuideAsk("kind", N_("Volts measured as"), choices=(("pp", N_("peak to peak")), ("p", N_("peak")), ("rms", N_("rms")))),
            GuideAsk("ohm", N_("Load, Ω"), "50", usual="50"), _VOLTS_LIMIT, GuideAsk("load", N_("Load accuracy, ± %"), "2", usual="2"),
        ),
        caution=N_("RF burns, the load gets hot: key into the dummy load only, generator disconnected."),
    ),
    Guide(
        "input", N_("Sound card's input against a meter"), N_("a steady tone near 1 kHz, a meter accurate at 1 kHz"),
        (
            N_("Feed the tone to input and meter together. Set the recording level and leave it there."),
            N_("Listen, and type what the meter reads."),
        ),
        (
            GuideAsk("target", N_("Input"), what="input"), GuideAsk("dbfs", N_("Tone level, dBFS"), "-14.2"),
            GuideAsk("volts", N_("Meter reading, rms"), "350 mV"), _VOLTS_LIMIT,
        ),
    ),
    Guide(
        "clock", N_("Sound card's clock against a known tone"), N_("a tone of known frequency, such as a counter's or a locked source's"),
        (N_("In Meters, Frequency: average 10 s, clock error 0 ppm. Note the reading."),),
        (
            GuideAsk("target", N_("Input"), what="input"), GuideAsk("shown", N_("Counted"), "1000.012 Hz"),
            GuideAsk("true", N_("True frequency"), "1 kHz"),
            GuideAsk("ppm", N_("Accuracy, ± ppm"), "1", usual="1"),
        ),
    ),
    Guide(
        "output", N_("Sound card's output against a meter"), N_("a meter accurate at 1 kHz, and the usual load"),
        (
            N_("In Meters, Tones out: 1 kHz. Note the level. Set the system volume and leave it there."),
            N_("Read the volts at the output."),
        ),
        (
            GuideAsk("target", N_("Output"), what="output"), GuideAsk("dbfs", N_("Tone level sent, dBFS"), "-20", usual="-20"),
            GuideAsk("volts", N_("Meter reading, rms"), "100 mV"), _VOLTS_LIMIT,
        ),
    ),
    Guide(
        "clarifier", N_("Second radio's clarifier by its hours"), N_("the second radio, and a steady carrier beside its channel"),
        (
            N_("Tune the second radio to the carrier, in one sideband, to about 1 kHz of pitch."),
            N_("Clarifier to one place, then to another. Count the pitch at each: Meters, Frequency."),
        ),
        (
            GuideAsk("one", N_("First place"), "10:00"), GuideAsk("one_hz", N_("First pitch"), "1350 Hz"),
            GuideAsk("other", N_("Second place"), "2:00"), GuideAsk("other_hz", N_("Second pitch"), "850 Hz"),
            GuideAsk("side", N_("Sideband"), choices=(("usb", "USB"), ("lsb", "LSB"))),
        ),
    ),
)  # fmt: skip


def guide(kind: str) -> Guide:
    """The guide of that kind. Raises KeyError."""
    return next(g for g in GUIDES if g.kind == kind)


def targets(what: str, instruments: Sequence[Instrument]) -> tuple[tuple[str, str], ...]:
    """The instruments that a guide can calibrate: id and name."""
    serves = {
        "counter": ("tx.frequency_error", "ref.frequency", "osc.frequency"),
        "wattmeter": ("tx.power", "tx.pep"),
    }.get(what, ())
    return tuple((i.id, i.name) for i in instruments if any(i.serves(q) for q in serves))


def _value(typed: Typed, key: str, unit: str, words: str) -> float:
    text = typed.get(key, "").strip()
    if not text:
        raise EntryError(tr("Missing: {what}.", what=words))
    return parse_si(text, unit)


def _plain(typed: Typed, key: str, words: str) -> float:
    text = typed.get(key, "").strip().replace("−", "-").replace(",", ".")
    for unit in ("dBFS", "dB", "ppm", "%", "ohm", "Ω"):
        text = text.removesuffix(unit).strip()
    if not text:
        raise EntryError(tr("Missing: {what}.", what=words))
    try:
        value = float(text)
    except ValueError:
        value = math.nan
    if not math.isfinite(value):
        raise EntryError(tr("“{text}” is not a number: {what}.", text=typed.get(key, "").strip(), what=words))
    return value


def _level(text: str) -> float:
    """A dialled level in dBm; a bare number is dBm already. Raises EntryError."""
    return float(parse_level(text if any(c.isalpha() for c in text) else f"{text.strip()} dBm"))


def _alike(rows: Rows, bench: MyBench) -> list[Alike]:
    """The rows that were filled in. Raises EntryError for half a row or an unknown pad."""
    made = []
    names = {p.name.lower(): p.name for p in bench.pads}
    for n, (pads, dialled) in enumerate(rows, 1):
        if not pads.strip() and not dialled.strip():
            continue
        if not dialled.strip():
            raise EntryError(tr("Row {n}: what was dialled?", n=n))
        wanted = [
            p.strip()
            for p in pads.replace(",", "+").split("+")
            if p.strip() and p.strip().lower() not in ("none", "0", "-", tr("none"))
        ]
        missing = [p for p in wanted if p.lower() not in names]
        if missing:
            have = ", ".join(names.values()) or tr("none yet")
            raise EntryError(
                tr(
                    "Row {n}: there is no pad “{name}” on this bench. There are: {have}.",
                    n=n,
                    name=missing[0],
                    have=have,
                )
            )
        try:
            level = _level(dialled)
        except UnitoneError as error:
            raise EntryError(tr("Row {n}: {error}", n=n, error=str(error))) from None
        made.append(Alike(level, tuple(names[p.lower()] for p in wanted)))
    return made


def _same(typed: Typed) -> float:
    value = _plain(typed, "same", tr("repeatability")) if typed.get("same", "").strip() else SAME_U_DB
    if not 0.01 <= value <= 5:
        raise EntryError(tr("Repeatability lies between 0.01 and 5 dB."))
    return value


def _pads(typed: Typed, rows: Rows, bench: MyBench) -> Concluded:
    marked = {p.name: p.marked_db for p in bench.pads}
    if not marked:
        raise EntryError(tr("Enter your pads first, on the left, like A 20; B 20."))
    alike = _alike(rows, bench)
    found, odd = solve_pads(alike, marked, _same(typed))
    # A pad that stood in no row, or in every one alike, was not measured: its mark stays.
    moved = {n: f for n, f in found.items() if len({a.pads.count(n) for a in alike}) > 1}
    words = "; ".join(
        tr(
            "{name}: {db} dB ± {u} (marked {mark})",
            name=n,
            db=number(f.value, 2),
            u=number(2 * f.u, 2),
            mark=f"{marked[n]:g}",
        )
        for n, f in moved.items()
    )
    old = bench.latest("pads")
    kept = dict(old.data["pads"]) if old is not None else {}
    return Concluded(words + ".", "", {"pads": kept | {n: [f.value, f.u, marked[n]] for n, f in moved.items()}}, odd)


def _generator(typed: Typed, rows: Rows, bench: MyBench) -> Concluded:
    del rows, bench
    if not typed.get("dial", "").strip():
        raise EntryError(tr("Missing: {what}.", what=tr("what was dialled")))
    level = _level(typed["dial"])
    volts, ohm = _value(typed, "volts", "V", tr("volts rms")), _plain(typed, "ohm", tr("the load"))
    found = level_error_db(volts, ohm, level, _plain(typed, "pct", tr("the meter's limits")))
    words = tr(
        "It gives {db} dB ± {u} more than it shows.", db=number(found.value, 2, sign=True), u=number(2 * found.u, 2)
    )
    return Concluded(words, "", {"add_db": round(found.value, 3), "u": round(found.u, 3)})


def _steps(typed: Typed, rows: Rows, bench: MyBench) -> Concluded:
    made = generator_steps(_alike(rows, bench), bench.true_pads, _same(typed))
    words = "; ".join(
        tr("at {dial} dBm: {db} dB ± {u}", dial=number(d, 1), db=number(e, 2, sign=True), u=number(2 * u, 2))
        for d, e, u in made
    )
    worst = max(made, key=lambda s: abs(s[1]) / max(s[2], 1e-9))
    mind = tr("All steps agree within their uncertainty.") if abs(worst[1]) <= 2 * worst[2] else ""
    return Concluded(
        tr("Output minus dial: {list}.", list=words),
        "",
        {"steps": [[round(x, 3) for x in s] for s in made]},
        mind,
    )


def _leak(typed: Typed, rows: Rows, bench: MyBench) -> Concluded:
    alike = _alike(rows, bench)
    if len(alike) != 2:
        raise EntryError(tr("Two rows: the usual pads, and 20 dB more."))
    true = bench.true_pads
    ends = [(a.dial_dbm, sum(true[n].value for n in a.pads)) for a in alike]
    found = leakage(ends[0], ends[1], _same(typed))
    return Concluded(found.words, "", {"isolation_db": round(found.isolation_db, 1), "at_least": found.at_least})


def _counter(typed: Typed, rows: Rows, bench: MyBench) -> Concluded:
    del rows, bench
    true, shown = (
        _value(typed, "true", "Hz", tr("standard")),
        _value(typed, "shown", "Hz", tr("counter reading")),
    )
    found = counter_ppm(
        shown,
        true,
        _value(typed, "step", "Hz", tr("counter resolution")),
        _plain(typed, "ppm", tr("standard accuracy")),
    )
    words = tr("It reads {ppm} ppm ± {u} high: at 27 MHz {hz} Hz.", ppm=number(found.value, 3, sign=True), u=number(2 * found.u, 3),
               hz=number(27.0 * found.value, 1, sign=True))  # fmt: skip
    return Concluded(words, _target(typed, tr("counter")), {"ppm": found.value, "u": found.u})


def _wattmeter(typed: Typed, rows: Rows, bench: MyBench) -> Concluded:
    del rows, bench
    shown, volts = (
        _value(typed, "shown", "W", tr("wattmeter reading")),
        _value(typed, "volts", "V", tr("the volts")),
    )
    true = watts_of(volts, typed.get("kind") or "pp", _plain(typed, "ohm", tr("the load")))
    found = wattmeter_pct(
        shown, true, _plain(typed, "pct", tr("the meter's limits")), _plain(typed, "load", tr("the load's limits"))
    )
    words = tr("By voltage {true} W: the meter reads {pct} % ± {u} high.", true=number(true, 2), pct=number(found.value, 1, sign=True),
               u=number(2 * found.u, 1))  # fmt: skip
    return Concluded(words, _target(typed, tr("wattmeter")), {"pct": round(found.value, 3), "u": round(found.u, 3)})


def _scale(typed: Typed, rows: Rows, bench: MyBench) -> Concluded:
    del rows, bench
    seen = _plain(typed, "dbfs", tr("tone level"))
    found = full_scale_v(
        _value(typed, "volts", "V", tr("meter reading")), seen, _plain(typed, "pct", tr("the meter's limits"))
    )
    words = tr("0 dBFS is {v} V rms ± {u}.", v=number(found.value, 3), u=number(2 * found.u, 3))
    return Concluded(words, _target(typed, tr("input or output")), {"full_scale_v": found.value, "u_v": found.u})


def _clock(typed: Typed, rows: Rows, bench: MyBench) -> Concluded:
    del rows, bench
    true, shown = (
        _value(typed, "true", "Hz", tr("true frequency")),
        _value(typed, "shown", "Hz", tr("counted frequency")),
    )
    found = counter_ppm(shown, true, 1e-3, _plain(typed, "ppm", tr("standard accuracy")))
    # A clock that runs fast takes more samples a second: the tone seems slow.
    fast = -found.value
    words = tr("Its clock runs {ppm} ppm ± {u} fast.", ppm=number(fast, 2, sign=True), u=number(2 * found.u, 2))
    return Concluded(words, _target(typed, tr("input")), {"ppm": round(fast, 3), "u_ppm": round(found.u, 3)})


def _clarifier(typed: Typed, rows: Rows, bench: MyBench) -> Concluded:
    """Heard through a sideband, a carrier's pitch falls in USB as the receiver is tuned up, and rises in LSB."""
    del rows, bench
    hours = []
    for key, words in (("one", tr("first place")), ("other", tr("second place"))):
        at = clock_hours(typed.get(key, ""))
        if at is None:
            raise EntryError(tr("{what}: write it as on a clock, like 10:00 or 1:30.", what=words))
        hours.append(at)
    pitch = [_value(typed, key, "Hz", tr("pitch")) for key in ("one_hz", "other_hz")]
    if abs(hours[1] - hours[0]) < _LEAST_HOURS:
        raise EntryError(tr("The two places are too near to each other: an hour apart at least."))
    rate = side_of(typed.get("side") or "usb") * (pitch[0] - pitch[1]) / (hours[1] - hours[0])
    if not _LEAST_RATE_HZ <= abs(rate) <= _MOST_RATE_HZ:
        raise EntryError(tr("{hz} Hz an hour cannot be a clarifier. Check both pitches.", hz=number(rate, 0)))
    words = tr("An hour clockwise tunes it {hz} Hz.", hz=number(rate, 0, sign=True))
    return Concluded(words, "", {"hz_per_hour": round(rate, 2)})


def _target(typed: Typed, what: str) -> str:
    target = typed.get("target", "").strip()
    if not target:
        raise EntryError(tr("There is no {what} to calibrate: add one under Instruments, or plug it in.", what=what))
    return target


_CONCLUDE: dict[Kind, Callable[[Typed, Rows, MyBench], Concluded]] = {
    "pads": _pads, "generator": _generator, "steps": _steps, "leak": _leak, "counter": _counter, "wattmeter": _wattmeter, "input": _scale,
    "clock": _clock, "output": _scale, "clarifier": _clarifier,
}  # fmt: skip


def conclude(kind: Kind, typed: Typed, rows: Rows, bench: MyBench) -> Concluded:
    """What the typed figures say. Raises UnitoneError: what is still missing, or cannot be."""
    return _CONCLUDE[kind](typed, rows, bench)


def kept(kind: Kind, concluded: Concluded, identifier: str, today: datetime.date) -> Calibration:
    """A conclusion as it is kept."""
    return Calibration(identifier, kind, concluded.target, today.isoformat(), concluded.words, concluded.data)


@dataclass(frozen=True)
class KnownRow:
    """One line of what is known: a verdict's word for its shape, title, words, and the calibration that can be voided."""

    kind: Kind
    mark: str
    title: str
    words: str
    voided_id: str = ""


def known_rows(bench: MyBench, names: Mapping[str, str], today: datetime.date) -> list[KnownRow]:
    """Everything that can be calibrated, in the guides' order: what stands, how old it is, or that it was never done."""
    made = []
    for g in GUIDES:
        found = [c for c in bench.calibrations if c.kind == g.kind and not c.voided]
        latest = {c.target: c for c in found}
        if not latest:
            made.append(KnownRow(g.kind, "todo", g.title, tr("not calibrated: marked value used")))
        for target, c in latest.items():
            age = (today - datetime.date.fromisoformat(c.date)).days
            old = age > STALE_DAYS
            title = g.title if not target else f"{g.title}: {names.get(target, target)}"
            words = f"{c.words} {c.date}" + (tr(", over a year old: do it again") if old else "")
            made.append(KnownRow(g.kind, "recheck" if old else "in_spec", title, words, c.id))
    return made
