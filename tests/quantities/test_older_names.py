"""Names of earlier versions: sheets are read by them, told today's, and nothing that is a text of a person is touched."""

from __future__ import annotations

import re
from pathlib import Path

from unitone.cli.commands import run
from unitone.quantities.older_names import in_todays_names
from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import find

#: Today's words of a sheet, and what they were called.
WERE = (
    ('hook_up = "transmit"', 'hook_up = "send"'),
    ("affects = ", "reaches = "),
    ('"vco.tuning_voltage"', '"vco.volts"'),
)


def older(text: str) -> str:
    for now, was in WERE:
        text = text.replace(now, was)
    return text


def test_an_older_sheet_means_the_same_and_is_told_the_new_names(tmp_path: Path, capsys) -> None:  # type: ignore[no-untyped-def]
    text = find("ostrel-weir-40-am").read_text(encoding="utf-8")
    old = tmp_path / "old.toml"
    old.write_text(older(text), encoding="utf-8")
    for picture in re.findall(r'file = "([^"]+)"', text):
        (tmp_path / picture).write_bytes((find("ostrel-weir-40-am").parent / picture).read_bytes())
    now, then = read_sheet(find("ostrel-weir-40-am")), read_sheet(old)
    assert [s.hook_up for s in now.steps] == [s.hook_up for s in then.steps]
    assert [a.affects for a in now.adjusters] == [a.affects for a in then.adjusters]
    assert run(["sheet", "check", str(old)]) == 0
    told = capsys.readouterr()
    said = told.out + told.err
    assert (
        "“send” is read, and called “transmit” today" in said
        and "“reaches” is read, and called “affects” today" in said
    )


def test_words_of_people_stay_as_they_were_written() -> None:
    data = {"note": "send it back, it reaches everything", "kept": {"quantity": "rail.volts"}, "count": 3, "none": None}
    made, found = in_todays_names(data, keep=frozenset({"kept"}))
    assert made == data and found == ()
