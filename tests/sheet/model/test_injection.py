"""Where a generator is tuned that does not feed the aerial socket: figures of the superheterodyne's own arithmetic."""

from __future__ import annotations

from dataclasses import replace

import pytest

from unitone.errors import EntryError, SheetError
from unitone.present.bench.instructions import describe_inject, instruction, panel_words
from unitone.session.session import Session
from unitone.sheet.format.read import parse_sheet, read_sheet
from unitone.sheet.library import find
from unitone.sheet.model.injection import injected_hz, parse_terms
from unitone.sheet.model.sheet import Conditions, Inject, Sheet

TEXT = find("ostrel-tarn-40").read_text(encoding="utf-8")
FRONT = 'id = "front-end"'


def with_injection(inject: str, more: str = "") -> Sheet:
    return parse_sheet(TEXT.replace(FRONT, f"{FRONT}\ninject = {inject}\n{more}", 1), "tarn.toml", "tarn")


@pytest.mark.parametrize(
    ("frequency", "channel", "hz"),
    [
        # A double conversion of 10.695 MHz and 455 kHz, the usual pair of 27 MHz sets (common practice, no source).
        ("channel", "20", 27_205_000), ("rx.if1", "20", 10_695_000), ("rx.if2", "1", 455_000), ("rx.lo1", "20", 16_510_000),
        ("rx.lo1 + 455 kHz", "1", 26_965_000 - 10_695_000 + 455_000), ("rx.lo1 − rx.if1", "40", 27_405_000 - 2 * 10_695_000),
        ("channel + 1 kHz", "19", 27_186_000), ("rx.lo2 - 455 kHz", "5", 9_785_000), ("465 kHz", "20", 465_000),
    ],
)  # fmt: skip
def test_a_frequency_is_worked_out_by_the_mixing_lines(frequency: str, channel: str, hz: float) -> None:
    sheet = with_injection(f'{{ at = "mixer", frequency = "{frequency}" }}')
    where = sheet.step("front-end").inject
    assert where is not None and injected_hz(sheet, where, Conditions(channel=channel)) == pytest.approx(hz)


@pytest.mark.parametrize(
    ("frequency", "mode", "hz"),
    [
        # By hand: upper sideband, a tone of 1 kHz, is 1 kHz above the carrier; behind a first oscillator above the signal the sidebands have
        # changed places, so that it stands as far below the carrier oscillator there.
        ("channel", "usb", 27_206_000), ("rx.if1", "usb", 10_693_500 - 1_000), ("channel", "lsb", 27_204_000),
        ("rx.if1", "lsb", 10_696_500 + 1_000), ("channel", "am", 27_205_000), ("rx.if1", "fm", 10_695_000), ("rx.bfo", "usb", 10_693_500),
    ],
)  # fmt: skip
def test_in_single_sideband_the_generator_stands_beside_the_carrier_by_the_tone(
    frequency: str, mode: str, hz: float
) -> None:
    sheet = read_sheet(find("ostrel-curlew-5"))
    there = Conditions("receive", "20", band="C", mode=mode, tone_hz=1000.0)
    assert injected_hz(sheet, Inject("there", terms=parse_terms(frequency)), there) == pytest.approx(hz)
    # Without a tone to be heard, and where a step says how far beside, it stands where it is told.
    for other in (replace(there, tone_hz=None), replace(there, offset_hz=0.0)):
        on_it = injected_hz(sheet, Inject("there", terms=parse_terms("channel")), other)
        assert on_it == pytest.approx(27_205_000)


@pytest.mark.parametrize("text", ["+ 455 kHz +", "rx.lo1 +", "4 furlongs"])
def test_what_is_no_frequency_is_said_at_its_line(text: str) -> None:
    with pytest.raises(EntryError):
        parse_terms(text)
    with pytest.raises(SheetError, match=r"step\.inject\.frequency"):
        with_injection(f'{{ at = "mixer", frequency = "{text}" }}')


def test_unknown_names_are_said_and_a_sheet_without_lines_tells_nothing() -> None:
    with pytest.raises(SheetError, match=r"nothing is called 'rx\.lo7'"):
        with_injection('{ at = "mixer", frequency = "rx.lo7 + 455 kHz" }')
    sheet = with_injection('{ at = "mixer", frequency = "rx.if1" }')
    bare = replace(sheet, mixing=())
    assert injected_hz(bare, Inject("mixer", terms=parse_terms("rx.if1")), Conditions(channel="20")) is None


def test_the_step_says_where_with_what_and_how(new_session) -> None:  # type: ignore[no-untyped-def]
    session: Session = new_session(None)
    step = replace(
        session.sheet.step("front-end"),
        inject=Inject("second mixer's base", coupling="through 10 nF", terms=parse_terms("rx.if1")),
    )
    here = step.setting
    assert (
        describe_inject(session.state, here, step)
        == "generator at 10.695 MHz to the second mixer's base, through 10 nF"
    )
    read = with_injection('{ at = "mixer" }', 'read = { with = "AF voltmeter", at = "loudspeaker terminals" }').step(
        "front-end"
    )
    assert instruction(session.state, here, read).endswith("AF voltmeter, loudspeaker terminals.")
    # On single sideband the generator stands beside the carrier, on the side that is heard.
    for mode, mhz, word in (("usb", "27.206000", "above"), ("lsb", "27.204000", "below")):
        words = panel_words(
            session.state, replace(here, mode=mode, channel="20", tone_hz=1000.0), session.sheet.step("front-end")
        )
        assert f"generator at {mhz} MHz, 1 kHz {word}" in words
