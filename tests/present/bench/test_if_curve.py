"""The response of the IF on the Bench: as designed, as the cores stand, and as they were peaked."""

from __future__ import annotations

import re
from copy import copy
from dataclasses import replace

import numpy as np
import pytest

from unitone.align.moves import Conclude, Turn
from unitone.align.pairs import swept
from unitone.job.card import Card
from unitone.present.bench.bench_view import take_view
from unitone.present.bench.charts import next_words
from unitone.present.bench.if_curve import (
    describe_lead,
    describe_overcoupled,
    describe_sweep,
    sweep_next,
    sweep_started,
)
from unitone.radio.if_response import Transformer, passband, response_db
from unitone.robot.technician import follow
from unitone.session.charts import chart_on
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


def test_an_if_is_swept_and_its_width_is_the_radio_s() -> None:
    """The generator goes from place to place beside the middle; what is read lies over the curve, and the coach does not mind it."""
    with Logbook(None) as book:
        sheet = "corvane-alder-5"
        session = Session(book, open_job(book, sheet, Card(1, sheet, simulated_seed=4)))
        session.start_work()
        while session.advice().step == "if" or "if" not in session.state.concluded:
            follow(session, session.advice())
        before = session.advice()
        session.go_to("if")
        session.confirm_hook_up("receive")
        step = session.step
        assert swept.is_chart(step) and sweep_next(session.state, step) and not sweep_started(session.state, step)
        chart_on(session)
        found = swept.swept(session.state, step)
        assert (
            found is not None
            and found.width_hz is not None
            and found.humps == 1
            and sweep_next(session.state, step) == ""
        )
        # The radio's own width by its cascade, which no reading was told of.
        radio = session.bench.radio  # type: ignore[attr-defined]
        hz = np.linspace(-8000.0, 8000.0, 3201)
        start = radio.receiver.first_of("mixer", "am")
        gain = 20.0 * np.log10(np.abs(radio.receiver.chain(530e3, "am", hz, start).gain))
        inside = hz[gain >= gain.max() - 6.0]
        assert found.width_hz == pytest.approx(inside[-1] - inside[0], rel=0.05)
        view = take_view(session, "T1A").reading.hill
        assert (
            view is not None and len(view.points) == len(found.db) and "one hump" in describe_sweep(session.state, step)
        )
        assert session.advice() == before or session.advice().step == before.step
        # A core that is turned makes what was read old.
        session.turn("T2A", 45_000)
        assert not sweep_started(session.state, step)


def test_two_humps_are_told_from_what_was_typed() -> None:
    """An over-coupled pair (k of 2.2 times critical, F. E. Terman, Radio Engineers' Handbook, 1943), typed to two figures."""
    with Logbook(None) as book:
        session = Session(book, open_job(book, "valve-receiver", Card(1, "valve-receiver")))
        session.start_work()
        step = next(s for s in session.sheet.steps if swept.is_chart(s))
        session.go_to(step.id)
        session.confirm_hook_up("receive")
        design = [Transformer(455e3, 60.0, 2.2)]
        for _ in range(40):
            wanted = swept.next_conditions(session.state, step)
            if wanted is None:
                break
            db = float(response_db(design, np.array([wanted.offset_hz or 0.0]))[0])
            session.type_in(f"{0.4 * 10 ** (db / 20):.2g} V", wanted)
        found = swept.swept(session.state, step)
        band = passband(design)
        assert found is not None and found.humps == band.humps == 2
        assert found.dip_db == pytest.approx(band.dip_db, abs=0.6)
        assert found.width_hz == pytest.approx(band.width(6.0), rel=0.06)
        assert "two humps" in describe_sweep(session.state, step) and next_words(session.state, step) == ""
        view = take_view(session, step.adjusters[0]).reading.hill
        assert view is not None and view.curve_x == () and len(view.points) == len(found.db)


def test_the_lead_moves_for_the_last_can_when_avc_is_read() -> None:
    with Logbook(None) as book:
        sheet = "corvane-alder-5"
        session = Session(book, open_job(book, sheet, Card(1, sheet)))
        assert describe_lead(session.sheet.step("if")) == ""
        by_avc = replace(session.sheet.step("if"), read_by="rx.agc_voltage")
        assert "Move the lead" in describe_lead(by_avc) and describe_lead(replace(by_avc, role="front-end")) == ""


def test_an_over_coupled_pair_says_so_until_it_is_peaked() -> None:
    with Logbook(None) as book:
        sheet = "corvane-alder-5"
        session = Session(book, open_job(book, sheet, Card(1, sheet, simulated_seed=4)))
        step = session.sheet.step("if")
        assert describe_overcoupled(session.state, step) == ""
        wide = tuple(replace(t, coupling=1.6) for t in session.sheet.transformers)
        state = copy(session.state)
        state.sheet = replace(session.sheet, transformers=wide)
        assert "T1A + T1B has two humps" in describe_overcoupled(state, step)
