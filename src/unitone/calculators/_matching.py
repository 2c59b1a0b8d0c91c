"""Calculators of match and parts: SWR, attenuators, a pulled crystal, a divider with its meter, noise figure."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from unitone.calculators.calculator import PARTS, RECEIVE, TRANSMIT, Answer, Calculator, Given
from unitone.calculators.typed import si_text
from unitone.errors import EntryError
from unitone.quantities.entry import parse_si
from unitone.quantities.show import microvolts, number
from unitone.radio.attenuators import exact, from_powers, from_return_loss, from_series, from_swr, metered
from unitone.radio.levels import parse_level
from unitone.radio.noise import least_fm_dbm, least_level_dbm
from unitone.words import N_, tr

#: Motional capacitance of an AT-cut fundamental (F) where it is not known: common practice, no source.
_USUAL_C1 = 15e-15
_T0 = 290.0


def _si(value: float, unit: str, digits: int = 3) -> str:
    return si_text(value, unit, digits).strip()


def _swr(v: Mapping[str, Any]) -> list[Answer]:
    text = v["value"]
    if v["from"] == "powers":
        parts = [p for p in text.replace("/", ";").split(";") if p.strip()]
        if len(parts) != 2:
            raise EntryError(tr("Enter forward and reflected power, like 4 W; 0.1 W."))
        forward, back = (parse_si(p, "W") for p in parts)
        if not 0.0 <= back <= forward or forward <= 0.0:
            raise EntryError(tr("Reflected power is less than forward power. Swap the two."))
        found = from_powers(forward, back)
    elif v["from"] == "swr":
        ratio = parse_si(text.split(":")[0], "")
        if ratio < 1.0:
            raise EntryError(tr("An SWR is 1 or more."))
        found, forward = from_swr(ratio), v["watts"]
    else:
        db = parse_si(text.lower().removesuffix("db"), "")
        if db < 0.0:
            raise EntryError(tr("A return loss is 0 dB or more. Write it without the minus sign."))
        found, forward = from_return_loss(db), v["watts"]
    back = forward * found.gamma**2

    def shown(x: float, digits: int) -> str:
        return "∞" if math.isinf(x) else number(x, digits)

    return [
        Answer("swr", tr("SWR"), f"{shown(found.swr, 2)} : 1", found.swr),
        Answer("return_loss_db", tr("return loss"), f"{shown(found.return_loss_db, 1)} dB", found.return_loss_db),
        Answer(
            "reflected_w",
            tr("reflected power"),
            tr("{watts} of {all}", watts=_si(back, "W"), all=_si(forward, "W")),
            back,
        ),
        Answer("share", tr("share that comes back"), f"{number(100.0 * found.gamma**2, 1)} %", found.gamma**2),
        Answer("loss_db", tr("mismatch loss"), f"{shown(found.loss_db, 2)} dB", found.loss_db),
    ]


def _attenuator(v: Mapping[str, Any]) -> list[Answer]:
    if v["db"] <= 0.0:
        raise EntryError(tr("An attenuator takes more than 0 dB."))
    right = exact(v["kind"], v["db"], v["ohm"])
    made = from_series(right, v["series"])
    loss, z = made.loss_db(v["ohm"]), made.input_ohm(v["ohm"])
    gamma = abs((z - v["ohm"]) / (z + v["ohm"]))
    names = (tr("shunt"), tr("series"), tr("shunt")) if v["kind"] == "pi" else (tr("series"), tr("shunt"), tr("series"))
    heat = made.watts(v["watts"], v["ohm"])
    told = " · ".join(f"{n} {_si(r, 'Ω')}" for n, r in zip(names, made.ohms, strict=True))
    return [
        Answer("ohms", tr("resistors"), told, made.ohms[0]),
        Answer("loss_db", tr("attenuation with them"), f"{number(loss, 2)} dB", loss),
        Answer("swr", tr("SWR at its input"), f"{number((1 + gamma) / (1 - gamma), 2)} : 1", (1 + gamma) / (1 - gamma)),
        Answer("exact", tr("exact values"), " · ".join(_si(r, "Ω", 4) for r in right.ohms[:2]), right.ohms[0]),
        Answer("watts", tr("heat in each"), " · ".join(_si(w, "W") for w in heat), max(heat)),
    ]


def _pull(v: Mapping[str, Any]) -> list[Answer]:
    c0, c1, load, added = v["c0"], v["c1"], v["load"], v["added"]
    now = load * added / (load + added) if v["how"] == "series" else load + added
    was_ppm, ppm = (1e6 * c1 / (2.0 * (c0 + c)) for c in (load, now))
    moved = ppm - was_ppm
    return [
        Answer("ppm", tr("moves by"), f"{number(moved, 1, sign=True)} ppm", moved),
        Answer(
            "hz", tr("at the crystal"), f"{number(moved * v['hz'] * 1e-6, 0, sign=True)} Hz", moved * v["hz"] * 1e-6
        ),
        Answer("load_f", tr("load capacitance now"), _si(now, "F"), now),
        Answer(
            "new_hz",
            tr("frequency now"),
            f"{v['hz'] * (1.0 + moved * 1e-6) / 1e6:.6f} MHz",
            v["hz"] * (1.0 + moved * 1e-6),
        ),
    ]


def _divider(v: Mapping[str, Any]) -> list[Answer]:
    share = v["bottom"] / (v["top"] + v["bottom"])
    true, seen = v["supply"] * share, metered(v["top"], v["bottom"], v["meter"])
    inner = v["top"] * v["bottom"] / (v["top"] + v["bottom"])
    return [
        Answer("volts", tr("without the meter"), f"{number(true, 3)} V", true),
        Answer("shown", tr("the meter shows"), f"{number(true * seen, 3)} V", true * seen),
        Answer("low_pct", tr("reads low by"), f"{number(100.0 * (1.0 - seen), 1)} %", 100.0 * (1.0 - seen)),
        Answer("inner_ohm", tr("source resistance"), _si(inner, "Ω"), inner),
        Answer("least_ohm", tr("meter for 1 % error"), _si(99.0 * inner, "Ω"), 99.0 * inner),
    ]


def _noise_figure(v: Mapping[str, Any]) -> list[Answer]:
    level = parse_level(v["level"])
    least = (
        least_fm_dbm(12.0, v["deviation"], (300.0, 3400.0), 0.00075)
        if v["modulation"] == "fm"
        else least_level_dbm(10.0, v["modulation"])
    )
    db = level - least
    if db < 0.0:
        raise EntryError(
            tr(
                "{level} is below the lowest possible level, {least}. Check pads and leakage.",
                level=microvolts(level),
                least=microvolts(least),
            )
        )
    return [
        Answer("nf_db", tr("noise figure"), f"{number(db, 1)} dB", db),
        Answer("least_dbm", tr("lowest possible level"), f"{microvolts(least)}, {number(least, 1)} dBm", least),
        Answer(
            "kelvin",
            tr("noise temperature"),
            f"{number(_T0 * (10.0 ** (db / 10.0) - 1.0), 0)} K",
            _T0 * (10.0 ** (db / 10.0) - 1.0),
        ),
    ]


_MODULATIONS = (("fm", N_("FM, 12 dB SINAD")), ("am", N_("AM, 10 dB (S+N)/N, 30 %")), ("ssb", N_("SSB, 10 dB (S+N)/N")))
MATCHING_CALCULATORS: tuple[Calculator, ...] = (
    Calculator(
        "swr", N_("What is the SWR, and what comes back?"), TRANSMIT,
        (
            Given("from", N_("Known"), "text", "", "powers", (
                ("powers", N_("forward and reflected power")), ("swr", N_("SWR")), ("return-loss", N_("return loss, dB")))),
            Given("value", N_("Value"), "text", "4 W; 0.1 W"),
            Given("watts", N_("Forward power (for SWR, return loss)"), "W", "4 W", "4 W"),
        ),
        _swr, N_("|Γ| = √(P_r/P_f); SWR = (1+|Γ|)/(1−|Γ|); return loss = −20·lg|Γ| (definitions; IEC 60050-726, from memory)"),
        N_("both powers read at the same place; cable loss makes the SWR look better than it is at the aerial"),
        N_("RF burns: hands off the aerial while keyed. On the air only as your licence allows."),
    ),
    Calculator(
        "attenuator", N_("Which resistors make this attenuator?"), PARTS,
        (
            Given("db", N_("Attenuation, dB"), "", "10", "10", least=0.01, most=60.0),
            Given("kind", N_("Circuit"), "text", "", "pi", (("pi", N_("pi")), ("tee", N_("T")))),
            Given("ohm", N_("Impedance"), "ohm", "50", "50"),
            Given("series", N_("Resistors from"), "text", "", "E24", (("E24", "E24"), ("E12", "E12"))),
            Given("watts", N_("Power in"), "W", "4 W", "1 W"),
        ),
        _attenuator,
        N_("pi: shunts Z(K+1)/(K−1), series Z(K²−1)/(2K); T: series Z(K−1)/(K+1), shunt 2ZK/(K²−1); K = 10^(dB/20) "
           "(Reference Data for Radio Engineers, from memory)"),
        N_("matched at both ends; carbon or metal film, short leads"),
        N_("The first resistor gets hot: mind its rating."),
    ),
    Calculator(
        "pull", N_("How far does this capacitor pull a crystal?"), PARTS,
        (
            Given("hz", N_("Crystal"), "Hz", "10.240 MHz"),
            Given("added", N_("Capacitor added"), "F", "33 pF"),
            Given("how", N_("Added"), "text", "", "series", (
                ("series", N_("in series with its load")), ("parallel", N_("in parallel with its load")))),
            Given("load", N_("Load capacitance"), "F", "30 pF", "30 pF"),
            Given("c1", N_("Motional capacitance C1"), "F", "15 fF", "15 fF"),
            Given("c0", N_("Crystal's own C0"), "F", "5 pF", "5 pF"),
        ),
        _pull, N_("Δf/f = C1/(2·(C0 + CL)) (IEC 60122-1)"), N_("a fundamental crystal; C1 of 10 to 25 fF is usual"),
    ),
    Calculator(
        "divider", N_("What does my meter do to this divider?"), PARTS,
        (
            Given("supply", N_("Fed from"), "V", "13.2 V"), Given("top", N_("Upper resistor"), "ohm", "47k"),
            Given("bottom", N_("Lower resistor"), "ohm", "22k"), Given("meter", N_("Meter resistance"), "ohm", "200k", "10M"),
        ),
        _divider, N_("V·R2/(R1+R2); the meter stands across R1∥R2 (Ohm's law)"),
        N_("20 kΩ/V on its 10 V range is 200 kΩ; a digital meter 10 MΩ"),
    ),
    Calculator(
        "noise-figure", N_("Which noise figure is this sensitivity?"), RECEIVE,
        (
            Given("level", N_("Sensitivity at the radio"), "text", "0.25 uV"),
            Given("modulation", N_("Measured as"), "text", "", "fm", _MODULATIONS),
            Given("deviation", N_("FM: deviation"), "Hz", "1.5 kHz", "1.5 kHz", least=10.0, most=1e5),
        ),
        _noise_figure, N_("NF = level − level of a noiseless receiver; kT0 = −174 dBm in a hertz (ITU-R P.372, from memory)"),
        N_("audio 300 to 3400 Hz, de-emphasis 750 µs; the generator's level is right at the radio"),
    ),
)  # fmt: skip
