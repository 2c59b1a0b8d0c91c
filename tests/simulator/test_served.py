"""A simulated bench over lines of text: whatever is sent, it answers as an instrument does, stays inside its limits, and never falls over."""

from __future__ import annotations

import socket

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from unitone.errors import BenchError
from unitone.robot.many import simulated
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.served import INSTRUMENTS, BenchServer, ServedBench
from unitone.simulator.simulated_bench import SimulatedBench


@pytest.fixture(scope="module")
def served() -> ServedBench:
    _, sheet, physics = simulated("ostrel-curlew-5")
    return ServedBench(SimulatedBench(SimulatedRadio(sheet, physics, 3)), sheet, 40.0)


def test_every_instrument_says_who_it_is_and_keeps_its_errors(served: ServedBench) -> None:
    for name in INSTRUMENTS:
        assert served.answer(name, "*IDN?") == f"Unitone,Simulated {name},0,1"
        served.answer(name, "NONSENSE 3")
        assert (
            served.answer(name, "SYST:ERR?") == '-113,"Undefined header"'
            and served.answer(name, "syst:err?") == '0,"No error"'
        )


def test_settings_come_back_and_impossible_ones_do_not(served: ServedBench) -> None:
    for line, asked, expected in (
        ("FREQ 27185000", "FREQ?", "27185000.0"), ("POW -67.5", "POW?", "-67.50"), ("OUTP ON", "OUTP?", "1"), ("OUTP 0", "OUTP?", "0"),
        ("FM:DEV 2000", "FM:DEV?", "2000.0"), ("AM:DEPT 30", "AM:DEPT?", "30.0"),
    ):  # fmt: skip
        assert served.answer("generator", line) is None and served.answer("generator", asked) == expected
    for line in ("FREQ soon", "POW 99", "AM:DEPT 130", "FREQ"):
        served.answer("generator", line)
        assert served.answer("generator", "SYST:ERR?") == '-222,"Data out of range"'
    assert served.answer("generator", "POW?") == "-67.50"
    for line in ("CHAN 99", "BAND Z", "PANEL turbo=on", "TURN Q9 45", "TURN T1", "MIC much"):
        served.answer("radio", line)
        assert not str(served.answer("radio", "SYST:ERR?")).startswith("0")


def test_the_panel_and_the_cores_are_the_radio_s(served: ServedBench) -> None:
    served.answer("radio", "BAND C")
    served.answer("radio", "CHAN 20")
    served.answer("radio", "MODE AM")
    served.answer("radio", "PANEL squelch=open")
    at = served.conditions()
    assert (at.way, at.channel, at.band, at.mode, at.level_dbm) == ("receive", "20", "C", "am", None) and (
        "squelch",
        "open",
    ) in at.panel
    carrier = served.sheet.carrier_hz("20", "C")
    for line in (f"FREQ {carrier + 1500}", "POW -60", "OUTP ON"):
        served.answer("generator", line)
    at = served.conditions()
    assert at.level_dbm == -100.0 and at.offset_hz == 1500.0
    served.answer("generator", f"FREQ {carrier + 5_000_000}")
    assert served.conditions().level_dbm is None
    served.answer("generator", "OUTP OFF")
    assert (
        served.answer("radio", "TURN T1 45") == "45.000,0" and served.bench.radio.mechanics.moved_mdeg["T1"] == 45_000
    )
    assert served.answer("power meter", "MEAS:POW?") == "0"
    served.answer("radio", "KEY ON")
    watts = float(served.answer("power meter", "MEAS:POW?") or "nan")
    assert 1.0 < watts < 6.0 and abs(float(served.answer("counter", "MEAS:FREQ?") or "nan") - carrier) < 3000.0
    served.answer("radio", "KEY OFF")
    served.answer("radio", "PROBE TP1")
    assert 7.0 < float(served.answer("multimeter", "MEAS:VOLT:DC?") or "nan") < 9.0
    served.answer("radio", "PROBE TP77")
    assert served.answer("multimeter", "MEAS:VOLT:DC?") == "nan" and "no voltage there" in str(
        served.answer("multimeter", "SYST:ERR?")
    )
    served.answer("radio", "PANEL")
    assert served.conditions().panel == ()


@settings(max_examples=150, deadline=None, suppress_health_check=list(HealthCheck))
@given(st.sampled_from([n for n in INSTRUMENTS if n != "audio analyser"]), st.text(max_size=30))
def test_whatever_is_sent_it_lives_on(served: ServedBench, name: str, line: str) -> None:
    answer = served.answer(name, line)
    assert answer is None or (answer and "\n" not in answer)
    assert -160.0 <= served.state.dbm <= 30.0 and served.state.channel in served.sheet.plan.names
    assert served.answer(name, "*IDN?") is not None


def test_over_a_socket_line_by_line_and_a_port_that_is_taken(served: ServedBench) -> None:
    server = BenchServer(served)
    try:
        with socket.create_connection(("127.0.0.1", server.ports["generator"]), timeout=5) as one:
            one.sendall(b"POW -80;POW?\n*IDN?\n")
            file = one.makefile("rb")
            assert file.readline() == b"-80.00\n" and file.readline().startswith(b"Unitone,Simulated generator")
        with pytest.raises(BenchError, match="cannot be opened"):
            BenchServer(served, first_port=server.ports["generator"])
    finally:
        server.close()
