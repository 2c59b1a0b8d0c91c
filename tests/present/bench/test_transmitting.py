"""The transmit side on the Bench: interlock, damage in Practice, instruments that tell nothing, and what the step's words say."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace

import pytest

from unitone.bench.instruments import Instrument
from unitone.errors import EntryError, HookUpError, SheetError, TapeError, UnitoneError
from unitone.job.card import Card
from unitone.job.damages import damage
from unitone.job.fold import fold
from unitone.job.hookup import breaks, describe_load, needed_watts
from unitone.job.verdicts import SETTLED, verdict
from unitone.present.bench.bench_view import take_view
from unitone.present.bench.sentences import sentence
from unitone.present.bench.transmitting import describe_transmit
from unitone.quantities.registry import quantity
from unitone.robot.on_frequency import prepare
from unitone.session.session import Session, open_job
from unitone.sheet.conventions.questions import apply
from unitone.sheet.format.read import parse_sheet, read_sheet
from unitone.sheet.library import find
from unitone.sheet.model.sheet import Sheet
from unitone.store.logbook import Logbook

CURLEW, WEIR, TEAL = "ostrel-curlew-5", "ostrel-weir-40-am", "ostrel-teal-6"


Opens = Callable[..., Session]


@pytest.fixture
def by_hand() -> Iterator[Opens]:
    books: list[Logbook] = []

    def opened(name: str = CURLEW, **card: object) -> Session:
        books.append(Logbook(None))
        return Session(books[-1], open_job(books[-1], name, Card(1, name, "C5-1", **card)))  # type: ignore[arg-type]

    yield opened
    for book in books:
        book.close()


def at(session: Session, step: str, **more: object) -> Session:
    session.start_work()
    session.confirm_hook_up("transmit")
    session.go_to(step)
    session.set_up(replace(session.step.setting, **more))  # type: ignore[arg-type]
    return session


# -- the interlock ------------------------------------------------------------------------------------------------


def test_the_dummy_load_is_asked_for_what_the_peaks_come_to(by_hand: Opens) -> None:
    # AM at 4.4 W rises to four times that at full depth: 17.6 W, more than the 12 W of SSB.
    session = by_hand()
    assert needed_watts(session.sheet) == pytest.approx(17.6)
    session.go_to("power")
    assert "rated for 18 W or more" in take_view(session).hook_up.words
    session.measuring.set_kit(replace(session.state.kit, load_w=10.0))
    assert "rated 10 W" in describe_load(session.state) and "peaks at 18 W" in describe_load(session.state)
    session.confirm_hook_up("transmit")
    session.measuring.set_kit(replace(session.state.kit, load_w=5.0))
    with pytest.raises(HookUpError, match="rated 5 W, the radio's peaks are 18 W"):
        session.confirm_hook_up("transmit")
    session.confirm_hook_up("receive")
    assert fold(session.logbook.tape(session.job_id)).kit.load_w == 5.0


def test_the_interlock_is_never_forced_on_a_real_bench(by_hand: Opens) -> None:
    session = by_hand()
    session.go_to("power")
    view = take_view(session)
    assert not view.hook_up.can_force and not view.hook_up.ok
    with pytest.raises(HookUpError, match="simulated bench only"):
        session.key_anyway()
    assert not [e for e in session.state.entries if e.kind == "damage"]


@pytest.mark.parametrize(("hooked", "breaks_what"), [("receive", "generator"), ("", "final")])
def test_forced_in_practice_it_breaks_what_hangs_there_until_it_is_mended(
    by_hand: Opens, hooked: str, breaks_what: str
) -> None:
    session = by_hand(WEIR, simulated_seed=2)
    session.start_work()
    session.go_to("power")
    if hooked:
        session.confirm_hook_up(hooked)
    assert breaks(session.state) == breaks_what and take_view(session).hook_up.can_force
    assert session.key_anyway() == breaks_what
    assert take_view(session).hook_up.damage == (damage(breaks_what).words, damage(breaks_what).cure)
    # It stays broken over a restart: the tape is the truth.
    again = Session(session.logbook, session.job_id)
    again.confirm_hook_up("transmit")
    again.measure(again.step.setting)
    broken = again.state.readings[-1].reading.value or 0.0
    again.repair()
    assert take_view(again).hook_up.damage == ("", "")
    again.measure(again.step.setting)
    whole = again.state.readings[-1].reading.value or 0.0
    assert (broken < 0.01 * whole) == (breaks_what == "final")
    assert again.key_anyway() == "", "hooked up for sending, keying breaks nothing"
    assert [c.value for c in take_view(again).log.cells if c.what == breaks_what][-2:] == ["broken", "repaired"]


# -- instruments that tell nothing, or not what they say ---------------------------------------------------------------


def test_a_plain_probe_is_refused_where_it_tells_nothing_and_nothing_is_lost(by_hand: Opens) -> None:
    session = by_hand()
    probe = Instrument("p", "scope, ×1", ("tx.*", "supply.*", "ref.frequency"), pick_up="x1 probe")
    session.measuring.set_instruments((probe,))
    at(session, "power")
    before = len(session.state.readings)
    with pytest.raises(EntryError, match=r"×1 probe loads the circuit.*useless at 27 MHz"):
        session.type_in("3.9")
    assert len(session.state.readings) == before
    session.go_to("rail")
    session.set_up(session.step.setting)
    assert session.type_in("8.02").value == 8.02, "direct volts are what such a probe is for"
    session.go_to("reference")
    with pytest.raises(EntryError, match="Switch it to ×10"):
        session.type_in("10.240012")
    session.measuring.set_instruments((replace(probe, pick_up="x10 probe"),))
    assert session.type_in("10.240012").warning == ""


def test_a_loop_is_relative_and_a_mean_reading_meter_is_no_peak_meter(by_hand: Opens) -> None:
    session = by_hand()
    analyser = Instrument("a", "analyser", ("tx.harmonic",), pick_up="loop")
    session.measuring.set_instruments((analyser, Instrument("w", "wattmeter", ("tx.pep", "tx.power"), reads="mean")))
    at(session, "harmonic")
    assert "relative only" in session.type_in("-64").warning
    at(session, "pep")
    assert "half the PEP on two tones, far less on speech" in session.type_in("11").warning
    at(session, "power")
    assert session.type_in("3.9").warning == "", "a steady carrier is what a mean-reading meter is for"


def test_a_wattmeter_with_a_correction_table() -> None:
    """Shown 4 W are 4.4 W by its table, half-way between two points half-way; the tape keeps what was shown."""
    meter = Instrument.from_data(
        {"id": "w", "name": "old wattmeter", "measures": ["tx.power"], "table": "1 1.2; 4 4.4; 10 10"}
    )
    q = quantity("tx.power")
    assert [meter.correct(q, w) for w in (4.0, 2.5, 7.0)] == pytest.approx([4.4, 2.8, 7.2])
    assert meter.correct(q, 20.0) == pytest.approx(20.0) and meter.correct(q, 0.5) == pytest.approx(0.6)
    assert "table of 3 points" in meter.describe_correction(q)
    assert Instrument.from_data(meter.to_data()) == meter
    for wrong in ("4 4.4", "4 4.4; 1 1", "4"):
        with pytest.raises(UnitoneError, match="correction"):
            Instrument.from_data({"id": "w", "name": "w", "measures": ["tx.power"], "table": wrong})


def test_a_hot_final_is_moved_in_small_safe_steps_or_not_at_all(by_hand: Opens) -> None:
    """A final that takes 21 W and bears 18: every move keeps 3 W coming out even of the narrowest coil."""
    session = at(by_hand(), "power")
    for c in session.step.required:
        session.type_in("2.5" if c.channel != "20" else "4.3", c)
    bears = session.sheet.final.dissipation_w or 0.0
    cool = session.advice()
    assert cool.act == "turn" and 90_000 < abs(cool.move_mdeg) <= 180_000, (
        "within the rating the first move is up to half a turn"
    )
    at(session, "current-keyed")
    session.type_in("2.7 A")
    at(session, "power")
    taken = 13.2 * (2.7 - 0.55)
    move = session.advice()
    assert move.act == "turn" and 0 < abs(move.move_mdeg) < 180_000
    turns = abs(move.move_mdeg) / 360_000
    assert taken - 4.3 / (1 + (turns / 0.3) ** 2) <= bears + 0.1
    session.turn(move.adjuster, move.move_mdeg)
    assert session.advice().act in ("set-up", "measure"), "before the next move the power is read"
    at(session, "current-keyed")
    session.type_in("3.3 A")
    at(session, "power")
    session.type_in("3.9", session.step.setting)
    stopped = session.advice()
    assert stopped.why == "too-hot" and "let go" in sentence(stopped, session.sheet, session.state.positions)[1]


# -- the step's words -----------------------------------------------------------------------------------------------------


def test_a_ceiling_is_said_when_it_is_gone_over(by_hand: Opens) -> None:
    session = at(by_hand(), "deviation")
    session.type_in("2.2 kHz")
    said = " ".join(describe_transmit(session.state, session.step))
    assert "Over the limit: 2.20 kHz, 47 CFR 95" in said and "bring it down" in said
    session.type_in("1.9 kHz")
    assert "over" not in " ".join(describe_transmit(session.state, session.step))


def test_harmonics_in_dbm_beside_their_carrier_and_the_heat_of_the_final(by_hand: Opens) -> None:
    session = at(by_hand(), "power")
    session.type_in("4.0")
    said = " ".join(describe_transmit(session.state, session.step))
    # 13.2 V at (1.9 - 0.55) A are 17.8 W; 4 W of it come out.
    assert "22 % efficient, 14 W of heat" in said
    at(session, "current-keyed")
    session.type_in("3.4 A")
    at(session, "power")
    assert "the final is rated 25 W. Let go" in " ".join(describe_transmit(session.state, session.step))
    at(session, "harmonic")
    session.type_in("-64")
    assert "Carrier 36.0 dBm. C · 20 · am: −64 dBc = −28 dBm." in " ".join(
        describe_transmit(session.state, session.step)
    )


def test_what_sags_and_how_field_strength_is_compared(by_hand: Opens) -> None:
    session = by_hand(TEAL)
    session.confirm_hook_up("transmit")
    session.go_to("battery")
    session.set_up(session.step.setting)
    session.type_in("11.2")
    assert describe_transmit(session.state, session.step) == (), "with one reading nothing sags"
    rest = replace(session.step.setting, way="receive")
    session.type_in("12.4", rest)
    assert "sags 1.20 V when keyed: about 18 % of the power" in " ".join(describe_transmit(session.state, session.step))
    session.go_to("loading-coil")
    assert "whip fully out" in " ".join(describe_transmit(session.state, session.step))
    assert any("radiates" in c for c in take_view(session).step.cautions)


def test_the_coils_say_which_end_they_serve_and_a_held_power_is_explained(by_hand: Opens) -> None:
    session = by_hand(WEIR, simulated_seed=4)
    prepare(session)
    session.go_to("power")
    for _ in range(120):
        advice = session.advice()
        if advice.step != "power" or advice.act in ("go to", "conclude"):
            break
        session.follow(advice)
    said = " ".join(describe_transmit(session.state, session.step))
    assert "the high end gains, the low end loses" in said
    assert session.advice().outcome == "even"
    held = at(by_hand(WEIR), "power")
    for turns, watts in ((0, "4.1"), (1, "4.12"), (1, "4.11"), (1, "4.1")):
        held.turn("L7", turns * 360_000)
        held.type_in(watts)
    assert "L7 hardly changes the power" in " ".join(describe_transmit(held.state, held.step))
    own = by_hand()
    own.confirm_hook_up("transmit")
    own.go_to("own-meter")
    assert "moves the pointer only" in " ".join(describe_transmit(own.state, own.step))


# -- ceilings and ratings in the sheet ---------------------------------------------------------------------------------------


def text(extra: str) -> Sheet:
    written = find(CURLEW).read_text(encoding="utf-8")
    return parse_sheet(written.replace('"tx.deviation" = "2 kHz"', extra), "sheet.toml", "curlew")


def test_no_limit_goes_over_the_rules_ceiling_and_the_school_says_how_near() -> None:
    lower = text('"tx.deviation" = "1.85 kHz"')
    step = lower.step("deviation")
    assert step.limit.high == 1850.0 and step.target is None, (
        "the sheet's own target lies above: its middle is aimed at"
    )
    assert step.limit.low == 1800.0
    sheet = read_sheet(find(CURLEW))
    for choice, wanted in (("ceiling", 1900.0), ("sheet", 1900.0), ("louder", 1960.0)):
        made, _ = apply(sheet, {"deviation": choice}, {})
        assert made.step("deviation").target == pytest.approx(wanted), choice
    assert sheet.final.rating("tx.bias_current") == 0.15 and sheet.final.dissipation_w == 25.0
    assert sheet.rule.ceiling("rx.sinad") is None


def test_nearer_to_the_ceiling_than_a_reading_can_tell_is_brought_down_once(by_hand: Opens) -> None:
    session = at(by_hand(), "harmonic")
    for c, dbc in zip(session.step.required, ("-60.2", "-64", "-64"), strict=True):
        session.type_in(dbc, c)
    assert verdict(session.state, session.step) in SETTLED and session.advice().act == "turn"
    session.void_last()
    for c in session.step.required:
        session.type_in("-64", c)
    assert session.advice().outcome == "in-spec", "well under it the trap is left alone"


def test_the_school_of_power_across_the_band() -> None:
    sheet = read_sheet(find(CURLEW))
    for choice, aim in (("sheet", "level"), ("middle", "peak"), ("flattest", "level")):
        made, _ = apply(sheet, {"power": choice}, {})
        assert made.step("power").aim == aim
        assert made.step("pep").aim == "check", "what nothing is turned for stays a check"


@pytest.mark.parametrize(
    ("extra", "says"),
    [
        ('"rx.sinad" = "12 dB"', "'rx.sinad' is nothing that is sent"),
        ('"tx.deviation" = "loud"', "loud"),
        ('"tx.deviation" = "1.5 kHz"', "step.limit: its minimum is 1.80 kHz, and 47 CFR 95 .* allows 1.50 kHz"),
    ],
)
def test_a_ceiling_that_cannot_be_says_where(extra: str, says: str) -> None:
    with pytest.raises(SheetError, match=says) as failed:
        text(extra)
    assert "ceiling.most" in str(failed.value) or "step.limit" in str(failed.value)


def test_a_finished_job_breaks_nothing(by_hand: Opens) -> None:
    session = by_hand(WEIR, simulated_seed=2)
    session.state.finished = "2026-01-01T00:00:00Z"
    with pytest.raises(TapeError, match="finished"):
        session.key_anyway()
