"""``sheet check`` names wrong shapes and wrong references in one go, and what it passes can be worked."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from unitone.cli.commands import run
from unitone.errors import SheetError
from unitone.sheet.format.build import check
from unitone.sheet.format.read import parse_sheet, to_data
from unitone.sheet.library import find, physics_path

TARN = find("ostrel-tarn-40")


def problems(**changes: object) -> list[str]:
    data = to_data(TARN.read_text(encoding="utf-8"), "tarn")
    for place, value in changes.items():
        at: object = data
        *way, last = place.split("__")
        for key in way:
            at = at[int(key)] if isinstance(at, list) else at[key]  # type: ignore[index]
        at[int(last) if isinstance(at, list) else last] = value  # type: ignore[index]
    return [f"{'.'.join(map(str, p.place))}: {p.text}" for p in check(data, "tarn")[1]]


def test_shapes_and_references_are_told_together() -> None:
    found = problems(step__3__note=5, step__4__adjust=["T77"], adjuster__0__colour="red", step__5__stage="nowhere")
    assert len(found) == 4, found
    for place, words in (
        ("step.3.note", "a text in quotes"),
        ("step.4.adjust", "T77"),
        ("adjuster.0.colour", "not known"),
        ("step.5.stage", "nowhere"),
    ):
        assert any(f.startswith(place) and words in f for f in found), (place, found)


def test_what_follows_from_a_wrong_shape_is_not_told() -> None:
    first = to_data(TARN.read_text(encoding="utf-8"), "tarn")["adjuster"][0]["id"]
    # An adjuster of an impossible kind is still there for the steps that name it.
    assert len(problems(adjuster__0__kind="screw")) == 1 and first
    # A step whose adjusters are of the wrong shape is not said to have none.
    assert len(problems(step__3__adjust=7)) == 1
    assert len(problems(step__3__id=7)) == 1


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ('supply = "13.2 V"', "supply = inf", "finite"),
        ("[[rail]]", "[[rail]]\nhigh = 27e6", "rail"),
        ("format =", "deep = " + "[" * 3000 + "]" * 3000 + "\nformat =", "nested|not permitted|not known|valid TOML"),
    ],
    ids=["infinite supply", "frequency in a rail", "deep nesting"],
)  # fmt: skip
def test_physics_that_cannot_be_worked_is_refused_when_it_is_checked(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], old: str, new: str, words: str
) -> None:
    text = physics_path(TARN).read_text(encoding="utf-8")
    assert old in text
    if "27e6" in new:
        import re

        text = re.sub(r"(\[\[rail\]\](?:.|\n)*?\nhigh = )[^\n]*", r"\g<1>27e6", text, count=1)
    else:
        text = text.replace(old, new, 1)
    (tmp_path / "mine.toml").write_text(TARN.read_text(encoding="utf-8"), encoding="utf-8")
    (tmp_path / "mine.physics.toml").write_text(text, encoding="utf-8")
    assert run(["sheet", "check", str(tmp_path / "mine.toml")]) == 1
    said = capsys.readouterr().err
    import re

    assert re.search(words, said) and "mine.physics.toml" in said and "Traceback" not in said, said


def test_sheet_and_physics_are_told_together(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    (tmp_path / "mine.toml").write_text(
        TARN.read_text(encoding="utf-8").replace('plan = "eu-40"', 'plan = "moon"'), encoding="utf-8"
    )
    (tmp_path / "mine.physics.toml").write_text("format = 'unitone-physics/1'\nsupply = 5\n", encoding="utf-8")
    assert run(["sheet", "check", str(tmp_path / "mine.toml")]) == 1
    said = capsys.readouterr().err
    assert "moon" in said and "mine.physics.toml" in said


def test_one_bad_own_sheet_does_not_end_the_list(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    sheets = tmp_path / "sheets"
    sheets.mkdir()
    (sheets / "zip.unitone").write_bytes(b"PK\x03\x04" + b"\0" * 60)
    (sheets / "dot.toml").write_text('board = "."\n', encoding="utf-8")
    (sheets / "long.toml").write_text(f'file = "{"x" * 5000}"\n', encoding="utf-8")
    (sheets / "bytes.toml").write_bytes(b"\xff\xfe")
    (sheets / "folder.toml").mkdir()
    assert run(["--workspace", str(tmp_path), "sheet", "list", "--json"]) == 0
    said = capsys.readouterr()
    assert "ostrel-tarn-40" in said.out
    for name in ("zip.unitone", "bytes.toml", "folder.toml"):
        assert name in said.err


@pytest.mark.parametrize("value", ["nan", "inf", "-inf"])
def test_what_is_no_number_is_refused_wherever_a_number_stands(value: str) -> None:
    """TOML has nan and inf: at every key that holds a number they are a problem with its place, never an error of ours."""
    text = find("ostrel-tarn-40").read_text(encoding="utf-8")
    lines = text.split("\n")
    places = [n for n, line in enumerate(lines) if re.match(r"\w+ = -?[\d.]+$", line) or re.match(r"pin = \[", line)]
    assert len(places) > 20
    for n in places[:: max(len(places) // 40, 1)]:
        changed = re.sub(r"-?\d+(\.\d+)?", value, lines[n], count=1)
        with pytest.raises(SheetError) as told:
            parse_sheet("\n".join([*lines[:n], changed, *lines[n + 1 :]]), "x", "x")
        assert f"x:{n + 1}" in str(told.value), (changed, str(told.value))
