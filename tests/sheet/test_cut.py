"""A sheet cut down to some of its steps: what is left reads as it should, whichever way it was written."""

from __future__ import annotations

import tomllib

import pytest

from unitone.sheet.editing.cut import cut_text, only_steps
from unitone.sheet.format.read import parse_sheet, to_data
from unitone.sheet.library import built_in


@pytest.mark.parametrize("path", built_in(), ids=lambda p: p.stem)
def test_every_shipped_sheet_is_cut_line_by_line_and_still_holds(path) -> None:  # type: ignore[no-untyped-def]
    text = path.read_text(encoding="utf-8")
    data = to_data(text, path.stem)
    steps = [s["id"] for s in data["step"]][1::3]
    made = cut_text(text, data, steps)
    assert tomllib.loads(made) == only_steps(data, steps)
    assert [s.id for s in parse_sheet(made, path.stem, path.stem).steps if s.id not in steps] == []
    comments = [line for line in text.splitlines() if line.startswith("#")]
    assert not comments or comments[0] in made, "its own lines are kept"


def test_what_cannot_be_cut_by_lines_is_written_anew() -> None:
    text = """format = "unitone-sheet/1"
step = [
  { id = "a", title = "A" },
  { id = "b", title = "B", after = ["a"] },
]
voltage = [{ id = "v", step = "a" }]
"""
    data = tomllib.loads(text)
    made = cut_text(text, data, ["b"])
    assert tomllib.loads(made) == {
        "format": "unitone-sheet/1",
        "step": [{"id": "b", "title": "B"}],
        "voltage": [{"id": "v"}],
    }
