"""What each step of a simulated radio reads, from the command line: for trying a physics file without a line of Python."""

from __future__ import annotations

import json
import re
from pathlib import Path

import numpy as np
import pytest

from unitone.cli.commands import run
from unitone.robot.declared_reach import reach, told
from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import find, physics_path
from unitone.simulator.physics import read_physics
from unitone.simulator.radio import SimulatedRadio

TARN = find("ostrel-tarn-40")


def test_aligned_it_holds_and_as_found_it_does_not(capsys: pytest.CaptureFixture[str]) -> None:
    assert run(["simulate", "ostrel-tarn-40", "--seed", "4", "--aligned", "--json"]) == 0
    right = json.loads(capsys.readouterr().out)
    # Where each adjuster is right, a specimen's spread leaves a preset beside its middle, and no circuit.
    assert all(r["inside"] for s in right["steps"] for r in s["readings"] if s["quantity"].startswith("rx."))
    sheet = read_sheet(TARN)
    assert [s["id"] for s in right["steps"]] == [s.id for s in sheet.steps]
    assert [len(s["readings"]) for s in right["steps"]] == [len(s.required) for s in sheet.steps]
    assert run(["simulate", "ostrel-tarn-40", "--seed", "4", "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    assert any(r["inside"] is False for s in found["steps"] for r in s["readings"])
    assert run(["simulate", "ostrel-tarn-40", "--seed", "4"]) == 0
    said = capsys.readouterr().out
    assert "OUT" in said and re.search(r"rail: .*\n +\S+ +[78]\.\d\d V", said)
    assert run(["simulate", "ostrel-mallard-6"]) != 0 and "no simulated radio" in capsys.readouterr().err


def test_a_side_that_is_not_there_says_so_and_prints_no_nan(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    text = physics_path(TARN).read_text(encoding="utf-8")
    path = tmp_path / "ostrel-tarn-40.toml"
    path.write_text(TARN.read_text(encoding="utf-8"), encoding="utf-8")
    physics_path(path).write_text(text[: text.index("[transmit]")] + text[text.index("[fault.") :], encoding="utf-8")
    assert run(["simulate", str(path), "--json"]) == 0
    told = json.loads(capsys.readouterr().out, parse_constant=lambda word: pytest.fail(word))
    power = next(s for s in told["steps"] if s["id"] == "power")["readings"][0]
    assert power["value"] is None and power["inside"] is None and power["why"]


def test_the_printed_scale_is_that_of_the_sheets_own_s9(tmp_path: Path) -> None:
    """S9 at 100 µV instead of 50 µV is 6 dB: the needle of an aligned radio shows S9 there (20·log10 2)."""
    path = tmp_path / "loud.toml"
    path.write_text(TARN.read_text(encoding="utf-8").replace('s9 = "iaru"', 's9 = "100uv-pd"'), encoding="utf-8")
    sheet = read_sheet(path)
    physics = read_physics(physics_path(TARN), sheet)
    at = {}
    for name, one in (("50 µV", read_sheet(TARN)), ("100 µV", sheet)):
        deflection, marks = SimulatedRadio(one, physics, 1).meter_scale()
        at[name] = float(deflection[list(marks).index(0.0)])
    assert at["100 µV"] > at["50 µV"]
    again, marks = SimulatedRadio(read_sheet(TARN), physics, 1).meter_scale()
    assert at["100 µV"] == pytest.approx(float(np.interp(20 * np.log10(2), marks, again)), abs=1e-4)


def test_a_reach_that_nobody_declared_is_named(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """A deviation preset moves the hum below the signal, too: a sheet that does not say so is told; the one that ships says it."""
    assert [e.pattern for e in read_sheet(TARN).adjuster("P2").affects] == ["tx.deviation", "tx.hum_noise"]
    text = TARN.read_text(encoding="utf-8").replace(
        'affects = ["tx.deviation", "tx.hum_noise"]', 'affects = ["tx.deviation"]'
    )
    path = tmp_path / "ostrel-tarn-40.toml"
    path.write_text(text, encoding="utf-8")
    physics_path(path).write_text(physics_path(TARN).read_text(encoding="utf-8"), encoding="utf-8")
    report = told(*reach(str(path), 3, only=("P2",)))
    assert {m["quantity"] for m in report["moved"]} == {"tx.deviation", "tx.hum_noise"}
    assert report["undeclared"] == 1 and [m["quantity"] for m in report["moved"] if not m["declared"]] == [
        "tx.hum_noise"
    ]
    assert run(["simulate", str(path), "--reach", "--aligned"]) != 0 and "--reach begins" in capsys.readouterr().err
