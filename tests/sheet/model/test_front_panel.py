"""The front panel in the language in use; a sheet's own words as they are."""

from __future__ import annotations

from session.test_shopwork import by_hand
from unitone.present.bench.bench_view import take_view
from unitone.present.card.card_view import controls_of
from unitone.report.handover import handover
from unitone.sheet.model.front_panel import knob_words, position_words
from unitone.store.logbook import Logbook
from unitone.words import in_language


def test_the_front_panel_is_told_in_the_language_in_use(book: Logbook) -> None:
    session = by_hand(book, "fm-mobile")
    step = next(s for s in session.sheet.steps if dict(s.setting.panel).get("squelch") == "open")
    session.go_to(step.id)
    assert "squelch open · volume 30 %" in take_view(session).step.panel_words
    assert controls_of(session.state)[0].id == session.sheet.controls[0].id, "the log's own word"
    with in_language("de"):
        assert "Rauschsperre offen · Lautstärke 30 %" in take_view(session).step.panel_words
        assert "Rauschsperre" in handover(session.state).to_test
        assert position_words("open, 0..100 %, just closed") == "offen, 0..100 %, gerade geschlossen"
        assert knob_words("Öffner 3", "halb") == "Öffner 3 halb"
