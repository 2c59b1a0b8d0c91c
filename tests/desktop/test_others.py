"""Sheets of others through the window: a folder added, sheets taken over, one changed here and there, an update."""

from __future__ import annotations

from pathlib import Path

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from desktop.conftest import Desk
from unitone.desktop.features.sheets.others import SheetsOfOthers
from unitone.desktop.features.sheets.page import SheetsPage
from unitone.sheet.exchange.signing import sign
from unitone.sheet.format.bundle import Bundle, write_bundle
from unitone.sheet.library import find, open_file


def put(folder: Path, name: str, old: str = "", new: str = "") -> None:
    bundle = open_file(find("ostrel-teal-6"))
    folder.mkdir(exist_ok=True)
    write_bundle(
        folder / f"{name}.unitone",
        bundle.text.replace(old, new, 1) if old else bundle.text,
        bundle.pictures,
        bundle.physics,
    )


def test_a_folder_of_others_is_taken_over_and_kept_up(desk: Desk, tmp_path: Path) -> None:
    club = tmp_path / "club"
    put(club, "club-six")
    put(club, "club-nine")
    sign(club)
    desk.window.show_place("sheets")
    page = desk.window._sheets
    assert isinstance(page, SheetsPage)
    page.theirs.click()
    others: SheetsOfOthers = page.others
    assert "No folder yet" in others.words.text() and others.choice.isHidden() and not others.add.isHidden()
    others.add_folder(tmp_path / "nowhere")
    desk.until(lambda: "not a folder" in others.wrong.text())
    others.add_folder(club)
    desk.until(lambda: others.list.count() == 2 and "Signed list" in others.signed.text())
    assert others.all.text() == "Take over 2 new or changed"
    others.all.click()
    desk.until(lambda: others.looked is not None and not others.all.isEnabled())
    assert "2 sheets taken over" in others.words.text(), "what was done is said until something else is"
    desk.until(lambda: sum(k.source == "club" for k in page.kept) == 2)
    others.back.click()

    # One of them is changed here: it keeps its id, and is the workshop's own from now on.
    page.open(page.library.find("club-six"))
    desk.until(lambda: page.now is not None and page.now.id == "club-six")
    assert page.now is not None
    page.now.draft.change("name", lambda d: {**d, "model": {**d["model"], "name": "Teal 6 of ours"}})
    page._changed()
    page.save()
    desk.until(lambda: any(k.own and k.id == "club-six" and "of ours" in k.title for k in page.kept))

    # And there: what would change is shown, and taking it over leaves ours in use.
    put(club, "club-six", 'title = "', 'title = "Now: ')
    page.theirs.click()
    desk.until(lambda: others.looked is not None and any(o.state == "changed" for o in others.looked.offered))
    row = next(n for n, o in enumerate(others.looked.offered if others.looked else ()) if o.id == "club-six")
    others.list.setCurrentRow(row)
    desk.until(lambda: "Yours (−) and theirs (+)" in others.about.text() and "of ours" in others.text.toPlainText())
    assert not others.all.isEnabled(), "what is not as it was signed is taken one by one, or not"
    others.one.click()
    desk.until(lambda: "1 sheet taken over" in others.words.text())
    assert "of ours" in open_file(page.library.find("club-six")).text
    others.drop.click()
    desk.until(lambda: "No folder yet" in others.words.text() and not any(k.source for k in page.kept))
    assert (club / "club-nine.unitone").is_file() and any(k.id == "club-six" for k in page.kept)
    assert isinstance(open_file(club / "club-six.unitone"), Bundle)
