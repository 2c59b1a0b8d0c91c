"""Calculators about what is sent: harmonics against their limits, efficiency, losses on the way, deviation at a carrier null."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from unitone.calculators.calculator import LEVELS, TRANSMIT, Answer, Calculator, Given
from unitone.errors import EntryError
from unitone.quantities.entry import decibels, parse_si
from unitone.quantities.show import number
from unitone.signals.fm import null_deviation
from unitone.words import N_, tr

#: 47 CFR 95 subpart D asks for -60 dBc, EN 300 135 and EN 300 433 for 4 nW in the bands they name (both from memory).
FCC_DBC, EN_WATTS = -60.0, 4e-9


def _watts(value: float) -> str:
    """Watts with the prefix that suits them, three figures."""
    for scale, unit in ((1.0, "W"), (1e-3, "mW"), (1e-6, "µW"), (1e-9, "nW")):
        if value >= 0.9995 * scale:
            return f"{value / scale:.3g} {unit}"
    return f"{value / 1e-12:.3g} pW"


def _dbm(watts: float) -> float:
    return 10.0 * math.log10(watts / 1e-3)


def _above(value: float, what: str) -> None:
    if value <= 0:
        raise EntryError(tr("{what} must be above zero.", what=what))


#: What each rule allows of a harmonic: dBc, or watts (from memory: 47 CFR 95 subpart D; EN 300 135 and EN 300 433).
_RULES = {"fcc": N_("47 CFR 95 subpart D: −60 dBc"), "en": N_("EN 300 135, EN 300 433: 4 nW in the bands they name")}


def _harmonic(v: Mapping[str, Any]) -> list[Answer]:
    dbc = -abs(v["dbc"])
    watts = v["carrier"] * 10.0 ** (dbc / 10.0)
    limit = FCC_DBC if v["rule"] == "fcc" else 10.0 * math.log10(EN_WATTS / v["carrier"])
    room = limit - dbc
    judged = tr("inside by {db} dB", db=number(room, 1)) if room >= 0 else tr("over by {db} dB", db=number(-room, 1))
    n = int(v["which"])
    return [
        Answer("dbm", tr("power in the line"), f"{number(_dbm(watts), 1)} dBm, {_watts(watts)}", _dbm(watts)),
        Answer(
            v["rule"], tr("against {rule} ({db} dBc here)", rule=_RULES[v["rule"]], db=number(limit, 0)), judged, room
        ),
        Answer("hz", tr("level of the line"), f"{number(n * v['at'] / 1e6, 3)} MHz", n * v["at"]),
    ]


def _efficiency(v: Mapping[str, Any]) -> list[Answer]:
    for key, what in (("volts", tr("The supply's voltage")), ("keyed", tr("The current while keyed"))):
        _above(v[key], what)
    if v["rest"] >= v["keyed"]:
        raise EntryError(tr("Keyed current is below the current at rest. Swap the two."))
    whole, stage = v["volts"] * v["keyed"], v["volts"] * (v["keyed"] - v["rest"])
    if v["watts"] > stage:
        raise EntryError(tr("More power out than in: check the wattmeter, and read it without speech."))
    return [
        Answer(
            "final_pct", tr("transmit stages"), f"{number(100 * v['watts'] / stage, 0)} %", 100 * v["watts"] / stage
        ),
        Answer(
            "whole_pct", tr("the whole radio"), f"{number(100 * v['watts'] / whole, 0)} %", 100 * v["watts"] / whole
        ),
        Answer("heat_w", tr("heat, keyed"), _watts(whole - v["watts"]), whole - v["watts"]),
    ]


def _loss(v: Mapping[str, Any]) -> list[Answer]:
    _above(v["watts"], tr("The power"))
    coax = v["metres"] * v["per_100"] / 100.0
    if coax < 0:
        raise EntryError(tr("Cable length and loss must be zero or more."))
    lost = coax + sum(decibels(v["pads"]))
    out = v["watts"] * 10.0 ** (-lost / 10.0)
    return [
        Answer("watts", tr("arrives"), f"{_watts(out)}, {number(_dbm(out), 1)} dBm", out),
        Answer("loss_db", tr("lost on the way"), f"{number(lost, 2)} dB", lost),
        Answer("heat_w", tr("becomes heat"), _watts(v["watts"] - out), v["watts"] - out),
        Answer("factor", tr("multiply a far-end meter by"), number(v["watts"] / out, 3), v["watts"] / out),
    ]


def _at_null(v: Mapping[str, Any]) -> list[Answer]:
    _above(v["tone"], tr("The tone"))
    n = int(v["null"])
    peak = null_deviation(v["tone"], n)
    shown = v["shown"]
    return [
        Answer("deviation_hz", tr("deviation"), f"{number(peak / 1e3, 4)} kHz", peak),
        Answer("beta", tr("modulation index"), number(peak / v["tone"], 4), peak / v["tone"]),
        Answer(
            "factor",
            tr("multiply what the meter shows by"),
            number(peak / shown, 4) if shown > 0 else "—",
            peak / shown if shown > 0 else None,
        ),
    ]


#: How far the mean of speech lies under its peaks in SSB (dB), from a quiet voice to a speech processor: common practice, no source.
SPEECH_DB = {"voice": (10.0, 14.0), "processed": (4.0, 7.0)}


def _speech(v: Mapping[str, Any]) -> list[Answer]:
    _above(v["mean"], tr("The mean power"))
    least, most = (v["mean"] * 10.0 ** (db / 10.0) for db in SPEECH_DB[v["voice"]])
    return [
        Answer("least_w", tr("peaks at least"), _watts(least), least),
        Answer("most_w", tr("peaks at most"), _watts(most), most),
    ]


def _decibels(v: Mapping[str, Any]) -> list[Answer]:
    """Watts and dBm either way, whichever was typed."""
    text = str(v["value"]).strip()
    if text.lower().replace(" ", "").endswith(("dbm", "dbw")):
        kind = "dBm" if text.lower().rstrip().endswith("dbm") else "dBW"
        watts = 10.0 ** (parse_si(text, kind) / 10.0) * (1e-3 if kind == "dBm" else 1.0)
    else:
        watts = parse_si(text, "W")
    _above(watts, tr("A power"))
    volts = math.sqrt(watts * _OHM)
    return [
        Answer("watts", tr("power"), _watts(watts), watts),
        Answer("dbm", tr("above 1 mW"), f"{number(_dbm(watts), 2)} dBm", _dbm(watts)),
        Answer("volts", tr("across 50 Ω"), f"{volts:.3g} V rms", volts),
    ]


#: What aerial sockets are built for (ohm).
_OHM = 50.0


def _compared(v: Mapping[str, Any]) -> list[Answer]:
    for key, what in (
        ("known", tr("The known deviation")),
        ("heard", tr("The known radio's audio")),
        ("mine", tr("This radio's audio")),
    ):
        _above(v[key], what)
    peak = v["known"] * v["mine"] / v["heard"]
    return [
        Answer("deviation_hz", tr("deviation of this radio"), f"{number(peak / 1e3, 2)} kHz", peak),
        Answer("db", tr("against the known one"), f"{number(20.0 * math.log10(v['mine'] / v['heard']), 1, sign=True)} dB",
               20.0 * math.log10(v["mine"] / v["heard"])),
    ]  # fmt: skip


def _in_line(v: Mapping[str, Any]) -> list[Answer]:
    for key, what in (("without", tr("The power without it")), ("with", tr("The power with it"))):
        _above(v[key], what)
    lost = 10.0 * math.log10(v["without"] / v["with"])
    if lost < 0:
        raise EntryError(tr("More power with it than without. Swap the two, or check the match."))
    return [
        Answer("loss_db", tr("loss"), f"{number(lost, 2)} dB", lost),
        Answer("pct", tr("share of the power"), f"{number(100.0 * (1.0 - v['with'] / v['without']), 0)} %",
               100.0 * (1.0 - v["with"] / v["without"])),
    ]  # fmt: skip


TRANSMIT_CALCULATORS: tuple[Calculator, ...] = (
    Calculator(
        "speech",
        N_("What is the PEP of mean speech power?"),
        TRANSMIT,
        (
            Given("mean", N_("The meter shows"), "W", "1 W"),
            Given("voice", N_("Of"), "text", "", "voice", (("voice", N_("a plain voice")), ("processed", N_("a speech processor")))),
        ),
        _speech,
        N_("PEP = mean · 10^(dB/10), the mean of speech lying 10 to 14 dB under its peaks, 4 to 7 dB behind a processor"),
        N_("SSB; common practice, no source: an estimate; two tones or a peak meter measure it"),
        N_("RF burns: into the dummy load."),
    ),
    Calculator(
        "decibels",
        N_("How many watts is a level in dBm?"),
        LEVELS,
        (Given("value", N_("Power"), "text", "36 dBm, or 4 W", "36 dBm"),),
        _decibels,
        N_("0 dBm = 1 mW; P = V²/50 Ω"),
    ),
    Calculator(
        "in-line",
        N_("How much does this in-line meter lose?"),
        TRANSMIT,
        (Given("without", N_("Power without it"), "W", "4.0 W"), Given("with", N_("Power with it"), "W", "3.8 W")),
        _in_line,
        "dB = 10 · log10(P1/P2)",
        N_("same load, same keying, same wattmeter after it"),
        N_("RF burns: into the dummy load, and unkey before you change anything in line."),
    ),
    Calculator(
        "compared",
        N_("What is its deviation, compared with a known radio?"),
        TRANSMIT,
        (
            Given("known", N_("The known radio deviates"), "Hz", "1.9 kHz"),
            Given("heard", N_("Audio of the known one"), "V", "1.2 V"), Given("mine", N_("Audio of this one"), "V", "1.4 V"),
        ),
        _compared,
        N_("Δf = known · V / V known: a receiver's audio goes with deviation"),
        N_("same tone into both, same receiver, volume untouched, strong signals, no clipping"),
    ),
    Calculator(
        "harmonic",
        N_("Is this harmonic low enough?"),
        TRANSMIT,
        (
            Given("carrier", N_("Carrier"), "W", "4 W", "4 W"), Given("dbc", N_("Line below carrier, dB"), "", "62", least=-200.0, most=200.0),
            Given("which", N_("Which harmonic"), "", "2", "2", least=2.0, most=20.0, whole=True),
            Given("at", N_("Carrier's frequency"), "Hz", "27.205 MHz", "27.205 MHz", least=1e5),
            Given("rule", N_("Rule"), "text", "", "fcc", (("fcc", _RULES["fcc"]), ("en", _RULES["en"]))),
        ),
        _harmonic,
        N_("P = carrier · 10^(dBc/10); 47 CFR 95 subpart D: −60 dBc; EN 300 135, EN 300 433: 4 nW in the bands they name (from memory)"),
        N_("analyser after a pad, not overloaded; with a loop or ×10 probe relative only"),
        N_("A line that stays put when you change channel comes from the analyser."),
    ),
    Calculator(
        "efficiency",
        N_("How efficient is the final, and how hot?"),
        TRANSMIT,
        (
            Given("volts", N_("Supply, keyed"), "V", "13.2 V"), Given("keyed", N_("Current keyed"), "A", "1.3 A"),
            Given("rest", N_("Current at rest"), "A", "0.32 A", "0 A"), Given("watts", N_("Power out"), "W", "4 W"),
        ),
        _efficiency,
        "η = P / (U · I)",
        N_("steady carrier into the dummy load; the receiver's share is the current at rest"),
        N_("Final and load get hot: into the dummy load, seconds at a time."),
    ),
    Calculator(
        "loss",
        N_("What is lost in cable and pads?"),
        LEVELS,
        (
            Given("watts", N_("Power in"), "W", "4 W"), Given("metres", N_("Cable, metres"), "", "10", "0", least=0.0, most=1e5),
            Given("per_100", N_("Loss, dB in 100 m"), "", "8 at 27 MHz", "8", least=0.0, most=500.0),
            Given("pads", N_("Pads and meters in line, dB"), "text", "0.3+20", optional=True),
        ),
        _loss,
        N_("decibels add; P_out = P_in · 10^(−dB/10)"),
        N_("everything matched to 50 Ω; thin cable loses some 8 dB in 100 m at 27 MHz (common practice)"),
        N_("A pad turns the lost power into heat: check its rating."),
    ),
    Calculator(
        "at-null",
        N_("Which deviation is at this null?"),
        TRANSMIT,
        (
            Given("tone", N_("Tone"), "Hz", "831.7 Hz"),
            Given("null", N_("Null number"), "", "1", "1", least=1.0, most=5.0, whole=True),
            Given("shown", N_("Deviation meter shows"), "Hz", "1.95 kHz", "0 Hz", least=0.0),
        ),
        _at_null,
        N_("Δf = β · f; zeros of J0: 2.4048, 5.5201, 8.6537 … (Abramowitz & Stegun, table 9.5)"),
        N_("a receiver that shows the carrier alone: narrow SSB or CW"),
    ),
)  # fmt: skip
