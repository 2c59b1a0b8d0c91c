"""Channel plans and the mixing model of a sheet: positions, outputs of outputs, what a trimmer reaches, and what cannot be."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction

import pytest

from unitone.errors import SheetError, UnitoneError
from unitone.radio.channels import PLANS, block, plan
from unitone.sheet.format.read import parse_sheet, read_sheet
from unitone.sheet.library import find
from unitone.sheet.model.mixing_model import Place, modes_of, oscillator_counted, outputs, places, spots
from unitone.sheet.model.sheet import Conditions, Effect, Sheet

CURLEW = find("ostrel-curlew-5").read_text(encoding="utf-8")
VFO = """format = "unitone-sheet/1"
[model]
maker = "Ostrel"
name = "Otter"
kind = "valve SSB transceiver"
[channels.block]
first = "14.000 MHz"
step = "50 kHz"
count = 8
[[oscillator]]
id = "vfo"
nominal = "5.325 MHz"
follows = "-1"
offset = "19.500 MHz"
[[oscillator]]
id = "mix"
nominal = "28.500 MHz"
[[oscillator]]
id = "carrier"
nominal = "9.000 MHz"
[[mixing]]
output = "premix"
terms = { mix = "1", vfo = "-1" }
[[mixing]]
when = { way = "receive" }
output = "rx.lo1"
terms = { premix = "1" }
[[mixing]]
when = { way = "send" }
output = "tx.carrier"
terms = { premix = "1", carrier = "-1" }
[[step]]
id = "dial"
phase = "synthesiser"
title = "Dial"
quantity = "rx.frequency_error"
aim = "check"
limit = "-500 … 500 Hz"
hook_up = "receive"
"""


@pytest.fixture(scope="module")
def curlew() -> Sheet:
    return read_sheet(find("ostrel-curlew-5"))


def test_plans_take_alpha_places_shifts_and_blocks() -> None:
    alphas = plan("eu-40").with_alphas()
    assert [n for n in alphas.names if n.endswith("A")] == ["3A", "7A", "11A", "15A", "19A"]
    assert alphas.names.index("3A") == alphas.names.index("3") + 1
    low = plan("eu-40").with_shift(-5_000)
    assert low.frequency("20-5k") == 27_200_000 and len(low.names) == 80
    made = block(26_065_000, 10_000, 40)
    assert made.frequency("40") == 26_455_000 and made.names[0] == "1"
    for wrong in (lambda: block(0, 10_000, 4), lambda: plan("eu-40").with_shift(0)):
        with pytest.raises(UnitoneError):
            wrong()
    text = CURLEW.replace('plan = "eu-40"', 'plan = "eu-40"\npositions = ["alpha", "-5 kHz"]', 1)
    sheet = parse_sheet(text, "x", "x")
    assert sheet.carrier_hz("3A", "E") == 26_995_000 + 900_000 and sheet.carrier_hz("3A-5k") == 26_990_000
    # The divider counts those places too: the lines give them exactly.
    sent = next(m for m in outputs(sheet, Place("transmit", "B", "usb", "19A-5k")) if m.output == "tx.carrier")
    assert sent.hz == sheet.carrier_hz("19A-5k", "B")


def test_every_channel_of_every_band_and_mode_comes_out_exactly(curlew: Sheet) -> None:
    assert modes_of(curlew) == ("am", "usb", "lsb", "fm")
    for place in places(curlew, "transmit"):
        made = {m.output: m for m in outputs(curlew, place)}
        assert made["tx.carrier"].hz == curlew.carrier_hz(place.channel, place.band)
        assert dict(made["tx.carrier"].terms)[f"x-{place.band}"] == 2
        assert dict(made["tx.carrier"].terms)["car-am" if place.mode == "fm" else f"car-{place.mode}"] == -1
        assert 0 < dict(made["tx.carrier"].terms)["ref"] < Fraction(1, 6)
    assert (
        len(places(curlew, "transmit")) == 5 * 4 * 40 and len(places(curlew, "transmit", ends_only=True)) == 5 * 4 * 3
    )
    seen = spots(curlew, Place("receive", "C", "am", "20"))
    assert seen is not None and seen.image_hz == pytest.approx(27_205_000 + 2 * 10_695_000)
    # Without a band nothing of the bands is told, and what does not hang on them is.
    assert {m.output for m in outputs(curlew, Place("transmit", None, "lsb", "20"))} == {"loop", "carrier"}


def test_a_trimmer_reaches_what_its_oscillator_makes(curlew: Sheet) -> None:
    def reach(name: str) -> set[Effect]:
        return set(curlew.adjuster(name).affects)

    assert Effect("tx.frequency_error", "transmit", band="B") in reach("CT3")
    assert Effect("osc.frequency", band="B", test_point="TP4") in reach("CT3") and len(reach("CT3")) == 4
    usb = curlew.adjuster("CT8")
    for band in "ABCDE":
        assert usb.can_change("tx.frequency_error", Conditions("transmit", "20", band=band, mode="usb"))
        assert not usb.can_change("tx.frequency_error", Conditions("transmit", "20", band=band, mode="lsb"))
    assert not usb.can_change("rx.lo_error", Conditions("receive", "20", band="C", mode="usb"))
    assert curlew.adjuster("CT1").can_change("tx.frequency_error", Conditions("transmit", "1", band="E", mode="am"))
    assert not usb.can_change("osc.frequency", Conditions(test_point="TP2"))
    assert "TP5" in next(r for r in usb.affects if r.pattern == "osc.frequency").words


def test_an_oscillator_is_told_by_where_it_is_counted(curlew: Sheet) -> None:
    told = oscillator_counted(curlew, Conditions(test_point="TP5", mode="lsb"))
    assert told is not None and told.id == "car-lsb"
    band = oscillator_counted(curlew, Conditions(test_point="TP4", band="D"))
    assert band is not None and band.id == "x-D"
    assert oscillator_counted(curlew, Conditions(test_point="TP4")) is None
    nearest = oscillator_counted(curlew, Conditions(test_point="TP4"), 18.15e6)
    assert nearest is not None and nearest.id == "x-B"


def test_a_dial_is_followed_and_premixed() -> None:
    sheet = parse_sheet(VFO, "otter.toml", "otter")
    made = {m.output: m for m in outputs(sheet, Place("transmit", channel="5"))}
    assert sheet.carrier_hz("5") == 14_200_000 and made["tx.carrier"].hz == 14_200_000
    assert made["premix"].hz == 23_200_000
    vintage = VFO.replace('follows = "-1"\noffset = "19.500 MHz"', 'follows = "1"\noffset = "465 kHz"')
    vintage = vintage.replace('terms = { mix = "1", vfo = "-1" }', 'terms = { vfo = "1" }')
    vintage = vintage[: vintage.index('[[mixing]]\nwhen = { way = "send" }')] + vintage[vintage.index("[[step]]") :]
    heard = {m.output: m.hz for m in outputs(parse_sheet(vintage, "x", "x"), Place("receive", channel="1"))}
    assert heard["rx.lo1"] == 14_465_000


@pytest.mark.parametrize(
    ("change", "key", "says"),
    [
        (lambda t: t.replace('raster = "500 Hz"', 'raster = "700 Hz"', 1), "mixing", "no whole divider gives"),
        (lambda t: t.replace("18.150000 MHz", "18.151000 MHz"), "mixing", "the lines give 26.517000 MHz, the channel is 26.515000"),
        (lambda t: t.replace('terms = { car-am = "1" }', 'terms = { vco = "1" }'), "mixing", "goes round in a circle|the lines give"),
        (lambda t: t.replace('terms = { mix = "1", loop = "1" }', 'terms = { vco = "1" }'), "mixing.terms", "no oscillator 'vco'"),
        (lambda t: t.replace('test_point = "TP2"', 'test_point = "TP9"', 1), "oscillator.test_point", "no test point 'TP9'"),
        (lambda t: t.replace('plan = "eu-40"', 'plan = "eu-40"\npositions = ["sideways"]', 1), "channels.positions", 'Or write "alpha"'),
        (
            lambda t: t.replace('plan = "eu-40"', 'plan = "eu-40"\n[channels.block]\nfirst = "27 MHz"', 1),
            "channels.plan", "exclude each other",
        ),
        (lambda t: t.replace('nominal = "10.240 MHz"\ntrim', 'nominal = "-10.240 MHz"\ntrim'), "oscillator.nominal", "is not a frequency"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_said_with_its_place(change: Callable[[str], str], key: str, says: str) -> None:
    text = change(CURLEW)
    assert text != CURLEW
    with pytest.raises(SheetError) as error:
        parse_sheet(text, "radio.toml", "radio")
    import re

    assert any(f" {key}: " in p and re.search(says, p) for p in error.value.problems), error.value.problems


def test_outputs_in_a_circle_and_terms_that_nothing_gives() -> None:
    round_ = CURLEW.replace('terms = { x-A = "2" }', 'terms = { vco = "1" }')
    with pytest.raises(SheetError, match="goes round in a circle"):
        parse_sheet(round_, "radio.toml", "radio")
    # Band A's mixing line is gone: what the VCO hangs on is not given there.
    gone = CURLEW.replace('[[mixing]]\nwhen = { band = "A" }\noutput = "mix"\nterms = { x-A = "2" }\n', "")
    with pytest.raises(SheetError, match="nothing gives mix there"):
        parse_sheet(gone, "radio.toml", "radio")


def test_channels_written_twice_and_sheets_that_a_tape_keeps() -> None:
    teal = find("ostrel-teal-6").read_text(encoding="utf-8")
    doubled = teal.replace('B = "27.045 MHz"', 'B = "26.995 MHz"')
    with pytest.raises(SheetError, match="B and A are both 26"):
        parse_sheet(doubled, "teal.toml", "teal")
    # A job that was opened with such a sheet, before this was asked, still opens.
    assert parse_sheet(doubled, "teal.toml", "teal", kept=True).plan.names[1] == "B"
    assert set(PLANS) == {"eu-40", "uk-40"}
