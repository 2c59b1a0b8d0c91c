"""Oscillators told apart: a sample of benchmarks/attribution.py, exact ambiguities, wrong entries, and readings of real sheets."""

from __future__ import annotations

import importlib.util
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from unitone.align.frequency.attribution import Counted, Point, Source, _Model, attribute, cannot_tell
from unitone.align.frequency.counts import COLUMNS, Typed, counted, parse_readings, point_at, to_data, trace
from unitone.errors import EntryError, SheetError
from unitone.sheet.format.read import parse_sheet, read_sheet
from unitone.sheet.library import find, general
from unitone.sheet.model.mixing_model import Place, outputs, places, spots
from unitone.sheet.model.sheet import Sheet

ONE = Fraction(1)


@pytest.fixture(scope="module")
def bench():  # type: ignore[no-untyped-def]
    spec = importlib.util.spec_from_file_location(
        "attribution_cases", Path(__file__).parents[3] / "benchmarks" / "attribution.py"
    )
    assert spec is not None and spec.loader is not None
    made = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(made)
    return made


def test_faulty_oscillators_are_named_and_healthy_ones_are_not(bench) -> None:  # type: ignore[no-untyped-def]
    misses, most = [], 0
    for seed in range(9001, 9041):
        rng = np.random.default_rng(seed)
        sources, points = bench.radio(rng)
        errors, off, ppm = bench.truth(rng, sources)
        found, readings = bench.work(sources, points, errors, ppm, rng)
        named = {j.source.id for j in found.named}
        assert named <= off <= named | {j.source.id for j in found.open}, seed
        misses += [abs(j.error_hz - errors[j.source.id]) for j in found.named]
        most = max(most, len(readings))
    assert np.percentile(misses, 95) <= 30 and most <= bench.MOST


def test_every_hypothesis_is_weighed_as_plain_linear_algebra_weighs_it() -> None:
    """One inversion and its changes say what an inversion a hypothesis says (numpy.linalg, by Bayes' rule for a linear model)."""
    rng = np.random.default_rng(9)
    for count, readings in ((2, 1), (5, 4), (11, 20), (3, 0)):
        sources = [Source(f"X{i}", 10e6) for i in range(count)]
        made = [
            Counted(
                Point(f"at {k}", 27e6, tuple((s.id, Fraction(int(rng.integers(-3, 4)))) for s in sources)),
                float(rng.normal(0, 400)),
                3.0 + k,
            )
            for k in range(readings)
        ]
        model = _Model(sources, made)
        sd = rng.choice([20.0, 900.0], (7, count + 1), p=[0.7, 0.3])
        evidence, means, covariances = model.weigh(sd)
        assert model.evidence(sd) == pytest.approx(evidence, rel=1e-9, abs=1e-7)
        plain = []
        for h in range(len(sd)):
            precision = model.information + np.diag(sd[h] ** -2.0)
            expected = np.linalg.inv(precision)
            assert covariances[h] == pytest.approx(expected, rel=1e-8, abs=1e-7 * np.abs(expected).max())
            assert means[h] == pytest.approx(expected @ model.pull, rel=1e-6, abs=1e-6)
            log_det = np.linalg.slogdet(precision)[1]
            plain.append(0.5 * means[h] @ model.pull - 0.5 * log_det - np.log(sd[h]).sum())
        assert evidence - evidence[0] == pytest.approx(np.array(plain) - plain[0], abs=1e-6)


def test_a_wrong_entry_is_named_and_does_not_mislead(bench) -> None:  # type: ignore[no-untyped-def]
    noticed = 0
    for seed in range(9101, 9121):
        rng = np.random.default_rng(seed)
        sources, points = bench.radio(rng)
        errors, off, ppm = bench.truth(rng, sources)
        _, readings = bench.work(sources, points, errors, ppm, rng)
        k = int(rng.integers(len(readings)))
        readings[k] = Counted(readings[k].point, readings[k].error_hz + 4000.0, 10.0)
        found = attribute(sources, readings, points)
        noticed += found.suspect == k
        if found.suspect == k:
            assert {j.source.id for j in found.named} <= off
    assert noticed >= 18


def test_what_cannot_be_told_is_exact() -> None:
    sources = [Source("ref", 10.24e6), Source("x", 16.7e6, "CT2"), Source("c", 10.695e6)]
    points = [Point(f"channel {n}", 27e6, (("ref", Fraction(900 + n, 1024)), ("x", ONE), ("c", ONE))) for n in (1, 40)]
    found = cannot_tell(sources, points)
    assert (("x", 1), ("c", -1)) in found
    direct = Point("x at its test point", 16.7e6, (("x", ONE),), "x")
    assert all(
        not {"x", "c"} <= {n for n, _ in a} or "timebase" in dict(a) or "ref" in dict(a)
        for a in cannot_tell(sources, [*points, direct])
    )
    # A shared shift: one of x and c is off, and only counting one of them directly will tell.
    readings = [Counted(p, 500.0) for p in points]
    said = attribute(sources, readings, [direct])
    assert {"x", "c"} <= {j.source.id for j in said.open} and said.following == direct and not said.settled
    told = attribute(sources, [*readings, Counted(direct, 498.0)], [direct])
    assert [j.source.id for j in told.named] == ["x"] and told.named[0].error_hz == pytest.approx(495, abs=25)
    # Everything off in proportion to its frequency smells of the counter.
    ppm = 8.0
    nominal = {"ref": 10.24e6, "x": 16.7e6, "c": 10.695e6}
    all_off = [Counted(Point(n, hz, ((n, ONE),)), -hz * 1e-6 * ppm, 1.0) for n, hz in nominal.items()]
    smells = attribute(sources, [*all_off, Counted(Point("standard", 10e6, ()), -80.0, 1.0)])
    assert smells.timebase_ppm == pytest.approx(ppm, abs=0.3)
    nothing = attribute(sources, [], points)
    assert not nothing.named and nothing.following is not None and nothing.suspect is None
    with pytest.raises(ValueError, match="at least one"):
        attribute([], [])
    with pytest.raises(ValueError, match="not there"):
        attribute(sources, [Counted(Point("?", 1e6, (("y", ONE),)), 0.0)])


# -- sheets -------------------------------------------------------------------------------------------

MULTI = """
[[oscillator]]
id = "xlow"
nominal = "16.2725 MHz"
[[oscillator]]
id = "xmid"
nominal = "16.7225 MHz"
"""


def multi_band() -> Sheet:
    """The Tarn with two bands, each with a mixing crystal of its own: carrier = loop + crystal."""
    text = find("ostrel-tarn-40").read_text(encoding="utf-8")
    text = text.replace('plan = "eu-40"', 'plan = "eu-40"\nbands = { low = "-450 kHz", mid = "0 Hz" }', 1)
    text = text.replace("[[mixing]]", MULTI + "\n[[mixing]]", 1)
    lines = "".join(
        f'[[mixing]]\nwhen = {{ way = "send", band = "{b}" }}\noutput = "tx.carrier"\nterms = {{ ref = "N/4096", {x} = "1" }}\n'
        f'offset = "-{mhz} MHz"\nraster = "2.5 kHz"\n\n'
        for b, x, mhz in (("low", "xlow", "16.2725"), ("mid", "xmid", "16.7225"))
    )
    return parse_sheet(text.replace("[[control]]", lines + "[[control]]", 1), "multi.toml", "multi")


def test_every_frequency_from_the_crystals_to_the_aerial_is_exact() -> None:
    sheet = multi_band()
    for place in places(sheet, "transmit"):
        carrier = next(m for m in outputs(sheet, place) if m.output == "tx.carrier")
        assert carrier.hz == sheet.carrier_hz(place.channel, place.band), place.words
        assert {n for n, _ in carrier.terms} == {"ref", f"x{place.band}"}
    assert len(places(sheet, "transmit")) == 80 and len(places(sheet, "transmit", ends_only=True)) == 6
    # The trim of a band's crystal reaches that band alone: what must be measured again after it.
    tarn = read_sheet(find("ostrel-tarn-40"))
    seen = spots(tarn, Place("receive", None, None, "20"))
    # First oscillator 10.695 MHz below 27.205: image 10.695 below that again, half-IF half-way.
    assert seen is not None and (seen.intermediate_hz, seen.image_hz, seen.half_if_hz) == (10.695e6, 5.815e6, 21.8575e6)
    assert spots(read_sheet(find("ostrel-mallard-6")), Place("receive")) is None


def test_readings_of_a_sheet_are_traced_in_words_and_data() -> None:
    sheet = multi_band()

    def row(band: str, channel: str, hz: float, point: str = "") -> Typed:
        return Typed("transmit", band, "", channel, point, f"{hz:.0f}")

    def at(band: str, channel: str, extra: float) -> Typed:
        return row(band, channel, sheet.carrier_hz(channel, band) + extra)

    readings = [at("low", "1", 612), at("low", "40", 608), at("mid", "1", 4), at("mid", "40", -3), at("low", "20", 605)]
    said = trace(sheet, counted(sheet, readings))
    assert said.headline.startswith("xlow is 60") and "it has no trimmer" in said.headline
    assert "shows 16.27310" in said.headline and "should show 16.272500" in said.headline
    data = to_data(said)
    assert (
        data["named"] == ["xlow"]
        and data["suspect_reading"] is None
        and {o["id"] for o in data["oscillators"]} == {"ref", "xlow", "xmid"}
    )
    assert abs(next(o for o in data["oscillators"] if o["id"] == "xlow")["error_hz"] - 607) < 25
    fine = trace(sheet, counted(sheet, [at("low", "1", 12), at("mid", "40", -9)]))
    assert fine.headline == "Well in spec: leave it alone."
    assert trace(sheet, []).headline == "No reading yet." and "read " in trace(sheet, []).following
    wrong = trace(sheet, counted(sheet, [*readings[:4], at("low", "20", 6100)]))
    assert wrong.suspect.startswith("reading 5") and to_data(wrong)["suspect_reading"] == 5
    direct = counted(sheet, [row("", "", 16_722_512, "xmid"), row("", "", 9_999_990, "standard")])
    assert [c.point.direct for c in direct] == ["xmid", None] and direct[0].error_hz == 12
    for typed, says in (
        (row("top", "1", 27e6), "no band “top”"), (row("low", "41", 27e6), "no channel “41”"), (row("low", "1", 26515.2), "looks like kHz"),
        (row("low", "1", 30e6), "another channel, or a harmonic"), (row("low", "1", 27e6, "TP99"), "no point “TP99”"),
        (Typed("sideways", "low", "", "1", "", "27e6"), "neither transmit nor receive"), (Typed("transmit", "low", "", "1", "", "x"), "row 1"),
    ):  # fmt: skip
        with pytest.raises(EntryError, match=says):
            counted(sheet, [typed])
    with pytest.raises(SheetError, match="says no oscillators and mixing"):
        trace(read_sheet(general()[0]), [])
    assert point_at(sheet, Place("receive", "low", None, "1"), "rx.lo1").cost == 2.0


def test_a_csv_says_what_is_wrong_with_it() -> None:
    good = parse_readings("\ufeffway;band;mode;channel;point;hz\n# a note\nsend;;;1;;26965402\n\nsend;;;40;;27405410\n")
    assert [t.hz for t in good] == ["26965402", "27405410"] and good[0].channel == "1"
    cases = {
        "": "no readings in it",
        "a,b\n1,2\n": "readings:1: the first line",
        ",".join(COLUMNS) + "\nsend,1\n": "readings:2: 2 cells",
    }
    for text, says in cases.items():
        with pytest.raises(EntryError, match=says):
            parse_readings(text)
