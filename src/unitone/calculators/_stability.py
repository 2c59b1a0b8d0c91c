"""Calculators about frequencies that move or stand apart: one trimmer for several crystals, a clarifier's middle, warming up."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from unitone.calculators.calculator import SYNTHESISER, Answer, Calculator, Given
from unitone.errors import EntryError, UnitoneError
from unitone.quantities.entry import parse_si
from unitone.quantities.show import number
from unitone.radio.compromise import compromise, tied
from unitone.radio.drift import drift
from unitone.words import N_, tr, tr_n


def _named(text: str) -> dict[str, float]:
    """``A +120; B -80; C 1940`` as errors by name. Raises EntryError."""
    found: dict[str, float] = {}
    for part in (p.strip() for p in text.split(";")):
        if not part:
            continue
        name, _, value = part.partition(" ")
        try:
            error = parse_si(value.strip(), "Hz")
        except UnitoneError:
            raise EntryError(
                tr("“{part}” is not a channel with its error. Write A +120; B -80; C 1940.", part=part)
            ) from None
        if name in found:
            raise EntryError(tr("{name} is entered twice. Keep one.", name=name))
        found[name] = error
    if not found:
        raise EntryError(tr("Channels with their errors, like A +120; B -80; C 1940."))
    return found


def _shared(v: Mapping[str, Any]) -> list[Answer]:
    errors, times = _named(v["errors"]), v["times"]
    if times <= 0:
        raise EntryError(tr("A crystal is multiplied by 1 or more."))
    found = compromise(errors, v["limit"])
    ties = tied(errors, v["limit"])
    missed = max(abs(e + found.shift) for e in errors.values())
    fits = (
        tr("yes")
        if missed <= v["limit"]
        else tr("no: {hz} Hz left, {limit} Hz allowed", hz=number(missed, 0), limit=f"{v['limit']:g}")
    )
    apart = tr("none") if not found.outliers else "; ".join(
        tr("{name}: {hz} Hz from the middle of the others", name=n, hz=number(off, 0, sign=True)) for n, off in found.outliers
    )  # fmt: skip
    crystal = "—"
    if found.outliers:
        crystal = "; ".join(
            tr("{name}: {hz} Hz away from the present crystal", name=n, hz=number(-off / times, 0, sign=True))
            for n, off in found.outliers
        )
    return [
        Answer(
            "shift_hz",
            tr("turn until every channel has moved by"),
            f"{number(found.shift, 0, sign=True)} Hz",
            found.shift,
        ),
        Answer("worst_hz", tr("worst error left"), f"{number(found.worst, 0)} Hz", found.worst),
        Answer("within", tr("all within the limit"), fits),
        Answer("outliers", tr("out of line"), apart),
        *(
            [Answer("tied", tr("equally good"), tr("with {names} instead", names=tr(" or ").join(ties)))]
            if ties
            else []
        ),
        Answer("crystal", tr("new crystal"), crystal),
    ]


#: Farther off than this no clarifier swings (Hz): it is the frequency itself that was typed.
_MOST_ERROR_HZ = 100_000.0


def _clarifier(v: Mapping[str, Any]) -> list[Answer]:
    up, down, middle = v["up"], v["down"], v["middle"]
    if max(abs(up), abs(down), abs(middle)) > _MOST_ERROR_HZ:
        raise EntryError(tr("{hz} Hz is a frequency. Enter each position's error, like -1150 Hz.",
                            hz=number(max(up, down, middle, key=abs), 0)))  # fmt: skip
    if up < down:
        up, down = down, up
    swing, centre = up - down, (up + down) / 2.0
    if swing <= 0:
        raise EntryError(tr("Both ends read the same: the clarifier has no effect."))
    if not down < middle < up:
        raise EntryError(tr("The middle is outside the ends: check which reading is which."))
    return [
        Answer("swing_hz", tr("swing"), f"{number(swing, 0)} Hz", swing),
        Answer("middle_hz", tr("middle position is off by"), f"{number(middle, 0, sign=True)} Hz", middle),
        Answer("centre_hz", tr("centre of the swing is off by"), f"{number(centre, 0, sign=True)} Hz", centre),
        Answer(
            "up_pct",
            tr("share of the swing upward"),
            f"{number(100 * (up - middle) / swing, 0)} %",
            100 * (up - middle) / swing,
        ),
    ]


def _settled(v: Mapping[str, Any]) -> list[Answer]:
    pairs = []
    for part in (p.strip() for p in v["counts"].split(";")):
        minutes, _, hz = part.partition(" ")
        try:
            pairs.append((60.0 * parse_si(minutes, ""), parse_si(hz.strip(), "Hz")))
        except UnitoneError:
            raise EntryError(
                tr("“{part}” is not a minute with its error. Write 0 +85; 2 +52; 5 +24; 9 +9.", part=part)
            ) from None
    if any(b[0] <= a[0] for a, b in zip(pairs, pairs[1:], strict=False)):
        raise EntryError(tr("Minutes must rise from row to row."))
    seen = drift(pairs, v["small"])
    if seen is None:
        raise EntryError(tr("Enter at least three counts over some minutes."))
    wait = tr("not certain yet: count again")
    if seen.wait_s is not None:
        wait = (
            tr("none: trim it") if seen.wait_s <= 0 else tr_n("{n} minute", "{n} minutes", math.ceil(seen.wait_s / 60))
        )
    if seen.wait_s is None and abs(seen.hz_per_minute) * 10.0 < v["small"]:
        wait = tr("none: trim it")
    return [
        Answer("wait_s", tr("wait"), wait, seen.wait_s),
        Answer(
            "rate", tr("now"), tr("{hz} Hz a minute", hz=number(seen.hz_per_minute, 1, sign=True)), seen.hz_per_minute
        ),
    ]


STABILITY_CALCULATORS: tuple[Calculator, ...] = (
    Calculator(
        "shared",
        N_("One trimmer for all crystals: what is best?"),
        SYNTHESISER,
        (
            Given("errors", N_("Channels with their errors, Hz"), "text", "A +120; B -80; C 1940"),
            Given("limit", N_("Tolerance, ±"), "Hz", "600 Hz", "600 Hz"),
            Given("times", N_("Crystal multiplier"), "", "3 for a tripler", "3", least=1.0, most=100.0),
        ),
        _shared,
        N_("least worst error: midway between the lowest and the highest that fit together"),
        N_("the trimmer moves all channels alike"),
        N_("Crystals only for channels that you are licensed for."),
    ),
    Calculator(
        "clarifier",
        N_("Is my clarifier centred?"),
        SYNTHESISER,
        (
            Given("down", N_("Error fully down"), "Hz", "-1150 Hz", least=-1e11),
            Given("middle", N_("Error in the middle"), "Hz", "20 Hz", least=-1e11),
            Given("up", N_("Error fully up"), "Hz", "1240 Hz", least=-1e11),
        ),
        _clarifier,
        N_("swing = up − down; centre = (up + down)/2"),
        N_("counted on one channel and mode, the rest of the radio on frequency"),
    ),
    Calculator(
        "settled",
        N_("Has it warmed up?"),
        SYNTHESISER,
        (
            Given("counts", N_("Minutes and errors"), "text", "0 +85; 2 +52; 5 +24; 9 +9"),
            Given("small", N_("Allowed drift"), "Hz", "10 Hz", "10 Hz", least=0.01),
        ),
        _settled,
        "f(t) = f∞ + A·exp(−t/τ); τ = Δt / ln(s₁/s₂)",
        N_("nothing touched between counts; after soldering wait five minutes"),
    ),
)
