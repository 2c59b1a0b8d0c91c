"""The command line's contract: JSON shapes, exit codes, one line on standard error."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
import soundfile

from unitone.cli.commands import run
from unitone.cli.main import _window_arguments
from unitone.sheet.format.bundle import Bundle, write_bundle
from unitone.sheet.library import Library, find


def call(capsys: pytest.CaptureFixture[str], *arguments: str) -> tuple[int, str, str]:
    code = run(list(arguments))
    captured = capsys.readouterr()
    return code, captured.out, captured.err


@pytest.fixture
def demo(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> str:
    folder = str(tmp_path / "demo")
    assert call(capsys, "--workspace", folder, "demo", "--no-window")[1].strip() == folder
    return folder


def test_level(capsys: pytest.CaptureFixture[str]) -> None:
    code, out, _ = call(capsys, "level", "0.5uV", "--pad", "40dB", "--pad", "6dB", "--json")
    data = json.loads(out)
    assert code == 0 and data["dbm"] == pytest.approx(-113.0103, abs=1e-3)
    assert (
        data["uv_pd"] == pytest.approx(0.5)
        and data["uv_emf"] == pytest.approx(1.0)
        and data["dial_dbm"] == pytest.approx(-67.0103, abs=1e-3)
    )
    assert {"dbuv", "s_units"} <= set(data)
    emf = json.loads(call(capsys, "level", "1uV", "--emf", "--json")[1])
    assert emf["uv_pd"] == pytest.approx(0.5)
    assert json.loads(call(capsys, "level", "-117dBm", "--json")[1])["dbm"] == -117.0
    assert json.loads(call(capsys, "level", "0,31 uV", "--ohm", "75", "--json")[1])["uv_pd"] == pytest.approx(0.31)
    assert "dial" in call(capsys, "level", "1uV")[1]


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (("level", "loud"), "Expected a level"), (("level", "0 uV"), "above zero"), (("level", "1uV", "--pad", "-3dB"), "minus sign"),
        (("level", "1uV", "--ohm", "0"), "between 1 and"), (("channel", "eu-40", "99"), "1 to 40"), (("channel", "mars", "1"), "eu-40"),
        (("robot", "ostrel-tarn-40", "--task", "dance"), "align"), (("robot", "ostrel-tarn-40", "--fault", "moth"), "faults are"),
        (("robot",), "Name a sheet"),
        (("jobs", "--state", "lost"), "open, waiting, later, finished"),
    ],
)  # fmt: skip
def test_bad_use_is_two_with_one_line(
    capsys: pytest.CaptureFixture[str], arguments: tuple[str, ...], says: str
) -> None:
    code, out, err = call(capsys, *arguments)
    assert code == 2 and not out and says in err and len(err.strip().splitlines()) == 1


def test_unknown_commands_and_options_are_bad_use(capsys: pytest.CaptureFixture[str]) -> None:
    assert call(capsys, "fly")[0] == 2
    assert call(capsys, "channel", "eu-40", "20", "--fly")[0] == 2
    assert call(capsys, "--version")[1].startswith("unitone 0.")


def test_channel(capsys: pytest.CaptureFixture[str]) -> None:
    assert json.loads(call(capsys, "channel", "eu-40", "20", "--json")[1])["mhz"] == 27.205
    assert call(capsys, "channel", "uk-40", "20")[1].strip() == "27.79125 MHz"


def test_sheets(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    rows = json.loads(call(capsys, "sheet", "list", "--json")[1])
    procedures = [r["id"] for r in rows if r["general"]]
    assert len(procedures) == 9 and {"fm-mobile", "fm-mobile-uk", "hf-valve-transceiver"} < set(procedures)
    rows = [r for r in rows if not r["general"]]
    assert [r["id"] for r in rows] == [
        "corvane-alder-5",
        "corvane-heron-3",
        "ostrel-curlew-5",
        "ostrel-mallard-6",
        "ostrel-tarn-40",
        "ostrel-teal-6",
        "ostrel-weir-40-am",
    ]
    assert {"id", "maker", "name", "kind", "steps", "standin", "faults", "general"} == set(rows[0])
    assert [r["standin"] for r in rows] == [True, True, True, False, True, True, True] and rows[3]["steps"] == 16
    assert call(capsys, "sheet", "list")[0] == 0
    assert call(capsys, "sheet", "check", str(find("ostrel-tarn-40")))[0] == 0
    bad = tmp_path / "bad.toml"
    bad.write_text(
        find("ostrel-tarn-40").read_text(encoding="utf-8").replace('plan = "eu-40"', 'plan = "eu-41"'), encoding="utf-8"
    )
    code, _, err = call(capsys, "sheet", "check", str(bad))
    line = next(n for n, text in enumerate(bad.read_text().splitlines(), 1) if "eu-41" in text)
    assert code == 1 and err.startswith(f"{bad}:{line}: channels.plan:")


def test_a_sheet_is_drafted_from_text(capsys: pytest.CaptureFixture[str], tmp_path: Path, top: Path) -> None:
    text = top / "tests" / "sheet" / "drafting" / "procedures" / "10-semicolons.txt"
    code, out, _ = call(capsys, "sheet", "draft", str(text), "-o", str(tmp_path / "made.toml"), "--json")
    told = json.loads(out)
    assert code == 0 and {"adjusters", "steps", "unsure", "unread"} <= set(told) and told["adjusters"][0] == "P1"
    assert told["steps"][0]["line"] == 2 and "regulator" in told["steps"][0]["words"]
    assert call(capsys, "sheet", "check", str(tmp_path / "made.toml"))[0] == 0
    (tmp_path / "x.txt").write_text("nothing of the kind", encoding="utf-8")
    code, _, err = call(capsys, "sheet", "draft", str(tmp_path / "x.txt"))
    assert code == 3 and "no step was found" in err
    code, _, err = call(capsys, "sheet", "draft", str(text), "--pages", "twelve")
    assert code == 2 and "pages, like 12" in err


def test_sheets_of_the_workshop_and_bundles(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    text = find("ostrel-weir-40-am").read_text(encoding="utf-8")
    Library(tmp_path / "sheets").save("mine", Bundle(text, {"a.png": b"never read here"}))
    (tmp_path / "sheets" / "half.toml").write_text(text.replace("eu-40", "eu-41"), encoding="utf-8")
    code, out, err = call(capsys, "--workspace", str(tmp_path), "sheet", "list", "--json")
    assert code == 0 and json.loads(out)[0]["id"] == "mine" and "half.toml" in err
    code, out, err = call(capsys, "sheet", "check", str(tmp_path / "sheets" / "mine.unitone"))
    assert code == 1 and "a.png: 1: picture: is not a complete PNG" in err.replace(":1:", ": 1:")
    write_bundle(tmp_path / "good.unitone", text, {})
    code, out, _ = call(capsys, "sheet", "check", str(tmp_path / "good.unitone"))
    assert code == 0 and "21 steps, no errors" in out
    code, _, err = call(capsys, "robot", "ostrel-mallard-6", "--sets", "1")
    assert code in (2, 3) and "physics" in err and "Traceback" not in err
    code, _, err = call(capsys, "sheet", "check", str(tmp_path / "none.unitone"))
    assert code == 1 and "cannot be read" in err


def test_jobs_and_reports(capsys: pytest.CaptureFixture[str], demo: str, tmp_path: Path) -> None:
    rows = json.loads(call(capsys, "jobs", "--workspace", demo, "--json")[1])
    assert len(rows) == 38 and {"id", "number", "radio", "state", "complaint", "step"} == set(rows[0])
    assert [
        r["number"] for r in json.loads(call(capsys, "--workspace", demo, "jobs", "--find", "cousin", "--json")[1])
    ] == [147, 133]
    assert {
        r["state"] for r in json.loads(call(capsys, "--workspace", demo, "jobs", "--state", "waiting", "--json")[1])
    } == {"waiting"}
    assert "no jobs" in call(capsys, "--workspace", demo, "jobs", "--find", "zeppelin")[1]
    for form in ("pdf", "html", "csv", "json"):
        out = tmp_path / f"c.{form}"
        assert call(capsys, "--workspace", demo, "report", "142", "--format", form, "-o", str(out))[0] == 0
        assert out.stat().st_size > 1000
    assert json.loads((tmp_path / "c.json").read_text())["number"] == 142
    code, _, err = call(capsys, "--workspace", demo, "report", rows[0]["id"], "--format", "odt")
    assert code == 2 and "pdf, html, csv, json" in err
    for arguments in (("report", "999"), ("report", "142", "-o", str(tmp_path / "no" / "c.pdf"))):
        code, _, err = call(capsys, "--workspace", demo, *arguments)
        assert code == 3 and err.startswith("unitone: ")
    assert call(capsys, "--workspace", str(tmp_path / "none"), "jobs")[0] == 3
    assert call(capsys, "--workspace", "postgresql://x/y", "jobs")[0] == 3


def test_papers_exchange_and_states(capsys: pytest.CaptureFixture[str], demo: str, tmp_path: Path) -> None:
    place = ("--workspace", demo)
    states = {r["state"] for r in json.loads(call(capsys, *place, "jobs", "--state", "handed over", "--json")[1])}
    assert (
        states == {"handed over"}
        and json.loads(call(capsys, *place, "jobs", "--state", "later", "--json")[1])[0]["number"] == 134
    )
    out = tmp_path / "page.html"
    assert call(capsys, *place, "report", "142", "--page", "handover", "--format", "html", "-o", str(out))[0] == 0
    assert "the ferry kiosk" in out.read_text() and "Your radio is back" in out.read_text()
    assert (
        call(
            capsys, *place, "report", "142", "--page", "handover", "--without-owner", "--format", "html", "-o", str(out)
        )[0]
        == 0
    )
    assert "the ferry kiosk" not in out.read_text()
    for arguments, says in (
        ((("--page", "poem")), "no page"),
        (("--page", "handover", "--format", "csv"), "no format of a handover"),
    ):
        code, _, err = call(capsys, *place, "report", "142", *arguments)
        assert code == 2 and says in err
    job = tmp_path / "job.json"
    assert call(capsys, *place, "export", "147", str(job), "--without-owner")[0] == 0
    assert "allotment society" not in job.read_text(encoding="utf-8")
    code, _, err = call(capsys, *place, "import", str(job))
    assert code == 3 and "here already, as job 0147" in err
    other = str(tmp_path / "other")
    code, said, _ = call(capsys, "--workspace", other, "import", str(job))
    assert code == 0 and said.startswith("job 0147, Ostrel Tarn 40")
    assert json.loads(call(capsys, "--workspace", other, "jobs", "--json")[1])[0]["number"] == 147
    job.write_text("{", encoding="utf-8")
    assert call(capsys, "--workspace", other, "import", str(job))[0] == 3
    assert call(capsys, *place, "export", "999", str(job))[0] == 3


def test_recordings_are_measured_one_by_one_or_a_folder(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    rng, rate = np.random.default_rng(0), 48_000
    t = np.arange(2 * rate) / rate
    soundfile.write(
        tmp_path / "tone.wav", 0.3 * np.sin(2 * np.pi * 1000 * t) + 0.02 * rng.standard_normal(t.size), rate
    )
    z = 0.5 * np.exp(1j * (2 * np.pi * 200 * t + 2 * np.sin(2 * np.pi * 1000 * t)))
    soundfile.write(tmp_path / "fm.wav", np.stack([z.real, z.imag], 1), rate)
    am = 0.4 * (1 + 0.5 * np.sin(2 * np.pi * 1000 * t))
    soundfile.write(tmp_path / "am.wav", np.stack([am, 0 * am], 1), rate)
    data = json.loads(call(capsys, "measure", "sinad", str(tmp_path / "tone.wav"), "--json")[1])
    assert set(data) >= {"sinad_db", "tone_hz", "level_dbfs", "distortion_pct", "seconds", "uncertainty_db", "warnings"}
    weighted = json.loads(
        call(capsys, "measure", "sinad", str(tmp_path / "tone.wav"), "--weighting", "psophometric", "--json")[1]
    )
    assert weighted["sinad_db"] > data["sinad_db"] + 1
    data = json.loads(call(capsys, "measure", "fm", str(tmp_path / "fm.wav"), "--json")[1])
    assert data["peak_deviation_hz"] == pytest.approx(2000, rel=0.005) and data["carrier_error_hz"] == pytest.approx(
        200, abs=0.5
    )
    assert set(data) >= {"deviation_plus_hz", "deviation_minus_hz", "tone_hz", "sinad_db", "warnings"}
    data = json.loads(call(capsys, "measure", "am", str(tmp_path / "am.wav"), "--json")[1])
    assert data["depth_pct"] == pytest.approx(50, abs=0.3) and set(data) >= {
        "depth_plus_pct",
        "depth_minus_pct",
        "carrier_error_hz",
        "warnings",
    }
    data = json.loads(call(capsys, "measure", "spectrum", str(tmp_path / "tone.wav"), "--json")[1])
    assert data["carrier_hz"] == pytest.approx(1000, abs=2) and isinstance(data["spurs"], list)
    (tmp_path / "broken.wav").write_bytes(b"x")
    code, out, err = call(capsys, "measure", "sinad", str(tmp_path), "--json")
    lines = [json.loads(line) for line in out.splitlines()]
    assert (
        code == 3
        and len(lines) == 4
        and [Path(x["file"]).name for x in lines] == ["am.wav", "broken.wav", "fm.wav", "tone.wav"]
    )
    assert "is not a readable sound file" in lines[1]["error"] and "broken.wav" in err and lines[3]["sinad_db"] > 20
    for arguments, says, wanted in (
        (("measure", "loudness", "x.wav"), "nothing that is measured", 2),
        (("measure", "sinad", "x.wav", "--weighting", "heavy"), "no weighting", 2),
        (("measure", "sinad", str(tmp_path / "none.wav")), "cannot be read", 3),
        (("measure", "sinad", "x.wav", "--tone", "9 kHz"), "between 50 and 3400", 2),
    ):
        code, _, err = call(capsys, *arguments)
        assert code == wanted and says in err
    assert "SINAD" in call(capsys, "measure", "sinad", str(tmp_path / "tone.wav"))[1]
    assert "deviation 2000 Hz" in call(capsys, "measure", "fm", str(tmp_path / "fm.wav"))[1]
    assert "depth 50.0 %" in call(capsys, "measure", "am", str(tmp_path / "am.wav"))[1]
    assert "more lines" in call(capsys, "measure", "spectrum", str(tmp_path / "tone.wav"))[1]


def test_robot(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    data = json.loads(
        call(capsys, "robot", "ostrel-tarn-40", "--sets", "1", "--seed", "7", "--workers", "1", "--json")[1]
    )
    for key in (
        "task",
        "sets",
        "recovered",
        "readings_per_set",
        "moves_per_set",
        "wrong_verdicts",
        "seconds",
        "loss_db",
        "baseline",
        "baselines",
    ):
        assert key in data
    assert call(capsys, "robot", str(tmp_path / "none.toml"))[0] == 3


def test_a_named_demo_is_opened_as_it_stands(capsys: pytest.CaptureFixture[str], demo: str) -> None:
    mark = Path(demo) / "logbook.sqlite"
    before = mark.stat().st_mtime_ns, mark.stat().st_size
    call(capsys, "--workspace", demo, "demo", "--no-window")
    assert (mark.stat().st_mtime_ns, mark.stat().st_size) == before


def test_the_users_own_demo_is_fresh_and_the_last_one_kept(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    first = call(capsys, "demo", "--no-window")[1].strip()
    (Path(first) / "mine.txt").write_text("x")
    second = call(capsys, "demo", "--no-window")[1].strip()
    assert (
        first == second
        and not (Path(second) / "mine.txt").exists()
        and (Path(second).with_name("demo-before") / "mine.txt").exists()
    )


def test_the_short_way_to_the_window() -> None:
    assert _window_arguments([]) == ("", False, True)
    assert _window_arguments(["demo", "--workspace", "D"]) == ("D", True, False)
    assert _window_arguments(["--workspace=D"]) == ("D", False, False)
    assert _window_arguments(["jobs"]) is None and _window_arguments(["demo", "--no-window"]) is None


def test_without_a_screen_it_says_so(tmp_path: Path) -> None:
    environment = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")}
    done = subprocess.run(
        [sys.executable, "-m", "unitone", "--workspace", str(tmp_path)],
        env=environment,
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 3 and "no screen" in done.stderr and len(done.stderr.strip().splitlines()) == 1


def test_calculate(capsys: pytest.CaptureFixture[str]) -> None:
    """Every sum is listed with keys and units, works on its own examples, and says what is wrong in one line."""
    code, out, _ = call(capsys, "calculate", "--json")
    listed = json.loads(out)
    assert code == 0 and {"padder", "vco", "crystal", "ppm", "level"} <= {s["name"] for s in listed}
    assert all(s["question"].endswith("?") and all("unit" in k for k in s["keys"]) for s in listed)
    _, plain, _ = call(capsys, "calculate")
    assert len(plain.strip().splitlines()) == len(listed)

    def work(*words: str) -> dict[str, object]:
        code, out, err = call(capsys, "calculate", *words, "--json")
        assert code == 0, err
        return json.loads(out)  # type: ignore[no-any-return]

    # Handbook arithmetic: 40 V peak to peak in 50 ohms are 4 W; two equal tones have twice the PEP of their mean; 8 V and
    # 2 V of envelope are 60 %; the first null of J0 stands at 2.4048 (Abramowitz & Stegun, table 9.5).
    assert work("watts", "volts=40 V")["watts"] == pytest.approx(4.0) and work("pep", "mean=6 W")[
        "pep"
    ] == pytest.approx(12.0)
    assert work("depth", "most=8", "least=2")["depth_pct"] == pytest.approx(60.0)
    assert work("null", "deviation=2 kHz")["tone_hz"] == pytest.approx(2000 / 2.404826, abs=0.01)
    assert work("image", "carrier=27.205 MHz", "if=10.695 MHz")["image_hz"] == pytest.approx(5.815e6)
    assert work("crystal", "carrier=27.125 MHz", "times=3")["hz"] == pytest.approx(9.0416667e6, abs=1)
    assert work("crystal", "carrier=27.125 MHz", "way=receive")["hz"] == pytest.approx(26.67e6)
    assert work("ppm", "ppm=5", "hz=10.24 MHz", "times=2.66")["times_hz"] == pytest.approx(136.2, abs=0.1)
    assert work("channel", "channel=20")["mhz"] == 27.205 and work("noise")["dbm"] == pytest.approx(-126.3, abs=0.1)
    assert work("resonance", "henry=1.2uH", "farad=27pF")["hz"] == pytest.approx(27.96e6, rel=1e-3)
    assert work("level", "level=0.5uV", "pads=20+20")["dial_dbm"] == pytest.approx(-73.01, abs=0.01)
    padder = work("padder", "low=10.239410M", "high=10.239980M", "wanted=10.24M", "padder=33p")
    assert padder["part"] == pytest.approx(24e-12) and padder["c1"] == pytest.approx(13e-15, rel=0.02)
    assert work("preset", "low=0.58", "high=0.66", "wanted=0.70", "preset=1k", "supply=8")["part"] == pytest.approx(
        79e3, rel=0.06
    )
    vco = work("vco", "readings=26.965M 1.83; 27.185M 2.6; 27.405M 3.6", "wanted=26.515M;27.405M")
    assert vco["locks"] == "does not lock" and isinstance(vco["turned"], float) and vco["turned"] > 0
    code, out, _ = call(capsys, "calculate", "watts", "volts=40 V")
    assert code == 0 and "power: 4 W" in out and "dummy load" in out
    for words, says in (
        (("nothing",), "There is no calculator"), (("watts", "volts"), "KEY=VALUE"), (("watts", "amps=3"), "takes no “amps”"),
        (("watts",), "Missing"), (("watts", "volts=forty"), "Voltage across the load"), (("watts", "volts=4", "kind=mean"), "is none of"),
        (("resonance", "henry=0", "farad=1p"), "is out of range: expected 1 pH"),
    ):  # fmt: skip
        code, _, err = call(capsys, "calculate", *words)
        assert code == 2 and says in err and err.count("\n") == 1, (words, err)


def test_oscillators_are_attributed(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    path = tmp_path / "readings.csv"
    text = "way,band,mode,channel,point,hz\nsend,,,1,,26965402\nsend,,,40,,27405410\nsend,,,20,,27205404\n"
    path.write_text(text)
    code, out, _ = call(capsys, "attribute", "ostrel-tarn-40", str(path), "--json")
    data = json.loads(out)
    # All off in proportion: the one crystal, or the counter. A standard tells.
    assert code == 0 and data["named"] == [] and "or the counter itself" in data["words"] and data["next"]["hz"] == 10e6
    path.write_text(text + "send,,,,standard,10000000\n")
    data = json.loads(call(capsys, "attribute", "ostrel-tarn-40", str(path), "--json")[1])
    ref = next(o for o in data["oscillators"] if o["id"] == "ref")
    # The loop multiplies the reference's error by N/4096, some 2.66 times.
    assert ref["trim"] == "CT1" and ref["error_hz"] == pytest.approx(152.6, abs=8) and data["named"] == ["ref"]
    assert data["suspect_reading"] is None and data["cannot_tell"] == [] and set(data) >= {"next", "timebase_ppm"}
    code, out, _ = call(capsys, "attribute", "ostrel-tarn-40", str(path))
    assert code == 0 and "turn CT1" in out
    for text, says in (
        ("way,hz\nsend,26965402\n", "row 1"),
        ("nonsense\n", "first line"),
        ("way,channel,hz\nsend,1,26.965\n", "looks like MHz"),
    ):
        path.write_text(text)
        code, _, err = call(capsys, "attribute", "ostrel-tarn-40", str(path))
        assert code == 3 and says in err and "readings.csv" in err, err
    assert call(capsys, "attribute", "valve-receiver", str(path))[0] == 3
    assert call(capsys, "attribute", "ostrel-tarn-40", str(tmp_path / "none.csv"))[0] == 3


def test_exercises_are_listed_taken_by_a_robot_and_marked(capsys: pytest.CaptureFixture[str]) -> None:
    assert run(["practice", "--json"]) == 0
    rows = json.loads(capsys.readouterr().out)
    assert len(rows) >= 30 and {"id", "skill", "grade", "title", "sheet"} == set(rows[0])
    assert run(["practice", "receive-1", "--robot", "coached", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert (told["exercise"], told["score"], told["passed"], told["moves"]) == (
        "receive-1",
        100,
        True,
        told["good_moves"],
    )
    assert run(["practice", "receive-1", "--robot", "careless"]) == 0
    assert "not passed" in capsys.readouterr().out
    assert run(["practice", "receive-99"]) == 2 and "no such exercise" in capsys.readouterr().err
    assert run(["practice", "receive-1", "--robot", "lazy"]) == 2 and "the robots are" in capsys.readouterr().err
