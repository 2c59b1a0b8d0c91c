"""The response of the IF on the Bench: as designed, as the cores stand, and as they were peaked."""

from __future__ import annotations

import re

import pytest

from unitone.align.moves import Conclude, Turn
from unitone.job.card import Card
from unitone.present.bench.bench_view import take_view
from unitone.radio.if_response import Transformer, passband
from unitone.robot.technician import follow
from unitone.session.session import Session, open_job
from unitone.store.logbook import Logbook

KHZ = re.compile(r"([\d.]+) kHz wide")


def test_the_curve_follows_the_cores_from_where_they_were_peaked() -> None:
    with Logbook(None) as book:
        sheet = "corvane-alder-5"
        session = Session(book, open_job(book, sheet, Card(1, sheet, simulated_seed=4)))
        session.start_work()
        session.go_to("if")
        first = take_view(session, "T1A").reading.hill
        # Before anything is read: as its maker meant it.
        made = [Transformer(t.centre_hz, t.q, t.coupling) for t in session.sheet.transformers]
        assert first is not None and first.found == () and first.x_unit == "kHz"
        assert float(KHZ.findall(first.peak_text)[0]) == pytest.approx(passband(made).width(6.0) / 1e3, abs=0.06)
        while session.advice().step == "if" or "if" not in session.state.concluded:
            follow(session, session.advice())
        session.go_to("if")
        peaked = take_view(session, "T1A").reading.hill
        assert peaked is not None and peaked.peak_text == first.peak_text and peaked.found == ()
        # One transformer up, the other as much down: another width, and what it costs at the top.
        for name, way in (("T1A", 1), ("T1B", 1), ("T2A", -1), ("T2B", -1)):
            session.turn(name, way * 90_000)
        staggered = take_view(session, "T1A").reading.hill
        assert staggered is not None and len(staggered.found) > 10
        off = [
            Transformer(t.centre_hz, t.q, t.coupling, (s * 1500.0, s * 1500.0))
            for t, s in zip(session.sheet.transformers, (1, -1), strict=True)
        ]
        band = passband(off)
        assert float(KHZ.findall(staggered.peak_text)[0]) == pytest.approx(band.width(6.0) / 1e3, abs=0.06)
        assert "dB lost" in staggered.peak_text and band.width(6.0) != pytest.approx(
            passband(made).width(6.0), rel=0.02
        )
        assert max(staggered.curve_y) == pytest.approx(band.top_db, abs=0.05)
        # Back where they were, the curve is the peaked one again; other steps have none.
        for name, way in (("T1A", -1), ("T1B", -1), ("T2A", 1), ("T2B", 1)):
            session.turn(name, way * 90_000)
        back = take_view(session, "T1A").reading.hill
        assert back is not None and back.peak_text == first.peak_text
        session.go_to("dial-low")
        other = take_view(session, "L3").reading.hill
        assert other is None or "IF response" not in other.adjuster


def test_staggering_is_done_and_read() -> None:
    with Logbook(None) as book:
        sheet = "corvane-alder-5"
        session = Session(book, open_job(book, sheet, Card(1, sheet, simulated_seed=4)))
        session.set_conventions({"if-shape": "staggered"})
        session.start_work()
        session.go_to("if")
        outcomes, at_peak = [], {}
        while session.advice().step == "if":
            advice = session.advice()
            if isinstance(advice, Turn) and advice.why == "stagger-if" and not at_peak:
                at_peak = dict(session.state.positions)
            follow(session, advice)
            if isinstance(advice, Conclude):
                outcomes.append(advice.outcome)
        state = session.state
        # 1.5 kHz each at 6 kHz a turn: a quarter turn, the first transformer of the step one way, the second the other.
        moved = {a: state.positions[a] - at_peak[a] for a in ("T2A", "T2B", "T1A", "T1B")}
        assert outcomes == ["peaked", "staggered"] and sorted(moved.values()) == [-90_000, -90_000, 90_000, 90_000], (
            moved
        )
        assert moved["T1A"] == moved["T1B"] and moved["T2A"] == moved["T2B"]
        assert not state.is_stale(state.sheet.step("if"), 0), "it was read again where it stands"
        session.go_to("if")
        shown = take_view(session, "T1A").reading.hill
        assert shown is not None and len(shown.found) > 10 and "dB lost" in shown.peak_text
