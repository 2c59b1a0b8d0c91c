"""Sheets being written: undo, names, writing back with comments, half-good files, the form's texts."""

from __future__ import annotations

import tomllib
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from unitone.errors import EntryError
from unitone.quantities.registry import QUANTITIES
from unitone.sheet.editing.draft import Draft, empty, guess_kind
from unitone.sheet.editing.fields import ADJUSTER, MODEL, STEP, TABLES, id_from_title, usual_aim, usual_step
from unitone.sheet.editing.variant import differences, effect_of
from unitone.sheet.format.build import MAX_STEPS, check
from unitone.sheet.format.recover import recover
from unitone.sheet.format.write import to_toml
from unitone.sheet.library import built_in, find, general
from unitone.sheet.model.limits import limit_from_text, limit_to_text, make_limit

FILES = [*built_in(), *general()]
TEXT = find("ostrel-tarn-40").read_text(encoding="utf-8")
FIELDS = {f.key: f for f in STEP}


@pytest.mark.parametrize("path", FILES, ids=lambda p: p.stem)
def test_every_sheet_that_comes_along_holds_and_is_written_back_word_for_word(path: Any) -> None:
    text = path.read_text(encoding="utf-8")
    data = tomllib.loads(text)
    sheet, problems = check(data, path.stem, text)
    assert problems == () and sheet is not None and len(sheet.steps) >= 5
    assert to_toml(data, text) == text, "nothing changed, nothing moved"
    assert tomllib.loads(to_toml(data)) == data
    assert all(s.source for s in sheet.steps) and sheet.cautions
    # Every form shows what the file says and reads it back.
    for table, fields in TABLES.items():
        for row in data.get(table, []):
            for f in fields:
                value = row
                for key in f.key:
                    value = value.get(key) if isinstance(value, dict) else None
                if value is not None and not (f.kind in ("limit", "panel") and isinstance(value, dict)):
                    assert f.read(f.show(value)) == value, (table, f.key, value)


def test_comments_survive_an_edit() -> None:
    data = tomllib.loads(TEXT)
    draft = Draft(data)
    power = draft.ids("step").index("power")
    draft.put(("step", power, "limit"), "3.5 … 4.5 W")
    draft.move("step", [power], -1)
    draft.add(
        "step",
        {
            "id": "extra",
            "title": "Extra",
            "phase": "transmit",
            "quantity": "tx.power",
            "aim": "check",
            "limit": "≥ 1 W",
            "hook_up": "transmit",
        },
    )
    draft.put(("model", "supply"), None)
    text = to_toml(draft.data, TEXT)
    assert tomllib.loads(text) == draft.data
    assert text.startswith("# Alignment sheet of an invented radio.") and "# The signal path, for the strip" in text
    kept = to_toml(draft.data, TEXT, ("aim = = 3",))
    assert "# aim = = 3" in kept and tomllib.loads(kept) == draft.data


OPS = st.lists(
    st.tuples(
        st.sampled_from(["put", "type", "add", "remove", "duplicate", "up", "down", "many", "rename", "undo", "redo", "order"]),
        st.integers(0, 50), st.text(max_size=12),
    ),
    max_size=30,
)  # fmt: skip


@settings(max_examples=20, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(OPS)
def test_whatever_is_typed_can_be_undone_written_and_checked(ops: list[tuple[str, int, str]]) -> None:
    start = tomllib.loads(TEXT)
    draft = Draft(start)
    for op, n, text in ops:
        rows = len(draft.rows("step"))
        row = n % rows if rows else 0
        keys = list(FIELDS)
        f = FIELDS[keys[n % len(keys)]]
        if op == "undo":
            draft.undo()
        elif op == "redo":
            draft.redo()
        elif op == "add":
            draft.add("step", {"id": text or "s", "title": text}, row)
        elif op == "order":
            draft.place_rows("step", list(reversed(range(rows))))
        elif rows == 0:
            continue
        elif op in ("put", "type"):
            draft.put(("step", row, *f.key), f.read(text), typing=op == "type")
        elif op == "remove":
            draft.remove("step", [row])
        elif op == "duplicate":
            assert len(draft.duplicate("step", [row])) == 1
        elif op in ("up", "down"):
            draft.move("step", [row], -1 if op == "up" else 1)
        elif op == "many":
            draft.put_many("step", range(min(rows, 3)), f.key, f.read(text))
        elif op == "rename":
            draft.rename("step", row, text)
    _, problems = check(draft.data, "d")
    assert all(p.text.strip() and p.place for p in problems)
    assert tomllib.loads(to_toml(draft.data, TEXT)) == draft.data
    last, steps = draft.data, 0
    while draft.undo():
        steps += 1
    assert draft.data == start and not draft.changed
    for _ in range(steps):
        draft.redo()
    assert draft.data == last


def test_names_follow_what_they_name() -> None:
    draft = Draft(tomllib.loads(TEXT))
    for table, old, new in (("adjuster", "T4", "T44"), ("test_point", "TP3", "TP9"), ("stage", "if", "second-if"), ("step", "rail", "rail-8v"),
                            ("adjuster", "CT1", "CT9"), ("control", "squelch", "mute"), ("oscillator", "ref", "xtal")):  # fmt: skip
        draft.rename(table, draft.ids(table).index(old), new)
    sheet, problems = check(draft.data, "d")
    assert problems == () and sheet is not None
    assert sheet.step("if-second").adjust == (("T44", "T5"),) and sheet.step("reference").after == ("rail-8v",)
    assert sheet.oscillators[0].trim == "CT9" and dict(sheet.step("front-end").required[0].panel)["mute"] == "open"
    # Typing joins into one step of undo; leaving the field does not lose the earlier ones.
    draft.put(("model", "name"), "A", typing=True)
    draft.put(("model", "name"), "AB", typing=True)
    assert draft.undo() == "name" and draft.get(("model", "name")) == "Tarn 40"


def test_new_names_are_free_and_guessed() -> None:
    draft = Draft(empty("Ostrel", "Reed"))
    assert draft.ensure_adjusters(["T1", "CT3", "VR2", "T1"]) == ["T1", "CT3", "VR2"]
    assert [guess_kind(n) for n in ("L9", "TC1", "RV4", "odd")] == ["core", "trimmer", "preset", "core"]
    assert draft.free_id("adjuster", "T1") == "T2" and draft.free_id("adjuster", "odd") == "odd"
    assert id_from_title("Peak the 455 kHz pair, twice") == "peak-the-455-khz" and id_from_title("Größe µ") == "größe-µ"
    step = usual_step("rx.sinad", {"hook_up": "receive", "channels": ["20"], "panel": "squelch open"})
    assert step["channels"] == ["20"] and step["stimulus"]["level"] == "0.3 uV" and step["aim"] == "check"
    assert usual_step("vco.tuning_voltage")["hook_up"] == "probe" and usual_aim("rx.distortion") == "null"
    assert {usual_aim(q) for q in QUANTITIES} == {"peak", "null", "set"}
    with pytest.raises(EntryError, match="is not a quantity"):
        usual_step("rx.magic")


@pytest.mark.parametrize(
    ("text", "quantity", "low", "high"),
    [
        ("≥ 12 dB", "rx.sinad", 12, None), (">= 12", "rx.sinad", 12, None), ("at most 0,5 uV", "rx.sensitivity", None, -113.01),
        ("2 … 4 V", "vco.tuning_voltage", 2, 4), ("1.8..2.0 kHz", "tx.deviation", 1800, 2000), ("250 to 350 mA", "supply.current", 0.25, 0.35),
        ("8.0 V ± 5 %", "supply.rail", 7.6, 8.4), ("10.240 MHz +- 5 ppm", "ref.frequency", 10239948.8, 10240051.2),
        ("4 W ± 1 dB", "tx.power", 3.177, 5.036), ("S9 ± 3 dB", "rx.s_meter", -3, 3), ("-300 … 300 Hz", "tx.frequency_error", -300, 300),
        ("<= -60 dBc", "tx.harmonic", None, -60), ("1 V ± 1 dB", "rx.af_voltage", 0.891, 1.122), ("85 % ± 5 %", "tx.am_depth", 80, 90),
    ],
)  # fmt: skip
def test_limits_as_people_write_them(text: str, quantity: str, low: float | None, high: float | None) -> None:
    keys = limit_from_text(text)
    limit = make_limit(keys, QUANTITIES[quantity])
    for end, wanted in ((limit.low, low), (limit.high, high)):
        assert end is None if wanted is None else end == pytest.approx(wanted, rel=1e-3)
    assert limit_from_text(limit_to_text(keys)) == keys


@pytest.mark.parametrize(
    ("text", "quantity", "says"),
    [
        ("twelve", "rx.sinad", "Expected a limit"), ("", "rx.sinad", "Expected a limit"), ("4 … 2 V", "vco.tuning_voltage", "Exchange"),
        ("8 V ± 5 ppm dB", "supply.rail", "Expected"), ("8 V ± 3 W", "supply.rail", "Expected"), ("≥ 3 W", "vco.tuning_voltage", "Expected volts"),
        ("-100 dBm ± 5 %", "rx.sensitivity", "tolerance of 12 dB"), ("8 V ± -1 V", "supply.rail", "no sign"),
    ],
)  # fmt: skip
def test_limits_that_cannot_be(text: str, quantity: str, says: str) -> None:
    with pytest.raises(EntryError, match=says):
        make_limit(limit_from_text(text), QUANTITIES[quantity])


def test_cures_of_what_only_an_editor_meets() -> None:
    data = tomllib.loads(TEXT)
    draft = Draft(data)
    draft.put(("step", 0, "limit"), "sort of eight volts")
    draft.put(("adjuster", 0, "turns"), "several")
    assert {p.key for p in check(draft.data, "d")[1]} == {"adjuster.turns", "step.limit"}, "all in one go"
    draft.put(("adjuster", 0, "turns"), None)
    draft.put(("step", 3, "target"), "9 V")
    draft.put(("channels", "bands"), {"high": "450 kHz"})
    draft.put(("step", 4, "bands"), ["higher"])
    draft.put(("conventions", "detector"), "sideways")
    draft.put(("picture",), [{"id": "p", "file": "../x.png"}])
    draft.put(("adjuster", 2, "picture"), "q")
    found = {(p.key, p.text.split(".")[0][:34]) for p in check(draft.data, "d")[1]}
    keys = {k for k, _ in found}
    assert keys == {
        "step.limit",
        "step.target",
        "step.bands",
        "conventions.detector",
        "picture.file",
        "adjuster.picture",
        "model.board",
    }
    many = Draft(data)
    many.put(("step",), data["step"] * 400)
    (problem,) = check(many.data, "d")[1]
    assert str(MAX_STEPS) in problem.text and "Split" in problem.text


def test_half_good_files_open_with_what_can_be_read() -> None:
    broken = (
        TEXT.replace('maker = "Ostrel"', 'maker = "Ostrel')
        .replace("pin = [0.40, 0.62]", "pin = [0.40, 0.62")
        .replace('aim = "peak"', "aim = = 3", 1)
    )
    got = recover(broken, "half.toml")
    whole = tomllib.loads(TEXT)
    assert len(got.data["step"]) == 18 and len(got.data["adjuster"]) == 15
    assert "maker" not in got.data["model"] and got.data["model"]["name"] == "Tarn 40"
    assert got.data["step"][5] == whole["step"][5] and len(got.lost) >= 3 and all(":" in x for x in got.lost)
    for line in got.lost:
        number = int(line.split(":")[1])
        assert broken.splitlines()[number - 1].strip()[:20] in line
    assert recover("step = 3\nmodel = 'x'\nadjuster = [1, 2]", "odd.toml").data == {"adjuster": []}
    assert recover(TEXT, "x").data == whole and recover(TEXT, "x").lost == ()


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(
    st.lists(
        st.tuples(
            st.integers(0, 10_000), st.sampled_from(["", "[[step]]", "=", '"', "[", "a = 1", "\x00", "é = ü", "]]"])
        ),
        max_size=8,
    ),
    st.text(max_size=60),
)
def test_any_text_is_recovered_without_a_trace(cuts: list[tuple[int, str]], tail: str) -> None:
    lines = TEXT.splitlines()
    for at, text in cuts:
        lines[at % len(lines)] = text
    for text in ("\n".join(lines), tail):
        got = recover(text, "x.toml")
        check(got.data, "x")
        if got.data:
            assert tomllib.loads(to_toml(got.data, "", got.left)) == got.data


def test_forms_read_what_people_type() -> None:
    reach = next(f for f in ADJUSTER if f.key == ("affects",))
    assert reach.read("rx.*, vco.tuning_voltage (receive), tx.power (transmit; channel 3)") == [
        "rx.*", {"quantity": "vco.tuning_voltage", "way": "receive"}, {"quantity": "tx.power", "way": "transmit", "channel": "3"},
    ]  # fmt: skip
    own = next(f for f in MODEL if f.key == ("channels", "frequencies"))
    assert own.read("1 = 27.005 MHz, 2 27.025 MHz") == {"1": "27.005 MHz", "2": "27.025 MHz"}
    assert FIELDS["adjust",].read("T1, T4 + T5") == ["T1", ["T4", "T5"]] and FIELDS["channels",].read(" ") is None
    turns = next(f for f in ADJUSTER if f.key == ("turns",))
    assert (turns.read("7,5"), turns.read("8"), turns.read("many")) == (7.5, 8, "many")


def test_differences_between_a_sheet_and_a_radio() -> None:
    before = tomllib.loads(TEXT)
    draft = Draft(before)
    draft.put(("step", draft.ids("step").index("power"), "limit"), {"min": "9 W", "max": "11 W"})
    draft.put(("channels",), {"plan": "eu-40", "bands": {"high": "450 kHz"}})
    draft.add("part", {"id": "Q9", "what": "another final", "affects": ["tx.*"]})
    draft.remove("adjuster", [14])
    found = {c.what: (c.before, c.after) for c in differences(before, draft.data)}
    assert found["step power: limit"] == ("3.6 W … 4.4 W", "9 W … 11 W")
    assert found["channels: bands"] == ("", "high 450 kHz") and found["part Q9"] == ("", "another final")
    assert found["adjuster P6"][0] == "preset" and found["adjuster P6"][1] == ""
    assert {r.pattern for r in effect_of(before, draft.data)} == {"vco.*", "tx.*", "rx.*"}
    limits_only = Draft(before)
    limits_only.put(("step", 0, "limit"), "8 V ± 1 %")
    assert effect_of(before, limits_only.data) == () and differences(before, before) == ()
