"""Calculators of vintage superhets: what an IF passes, peaked or staggered, and the parts that let an oscillator track."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from unitone.calculators.calculator import RECEIVE, Answer, Calculator, Given
from unitone.calculators.typed import si_text
from unitone.quantities.show import number
from unitone.radio.if_response import Transformer, damping_ohm, hump_apart_hz, passband
from unitone.radio.tracking import best_tracking, image_db, image_hz, mistuned_loss_db
from unitone.words import N_, tr

#: What an IF is wide enough for (Hz at −6 dB; common practice, no source).
_FOR = ((2_000.0, N_("Morse")), (5_500.0, N_("speech")), (9_000.0, N_("speech and music")), (1e12, N_("music")))


def _if_response(v: Mapping[str, Any]) -> list[Answer]:
    stagger = v["stagger"]
    chain = [
        Transformer(v["centre"], v["q"], v["coupling"], (-stagger / 2.0, stagger / 2.0))
        for _ in range(int(v["transformers"]))
    ]
    found, peaked = passband(chain), passband([Transformer(t.centre_hz, t.q, t.coupling) for t in chain])
    wide = found.width(6.0)
    word = tr(next(w for most, w in _FOR if wide < most))
    answers = [
        Answer("width_6_hz", tr("width at −6 dB"), f"{si_text(wide, 'Hz')}: {word}", wide),
        Answer("width_3_hz", tr("width at −3 dB"), si_text(found.width(3.0), "Hz"), found.width(3.0)),
        Answer("width_60_hz", tr("width at −60 dB"), si_text(found.width(60.0), "Hz"), found.width(60.0)),
        Answer("shape", tr("shape, −60 to −6 dB"), number(found.width(60.0) / wide, 1), found.width(60.0) / wide),
        Answer("humps", tr("humps"), tr("one") if found.humps == 1 else tr("{n}, {db} dB between", n=found.humps, db=number(found.dip_db, 1)),
               float(found.humps)),
        Answer("loss_db", tr("lost by staggering"), f"{number(peaked.top_db - found.top_db, 1)} dB", peaked.top_db - found.top_db),
    ]  # fmt: skip
    apart = hump_apart_hz(v["centre"], v["q"], v["coupling"])
    if apart:
        answers.append(
            Answer("apart_hz", tr("humps apart, peaked"), tr("{hz}: peak with a damping resistor across the other winding", hz=si_text(apart, "Hz")),
                   apart)
        )  # fmt: skip
    if (ohm := damping_ohm(v["centre"], v["q"], v["coupling"], v["tank"])) is not None:
        answers.append(Answer("damping_ohm", tr("damping resistor, at most"), si_text(ohm, "Ω"), ohm))
    return answers


def _tracking(v: Mapping[str, Any]) -> list[Answer]:
    made = best_tracking(v["low"], v["high"], v["if"], v["least"], v["most"])
    hz = np.linspace(v["low"], v["high"], 1001)
    error = made.error_hz(hz)
    worst = int(np.abs(error).argmax())
    lost = mistuned_loss_db(error, hz, v["q"])
    image = image_db(v["high"], v["if"], v["q"])
    return [
        Answer("coil_h", tr("oscillator coil"), si_text(made.coil_h, "H"), made.coil_h),
        Answer("padder_f", tr("padder"), si_text(made.padder_f, "F"), made.padder_f),
        Answer("trimmer_f", tr("oscillator trimmer, with strays"), si_text(made.trimmer_f, "F"), made.trimmer_f),
        Answer("signal_coil_h", tr("aerial coil"), si_text(made.signal_coil_h, "H"), made.signal_coil_h),
        Answer("signal_trimmer_f", tr("aerial trimmer, with strays"), si_text(made.signal_trimmer_f, "F"), made.signal_trimmer_f),
        Answer("points_hz", tr("align at"), ", ".join(si_text(p, "Hz") for p in made.points_hz)),
        Answer("error_hz", tr("furthest off"), tr("{hz} at {at}", hz=si_text(abs(float(error[worst])), "Hz"), at=si_text(float(hz[worst]), "Hz")),
               abs(float(error[worst]))),
        Answer("loss_db", tr("most lost by it"), f"{number(float(lost.max()), 2)} dB", float(lost.max())),
        Answer("image_hz", tr("image at the top of the band"), tr("{hz}, {db} dB down by one circuit",
               hz=si_text(image_hz(v["high"], v["if"]), "Hz"), db=number(image, 0)), image),
    ]  # fmt: skip


SUPERHET_CALCULATORS: tuple[Calculator, ...] = (
    Calculator(
        "if-response",
        N_("How wide is this IF, peaked or staggered?"),
        RECEIVE,
        (
            Given("centre", N_("IF"), "Hz", "455k", "455k"),
            Given("q", N_("Q of each circuit, loaded"), "", "80, 60 for an old set", "80", least=5.0, most=2000.0),
            Given(
                "coupling", N_("Coupling, 1 is critical"), "", "0.8, 1.5 for two humps", "0.8", least=0.05, most=10.0
            ),
            Given("transformers", N_("Transformers"), "", "2", "2", (("1", "1"), ("2", "2"), ("3", "3"))),
            Given(
                "stagger", N_("Primary and secondary apart"), "Hz", "0, 3k for a quarter turn", "0", least=0.0, most=1e6
            ),
            Given("tank", N_("Capacitor across each winding"), "F", "120p", "120p", least=1e-12, most=1e-6),
        ),
        _if_response,
        "|H| = (1+k²)/|(1+jx₁)(1+jx₂)+k²|, x = 2Q·Δf/f₀ (Terman 1943)",
        N_("both circuits of a transformer alike; a valve or transistor between transformers"),
    ),
    Calculator(
        "tracking",
        N_("Which coil, padder and trimmer let an oscillator track?"),
        RECEIVE,
        (
            Given("low", N_("Low end of the band"), "Hz", "525k", "525k"),
            Given("high", N_("High end of the band"), "Hz", "1605k", "1605k"),
            Given("if", N_("IF"), "Hz", "455k", "455k"),
            Given("least", N_("Gang, open"), "F", "15p", "15p"),
            Given("most", N_("Gang, closed"), "F", "410p", "410p"),
            Given("q", N_("Q of the aerial circuit"), "", "60", "60", least=1.0, most=1000.0),
        ),
        _tracking,
        "ω²L = 1/Cp + 1/(C+Ct) at three points, moved until the error is shared; image at f + 2·IF",
        N_("both gang sections alike, the oscillator above the signal, strays counted with the trimmers"),
    ),
)
