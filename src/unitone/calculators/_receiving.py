"""Calculators of the receive side: two sets on one generator, and which level lights which lamp of a meter."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from typing import Any

from unitone.calculators.calculator import LEVELS, RECEIVE, Answer, Calculator, Given
from unitone.errors import EntryError
from unitone.quantities.entry import parse_entry, parse_si
from unitone.quantities.show import microvolts, number
from unitone.radio.levels import EMF_DB, S9_BELOW_30_MHZ, mark_db, parse_level
from unitone.sheet.conventions.questions import S9_DB
from unitone.words import N_, tr

#: What each way loses (dB): three equal resistors of a third of the impedance; a hybrid's half; two sets hung on a plain T.
#: A T shows the generator half its load: V = EMF/3 instead of EMF/2.
_STAR_DB, _HYBRID_DB, _TEE_DB = 20.0 * math.log10(2.0), 10.0 * math.log10(2.0), 20.0 * math.log10(1.5)


def _splitter(v: Mapping[str, Any]) -> list[Answer]:
    lost = {"star": _STAR_DB, "hybrid": _HYBRID_DB, "tee": _TEE_DB}[v["kind"]] + v["excess"]
    if v["excess"] < 0.0:
        raise EntryError(tr("Excess loss is zero or more: data-sheet loss minus ideal loss."))
    arrives = parse_level(v["level"]) - lost
    better = v["a"] and v["b"]
    answers = [
        Answer("loss_db", tr("loss each way"), f"{number(lost, 2)} dB", lost),
        Answer("arrives_dbm", tr("at each radio"), f"{microvolts(arrives)} PD, {number(arrives, 1)} dBm", arrives),
        Answer("pad_db", tr("as a pad of the bench (P)"), f"{number(lost, 1)} dB", lost),
    ]
    if better:
        a, b = parse_level(v["a"]) - lost, parse_level(v["b"]) - lost
        first = tr("the first") if a <= b else tr("the second")
        answers.append(
            Answer("apart_db", tr("more sensitive"), tr("{first}, by {db} dB ({x} against {y})", first=first,
                   db=number(abs(a - b), 1), x=microvolts(min(a, b)), y=microvolts(max(a, b))), abs(a - b))
        )  # fmt: skip
    return answers


def _leds(v: Mapping[str, Any]) -> list[Answer]:
    marks = [m for m in v["marks"].replace(",", " ").split() if m]
    if not marks:
        raise EntryError(tr("Which marks has the meter? Write them like S3 S5 S7 S9 +20."))
    found = [(m, mark_db(m)) for m in marks]
    if any(b[1] <= a[1] for a, b in zip(found, found[1:], strict=False)):
        raise EntryError(tr("Marks must rise from weak to strong: {marks}.", marks=" ".join(marks)))
    s9 = float(S9_BELOW_30_MHZ) + S9_DB[v["s9"]]
    answers = []
    for n, (mark, db) in enumerate(found):
        level = s9 + db
        dark = (
            tr("the next dark up to {level}", level=microvolts(s9 + found[n + 1][1]))
            if n + 1 < len(found)
            else tr("the last")
        )
        words = tr("lights at {pd} PD ({emf} EMF), {dbm} dBm; {dark}", pd=microvolts(level), emf=microvolts(level + EMF_DB),
                   dbm=number(level, 1), dark=dark)  # fmt: skip
        answers.append(Answer(f"mark_{n + 1}", mark, words, level))
    return answers


def _passband(v: Mapping[str, Any]) -> list[Answer]:
    """What a stage passes, from a generator swept by hand: the top, where it is 3 and 6 dB down, and how lopsided it is."""
    places = [parse_si(x, "Hz") for x in _listed(v["frequencies"], "Hz")]
    readings = [
        parse_entry(x, "volts" if v["reads"] == "volts" else "gain-db").value for x in _listed(v["readings"], "")
    ]
    if len(places) != len(readings) or len(places) < 5:
        raise EntryError(
            tr("{n} frequencies and {m} readings: type at least five of each, in the same order.", n=len(places), m=len(readings))
        )  # fmt: skip
    if v["reads"] == "volts" and any(r is None or r <= 0 for r in readings):
        raise EntryError(tr("Zero volts have no decibels. Leave that frequency out."))
    pairs = sorted(zip(places, (float(r or 0.0) for r in readings), strict=True))
    if any(b[0] <= a[0] for a, b in zip(pairs, pairs[1:], strict=False)):
        raise EntryError(tr("One frequency stands there twice. Leave one of them out."))
    hz = [p[0] for p in pairs]
    db = [20.0 * math.log10(r) if v["reads"] == "volts" else r for _, r in pairs]
    top = max(range(len(db)), key=db.__getitem__)
    made = [Answer("top_hz", tr("strongest at"), f"{number(hz[top] / 1e3, 2)} kHz", hz[top])]
    for down in (3.0, 6.0):
        low, high = _falls(hz, db, top, -1, down), _falls(hz, db, top, 1, down)
        key = f"width_{down:g}_hz"
        if low is None or high is None:
            words = tr("not reached: sweep further to that side")
            made.append(Answer(key, tr("{db} dB down", db=f"{down:g}"), words))
            continue
        middle, width = (low + high) / 2, high - low
        words = tr("{low} to {high} kHz: {width} kHz wide, middle {middle}", low=number(low / 1e3, 2), high=number(high / 1e3, 2),
                   width=number(width / 1e3, 2), middle=number(middle / 1e3, 2))  # fmt: skip
        made.append(Answer(key, tr("{db} dB down", db=f"{down:g}"), words, width))
        if down == 3.0:
            made.append(Answer("q", "Q", number(middle / width, 1), middle / width))
    # A hill with two tops is over-coupled, or staggered.
    dip = [n for n in range(1, len(db) - 1) if db[n] < min(max(db[:n]), max(db[n + 1 :])) - _DIP_DB]
    if dip:
        deepest = min(dip, key=db.__getitem__)
        words = tr("a dip of {db} dB at {khz} kHz: over-coupled or staggered", khz=number(hz[deepest] / 1e3, 2),
                   db=number(min(max(db[:deepest]), max(db[deepest + 1 :])) - db[deepest], 1))  # fmt: skip
        made.append(Answer("dip", tr("two tops"), words, hz[deepest]))
    return made


#: A dip this deep (dB) between two tops is one, and no unsteady reading.
_DIP_DB = 0.7


def _listed(text: str, unit: str) -> list[str]:
    """The items of a list; a unit after the last one serves them all."""
    items = [x for x in re.split(r"[;\s]+", text.strip()) if x]
    last = items[-1] if items else ""
    if unit and re.fullmatch(r"[kMG]?Hz", last):
        items = [x if re.search(r"[A-Za-z]", x) else f"{x}{last}" for x in items[:-1]]
    return items


def _falls(hz: list[float], db: list[float], top: int, way: int, down: float) -> float | None:
    """Where the curve is so far down on one side, on the straight line between its readings; None where it never is."""
    wanted, n = db[top] - down, top
    while 0 <= n + way < len(db):
        if db[n + way] <= wanted:
            share = (db[n] - wanted) / (db[n] - db[n + way])
            return hz[n] + share * (hz[n + way] - hz[n])
        n += way
    return None


RECEIVE_CALCULATORS: tuple[Calculator, ...] = (
    Calculator(
        "passband",
        N_("Generator swept by hand: what does a stage pass?"),
        RECEIVE,
        (
            Given("frequencies", N_("Frequencies"), "text", "450 452 454 455 456 458 460 kHz"),
            Given("reads", N_("Readings in"), "text", "", "volts", (("volts", N_("volts")), ("db", N_("decibels")))),
            Given("readings", N_("Readings, in the same order"), "text", "0.21 0.46 0.90 1.02 0.93 0.47 0.22"),
        ),
        _passband,
        "3 dB = 1/√2 of the volts, 6 dB = half; Q = f₀/B₃",
        N_("the generator gives the same at every frequency; AVC is held or its line is what is read"),
    ),
    Calculator(
        "splitter",
        N_("Two radios on one generator: what does each get?"),
        LEVELS,
        (
            Given("level", N_("Generator level after pads"), "text", "1 uV, −100 dBm"),
            Given("kind", N_("Splitter"), "text", "", "star", (
                ("star", N_("three equal resistors")), ("hybrid", N_("a hybrid")), ("tee", N_("a plain T-piece")))),
            Given("excess", N_("Excess loss"), "dB", "0.5", "0", least=0.0, most=60.0),
            Given("a", N_("First radio: level dialled"), "text", "0.5 uV", optional=True),
            Given("b", N_("Second radio: level dialled"), "text", "0.7 uV", optional=True),
        ),
        _splitter,
        "20·lg 2 = 6.0 dB (R = Z/3 in each arm); 10·lg 2 = 3.0 dB; 20·lg 1.5 = 3.5 dB",
        N_("all ports of one impedance; a plain T is not matched, and one radio's oscillator can leak into the other"),
    ),
    Calculator(
        "meter-leds",
        N_("Which level lights which S-meter LED?"),
        RECEIVE,
        (
            Given("marks", N_("Marks, weakest first"), "text", "S1 S3 S5 S7 S9 +10 +30", "S1 S3 S5 S7 S9 +10 +30"),
            Given("s9", N_("S9 is"), "text", "", "iaru", (
                ("iaru", "50 µV PD"), ("100uv-pd", "100 µV PD"), ("50uv-emf", "50 µV EMF"))),
        ),
        _leds,
        "S9 = 50 µV PD = 100 µV EMF, 6 dB a unit (IARU Region 1 R.1)",
        N_("set it so that the S9 LED is just lit and the next one dark"),
    ),
)  # fmt: skip
