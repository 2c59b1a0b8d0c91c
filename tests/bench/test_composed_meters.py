"""Meters made of a generator by wire and another meter: squelch ends and selectivity on a radio of a few lines, and what stops them."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import pytest

from unitone.bench.ports import Bench, Measured, OwnHands, WallClock
from unitone.bench.wire.selectivity import TwoSettingsByWire
from unitone.bench.wire.squelch_ends import SquelchByWire
from unitone.errors import BenchError, LevelOutOfReach
from unitone.session.wires import with_composed
from unitone.sheet.model.sheet import Conditions

AT = Conditions("receive", "20", level_dbm=-73.0, panel=(("squelch", "50 %"),))


@dataclass
class Rig:
    """A generator and a radio: a squelch with hysteresis, a gain control, an IF of so many dB at 10 kHz."""

    opens: float = -108.0
    closes: float = -111.0
    skirt_db: float = 46.0
    other_side_db: float = 52.0
    most_dbm: float = 0.0
    level: float | None = None
    offset: float = 0.0
    open: bool = False
    offs: int = 0
    settings: list[float | None] = field(default_factory=list)

    class _Card:
        name = "generator"

    class _Wired:
        card: Rig._Card

    def __post_init__(self) -> None:
        self.wired = self._Wired()
        self.wired.card = self._Card()

    def set(self, conditions: Conditions) -> None:
        if conditions.level_dbm is not None and conditions.level_dbm > self.most_dbm:
            raise LevelOutOfReach("cannot reach")
        self.level, self.offset = conditions.level_dbm, conditions.offset_hz or 0.0
        self.settings.append(self.level)
        level = -math.inf if self.level is None else self.level
        self.open = level > self.opens or (self.open and level > self.closes)

    def off(self) -> None:
        self.offs += 1
        self.set(Conditions("receive", "20"))

    def strength(self) -> float:
        """What reaches the detector (dBm)."""
        skirt = 0.0 if not self.offset else self.skirt_db if self.offset > 0 else self.other_side_db
        return -140.0 if self.level is None else self.level - skirt


class Reads:
    """One quantity of the rig."""

    def __init__(self, rig: Rig, quantity_id: str) -> None:
        self.rig, self.quantity_id, self.cancelled, self.fail = rig, quantity_id, False, False

    name = "meter"

    def measures(self, quantity_id: str) -> bool:
        return quantity_id == self.quantity_id

    def seconds_for(self, quantity_id: str) -> float:
        return 0.2

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        assert quantity_id == self.quantity_id
        if self.fail:
            raise BenchError("no answer")
        if quantity_id == "rx.af_voltage":
            heard = self.rig.open
            return Measured(0.3 * 10.0 ** (max(self.rig.strength() + 87.0, 0.0) * 0.01) if heard else 2e-4, self.name)
        return Measured((self.rig.strength() + 73.0) * 0.05 - 4.0, self.name)

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        return self.measure(quantity_id, conditions)

    def cancel(self) -> None:
        self.cancelled = True


def test_both_ends_of_a_squelch_with_hysteresis() -> None:
    rig = Rig()
    meter = SquelchByWire(rig, Reads(rig, "rx.af_voltage"))  # type: ignore[arg-type]
    assert meter.measures("rx.squelch_opens") and not meter.measures("rx.sinad")
    assert meter.live("rx.squelch_opens", AT) is None and meter.seconds_for("rx.squelch_opens") > 1
    opened = meter.measure("rx.squelch_opens", AT)
    assert opened.value == pytest.approx(-108.0, abs=0.5) and opened.source == "remote" and opened.std
    closed = meter.measure("rx.squelch_closes", AT)
    assert closed.value == pytest.approx(-111.0, abs=0.5)
    # Each ends with no signal on the radio.
    assert rig.level is None and rig.offs == 2


@pytest.mark.parametrize(
    ("rig", "quantity_id", "bound", "word"),
    [
        (Rig(opens=-20.0), "rx.squelch_opens", ">", "never opens"),
        (Rig(opens=-20.0), "rx.squelch_closes", ">", "never opens"),
        (Rig(opens=-1e9, open=True), "rx.squelch_opens", "<", "always open"),
        (Rig(closes=-300.0), "rx.squelch_closes", "<", "never closes"),
    ],
)
def test_a_squelch_that_does_neither_says_so(rig: Rig, quantity_id: str, bound: str, word: str) -> None:
    class Stuck(Rig):
        pass

    audio = Reads(rig, "rx.af_voltage")
    if word == "always open":
        rig.__class__ = Stuck
        Stuck.set = lambda self, conditions: setattr(self, "open", True)  # type: ignore[method-assign]
    got = SquelchByWire(rig, audio).measure(quantity_id, AT)  # type: ignore[arg-type]
    assert (got.bound, got.word) == (bound, word)


def test_selectivity_is_the_less_of_both_sides() -> None:
    rig = Rig()
    follows, audio = Reads(rig, "rx.agc_voltage"), Reads(rig, "rx.af_voltage")
    meter = TwoSettingsByWire(rig, [audio, follows])  # type: ignore[arg-type]
    assert meter.measures("rx.selectivity") and meter.measures("rx.agc_rise")
    assert meter.live("rx.selectivity", AT) is None


def test_selectivity_from_a_needle_with_both_skirts() -> None:
    rig = Rig()
    needle = Reads(rig, "rx.s_meter")
    meter = TwoSettingsByWire(rig, [needle])  # type: ignore[arg-type]
    assert not meter.measures("rx.agc_rise")
    got = meter.measure("rx.selectivity", AT)
    assert got.value == pytest.approx(46.0, abs=0.6) and got.bound == ""
    # A generator that ends before the skirt does: more than it reached.
    rig.most_dbm = -45.0
    short = meter.measure("rx.selectivity", AT)
    assert short.bound == ">" and short.value is not None and 0.0 < short.value <= 30.0
    with pytest.raises(BenchError, match="needs a level"):
        meter.measure("rx.selectivity", Conditions("receive", "20"))


def test_the_rise_of_the_audio_counts_from_ten_microvolts() -> None:
    rig = Rig(opens=-120.0)
    meter = TwoSettingsByWire(rig, [Reads(rig, "rx.af_voltage")])  # type: ignore[arg-type]
    got = meter.measure("rx.agc_rise", Conditions("receive", "20", level_dbm=-37.0))
    # A hundredth of a decade a decibel: 50 dB more are 10 dB of audio.
    assert got.value == pytest.approx(10.0, abs=0.01)
    assert rig.settings[-2:] == [-87.0, -37.0]


@pytest.mark.parametrize("kind", ["squelch", "selectivity"])
def test_a_stop_ends_it_between_two_settings(kind: str) -> None:
    rig = Rig()
    audio = Reads(rig, "rx.af_voltage" if kind == "squelch" else "rx.s_meter")
    meter = SquelchByWire(rig, audio) if kind == "squelch" else TwoSettingsByWire(rig, [audio])  # type: ignore[arg-type]
    plain = audio.measure

    def stops(quantity_id: str, conditions: Conditions) -> Measured:
        if len(rig.settings) == 4:
            meter.cancel()
        return plain(quantity_id, conditions)

    audio.measure = stops  # type: ignore[method-assign]
    with pytest.raises(BenchError, match="broken off"):
        meter.measure("rx.squelch_opens" if kind == "squelch" else "rx.selectivity", AT)
    assert len(rig.settings) <= 6


def test_a_reading_that_fails_leaves_no_signal_on_the_radio() -> None:
    rig = Rig()
    audio = Reads(rig, "rx.af_voltage")
    bench = Bench((audio,), rig, OwnHands(), WallClock())
    assert bench.source_by_wire
    assert bench.measure("rx.af_voltage", AT).value is not None and rig.level == -73.0
    audio.fail = True
    with pytest.raises(BenchError, match="no answer"):
        bench.measure("rx.af_voltage", AT)
    assert rig.level is None and rig.offs == 1
    # What is typed, or dialled by hand, has no such meters.
    assert with_composed((audio,), None) == (audio,)
