"""The calculators, each named by the question it answers: one typed registry for the Calculators view and the command line."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from unitone.bench.calibration.arithmetic import watts_of
from unitone.calculators._matching import MATCHING_CALCULATORS
from unitone.calculators._modifying import MODIFYING_CALCULATORS
from unitone.calculators._receiving import RECEIVE_CALCULATORS
from unitone.calculators._stability import STABILITY_CALCULATORS
from unitone.calculators._superhet import SUPERHET_CALCULATORS
from unitone.calculators._transmitting import TRANSMIT_CALCULATORS
from unitone.calculators.calculator import LEVELS, PARTS, RECEIVE, SYNTHESISER, TRANSMIT, Answer, Calculator, Given
from unitone.calculators.typed import si_text as _si
from unitone.errors import EntryError, UnitoneError
from unitone.quantities.entry import decibels, parse_entry, parse_si
from unitone.quantities.show import microvolts, number
from unitone.radio.channels import PLANS, plan
from unitone.radio.levels import S9_BELOW_30_MHZ, Dbm, level_to_dbm, mark_db, report_level
from unitone.radio.noise import ktb_dbm, least_fm_dbm, least_level_dbm
from unitone.radio.pulling import Advised, OtherWay, from_ends, from_preset, other_ways, padders, resistors
from unitone.radio.vco import resonant_hz
from unitone.radio.vcofit import fit, stretch
from unitone.signals.am import depth_from_volts
from unitone.signals.fm import null_deviation, tone_for_null
from unitone.words import N_, tr


def _level(v: Mapping[str, Any]) -> list[Answer]:
    report = report_level(_typed_level(v["level"], v["ohm"]), v["ohm"], sum(decibels(v["pads"])))
    return [
        Answer("dbm", tr("power"), f"{number(report.dbm, 2)} dBm", report.dbm),
        Answer("uv_pd", "PD", _si(report.uv_pd * 1e-6, "V"), report.uv_pd),
        Answer("uv_emf", "EMF", _si(report.uv_emf * 1e-6, "V"), report.uv_emf),
        Answer("dbuv", tr("above 1 µV"), f"{number(report.dbuv, 1)} dBµV", report.dbuv),
        Answer(
            "s_units",
            tr("S-meter below 30 MHz (S9 = 50 µV PD in 50 Ω)"),
            f"S{number(report.s_units, 1)}" if report.s_units <= 9 else f"S9+{number(report.over_s9_db, 0)}",
            report.s_units,
        ),
        Answer("dial_dbm", tr("dial setting with pads"), f"{number(report.dial_dbm, 1)} dBm", report.dial_dbm),
    ]


def _typed_level(text: str, ohm: float) -> Dbm:
    """A level, or an S-meter reading (S9 = 50 µV PD in 50 Ω, below 30 MHz). Raises EntryError."""
    plain = text.strip().upper().replace(" ", "")
    if plain.startswith("S") and plain[1:2].isdigit():
        return Dbm(float(S9_BELOW_30_MHZ) + mark_db(text.strip()))
    typed = parse_entry(text, "level")
    if typed.bound or typed.word or typed.value is None:
        raise EntryError.not_understood(text, tr("one level, like 0.31 uV, −117 dBm or S9"))
    dbm = level_to_dbm(typed, ohm)
    if not -300.0 <= dbm <= 100.0:
        raise EntryError.impossible(text, tr("that is {dbm:.6g} dBm; a level lies between −300 and 100 dBm.", dbm=dbm))
    return dbm


def _channel(v: Mapping[str, Any]) -> list[Answer]:
    hz = plan(v["plan"]).frequency(v["channel"])
    return [Answer("mhz", tr("carrier"), f"{hz / 1e6:.5f} MHz", hz / 1e6)]


def _ppm(v: Mapping[str, Any]) -> list[Answer]:
    hz = v["hz"] * v["ppm"] * 1e-6
    return [
        Answer("error_hz", tr("at that frequency"), f"{number(hz, 1, sign=True)} Hz", hz),
        Answer(
            "times_hz",
            tr("times its multiplier, at the aerial"),
            f"{number(hz * v['times'], 1, sign=True)} Hz",
            hz * v["times"],
        ),
    ]


def _parts(values: tuple[float, ...], unit: str, joined: str) -> str:
    return joined.join(_si(x, unit, 3) for x in values) if values else tr("none")


def _padder(v: Mapping[str, Any]) -> list[Answer]:
    trimmer = (v["least"], v["most"])
    crystal = from_ends(v["low"], v["high"], v["padder"], trimmer, v["c0"])
    found = padders(crystal, v["wanted"], trimmer)
    known = [
        Answer("c1", tr("motional capacitance"), _si(crystal.c1, "F", 3), crystal.c1),
        Answer("series_hz", tr("series resonance"), f"{crystal.series_hz / 1e6:.6f} MHz", crystal.series_hz),
    ]
    if not found:
        others = other_ways(crystal, v["wanted"], trimmer, v["padder"])
        words = "; ".join(_other_way(o) for o in others) or tr(
            "none: the crystal cannot be pulled there, order another"
        )
        return [
            Answer("padder", tr("fixed capacitor across it"), tr("no value fits")),
            Answer("instead", tr("instead"), words, others[0].farad if others else None),
            *known,
        ]
    return [*(_advised(n, a, "F", tr(" with ")) for n, a in enumerate(found)), *known]


def _other_way(o: OtherWay) -> str:
    """Another change than the capacitor across the crystal, in words."""
    span = tr("{low} … {high} MHz", low=f"{o.low / 1e6:.6f}", high=f"{o.high / 1e6:.6f}")
    if o.kind == "series":
        return tr("{f} in series with the crystal: {span}", f=_si(o.farad, "F", 3), span=span)
    return tr(
        "trimmer {a} to {f} instead: {span}",
        a=_si(o.farad / 6.0, "F", 2),
        f=_si(o.farad, "F", 2),
        span=span,
    )


def _advised(n: int, a: Advised, unit: str, joined: str) -> Answer:
    place = tr("wanted at {pct} % of the range", pct=number(100 * a.place, 0))
    reach = f"{number(a.low, 2)} … {number(a.high, 2)} V"
    if unit == "F":
        reach = f"{a.low / 1e6:.6f} … {a.high / 1e6:.6f} MHz"
    heat = "" if unit == "F" or not a.watts else tr(", {mw} mW in it", mw=number(1e3 * a.watts, 1))
    key = "part" if n == 0 else f"part_{n + 1}"
    what = tr("best") if n == 0 else tr("also")
    return Answer(key, what, f"{_parts(a.values, unit, joined)}: {reach}, {place}{heat}", a.total)


def _preset(v: Mapping[str, Any]) -> list[Answer]:
    made = from_preset(v["low"], v["high"], v["preset"], v["supply"])
    if not 0 < v["wanted"] < v["supply"]:
        raise EntryError(tr("{v} V is not possible from {supply} V: a divider gives less than its supply.",
                            v=number(v["wanted"], 2), supply=number(v["supply"], 2)))  # fmt: skip
    found = resistors(made, v["wanted"], v["change"])
    there = [
        Answer("top", tr("above the preset now"), _si(made.top, "Ω", 3), made.top),
        Answer("bottom", tr("below it now"), _si(made.bottom, "Ω", 3), made.bottom),
    ]
    if not found:
        return [Answer("part", tr("resistor"), tr("no standard value there: change the other resistor")), *there]
    return [*(_advised(n, a, "Ω", " + ") for n, a in enumerate(found)), *there]


def _pairs(text: str) -> list[tuple[float, float]]:
    """``26.965M 1.8; 27.405M 3.6`` as pairs. Raises EntryError."""
    made = []
    for part in text.split(";"):
        if not part.strip():
            continue
        first, _, second = part.strip().rpartition(" ")
        try:
            made.append((parse_si(first, "Hz"), parse_si(second, "V")))
        except UnitoneError:
            raise EntryError(
                tr(
                    "“{part}” is not a channel with its voltage. Write 26.965 MHz 1.83; 27.405 MHz 3.6.",
                    part=part.strip(),
                )
            ) from None
    return made


def _vco(v: Mapping[str, Any]) -> list[Answer]:
    law = fit(_pairs(v["readings"]))
    ends = [parse_si(part, "Hz") for part in v["wanted"].replace("…", ";").split(";") if part.strip()]
    if len(ends) < 2:
        raise EntryError(tr("Enter the lowest and highest frequency to lock, like 26.515 MHz; 27.405 MHz."))
    made = stretch(law, ends, (v["least"], v["most"]))
    volts = "; ".join(
        tr(
            "{mhz} MHz at {v} V",
            mhz=f"{hz / 1e6:.4f}",
            v=number(law.volts(hz), 2) if math.isfinite(law.volts(hz)) else "∞",
        )
        for hz in sorted(ends)
    )
    locks = {True: tr("locks"), False: tr("does not lock"), None: tr("not certain: read the voltage at that end")}[
        made.locks
    ]
    if made.turned is None:
        core = tr(
            "no core setting does it: the range needs a capacitance ratio of {need}, the window gives {have}. Fit a wider varactor or a "
            "smaller fixed capacitor, or switch one",
            need=number(made.ratio_needed, 3),
            have=number(made.ratio_there, 3),
        )
    elif made.locks:
        core = tr("leave the core where it is")
    else:
        way = tr("in (more inductance)") if made.turned > 0 else tr("out (less inductance)")
        core = tr(
            "core {way}: {pct} % of its inductance centres the range", way=way, pct=number(100 * abs(made.turned), 1)
        )
    return [
        Answer("locks", tr("the whole range"), locks),
        Answer("volts", tr("its ends"), volts),
        Answer(
            "margin_v",
            tr("margin to the window"),
            f"{number(made.margin_v, 2)} V" if math.isfinite(made.margin_v) else "—",
            made.margin_v,
        ),
        Answer("turned", tr("core"), core, made.turned),
        Answer("falls", tr("its volts"), tr("fall with frequency") if law.falls else tr("rise with frequency")),
    ]


def _crystal(v: Mapping[str, Any]) -> list[Answer]:
    at = (
        v["carrier"]
        if v["way"] == "transmit"
        else v["carrier"] - v["if"]
        if v["side"] == "below"
        else v["carrier"] + v["if"]
    )
    if at <= 0:
        raise EntryError(tr("The IF lies above the channel: check the units, or take the oscillator above it."))
    hz = at / v["times"]
    return [
        Answer("hz", tr("order"), f"{hz / 1e6:.6f} MHz", hz),
        Answer("off", tr("10 Hz at the crystal is"), f"{number(10 * v['times'], 0)} Hz", 10 * v["times"]),
        Answer(
            "load",
            tr("tell the maker"),
            tr("parallel, for the load capacitance of its circuit (with trimmer and strays), ± 10 ppm"),
        ),
    ]


def _image(v: Mapping[str, Any]) -> list[Answer]:
    lo = v["carrier"] + v["if"] if v["side"] == "above" else v["carrier"] - v["if"]
    if lo <= 0:
        raise EntryError(tr("The IF lies above the channel: an oscillator below it would run at {hz} Hz. Check the units, or take the one above.",
                            hz=number(lo, 0)))  # fmt: skip
    image, half = 2 * lo - v["carrier"], lo + (v["carrier"] - lo) / 2
    return [
        Answer("lo_hz", tr("oscillator"), f"{lo / 1e6:.5f} MHz", lo),
        Answer("image_hz", tr("image"), f"{image / 1e6:.5f} MHz", image),
        Answer("half_hz", tr("half-IF"), f"{half / 1e6:.5f} MHz", half),
    ]


def _watts(v: Mapping[str, Any]) -> list[Answer]:
    watts = watts_of(v["volts"], v["kind"], v["ohm"])
    dbm = 10 * math.log10(watts / 1e-3)
    return [
        Answer("watts", tr("power"), _si(watts, "W", 3), watts),
        Answer("dbm", tr("in decibels"), f"{number(dbm, 1)} dBm", dbm),
    ]


def _pep(v: Mapping[str, Any]) -> list[Answer]:
    times = {"two": 2.0, "am": (1 + v["depth"] / 100) ** 2 / (1 + (v["depth"] / 100) ** 2 / 2), "carrier": 1.0}[
        v["signal"]
    ]
    return [
        Answer("pep", tr("peak envelope"), _si(v["mean"] * times, "W", 3), v["mean"] * times),
        Answer(
            "carrier",
            tr("carrier alone"),
            _si(v["mean"] / (1 + (v["depth"] / 100) ** 2 / 2), "W", 3) if v["signal"] == "am" else "—",
        ),
    ]


def _depth(v: Mapping[str, Any]) -> list[Answer]:
    pct = depth_from_volts(v["most"], v["least"])
    made = [Answer("depth_pct", tr("depth"), f"{number(pct, 1)} %", pct)]
    if v["least"] == 0:
        made.append(
            Answer(
                "clipped",
                tr("at zero"),
                tr("100 % or more: the carrier is cut off; how far over cannot be read"),
            )
        )
    return made


def _null(v: Mapping[str, Any]) -> list[Answer]:
    n = int(v["null"])
    tone = tone_for_null(v["deviation"], n)
    return [
        Answer("tone_hz", tr("tone"), f"{number(tone, 1)} Hz", tone),
        Answer("beta", tr("modulation index there"), number(null_deviation(1.0, n), 4), null_deviation(1.0, n)),
    ]


def _resonance(v: Mapping[str, Any]) -> list[Answer]:
    hz = resonant_hz(v["henry"], v["farad"])
    reactance = 2 * math.pi * hz * v["henry"]
    return [
        Answer("hz", tr("resonance"), _si(hz, "Hz", 5), hz),
        Answer("ohm", tr("reactance there"), _si(reactance, "Ω", 3), reactance),
    ]


def _noise(v: Mapping[str, Any]) -> list[Answer]:
    if v["modulation"] != "fm":
        dbm = least_level_dbm(v["ratio"], v["modulation"])
        return [Answer("dbm", tr("best possible level"), f"{number(dbm, 1)} dBm, {microvolts(dbm)}", dbm)]
    audio, tau = (v["low"], v["high"]), v["deemphasis"] * 1e-6
    dbm = least_fm_dbm(v["ratio"], v["deviation"], audio, tau)
    width = 2.0 * (v["deviation"] + v["high"])
    cn = dbm - ktb_dbm(width)
    return [
        Answer("dbm", tr("best possible level"), f"{number(dbm, 1)} dBm, {microvolts(dbm)}", dbm),
        Answer("carrier_to_noise_db", tr("carrier over noise in the IF there"), f"{number(cn, 1)} dB", cn),
        Answer("width_hz", tr("IF width (Carson)"), _si(width, "Hz", 3), width),
    ]


_SIDES = (("below", N_("below the channel")), ("above", N_("above it")))
CALCULATORS: tuple[Calculator, ...] = (
    Calculator(
        "level",
        N_("What is this level, and what do I dial?"),
        LEVELS,
        (
            Given("level", N_("Level"), "text", "0.31 uV, −117 dBm, 20 dBuV, 1 uV EMF"),
            Given("pads", N_("Pads in line, dB"), "text", "20+20", optional=True),
            Given("ohm", N_("Into"), "ohm", "50", "50", least=1.0, most=1e5),
        ),
        _level,
        "P = V²/R; 0 dBm = 223.6 mV PD in 50 Ω; EMF = 2 · PD; S9 = 50 µV PD",
    ),
    Calculator(
        "noise",
        N_("What is the lowest possible level?"),
        RECEIVE,
        (
            Given("ratio", N_("Ratio, dB"), "", "12", "12", least=1.0, most=60.0),
            Given(
                "modulation",
                N_("Of"),
                "text",
                "",
                "fm",
                (("fm", "FM SINAD"), ("am", "AM (S+N)/N, 30 %"), ("ssb", "SSB (S+N)/N")),
            ),
            Given("deviation", N_("FM: deviation"), "Hz", "1.5 kHz", "1.5 kHz", least=10.0, most=1e5),
            Given("low", N_("FM: audio from"), "Hz", "300 Hz", "300 Hz", most=2e4),
            Given("high", N_("FM: audio to"), "Hz", "3.4 kHz", "3.4 kHz", most=2e4),
            Given("deemphasis", N_("FM: de-emphasis, µs (0: none)"), "", "750", "750", least=0.0, most=5000.0),
        ),
        _noise,
        N_("kT0: −174 dBm in a hertz; FM: noise N0·f²/C and clicks B/√12·erfc√ρ (Rice)"),
        N_("a noiseless receiver, 290 K, 1 kHz tone, IF as wide as Carson's rule; AM and SSB: 3.1 kHz of audio"),
    ),
    Calculator(
        "channel",
        N_("What frequency is this channel?"),
        SYNTHESISER,
        (
            Given("plan", N_("Plan"), "text", "", "eu-40", tuple((p.id, p.title) for p in PLANS.values())),
            Given("channel", N_("Channel"), "text", "20"),
        ),
        _channel,
        N_("47 CFR 95.963 and CEPT; MPT 1320 (from memory)"),
    ),
    Calculator(
        "ppm",
        N_("How many hertz is an error in ppm?"),
        SYNTHESISER,
        (
            Given("ppm", N_("Error, ppm"), "", "5", least=-1e5, most=1e5),
            Given("hz", N_("At"), "Hz", "10.240 MHz"),
            Given("times", N_("Multiplier to the aerial"), "", "2.66", "1", least=1e-3, most=1e5),
        ),
        _ppm,
        "Δf = f · ppm · 10⁻⁶, times what the loop or multiplier makes of it",
    ),
    Calculator(
        "crystal",
        N_("What crystal do I order?"),
        SYNTHESISER,
        (
            Given("carrier", N_("Channel"), "Hz", "27.125 MHz", least=1e4),
            Given("way", N_("For"), "text", "", "transmit", (("transmit", N_("transmit")), ("receive", N_("receive")))),
            Given("if", N_("Receiver's IF"), "Hz", "455 kHz", "455 kHz", least=1e3),
            Given("side", N_("Oscillator"), "text", "", "below", _SIDES),
            Given("times", N_("Multiplied by"), "", "3 for a tripler", "1", least=1.0, most=100.0),
        ),
        _crystal,
        N_("transmit: channel / multiplier; receive: (channel ∓ IF) / multiplier"),
        N_("the circuit has the load capacitance you order for"),
        N_("Only channels that you are licensed for: conversions are often illegal to use."),
    ),
    Calculator(
        "padder",
        N_("Which padder?"),
        SYNTHESISER,
        (
            Given("low", N_("Lowest (trimmer maximum)"), "Hz", "10.239410 MHz", least=1e4),
            Given("high", N_("Highest (trimmer minimum)"), "Hz", "10.239980 MHz", least=1e4),
            Given("wanted", N_("Wanted"), "Hz", "10.240 MHz", least=1e4),
            Given("least", N_("Trimmer minimum"), "F", "5 pF", "5 pF", least=0.0, most=1e-6),
            Given("most", N_("Trimmer maximum"), "F", "30 pF", "30 pF", most=1e-6),
            Given("padder", N_("Fixed capacitor now"), "F", "33 pF", least=0.0, most=1e-6),
            Given("c0", N_("Crystal's own C0"), "F", "5 pF", "5 pF"),
        ),
        _padder,
        "f = fs + K/(C0 + Cp + Ct), K = fs·C1/2 (IEC 60122-1)",
        N_("trimmer and fixed capacitor in parallel; C0 hardly matters"),
        N_("Pulling a shared crystal moves all its bands: measure them all again."),
    ),
    Calculator(
        "preset",
        N_("Which resistor centres the preset?"),
        PARTS,
        (
            Given("low", N_("Voltage at low end"), "V", "0.58 V"),
            Given("high", N_("Voltage at high end"), "V", "0.66 V"),
            Given("wanted", N_("Wanted"), "V", "0.70 V"),
            Given("preset", N_("Preset"), "ohm", "1k"),
            Given("supply", N_("Fed from"), "V", "8 V"),
            Given(
                "change",
                N_("Change"),
                "text",
                "",
                "top",
                (("top", N_("the one above it")), ("bottom", N_("the one below it"))),
            ),
        ),
        _preset,
        "V = Vs · (R2 + a·P)/(R1 + P + R2); E24 (IEC 60063)",
        N_("no load on the slider"),
        N_("More bias than the sheet says shortens the final's life: note the current before and after."),
    ),
    Calculator(
        "vco",
        N_("How far will the VCO stretch?"),
        SYNTHESISER,
        (
            Given("readings", N_("Channels with voltage"), "text", "26.965 MHz 1.83; 27.185 MHz 2.6; 27.405 MHz 3.6"),
            Given("wanted", N_("Lowest; highest to lock"), "text", "26.515 MHz; 27.405 MHz"),
            Given("least", N_("Tuning voltage from"), "V", "1 V", "1 V"),
            Given("most", N_("Tuning voltage to"), "V", "5 V", "5 V"),
        ),
        _vco,
        "1/f² = a + b·(1 + V/φ)^−γ",
        N_("the VCO's own frequency, receive or transmit as it was read"),
        N_("Added bands are often illegal to use: your licence decides."),
    ),
    Calculator(
        "image",
        N_("Where are image and half-IF?"),
        RECEIVE,
        (
            Given("carrier", N_("Channel"), "Hz", "27.205 MHz", least=1e4),
            Given("if", N_("IF"), "Hz", "10.695 MHz", least=1e3),
            Given("side", N_("Oscillator"), "text", "", "below", _SIDES),
        ),
        _image,
        "f_image = 2·f_osc − f; half-IF: half-way to the oscillator",
    ),
    Calculator(
        "watts",
        N_("How many watts are these volts?"),
        TRANSMIT,
        (
            Given("volts", N_("Voltage across the load"), "V", "40 V", least=1e-9),
            Given(
                "kind",
                N_("Read as"),
                "text",
                "",
                "pp",
                (("pp", N_("peak to peak")), ("p", N_("peak")), ("rms", N_("rms"))),
                aliases=(("peak", "p"), ("peak-to-peak", "pp"), ("peak to peak", "pp"), ("p-p", "pp"), ("eff", "rms")),
            ),
            Given("ohm", N_("Load"), "ohm", "50", "50"),
        ),
        _watts,
        "P = V²rms/R",
        N_("a sine, no modulation"),
        N_("RF burns: into the dummy load."),
    ),
    Calculator(
        "pep",
        N_("What is the PEP of this mean power?"),
        TRANSMIT,
        (
            Given("mean", N_("Mean power"), "W", "6 W"),
            Given(
                "signal",
                N_("Of"),
                "text",
                "",
                "two",
                (("two", N_("two equal tones")), ("am", N_("AM on a tone")), ("carrier", N_("a carrier"))),
            ),
            Given("depth", N_("AM depth, %"), "", "100", "100", least=0.0, most=100.0),
        ),
        _pep,
        N_("two tones: PEP = 2 · mean; AM: (1 + m)² against 1 + m²/2"),
    ),
    Calculator(
        "depth",
        N_("What depth is on the scope, or the trapezoid?"),
        TRANSMIT,
        (Given("most", N_("Highest"), "V", "8 V"), Given("least", N_("Lowest"), "V", "1 V")),
        _depth,
        "m = (Vmax − Vmin)/(Vmax + Vmin)",
        N_("volts or divisions; trapezoid: long and short side. Straight edges mean a clean modulator"),
    ),
    Calculator(
        "null",
        N_("Which tone nulls the carrier?"),
        TRANSMIT,
        (
            Given("deviation", N_("Deviation"), "Hz", "2 kHz"),
            Given("null", N_("Null"), "", "1", "1", least=1.0, most=20.0, whole=True),
        ),
        _null,
        N_("zeros of J0: 2.4048, 5.5201, 8.6537 … (Abramowitz & Stegun, table 9.5)"),
    ),
    Calculator(
        "resonance",
        N_("Where does this circuit resonate?"),
        PARTS,
        (Given("henry", N_("Inductance"), "H", "1.2 uH"), Given("farad", N_("Capacitance"), "F", "27 pF")),
        _resonance,
        "f = 1/(2π√(LC))",
    ),
    *STABILITY_CALCULATORS,
    *SUPERHET_CALCULATORS,
    *MODIFYING_CALCULATORS,
    *RECEIVE_CALCULATORS,
    *TRANSMIT_CALCULATORS,
    *MATCHING_CALCULATORS,
)


def calculator_of(name: str) -> Calculator:
    """The calculator of that name. Raises EntryError naming those there are."""
    found = next((s for s in CALCULATORS if s.name == name), None)
    if found is None:
        raise EntryError(
            tr(
                "There is no calculator “{name}”. There are: {list}.",
                name=name,
                list=", ".join(s.name for s in CALCULATORS),
            )
        )
    return found


def to_data(answers: list[Answer]) -> dict[str, Any]:
    """Answers as plain data: values where there are, else words."""
    return {a.key: (a.value if a.value is not None and math.isfinite(a.value) else a.text) for a in answers}
