"""The page that goes home with a radio: plain words, nothing left out, nothing said that was not measured or done."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from session.test_shopwork import by_hand, read_everything
from unitone.errors import UnitoneError
from unitone.job.privacy import LEFT_OUT
from unitone.present.papers import FORMS, certificate_of, handover_of, render_paper, write_paper
from unitone.store.logbook import Logbook


def finished(book: Logbook):  # type: ignore[no-untyped-def]
    session = by_hand(
        book, owner="Ada of the weir", complaint="deaf", accessories=("microphone",), missing=("power lead",)
    )
    session.workshop.look_at("wax", "wrong", "seal broken", ("T1",))
    session.workshop.look_at("controls", "repaired", "scratchy", done="controls cleaned")
    session.workshop.read_volts("in", "13.2")
    read_everything(session, deviation="2.9 kHz")
    session.start_work()
    session.turn("P2", -15_000)
    read_everything(session)
    session.workshop.fit_part("C41", 1, "100 uF 25 V electrolytic", "100 uF 16 V electrolytic", price="0.35")
    session.tried("C41 leaks", "C41 replaced", "rail 7.4 → 8.0 V", "the cause")
    session.tried("regulator", "swapped", "no change", "not the cause")
    read_everything(session)
    session.workshop.tell_control("tone switch", "cuts the hiss")
    session.workshop.test_control("volume", True)
    session.workshop.test_control("squelch", False, "scratches")
    session.loosen("cover screws out")
    session.tie(session.state.open_ends[0].entry_id, "two are lost")
    session.note("Ada of the weir wants it by Friday")
    session.workshop.spend("1 h 25")
    session.finish()
    return session


def test_the_page_says_what_was_wrong_found_done_and_set(book: Logbook) -> None:
    page = handover_of(finished(book).state)
    assert page.headline == "Everything that was measured is as it should be."
    assert page.complaint == "deaf" and page.missing == ("power lead",) and page.came_with == ("microphone",)
    assert page.found == (
        "T1: seal broken.",
        "scratchy (repaired: controls cleaned).",
        "C41 leaks: that was the cause.",
    )
    assert page.done == ("controls cleaned.", "C41 replaced.", "One adjustment was set again.")
    assert page.parts[0].startswith("1 × C41: 100 uF 25 V electrolytic for 100 uF 16 V electrolytic (right:")
    loud = next(s for s in page.settings if s.what == "Loudness on the air")
    assert (loud.found, loud.words, loud.right) == ("2.90 kHz", "put right", True)
    assert {s.words for s in page.settings} <= {"put right", "in spec, left as found", "in spec, before and after"}
    does = {c.name: (c.does, c.tested) for c in page.controls}
    assert (
        does["tone switch"] == ("cuts the hiss", "")
        and does["squelch"][1] == "does not work: scratches"
        and does["volume"][1] == "works"
    )
    assert page.to_test == ("channel", "microphone switch", "tone switch")
    assert page.stays == ("cover screws out: two are lost",) and page.work == "1 h 25 of work · parts 0.35"
    assert "licence" in page.cautions[-1] and len(page.cautions) == 1
    text = " ".join(page.found + page.done)
    assert "regulator" not in text, "what was not the cause is no news for the owner"


def test_what_is_out_or_not_finished_is_said_first(book: Logbook) -> None:
    session = by_hand(book)
    assert "not final" in handover_of(session.state).headline
    read_everything(session, s_meter="S4")
    session.start_work()
    session.go_to("s-meter")
    session.judge("accepted", "the meter itself sticks")
    session.finish()
    page = handover_of(session.state)
    assert page.headline == "As it should be, except: Signal meter."
    assert next(s for s in page.settings if s.what == "Signal meter").words == "not as it should be"


def test_both_papers_in_every_form_with_and_without_the_owner(book: Logbook, tmp_path: Path) -> None:
    state = finished(book).state
    for kind, forms in FORMS.items():
        for form in forms:
            plain, private = (render_paper(state, kind, form, without) for without in (False, True))
            assert len(plain) > 300
            if form in ("html", "json") and kind != "before-after":
                assert b"Ada of the weir" in plain and b"Ada of the weir" not in private
            if form == "pdf":
                # The sheet to fill in names no owner; neither do the charts.
                assert plain.startswith(b"%PDF-") and (plain != private or kind in ("readings", "before-after"))
                assert render_paper(state, kind, form) == plain, "the same content is the same file"
        write_paper(state, kind, forms[0], tmp_path / f"{kind}.out")
        assert (tmp_path / f"{kind}.out").read_bytes() == render_paper(state, kind, forms[0])
        with pytest.raises(UnitoneError, match="is not a form of"):
            render_paper(state, kind, "odt")
        with pytest.raises(UnitoneError, match="cannot be written"):
            write_paper(state, kind, forms[0], tmp_path / "nowhere" / "x.out")
    assert json.loads(render_paper(state, "handover", "json"))["format"] == "unitone-handover/1"
    made = certificate_of(state, without_owner=True)
    assert made.owner == "" and made.notes == (f"{LEFT_OUT} wants it by Friday",)


def test_the_certificate_tells_what_was_seen_fitted_and_measured_besides(book: Logbook) -> None:
    made = certificate_of(finished(book).state)
    sections = dict(made.sections)
    assert sections["Inspection findings"][0] == "T1: seal broken" and sections["Parts fitted"][0].startswith("1 × C41")
    assert sections["Voltages"] == ("Power lead at the board: 13.20 V (12.54 … 13.86 V), in spec",)
    html = render_paper(finished(book).state, "certificate", "html").decode()
    assert "<script" not in html and "Voltages" in html


def test_what_people_type_cannot_break_the_paper(book: Logbook) -> None:
    session = by_hand(book, owner="<b>Ada</b> & sons", complaint="<script>alert(1)</script> {{ c }} %s")
    session.workshop.look_at("wax", "wrong", "</para><b>", ("T1",))
    for kind in FORMS:
        assert render_paper(session.state, kind, "pdf").startswith(b"%PDF-")
        if "html" not in FORMS[kind]:
            continue
        html = render_paper(session.state, kind, "html").decode()
        assert "<script>" not in html and "&lt;script&gt;" in html
