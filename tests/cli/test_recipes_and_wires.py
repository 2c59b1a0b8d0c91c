"""Recipes and instrument cards at the command line, in words and as JSON, and what is wrong with a file by its line."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from unitone.cli.commands import run
from unitone.conversions.recipe import RECIPES


def test_recipes_are_listed_tried_and_checked(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    assert run(["recipe", "list", "--json"]) == 0
    rows = json.loads(capsys.readouterr().out)
    assert {r["id"] for r in rows} >= {"meter-diode", "vco-stretch", "power-resistor"} and all(
        r["wish"] and r["check"] for r in rows
    )
    assert run(["recipe", "list"]) == 0 and "S-meter diode: S-meter dead on weak signals" in capsys.readouterr().out
    assert run(["recipe", "try", "meter-diode", "ostrel-tarn-40", "--with", "diode=D7", "--json"]) == 0
    data = json.loads(capsys.readouterr().out)
    assert data["done"][0]["where"] == "D7" and data["values"]["drop"]["db"] < -9
    (meter,) = data["readings"]
    assert (
        meter["quantity"] == "rx.s_meter"
        and meter["after"] > meter["before"] + 5
        and meter["held"]
        and not meter["holds"]
    )
    assert (
        run(["recipe", "try", "power-resistor", "ostrel-weir-40-am"]) == 0
        and "Carrier power" in capsys.readouterr().out
    )
    # A value typed in place of the recipe's own.
    assert run(["recipe", "try", "meter-diode", "ostrel-tarn-40", "--with", "drop.now=schottky", "--json"]) == 0
    assert -8 < json.loads(capsys.readouterr().out)["values"]["drop"]["db"] < -6
    for wrong, code in (
        (["recipe", "try", "meter-diode", "ostrel-tarn-40", "--with", "D7"], 2), (["recipe", "try", "none-such", "ostrel-tarn-40"], 3),
        (["recipe", "try", "vco-stretch", "corvane-alder-5"], 3), (["recipe", "try", "meter-diode", "ostrel-mallard-6"], 2),
    ):  # fmt: skip
        assert run(wrong) == code, wrong
        said = capsys.readouterr()
        assert said.out == "" and said.err.strip()
    good = (RECIPES / "meter-diode.toml").read_text(encoding="utf-8")
    mine, broken, odd = tmp_path / "mine.toml", tmp_path / "broken.toml", tmp_path / "odd.toml"
    mine.write_text(good, encoding="utf-8")
    broken.write_text(good.replace('what = "part changed"', 'what = "sawn"'), encoding="utf-8")
    odd.write_text(good.replace('was = "silicon", now', 'colour = "red", now'), encoding="utf-8")
    assert run(["recipe", "check", str(mine)]) == 0 and "1 changes, no errors" in capsys.readouterr().out
    assert run(["recipe", "check", str(mine), str(broken), str(odd)]) == 1
    said = capsys.readouterr()
    assert "broken.toml:16: do.what:" in said.err and "takes no “colour”" in said.err and "mine.toml" in said.out


def test_the_workshop_s_own_recipe_is_found_by_its_id(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    own = tmp_path / "recipes"
    own.mkdir()
    text = (RECIPES / "meter-diode.toml").read_text(encoding="utf-8")
    (own / "ours.toml").write_text(text.replace('id = "meter-diode"', 'id = "our-diode"'), encoding="utf-8")
    (own / "bad.toml").write_text("id =", encoding="utf-8")
    assert run(["--workspace", str(tmp_path), "recipe", "list", "--json"]) == 0
    said = capsys.readouterr()
    assert {"id": "our-diode", "own": True}.items() <= next(
        r for r in json.loads(said.out) if r["id"] == "our-diode"
    ).items()
    assert "bad.toml" in said.err
    assert run(["--workspace", str(tmp_path), "recipe", "try", "our-diode", "ostrel-tarn-40", "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["recipe"] == "our-diode"


def test_cards_are_listed_and_a_wrong_address_is_told(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    assert run(["instrument", "list", "--json"]) == 0
    rows = {r["id"]: r for r in json.loads(capsys.readouterr().out)}
    assert rows["scpi-audio-analyser"]["reads"][0] == "rx.sinad" and rows["scpi-generator"]["kind"] == "generator"
    for address in ("nowhere", "127.0.0.1:1"):
        assert run(["instrument", "try", "scpi-power-meter", address]) in (1, 2, 3)
        said = capsys.readouterr()
        assert "no address" in said.err or "does not answer" in said.out + said.err
    assert run(["instrument", "try", "none-such", "127.0.0.1:1"]) == 3
    assert run(["bench-server", "ostrel-mallard-6"]) == 2 and "no simulated radio" in capsys.readouterr().err


def test_new_calculators_answer_in_json(capsys: pytest.CaptureFixture[str]) -> None:
    for name, typed, key, low, high in (
        ("louder", ["from=4 W", "to=5 W"], "s_units", 0.16, 0.17), ("tap", ["turns=12", "tap=3"], "ratio", 4.0, 4.0),
        ("ripple", ["hz=100", "farad=2200u", "coil=0", "ohm=1", "amps=1"], "share", 0.58, 0.60),
        ("time-constant", ["ohm=47k", "farad=1u"], "seconds", 0.0469, 0.0471), ("meter-diode", [], "db", -10.5, -10.4),
        ("clarifier-vfo", ["henry=2.2u", "farad=330p", "varactor=33p", "supply=8", "pot=10k", "coupling=10p"], "swing_hz", 15000, 17000),
    ):  # fmt: skip
        assert run(["calculate", name, *typed, "--json"]) == 0
        data = json.loads(capsys.readouterr().out)
        value = data["answers"][key] if "answers" in data else data[key]
        value = value["value"] if isinstance(value, dict) else value
        assert low <= value <= high, (name, value)
