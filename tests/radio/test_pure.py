"""Edges of the trade's arithmetic."""

from __future__ import annotations

import pytest

from unitone.errors import UnitoneError
from unitone.quantities.entry import Typed
from unitone.radio.channels import plan
from unitone.radio.crystals import loaded_frequency
from unitone.radio.levels import Dbm, VoltsPd, dbm_from_pd, dbuv_from_pd, level_to_dbm, pd_from_dbm
from unitone.radio.noise import friis, ktb_dbm
from unitone.radio.vco import resonant_hz, varactor_capacitance
from unitone.words import day, figure, in_language, language, tr, use_language


@pytest.mark.parametrize(
    "call",
    [
        lambda: dbm_from_pd(VoltsPd(0.0)), lambda: pd_from_dbm(Dbm(0.0), 0.0), lambda: dbuv_from_pd(VoltsPd(-1.0)),
        lambda: ktb_dbm(0.0), lambda: friis([]), lambda: loaded_frequency(1e7, 1e-14, -5e-12, 4e-12),
        lambda: varactor_capacitance(-0.8, 1e-11), lambda: resonant_hz(0.0, 1e-12),
    ],
)  # fmt: skip
def test_the_impossible_is_refused(call) -> None:  # type: ignore[no-untyped-def]
    with pytest.raises(ValueError):
        call()


def test_unknown_plans_and_channels_name_what_there_is() -> None:
    with pytest.raises(UnitoneError, match="eu-40"):
        plan("nowhere")
    with pytest.raises(UnitoneError, match="1 to 40"):
        plan("eu-40").frequency("41")


def test_every_unit_of_level_agrees() -> None:
    same = [
        Typed(1e-6, "V"),
        Typed(2e-6, "V EMF"),
        Typed(0.0, "dBuV"),
        Typed(6.020599913, "dBuV EMF"),
        Typed(-106.98970004, "dBm"),
    ]
    assert {round(level_to_dbm(t), 6) for t in same} == {-106.9897}
    with pytest.raises(UnitoneError):
        level_to_dbm(Typed(None, "", word="never opens"))


def test_words_take_named_parameters_in_the_language_in_use() -> None:
    assert tr("Turn {adjuster}", adjuster="T1") == "Turn T1"
    with in_language("xx"):
        # What was never translated shows by its lack of brackets; names in braces stay.
        assert tr("Turn {adjuster}", adjuster="T1").startswith("[Tûrñ T1") and language() == "xx"
    with in_language("de"):
        assert (
            figure("0.31 µV") == "0,31 µV" and tr("{v} V", v="8.02") == "8,02 V" and day("2026-11-30") == "30.11.2026"
        )
        # A number that the text itself prints, too; what is counted stays whole.
        assert tr("at {khz:+.1f} kHz, {n} times", khz=-2.25, n=3) == "at -2,2 kHz, 3 times"
        assert figure("ostrel 1.2.3") == "ostrel 1.2.3"
    assert language() == "en" and figure("0.31 µV") == "0.31 µV" and day("2026-11-30T10:00") == "2026-11-30"
    with pytest.raises(ValueError):
        use_language("tlh")
    assert tr("100 % {kept} as it is") == "100 % {kept} as it is"
    with pytest.raises(KeyError):
        tr("{missing}", other=1)
