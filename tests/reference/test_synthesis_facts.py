"""Multi-band sets, skipped places, image and pulled crystals against facts of the trade and ngspice-free closed forms."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.optimize import brentq

from unitone.align.frequency.attribution import Counted, Point, Source, attribute
from unitone.radio.channels import plan
from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import find, physics_path
from unitone.sheet.model.mixing_model import Place, outputs, spots
from unitone.simulator.physics import read_physics
from unitone.simulator.radio import SimulatedRadio


def test_the_skipped_places_are_those_of_the_regulation() -> None:
    # 47 CFR 95.963 (from memory): between channels 3/4, 7/8, 11/12, 15/16 and 19/20 lie 26.995, 27.045, 27.095, 27.145, 27.195 MHz,
    # which belong to another service; the trade calls them the alpha positions.
    alphas = plan("eu-40").with_alphas()
    skipped = {n: f for n, f in zip(alphas.names, alphas.hz, strict=True) if n.endswith("A")}
    assert skipped == {"3A": 26_995_000, "7A": 27_045_000, "11A": 27_095_000, "15A": 27_145_000, "19A": 27_195_000}
    assert sorted(alphas.hz)[-1] == 27_405_000 and len(set(alphas.hz)) == 45


def test_the_blocks_of_a_multi_band_set_are_named_by_their_first_channel() -> None:
    # Common practice, no source: blocks of 40 channels 450 kHz apart.
    sheet = read_sheet(find("ostrel-curlew-5"))
    firsts = [sheet.carrier_hz("1", band) for band, _ in sheet.plan.bands]
    assert firsts == [26_065_000, 26_515_000, 26_965_000, 27_415_000, 27_865_000]
    # Carrier oscillators about 1.5 kHz either side of the filter's centre, and all modes on one dial (common practice, no source).
    for band in "ABCDE":
        made = {
            m: next(x for x in outputs(sheet, Place("transmit", band, m, "20")) if x.output == "tx.carrier")
            for m in ("am", "usb", "lsb")
        }
        assert len({x.hz for x in made.values()}) == 1
    centre = 10_695_000
    carriers = {o.id: o.nominal_hz for o in sheet.oscillators if o.id.startswith("car-")}
    assert carriers["car-usb"] - centre == -1500 and carriers["car-lsb"] - centre == 1500


def test_the_image_lies_twice_the_if_away() -> None:
    # Any receiver handbook: f_image = f ± 2·IF (superheterodyne principle).
    sheet = read_sheet(find("ostrel-curlew-5"))
    for band, channel in (("A", "1"), ("E", "40")):
        seen = spots(sheet, Place("receive", band, "am", channel))
        assert seen is not None and seen.image_hz - sheet.carrier_hz(channel, band) == pytest.approx(2 * 10_695_000)


def test_a_pulled_crystal_against_its_equivalent_circuit() -> None:
    """The simulated radio's trimmer against the exact resonance of the crystal's equivalent circuit (IEC 60122-1: L1, C1, C0 with a load)."""
    sheet = read_sheet(find("ostrel-curlew-5"))
    physics = read_physics(physics_path(find("ostrel-curlew-5")), sheet)
    radio = SimulatedRadio(sheet, physics, 5)
    part = physics.oscillator["car-am"]
    series = 10.69e6
    inductance = 1.0 / ((2 * math.pi * series) ** 2 * part.c1)

    def exact(load: float) -> float:
        def reactance(f: float) -> float:
            w = 2 * math.pi * f
            motional = w * inductance - 1 / (w * part.c1)
            # Resonant where the motional arm is as inductive as C0 and the load together are capacitive.
            return motional - 1 / (w * (part.c0 + load))

        return float(brentq(reactance, series, series * 1.002))

    least, most = part.fixed + part.trimmer_least, part.fixed + part.trimmer_most
    swing = exact(least) / exact(most) - 1
    radio.mechanics.specimen.found["CT7"] = 180.0
    high = radio.synthesiser.oscillator_hz("car-am")
    radio.mechanics.specimen.found["CT7"] = 0.0
    low = radio.synthesiser.oscillator_hz("car-am")
    assert high / low - 1 == pytest.approx(swing, rel=0.01)


def test_attribution_of_many_faults_agrees_with_plain_least_squares() -> None:
    """With more readings than unknowns, all of them off, the weighing comes to NumPy's least squares."""
    rng = np.random.default_rng(3)
    names = ["ref", "xa", "xb", "ca", "cb"]
    from fractions import Fraction

    sources = [Source(n, 1e7, n.upper()) for n in names]
    true = dict(zip(names, (420.0, -650.0, 380.0, -510.0, 700.0), strict=True))
    points = [
        Point(f"{x}{c}{n}", 27e6, (("ref", Fraction(n, 64)), (x, Fraction(2)), (c, Fraction(-1))))
        for x in ("xa", "xb") for c in ("ca", "cb") for n in (3, 9)
    ]  # fmt: skip
    points += [Point(f"{n} by itself", 1e7, ((n, Fraction(1)),), n) for n in ("ref", "ca")]
    shown = [sum(float(k) * true[n] for n, k in p.terms) + 2.0 * rng.standard_normal() for p in points]
    rows = np.array([[float(dict(p.terms).get(n, 0)) for n in names] for p in points])
    solved, *_ = np.linalg.lstsq(rows, np.array(shown), rcond=None)
    found = attribute(sources, [Counted(p, e, 2.0) for p, e in zip(points, shown, strict=True)], (), 0.05, trusted=True)
    assert [j.error_hz for j in found.judged] == pytest.approx(list(solved), abs=4.0)
    assert {j.source.id for j in found.named} == set(names) and found.suspect is None
