"""Calculators for what is modified: a clarifier from its parts, a tap, a meter's diode, ripple, a time constant, more power."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any, cast

from unitone.calculators.calculator import PARTS, RECEIVE, SYNTHESISER, TRANSMIT, Answer, Calculator, Given
from unitone.calculators.typed import si_text as _si
from unitone.errors import EntryError
from unitone.quantities.show import number
from unitone.radio.clarifier import (
    Place,
    Quartz,
    Swing,
    Varactor,
    centring_capacitance,
    crystal_swing,
    slider_volts,
    vfo_swing,
)
from unitone.words import N_, tr

#: A decibel is a sixth of an S-unit (IARU Region 1 R.1: 6 dB an S-unit).
_S_UNIT_DB = 6.0


def _hz(key: str, words: str, value: float) -> Answer:
    return Answer(key, words, f"{number(value, 0, sign=True)} Hz", value)


def _swing(made: Swing, marked: float, times: float) -> list[Answer]:
    down, middle, up = (times * (f - marked) for f in (made.down, made.middle, made.up))
    return [
        _hz("down_hz", tr("fully down"), down),
        _hz("middle_hz", tr("in the middle"), middle),
        _hz("up_hz", tr("fully up"), up),
        Answer("swing_hz", tr("swing"), f"{number(abs(up - down), 0)} Hz", abs(up - down)),
        Answer("volts", tr("on the varactor"), tr("{low} to {high} V", low=number(made.volts[0], 2), high=number(made.volts[1], 2))),
    ]  # fmt: skip


def _volts(v: Mapping[str, Any]) -> tuple[float, float]:
    low, high = slider_volts(v["supply"], v["top"] or 0.0, v["pot"], v["bottom"] or 0.0)
    return low, high


def _clarifier_crystal(v: Mapping[str, Any]) -> list[Answer]:
    quartz = Quartz(v["hz"], v["load"], v["c1"], v["c0"])
    varactor, volts = Varactor(v["varactor"], v["at"], v["law"]), _volts(v)
    place, coil, coupling = cast(Place, v["place"]), v["coil"] or 0.0, v["coupling"] or math.inf
    if coil and place == "across":
        raise EntryError(tr("A coil goes in series with the crystal. Choose “in series”, or empty the coil’s field."))
    made = crystal_swing(quartz, varactor, volts, v["osc"], place, coil, coupling)
    answers = _swing(made, quartz.hz, v["times"])
    centred = centring_capacitance(quartz, varactor, volts, place, coil, coupling)
    answers.append(
        Answer("centre_f", tr("oscillator capacitance that centres it"),
               tr("none: choose another varactor, coil or voltage") if centred is None else _si(centred, "F", 3), centred)
    )  # fmt: skip
    if coil:
        bare = crystal_swing(quartz, varactor, volts, v["osc"], place, 0.0, coupling)
        swing = v["times"] * abs(bare.up - bare.down)
        answers.append(Answer("no_coil_hz", tr("swing with the coil linked out"), f"{number(swing, 0)} Hz", swing))
    if v["top"] or v["bottom"]:
        whole = crystal_swing(quartz, varactor, (0.0, v["supply"]), v["osc"], place, coil, coupling)
        swing = v["times"] * abs(whole.up - whole.down)
        answers.append(
            Answer("no_resistors_hz", tr("swing with both resistors linked out"), f"{number(swing, 0)} Hz", swing)
        )
    # Without its varactor the crystal has the oscillator's capacitance, and the coil, for itself.
    still = quartz.pulled(1.0 / v["osc"] - (2.0 * math.pi * quartz.hz) ** 2 * coil)
    answers.append(_hz("no_varactor_hz", tr("without a varactor, fixed at"), v["times"] * (still - quartz.hz)))
    return answers


def _clarifier_vfo(v: Mapping[str, Any]) -> list[Answer]:
    made = vfo_swing(
        v["henry"], v["farad"], Varactor(v["varactor"], v["at"], v["law"]), _volts(v), v["coupling"] or math.inf
    )
    return [
        Answer("vfo_hz", tr("VFO, in the middle"), f"{number(made.middle / 1e6, 6)} MHz", made.middle),
        *_swing(made, made.middle, v["times"]),
    ]  # fmt: skip


def _tap(v: Mapping[str, Any]) -> list[Answer]:
    if not 0 < v["tap"] < v["turns"]:
        raise EntryError(tr("The tap lies inside the winding: fewer turns than the whole."))
    ratio = v["turns"] / v["tap"]
    loaded_before = 1.0 / (1.0 / v["tank"] + 1.0 / (v["low"] * ratio**2))
    loaded_after = 1.0 / (1.0 / v["tank"] + 1.0 / v["high"])
    # The same power in the tank: its voltage goes with the root of what loads it.
    gain = 20.0 * math.log10(ratio) + 10.0 * math.log10(loaded_after / loaded_before)
    return [
        Answer("db", tr("more voltage"), f"{number(gain, 1, sign=True)} dB", gain),
        Answer("q_ratio", tr("Q becomes"), tr("{n} times", n=number(loaded_after / loaded_before, 2)), loaded_after / loaded_before),
        Answer("ratio", tr("turns ratio"), number(ratio, 2), ratio),
    ]  # fmt: skip


#: Forward voltage at some ten microamperes (V): common practice, no source.
_FORWARD_V = {"silicon": 0.50, "schottky": 0.22, "germanium": 0.15}
_DIODES = (("silicon", N_("silicon")), ("schottky", N_("Schottky")), ("germanium", N_("germanium")))


def _meter_diode(v: Mapping[str, Any]) -> list[Answer]:
    was, now = _FORWARD_V[v["was"]], _FORWARD_V[v["now"]]
    db = 20.0 * math.log10(now / was)
    s_units = db / _S_UNIT_DB
    words = (
        tr("no change")
        if not db
        else tr("begins {n} S-units lower", n=number(-s_units, 1))
        if db < 0
        else tr("begins {n} S-units higher", n=number(s_units, 1))
    )
    return [
        Answer("db", tr("threshold moves by"), f"{number(db, 1, sign=True)} dB", db),
        Answer("s_units", tr("S-meter"), words, s_units),
    ]


def _ripple(v: Mapping[str, Any]) -> list[Answer]:
    w = 2.0 * math.pi * v["hz"]
    coil, ohm = v["coil"], v["ohm"] or 0.0
    if not coil and not ohm:
        raise EntryError(tr("Enter the choke, the resistor in series, or both."))
    passed = abs(1.0 / (1.0 + 1j * w * v["farad"] * (ohm + 1j * w * coil)))
    db = 20.0 * math.log10(passed)
    drop = ohm * v["amps"]
    made = [
        Answer("db", tr("ripple"), f"{number(db, 1, sign=True)} dB", db),
        Answer("share", tr("what is left of it"), f"{number(100 * passed, 1)} %", passed),
        Answer("drop_v", tr("lost in the resistor"), f"{number(drop, 2)} V, {_si(drop * v['amps'], 'W', 3)}", drop),
    ]
    if coil:
        resonance = 1.0 / (2.0 * math.pi * math.sqrt(coil * v["farad"]))
        made.append(Answer("hz", tr("its own resonance"), _si(resonance, "Hz", 3), resonance))
    return made


def _time_constant(v: Mapping[str, Any]) -> list[Answer]:
    seconds = v["ohm"] * v["farad"]
    corner = 1.0 / (2.0 * math.pi * seconds)
    wanted = v["wanted"] or 0.0
    made = [
        Answer("seconds", tr("time constant"), _si(seconds, "s", 3), seconds),
        Answer("hz", tr("corner (−3 dB)"), _si(corner, "Hz", 3), corner),
    ]
    if wanted:
        made.append(
            Answer("farad", tr("capacitor for the wanted time"), _si(wanted / v["ohm"], "F", 3), wanted / v["ohm"])
        )
        made.append(Answer("times", tr("that is"), tr("{n} times", n=number(wanted / seconds, 2)), wanted / seconds))
    return made  # fmt: skip


def _louder(v: Mapping[str, Any]) -> list[Answer]:
    if v["from"] <= 0 or v["to"] <= 0:
        raise EntryError(tr("{what} must be above zero.", what=tr("A power")))
    db = 10.0 * math.log10(v["to"] / v["from"])
    return [
        Answer("db", tr("more power"), f"{number(db, 1, sign=True)} dB", db),
        Answer("s_units", tr("at the other end"), tr("{n} S-units", n=number(db / _S_UNIT_DB, 2, sign=True)), db / _S_UNIT_DB),
        Answer("times", tr("factor"), number(v["to"] / v["from"], 2), v["to"] / v["from"]),
        Answer("heat", tr("heat in the final, at the same efficiency"), tr("{n} times", n=number(v["to"] / v["from"], 2)), v["to"] / v["from"]),
    ]  # fmt: skip


_POT = (
    Given("varactor", N_("Varactor"), "F", "33 pF"),
    Given("at", N_("Varactor measured at"), "V", "4 V", "4 V"),
    Given("law", N_("Exponent of its law"), "", "0.5", "0.5", least=0.2, most=3.0),
    Given("supply", N_("Pot fed from"), "V", "8 V"),
    Given("top", N_("Resistor above the pot"), "ohm", "1k", optional=True, least=0.0),
    Given("pot", N_("Pot"), "ohm", "10k"),
    Given("bottom", N_("Resistor below the pot"), "ohm", "1k", optional=True, least=0.0),
    Given("coupling", N_("Coupling capacitor"), "F", "47 pF", optional=True),
    Given("times", N_("Crystal multiplier"), "", "1", "1", least=1.0, most=100.0),
)

MODIFYING_CALCULATORS: tuple[Calculator, ...] = (
    Calculator(
        "clarifier-crystal",
        N_("How far does this clarifier swing a crystal?"),
        SYNTHESISER,
        (
            Given("hz", N_("Crystal"), "Hz", "14.460 MHz"),
            Given("load", N_("Load it is ground for"), "F", "30 pF", "30 pF"),
            Given("c1", N_("Motional capacitance"), "F", "14 fF", "14 fF"),
            Given("c0", N_("Shunt capacitance"), "F", "4 pF", "4 pF"),
            Given("osc", N_("Oscillator’s own capacitance"), "F", "47 pF"),
            Given("place", N_("The varactor stands"), "text", "", "series",
                  (("series", N_("in series with the crystal")), ("across", N_("across the oscillator’s capacitance")))),
            Given("coil", N_("Coil in series"), "H", "4.7 uH", optional=True),
            *_POT,
        ),
        _clarifier_crystal,
        "S = 1/C + 1/Cv − ω²L; f = fs · (1 + C1·S / (2·(1 + C0·S))); Cv ~ (1 + V/φ)^−γ",
        N_("IEC 60122-1; φ = 0.7 V; no load on the slider; coil without capacitance of its own"),
    ),
    Calculator(
        "clarifier-vfo",
        N_("How far does this clarifier swing a VFO?"),
        SYNTHESISER,
        (Given("henry", N_("Tank coil"), "H", "2.2 uH"), Given("farad", N_("Tank capacitor"), "F", "330 pF"), *_POT),
        _clarifier_vfo,
        "f = 1/(2π·√(L·(C + Cv))); Cv ~ (1 + V/φ)^−γ",
        N_("φ = 0.7 V; no load on the slider"),
    ),
    Calculator(
        "tap",
        N_("What does the whole winding give, instead of its tap?"),
        RECEIVE,
        (
            Given("turns", N_("Whole winding, turns"), "", "12", least=1.0, most=10000.0),
            Given("tap", N_("Turns up to the tap"), "", "3", least=0.1, most=10000.0),
            Given("low", N_("Input now at the tap"), "ohm", "1k", "1k"),
            Given("high", N_("Input at the whole winding"), "ohm", "100k", "100k"),
            Given("tank", N_("Tank alone, across the whole winding"), "ohm", "15k", "15k"),
        ),
        _tap,
        "n = N/Nt; R = Rt ∥ n²·Rin; dB = 20·log10(n) + 10·log10(R2/R1)",
        N_("the same power arrives; one layer, closely coupled"),
    ),
    Calculator(
        "meter-diode",
        N_("What does another diode do to the S-meter?"),
        RECEIVE,
        (
            Given("was", N_("Diode now"), "text", "", "silicon", _DIODES),
            Given("now", N_("Diode wanted"), "text", "", "germanium", _DIODES),
        ),
        _meter_diode,
        N_("dB = 20·log10(V2/V1); forward voltage 0.50, 0.22, 0.15 V at some ten microamperes"),
        N_("a plain rectifier; common practice, no source"),
    ),
    Calculator(
        "ripple",
        N_("How much ripple does a supply filter take?"),
        PARTS,
        (
            Given("hz", N_("Ripple"), "Hz", "100 Hz"),
            Given("farad", N_("Capacitor"), "F", "2200 uF"),
            Given("coil", N_("Choke"), "H", "2 mH", least=0.0),
            Given("ohm", N_("Resistor in series"), "ohm", "0.1", optional=True, least=0.0),
            Given("amps", N_("Current"), "A", "1.5 A"),
        ),
        _ripple,
        "V2/V1 = 1/|1 + jωC·(R + jωL)|",
        N_("the capacitor’s own resistance is left out"),
        N_("Charged capacitors: let them empty before you touch anything."),
    ),
    Calculator(
        "time-constant",
        N_("Which capacitor gives this time?"),
        PARTS,
        (
            Given("ohm", N_("Resistor"), "ohm", "47k"),
            Given("farad", N_("Capacitor now"), "F", "1 uF"),
            Given("wanted", N_("Wanted time"), "s", "150 ms", optional=True),
        ),
        _time_constant,
        "τ = R·C; f = 1/(2π·R·C)",
    ),
    Calculator(
        "louder",
        N_("What does more power bring at the other end?"),
        TRANSMIT,
        (Given("from", N_("Power now"), "W", "4 W"), Given("to", N_("Power after"), "W", "5 W")),
        _louder,
        N_("dB = 10·log10(P2/P1); 6 dB an S-unit (IARU Region 1 R.1)"),
        N_("same aerial, same path"),
        N_("More than your licence allows is illegal, and wears the final out."),
    ),
)  # fmt: skip
