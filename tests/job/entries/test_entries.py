"""Every kind of entry: its form on disk and back, the forms of earlier versions, what cannot be read, and the published schema."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from unitone.errors import TapeError
from unitone.job.entries import KINDS, Entry, Said, entry_from_data, reads
from unitone.job.entries.hands import Turned
from unitone.job.entries.log_schema import log_schema
from unitone.job.entries.notes import Damaged
from unitone.job.entries.readings import Reading
from unitone.robot.demo_data import load
from unitone.sheet.model.sheet import Conditions

EARLIER = json.loads((Path(__file__).parent / "earlier_forms.json").read_text(encoding="utf-8"))


def plain(value: Any) -> Any:
    """As JSON has it."""
    return json.loads(json.dumps(value))


def test_every_kind_has_a_class_of_its_own() -> None:
    assert len(KINDS) == len(Said.__args__) and all(cls.kind == name for name, cls in KINDS.items())


def test_the_demo_workshop_s_logs_are_read_and_written_as_they_are() -> None:
    """Whatever is not a default or empty stands in what is written again, and reads the same."""
    seen = set()
    for job in load():
        for written in job["tape"]:
            entry = entry_from_data(written)
            assert not isinstance(entry.said, Damaged), written
            seen.add(entry.kind)
            again = plain(entry.to_data())
            for key, value in written["data"].items() if entry.kind != "loose" else ():
                assert value in ("", [], {}, None, False, 0.0) or again["data"][key] == value, (entry.kind, key)
            assert entry_from_data(again) == entry
    assert len(seen) >= 24


@pytest.mark.parametrize("form", EARLIER, ids=lambda f: f["form"])
def test_earlier_forms_are_read(form: dict[str, Any]) -> None:
    said = reads(form["kind"], json.dumps(form["data"]))
    assert not isinstance(said, Damaged)
    for name, value in form["says"].items():
        assert plain(getattr(said, name)) == value, name


def test_what_cannot_be_read_is_damaged_and_what_is_newer_is_refused() -> None:
    for kind, text in (
        ("turn", '{"adjuster": "T1"}'), ("turn", '{"adjuster": 5, "asked": 1, "moved": 1, "stop": false}'), ("note", "[]"), ("note", "{"),
        ("reading", '{"quantity": "rx.sinad"}'), ("goto", "null"), ("archive", '{"archived": "yes"}'), ("note", '{"text": "\\ud800"}'),
        ("open", '{"card": {}}'), ("note", "[" * 100_000),
    ):  # fmt: skip
        assert reads(kind, text) == Damaged(kind), (kind, text)
    with pytest.raises(TapeError, match="newer Unitone"):
        reads("dance", "{}")
    with pytest.raises(TapeError, match="newer Unitone"):
        reads("set-up", '{"conditions": {"way": "receive", "moon": "full"}}')


@given(st.builds(
    Conditions, way=st.sampled_from(("receive", "transmit", "either")), channel=st.none() | st.text(max_size=3),
    level_dbm=st.none() | st.floats(-140, 20), panel=st.dictionaries(st.text(min_size=1, max_size=4), st.text(max_size=4), max_size=3).map(
        lambda d: tuple(sorted(d.items()))),
), st.none() | st.floats(allow_nan=False, allow_infinity=False), st.none() | st.floats(0, 10))  # fmt: skip
def test_any_reading_comes_back_as_it_was(conditions: Conditions, value: float | None, std: float | None) -> None:
    reading = Reading("rx.sinad", conditions, value, "a meter", "hand", std, typed="x")
    back = Reading.reads(json.dumps(reading.to_data()))
    assert back.conditions == conditions and back.value == value and (back.std or 0.0) == (std or 0.0)
    assert Reading.reads(json.dumps(back.to_data())).conditions is back.conditions, "the same conditions are made once"


def test_the_published_schema_is_that_of_the_log(top: Path) -> None:
    assert json.loads((top / "docs" / "log.schema.json").read_text(encoding="utf-8")) == plain(log_schema())


def test_the_schema_names_every_kind_and_what_an_entry_has() -> None:
    schema = log_schema()
    kinds = {form["properties"]["kind"]["const"] for form in schema["items"]["oneOf"]}
    assert kinds == set(KINDS) - {"damaged"}
    turn = Entry("01M8CJBGNZNZF7H446NM3SB5Z6", 1, "2026-01-01T00:00:00Z", 0.0, Turned("T1", 1, 1, False)).to_data()
    assert set(turn) == {"id", "seq", "kind", "utc", "bench_s", "data"}
    assert set(turn["data"]) == set(schema["$defs"]["Turned"]["properties"])
