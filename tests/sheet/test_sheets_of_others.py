"""A folder of others: new, changed, signed, gone; taken over, and never over what was changed here."""

from __future__ import annotations

import json
import shutil
import subprocess
from pathlib import Path

import pytest

from unitone.cli.commands import run
from unitone.errors import SheetError
from unitone.sheet.exchange.signing import SUMS, read_sums, sign
from unitone.sheet.exchange.sources import add_source, changes, differences, drop_source, look, sources, take
from unitone.sheet.format.bundle import Bundle, write_bundle
from unitone.sheet.library import Library, find, open_file

TARN = find("ostrel-tarn-40")


@pytest.fixture
def club(tmp_path: Path) -> Path:
    """Two sheets, one plain with its physics and one packed in a folder below; and things that are no sheets."""
    folder = tmp_path / "club sheets"
    (folder / "handhelds" / ".git").mkdir(parents=True)
    for name in ("ostrel-tarn-40.toml", "ostrel-tarn-40.physics.toml"):
        shutil.copy(TARN.with_name(name), folder / name.replace("ostrel-tarn-40", "club-forty"))
    for picture in open_file(TARN).pictures:
        shutil.copy(TARN.with_name(picture), folder / picture)
    bundle = open_file(find("ostrel-teal-6"))
    write_bundle(folder / "handhelds" / "club-six.unitone", bundle.text, bundle.pictures, bundle.physics)
    (folder / "handhelds" / ".git" / "config.toml").write_text("x")
    (folder / "notes.txt").write_text("hello")
    return folder


@pytest.fixture
def library(tmp_path: Path) -> Library:
    return Library(tmp_path / "workshop" / "sheets")


def states(library: Library) -> dict[str, str]:
    return {o.id: o.state for o in look(library, sources(library)[0]).offered}


def edited(club: Path, words: str) -> None:
    path = club / "club-forty.toml"
    path.write_text(path.read_text().replace("SINAD", words, 1))


def test_what_is_taken_over_stays_until_somebody_says_so(club: Path, library: Library) -> None:
    source = add_source(library, club)
    assert add_source(library, club) == source and source.name == "club-sheets"
    assert states(library) == {"club-forty": "new", "club-six": "new"}
    for offered in look(library, source).offered:
        take(library, source, offered)
    assert states(library) == {"club-forty": "same", "club-six": "same"}
    listed = {k.id: k.source for k in library.kept() if not k.own}
    assert listed["club-forty"] == "club-sheets" and listed["ostrel-tarn-40"] == ""
    before = open_file(library.find("club-forty"))
    assert before.text == (club / "club-forty.toml").read_text() and before.physics
    edited(club, "SiNAD")
    (club / "handhelds" / "club-six.unitone").unlink()
    assert states(library) == {"club-forty": "changed", "club-six": "gone"}
    assert open_file(library.find("club-forty")).text == before.text
    offered = next(o for o in look(library, source).offered if o.id == "club-forty")
    found = differences(library, source, offered)
    assert [c.words for c in found if c.sign == "+"] != [] and all("SiNAD" in c.words for c in found if c.sign == "+")
    take(library, source, offered)
    assert "SiNAD" in open_file(library.find("club-forty")).text and states(library)["club-forty"] == "same"
    # The share is away: what was taken over is there all the same.
    shutil.rmtree(club)
    with pytest.raises(SheetError, match="mounted"):
        look(library, source)
    assert open_file(library.find("club-six")).text
    drop_source(library, source)
    assert sources(library) == [] and library.taken() == []


def test_own_changes_stay_in_use(club: Path, library: Library) -> None:
    source = add_source(library, club)
    for offered in look(library, source).offered:
        take(library, source, offered)
    mine = open_file(library.find("club-forty"))
    library.save("club-forty", Bundle(mine.text.replace("SINAD", "Sinad", 1), mine.pictures, mine.physics))
    edited(club, "SiNAD")
    offered = next(o for o in look(library, source).offered if o.id == "club-forty")
    assert offered.own and offered.state == "changed"
    found = {c.sign: c.words for c in differences(library, source, offered) if c.sign != " "}
    assert "Sinad" in found["-"] and "SiNAD" in found["+"]
    take(library, source, offered)
    assert "Sinad" in open_file(library.find("club-forty")).text
    assert [k.own for k in library.kept() if k.id == "club-forty"] == [True]
    library.remove(library.find("club-forty"))
    assert "SiNAD" in open_file(library.find("club-forty")).text


def test_a_signed_folder_says_which_file_is_another(club: Path, library: Library) -> None:
    source = add_source(library, club)
    assert {o.signature for o in look(library, source).offered} == {"unsigned"} and read_sums(club).fingerprint == ""
    made = sign(club)
    looked = look(library, source)
    assert {o.signature for o in looked.offered} == {"signed"} and looked.fingerprint == made.fingerprint
    # The list is one that GNU coreutils reads: another program says the same.
    if shutil.which("sha256sum"):
        assert subprocess.run(["sha256sum", "-c", SUMS], cwd=club, capture_output=True, check=False).returncode == 0
    physics = club / "club-forty.physics.toml"
    physics.write_text(physics.read_text() + "\n")
    assert {o.id: o.signature for o in look(library, source).offered} == {"club-forty": "altered", "club-six": "signed"}
    assert sign(club).fingerprint != made.fingerprint
    (club / SUMS).write_text("what is this\n")
    with pytest.raises(SheetError, match=f"{SUMS}:1: .*sheet sign"):
        look(library, source)
    with pytest.raises(SheetError, match="no sheet in it"):
        (club.parent / "empty").mkdir()
        sign(club.parent / "empty")


def test_what_cannot_be_used_is_said_and_takes_nothing_along(club: Path, library: Library, tmp_path: Path) -> None:
    (club / "bad.toml").write_text("format = 'unitone-sheet/9'")
    (club / "link.toml").symlink_to(TARN)
    source = add_source(library, club)
    looked = {o.id: o for o in look(library, source).offered}
    assert (
        looked["bad"].state == "broken" and looked["bad"].problems and "link" not in looked and "config" not in looked
    )
    with pytest.raises(SheetError):
        take(library, source, looked["bad"])
    assert states(library)["bad"] == "broken" and library.taken() == []
    assert library.folder is not None
    for place, words in ((tmp_path / "nowhere", "not a folder"), (library.folder / "from", "own sheets")):
        with pytest.raises(SheetError, match=words):
            add_source(library, place)
    (library.folder / "from" / source.name / "source.json").write_text("{")
    assert sources(library) == []
    assert changes(Bundle("a\nb", {"x.png": b"1"}), Bundle("a\nc", {"y.png": b"1"}, "p")) != []


def test_from_the_command_line(club: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    workshop = ["--workspace", str(tmp_path / "workshop")]
    assert run(["sheet", "sign", str(club)]) == 0
    fingerprint = capsys.readouterr().out.strip().rpartition("the list is ")[2]
    assert run([*workshop, "sheet", "exchange", str(club), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["fingerprint"] == fingerprint and {s["state"] for s in told["sheets"]} == {"new"}
    assert run([*workshop, "sheet", "exchange", str(club), "--take", "all", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert sorted(told["taken"]) == ["club-forty", "club-six"] and {s["state"] for s in told["sheets"]} == {"same"}
    edited(club, "SiNAD")
    assert run([*workshop, "sheet", "exchange", str(club), "--take", "all"]) == 0
    out = capsys.readouterr().out
    assert "altered" in out and "+ " in out, "what differs from its signature is not taken with all"
    assert run([*workshop, "sheet", "exchange", str(club), "--take", "nothing"]) == 2
