"""The registry of measurable quantities: what they are called, their unit, how they print."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from unitone.words import N_, translated

Better = Literal["high", "low", "nominal"]
Kind = Literal[
    "volts",
    "amps",
    "watts",
    "hertz",
    "hertz-error",
    "ratio-db",
    "percent",
    "level",
    "s-units",
    "dbc",
    "gain-db",
    "scale",
]


@translated("title")
@dataclass(frozen=True)
class Quantity:
    """One measurable quantity.

    ``id`` names it in sheets and on the tape; ``kind`` fixes its canonical unit
    and which units may be typed for it; ``decimals`` is how finely it prints in
    ``shown`` (the unit of the screen); ``better`` says which way is good.
    """

    id: str
    title: str
    kind: Kind
    shown: str
    decimals: int
    better: Better
    way: Literal["receive", "transmit", "either"]
    #: How the reading responds to a tuned circuit, dB for dB: 0 where peaking makes no sense.
    hill_slope: float = 0.0
    #: Standard deviation that one logged reading has on an ordinary bench, canonical units.
    usual_std: float = 0.0
    low: float = float("-inf")
    high: float = float("inf")


#: Canonical unit of each kind: what limits, readings and the tape hold.
CANONICAL_UNIT: dict[Kind, str] = {
    "volts": "V",
    "amps": "A",
    "watts": "W",
    "hertz": "Hz",
    "hertz-error": "Hz",
    "ratio-db": "dB",
    "percent": "%",
    "level": "dBm",
    "s-units": "dB over S9",
    "dbc": "dBc",
    "gain-db": "dB",
    "scale": "div",
}

_ALL = (
    Quantity("supply.voltage", N_("supply voltage"), "volts", "V", 2, "nominal", "either", usual_std=0.01, low=-1000, high=2000),
    Quantity("supply.current", N_("supply current"), "amps", "mA", 0, "low", "either", usual_std=0.002, low=0, high=100),
    Quantity("supply.rail", N_("rail voltage"), "volts", "V", 2, "nominal", "either", usual_std=0.005, low=-1000, high=2000),
    Quantity("stage.voltage", N_("voltage at a point"), "volts", "V", 2, "nominal", "either", usual_std=0.01, low=-5000, high=5000),
    Quantity("ref.frequency", N_("reference frequency"), "hertz", "MHz", 6, "nominal", "either", usual_std=1.0, low=0),
    Quantity("osc.frequency", N_("oscillator frequency"), "hertz", "MHz", 6, "nominal", "either", usual_std=1.0, low=0),
    Quantity("rx.lo_error", N_("local oscillator error"), "hertz-error", "Hz", 0, "nominal", "receive", usual_std=2.0),
    Quantity("vco.tuning_voltage", N_("VCO tuning voltage"), "volts", "V", 2, "nominal", "either", usual_std=0.005, low=-50, high=50),
    Quantity("tx.bias_voltage", N_("bias voltage"), "volts", "V", 3, "nominal", "transmit", usual_std=0.002, low=-200, high=200),
    Quantity("tx.bias_current", N_("idle current"), "amps", "mA", 0, "nominal", "transmit", usual_std=0.001, low=0, high=100),
    Quantity("tx.power", N_("carrier power"), "watts", "W", 2, "high", "transmit", 1.0, 0.02, 0, 2000),
    Quantity("tx.pep", N_("peak envelope power"), "watts", "W", 2, "high", "transmit", 1.0, 0.05, 0, 2000),
    Quantity("tx.frequency_error", N_("carrier frequency error"), "hertz-error", "Hz", 0, "nominal", "transmit", usual_std=2.0),
    Quantity("tx.voice_shift", N_("shift of a voice"), "hertz-error", "Hz", 0, "nominal", "transmit", usual_std=5.0),
    Quantity("tx.deviation", N_("deviation"), "hertz", "kHz", 2, "nominal", "transmit", usual_std=10.0, low=0, high=100_000),
    Quantity("tx.am_depth", N_("modulation depth"), "percent", "%", 0, "nominal", "transmit", usual_std=1.0, low=0, high=300),
    Quantity("tx.harmonic", N_("second harmonic"), "dbc", "dBc", 0, "low", "transmit", 1.0, 0.5, -200, 0),
    Quantity("tx.spurious", N_("strongest spurious line"), "dbc", "dBc", 0, "low", "transmit", usual_std=0.5, low=-200, high=0),
    Quantity("tx.carrier_suppression", N_("carrier left in SSB"), "dbc", "dBc", 0, "low", "transmit", 1.0, 0.5, -200, 0),
    Quantity("tx.field_strength", N_("relative field strength"), "ratio-db", "dB", 1, "high", "transmit", 1.0, 0.4, 0, 200),
    Quantity("tx.meter", N_("the radio's own power meter"), "watts", "W", 1, "nominal", "transmit", usual_std=0.05, low=0, high=2000),
    Quantity("tx.audio_response", N_("audio against 1 kHz"), "gain-db", "dB", 1, "nominal", "transmit", usual_std=0.3, low=-80, high=40),
    Quantity("tx.stage_voltage", N_("RF voltage at a stage, peak"), "volts", "V", 2, "high", "transmit", usual_std=0.05, low=0, high=2000),
    Quantity("tx.hum_noise", N_("hum and noise, below the tone"), "ratio-db", "dB", 0, "high", "transmit", 0.0, 0.5, 0, 120),
    Quantity("rx.sinad", N_("SINAD"), "ratio-db", "dB", 1, "high", "receive", 1.6, 0.25, 0, 80),
    Quantity("rx.sn_ratio", N_("(S+N)/N"), "ratio-db", "dB", 1, "high", "receive", 1.0, 0.3, 0, 80),
    Quantity("rx.distortion", N_("distortion"), "percent", "%", 1, "low", "receive", 1.0, 0.1, 0, 100),
    Quantity("rx.af_voltage", N_("AF output voltage"), "volts", "V", 2, "high", "receive", 1.0, 0.02, 0, 100),
    Quantity("rx.quieting", N_("quieting (tone off)"), "ratio-db", "dB", 1, "high", "receive", 1.5, 0.3, 0, 80),
    Quantity("rx.loudness", N_("loudness by ear"), "ratio-db", "dB", 0, "high", "receive", 1.0, 1.0, -40, 40),
    Quantity("rx.agc_voltage", N_("AVC voltage"), "volts", "V", 2, "nominal", "receive", 1.0, 0.02, low=-100, high=100),
    Quantity("rx.hum", N_("hum, below the tone"), "ratio-db", "dB", 0, "high", "receive", 0.0, 0.5, 0, 120),
    Quantity("rx.tone_frequency", N_("AF tone frequency"), "hertz", "Hz", 1, "nominal", "receive", usual_std=0.5, low=0, high=20_000),
    Quantity("rx.scope_height", N_("AF height on the scope"), "scale", "div", 1, "high", "receive", 1.0, 0.1, 0, 1000),
    Quantity("rx.attenuation", N_("attenuation until the signal just goes"), "ratio-db", "dB", 0, "high", "receive", 1.0, 0.7, 0, 200),
    Quantity("rx.needle", N_("needle, unmarked scale"), "scale", "div", 1, "high", "receive", 1.0, 0.1, 0, 1000),
    Quantity("rx.agc_rise", N_("audio rise from 10 µV"), "ratio-db", "dB", 1, "low", "receive", 1.0, 0.3, -40, 120),
    Quantity("rx.selectivity", N_("selectivity at 10 kHz"), "ratio-db", "dB", 0, "high", "receive", 1.0, 0.5, -20, 140),
    Quantity("rx.blanker", N_("pulse noise, blanker on"), "ratio-db", "dB", 0, "high", "receive", 1.0, 0.5, -20, 100),
    Quantity("rx.frequency_error", N_("dial error"), "hertz-error", "Hz", 0, "nominal", "receive", usual_std=20.0),
    Quantity("rx.sensitivity", N_("12 dB SINAD level"), "level", "µV", 2, "low", "receive", usual_std=0.2, low=-200, high=30),
    Quantity("rx.sensitivity_am", N_("10 dB (S+N)/N level"), "level", "µV", 2, "low", "receive", usual_std=0.3, low=-200, high=30),
    Quantity("rx.s_meter", N_("S-meter"), "s-units", "S", 1, "nominal", "receive", 1.0, 0.5, low=-60, high=80),
    Quantity("rx.led_lights", N_("S-meter LED lights at"), "level", "µV", 2, "nominal", "receive", usual_std=0.3, low=-200, high=30),
    Quantity("rx.injection", N_("level for standard output"), "level", "µV", 1, "low", "receive", usual_std=1.0, low=-200, high=50),
    Quantity("rx.squelch_opens", N_("squelch opens at"), "level", "µV", 2, "nominal", "receive", usual_std=0.3, low=-200, high=30),
    Quantity("rx.squelch_closes", N_("squelch closes at"), "level", "µV", 2, "nominal", "receive", usual_std=0.3, low=-200, high=30),
    Quantity("rx.squelch_tight", N_("squelch fully up: opens at"), "level", "µV", 1, "nominal", "receive", usual_std=0.5, low=-200, high=30),
)  # fmt: skip

QUANTITIES: dict[str, Quantity] = {q.id: q for q in _ALL}

#: Peaked by ear: no number, only louder, softer, same. And what is read with the tone off.
HEARD, QUIETING = "rx.loudness", "rx.quieting"

#: Levels that are found from readings of a ratio: the quantity read, the ratio that is the mark (dB), and its short name.
FOUND_BY: dict[str, tuple[str, float, str]] = {
    "rx.sensitivity": ("rx.sinad", 12.0, "12 dB SINAD"),
    "rx.sensitivity_am": ("rx.sn_ratio", 10.0, "10 dB (S+N)/N"),
}


def quantity(identifier: str) -> Quantity:
    """The quantity of that id. Raises KeyError with the known ids where there is none."""
    try:
        return QUANTITIES[identifier]
    except KeyError:
        raise KeyError(f"no quantity {identifier!r}; known: {', '.join(sorted(QUANTITIES))}") from None
