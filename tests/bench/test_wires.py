"""Instruments by wire: cards, links through PyVISA to a simulated bench on TCP, the interlock, and everything that a wire can do wrong."""

from __future__ import annotations

import re
import socket
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from unitone.bench.path import Kit
from unitone.bench.ports import Bench, OwnHands, WallClock
from unitone.bench.wire.instrument import Wired, WireGenerator, WireMeter, carrier_of
from unitone.bench.wire.instrument_card import CARDS, InstrumentCard, cards, parse_card, read_card
from unitone.bench.wire.link import VisaLink, resource_of
from unitone.bench.wire.wizard import try_card
from unitone.cli.commands import run
from unitone.errors import BenchError, HookUpError, SheetError, UnitoneError
from unitone.job.card import Card
from unitone.job.fold import fold
from unitone.quantities.registry import quantity
from unitone.robot._bench_radios import MATCHING
from unitone.robot.by_wire import run_by_wire
from unitone.robot.many import simulated
from unitone.session.session import Session, open_job
from unitone.session.wires import Wires, keep_wires
from unitone.sheet.model.sheet import Conditions
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.served import BenchServer, ServedBench
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.store.logbook import Logbook

WEIR = "ostrel-weir-40-am"
KIT = Kit(pads_db=(40.0,))


class Served:
    """A simulated AM mobile on TCP, and wires to it."""

    def __init__(self) -> None:
        _, self.sheet, physics = simulated(WEIR)
        self.bench = ServedBench(SimulatedBench(SimulatedRadio(self.sheet, physics, 3)), self.sheet, 40.0)
        self.server = BenchServer(self.bench)
        self.links: list[VisaLink] = []
        self.cards = {f.made.kind: f.made.model_copy(update={"timeout": 5.0}) for f in cards() if f.made is not None}

    def wired(self, kind: str, card: InstrumentCard | None = None) -> Wired:
        address = f"127.0.0.1:{self.server.ports[kind]}"
        made = Wired(card or self.cards[kind], VisaLink(address, card or self.cards[kind]), address)
        self.links.append(made.link)  # type: ignore[arg-type]
        return made

    def generator(self) -> WireGenerator:
        return WireGenerator(self.wired("generator"), carrier_of(self.sheet), lambda: KIT)

    def close(self) -> None:
        for link in self.links:
            link.close()
        self.server.close()


@pytest.fixture
def served() -> Iterator[Served]:
    made = Served()
    yield made
    made.close()


def test_the_cards_that_ship_hold_and_a_wrong_one_names_its_line() -> None:
    assert len(cards()) >= 6 and all(f.made is not None for f in cards())
    good = (CARDS / "generator.toml").read_text(encoding="utf-8")
    for old, new, words in (
        ('"FREQ {hz:.0f}"', '"FREQ {mhz:.0f}"', "nothing that can be sent"), ('off_query = "OUTP?"\n', "", "off_query: is missing"),
        ('"^\\\\s*(0|OFF)\\\\s*$"', '"("', "no pattern"), ('settle = "50 ms"', 'settle = "soon"', "settle"),
        ("[generator]", "[generator", "no valid TOML"), ('kind = "generator"', 'kind = "toaster"', "kind"),
    ):  # fmt: skip
        assert old in good
        with pytest.raises(SheetError) as caught:
            parse_card(good.replace(old, new), "mine.toml")
        assert words in str(caught.value) and "mine.toml:" in str(caught.value)
    meter = (CARDS / "power-meter.toml").read_text(encoding="utf-8")
    wrong = (
        ('"tx.power"', '"tx.pover"', "no quantity"),
        ('unit = "W"', 'unit = "V"', "is no unit"),
        ('unit = "W"', 'reply = "[0-9]+"', "a group"),
    )
    for old, new, words in wrong:
        with pytest.raises(SheetError, match=words):
            parse_card(meter.replace(old, new), "mine.toml")
    dbm = parse_card(meter.replace('unit = "W"', 'unit = "dBm"'), "mine.toml").reading("tx.power")
    assert dbm is not None and dbm.value_of(36.0) == pytest.approx(3.981, abs=0.001)


def test_addresses_as_people_write_them() -> None:
    assert resource_of("192.168.1.20:5025") == "TCPIP::192.168.1.20::5025::SOCKET"
    assert resource_of(" /dev/ttyUSB0 ") == "ASRL/dev/ttyUSB0::INSTR"
    assert resource_of("TCPIP::10.0.0.7::INSTR") == "TCPIP::10.0.0.7::INSTR"
    for wrong in ("", "generator", "host:99999", "192.168.1.20"):
        with pytest.raises(BenchError, match="no address"):
            resource_of(wrong)


def test_what_is_read_by_wire_is_what_the_bench_reads(served: Served) -> None:
    """Sensitivity, power, carrier and current through PyVISA, against the simulated bench's own readings of the same radio."""
    step = next(s for s in served.sheet.steps if s.quantity_id == "rx.sn_ratio")
    at = step.required[0]
    generator, bench = served.generator(), served.bench.bench
    panel = served.bench
    for line in (f"CHAN {at.channel}", *(f"PANEL {k}={v}" for k, v in at.panel)):
        panel.answer("radio", line)
    meter = WireMeter(served.wired("audio analyser"), carrier_of(served.sheet), generator.off)
    generator.set(at)
    got = meter.measure("rx.sn_ratio", at)
    assert got.source == "remote" and got.value == pytest.approx(bench.measure("rx.sn_ratio", at).value, abs=1.0)
    # Sent once: what does not change is not sent again.
    sent = generator.settings
    generator.set(at)
    assert generator.settings == sent == 2 and panel.state.dbm == pytest.approx((at.level_dbm or 0) + 40.0, abs=0.06)
    generator.off()
    assert not panel.state.rf
    keyed = Conditions("transmit", at.channel)
    panel.answer("radio", "KEY ON")
    power = WireMeter(served.wired("power meter"), carrier_of(served.sheet)).measure("tx.power", keyed)
    assert power.value == pytest.approx(bench.measure("tx.power", keyed).value, rel=0.05)
    error = WireMeter(served.wired("counter"), carrier_of(served.sheet)).measure("tx.frequency_error", keyed)
    assert error.value == pytest.approx(bench.measure("tx.frequency_error", keyed).value, abs=3.0)


def test_rf_is_off_and_confirmed_before_anything_is_keyed(served: Served, book: Logbook) -> None:
    """The interlock by wire: a generator that does not confirm blocks the hook-up, with words; nothing is logged."""
    generator = served.generator()
    session = Session(
        book, open_job(book, WEIR, Card(book.next_number(), WEIR), KIT), Bench((), generator, OwnHands(), WallClock())
    )
    at = next(s for s in session.sheet.steps if s.quantity_id == "rx.sn_ratio").required[0]
    session.set_up(at)
    assert served.bench.state.rf
    session.confirm_hook_up("transmit")
    assert not served.bench.state.rf and session.state.hook_up == "transmit"
    session.confirm_hook_up("receive")
    liar = served.cards["generator"].model_copy(
        update={"generator": served.cards["generator"].generator.model_copy(update={"off_reply": "^never$"})}
    )  # type: ignore[union-attr]
    session.bench.source = WireGenerator(served.wired("generator", liar), carrier_of(served.sheet), lambda: KIT)
    before = session.state.seq
    with pytest.raises(BenchError, match="does not confirm that RF is off"):
        session.confirm_hook_up("transmit")
    served.server.close()
    session.bench.source = generator
    with pytest.raises((BenchError, HookUpError), match="RF may still be on: switch it off by hand"):
        session.confirm_hook_up("transmit")
    assert session.state.seq == before and session.state.hook_up == "receive"


def test_a_generator_left_on_while_the_radio_is_keyed_is_broken(served: Served) -> None:
    for line in ("POW -20", "OUTP ON"):
        served.bench.answer("generator", line)
    served.bench.answer("radio", "KEY ON")
    assert served.bench.bench.damaged == {"generator"}


def test_another_instrument_and_levels_out_of_reach(served: Served) -> None:
    picky = served.cards["counter"].model_copy(update={"expects": "frequency counter 9000"})
    with pytest.raises(BenchError, match="answers “Unitone,Simulated counter"):
        served.wired("counter", picky).connect()
    generator = served.generator()
    with pytest.raises(BenchError, match="cannot reach"):
        generator.set(Conditions("receive", "20", level_dbm=20.0))
    with pytest.raises(BenchError, match="by hand"):
        generator.set(Conditions("receive", "20", level_dbm=-60.0, inject="if1"))
    generator.set(Conditions("receive", "20"))
    assert not served.bench.state.rf
    # A stage that the sheet knows has its own frequency, whatever the channel.
    _, portable, _ = simulated(str(MATCHING / "skerry-petrel.toml"))
    assert carrier_of(portable)(Conditions("receive", "MW 600", inject="if")) == 455e3


def test_a_card_is_tried_line_by_line(served: Served, capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    found = list(try_card(served.cards["generator"], served.wired("generator").link))
    assert [(x.sent, x.right) for x in found] == [("*IDN?", True), ("OUTP OFF", True), ("OUTP?", True)] and found[
        -1
    ].means == "RF is off"
    bad = served.cards["counter"].model_copy(update={"expects": "another"})
    told = list(try_card(bad, served.wired("counter").link))
    assert not told[0].right and "nan" in told[1].answered and not told[1].right
    address = f"127.0.0.1:{served.server.ports['generator']}"
    assert (
        run(["instrument", "try", "scpi-generator", address]) == 0 and "OUTP? → 0: RF is off" in capsys.readouterr().out
    )
    assert run(["instrument", "try", "scpi-power-meter", address]) == 1
    (tmp_path / "x.toml").write_text('format = "unitone-instrument/1"', encoding="utf-8")
    assert run(["instrument", "check", str(CARDS / "counter.toml"), str(tmp_path / "x.toml")]) == 1
    capsys.readouterr()
    assert run(["instrument", "list"]) == 0 and "scpi-power-meter" in capsys.readouterr().out


class Garbled:
    """A server that answers as it likes."""

    def __init__(self, answer: bytes, delay: float = 0.0, closes: bool = False) -> None:
        self.answer, self.delay, self.closes = answer, delay, closes
        self._socket = socket.create_server(("127.0.0.1", 0))
        self.address = f"127.0.0.1:{self._socket.getsockname()[1]}"
        threading.Thread(target=self._run, daemon=True).start()

    def _run(self) -> None:
        while True:
            try:
                one, _ = self._socket.accept()
                threading.Thread(target=self._serve, args=(one,), daemon=True).start()
            except OSError:
                return

    def _serve(self, one: socket.socket) -> None:
        with one:
            try:
                while one.recv(4096):
                    time.sleep(self.delay)
                    if self.closes:
                        return
                    one.sendall(self.answer)
            except OSError:
                return

    def close(self) -> None:
        self._socket.close()


def _reads(answer: bytes, timeout: float = 5.0, **how: float | bool) -> float | None:
    server = Garbled(answer, **how)  # type: ignore[arg-type]
    card = read_card(CARDS / "power-meter.toml").model_copy(update={"timeout": timeout})
    link = VisaLink(server.address, card)
    try:
        return (
            WireMeter(Wired(card, link, server.address), lambda _: 0.0)
            .measure("tx.power", Conditions("transmit", "20"))
            .value
        )
    finally:
        link.close()
        server.close()


@settings(max_examples=25, deadline=None, suppress_health_check=list(HealthCheck))
@given(st.binary(max_size=40))
def test_whatever_comes_back_is_a_reading_that_can_be_or_one_message(answer: bytes) -> None:
    """Garbage, half lines, wrong units: never another exception, never an impossible value."""
    try:
        value = _reads(answer + b"\n")
    except BenchError as error:
        assert str(error) and "\n" not in str(error)
    else:
        assert value is not None and quantity("tx.power").low <= value <= quantity("tx.power").high
        assert re.search(rb"\d", answer)


def test_a_slow_reply_half_a_line_and_a_closed_socket_are_told_in_words() -> None:
    assert _reads(b"4.0E0\n") == pytest.approx(4.0)
    for answer, how, words in (
        (b"4.0\n", {"delay": 2.0, "timeout": 0.1}, "no answer in time"), (b"4.", {"timeout": 0.1}, "no answer in time"),
        (b"", {"closes": True, "timeout": 0.1}, "does not answer"),
        (b"volts\n", {}, "no reading of"), (b"9e99\n", {}, "no reading of"),
    ):  # fmt: skip
        with pytest.raises(BenchError, match=words):
            _reads(answer, **how)  # type: ignore[arg-type]
    with pytest.raises(BenchError, match="does not answer"):
        VisaLink("127.0.0.1:1", read_card(CARDS / "counter.toml")).ask("*IDN?")


def test_a_whole_alignment_through_wires_with_cables_pulled() -> None:
    """Ten cables pulled at random moments: nothing lost, RF off each time, the radio as well aligned as ever."""
    found = run_by_wire(WEIR, 4, 10)
    assert found.whole and found.typed > 0 and found.left_on == 0 and found.slowest_off_s > 0.0
    assert found.result.recovered and found.result.wrong_verdicts == 0


def test_a_job_of_one_s_own_is_wired_up_and_a_silent_one_is_told(
    served: Served, book: Logbook, monkeypatch: pytest.MonkeyPatch
) -> None:
    ports = served.server.ports
    rows = [("scpi-generator", f"127.0.0.1:{ports['generator']}"), ("scpi-audio-analyser", f"127.0.0.1:{ports['audio analyser']}"),
            ("scpi-counter", "127.0.0.1:1"), ("gone", "127.0.0.1:2")]  # fmt: skip
    keep_wires(book, rows)
    wires = Wires()
    states = wires.connect(book)
    assert (
        [s.there for s in states] == [True, True, False, False]
        and "does not answer" in states[2].words
        and "gone" in states[3].words
    )
    session = Session(book, open_job(book, WEIR, Card(book.next_number(), WEIR), KIT))
    meters, source = wires.ports(session)
    session.bench.connect(meters, frozenset(), source)
    step = next(s for s in session.sheet.steps if s.quantity_id == "rx.sn_ratio")
    served.bench.answer("radio", f"CHAN {step.required[0].channel}")
    session.start_work()
    session.go_to(step.id)
    session.confirm_hook_up("receive")
    reading = session.measure(step.required[0])
    assert reading.source == "remote" and reading.instrument == "Audio analyser, plain SCPI" and served.bench.state.rf
    assert fold(book.tape(session.job_id), session.job_id).readings[-1].reading.value == reading.value
    assert session.live(step.required[0]) is not None
    served.server.cut("audio analyser")
    with pytest.raises(UnitoneError):
        session.live(step.required[0])
    # RF is off; it is told once; typing goes on.
    assert not served.bench.state.rf and session.live(step.required[0]) is None
    session.type_in("12 dB", step.required[0])
    wires.close()
    assert not served.bench.state.rf
