"""Conventions: who decides, what the procedure makes of it, and that the sheet's own order wins."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import pytest

from unitone.align.advise import next_step
from unitone.errors import TapeError
from unitone.job.card import Card
from unitone.job.verdicts import verdict
from unitone.present.bench.bench_view import take_view
from unitone.session.session import Session, open_job
from unitone.sheet.conventions.questions import CONVENTIONS, apply, choices, ordered, role_of
from unitone.sheet.format.read import parse_sheet, read_sheet
from unitone.sheet.library import built_in, find, general
from unitone.sheet.model.sheet import Sheet
from unitone.store.logbook import Logbook

TEXT = find("ostrel-tarn-40").read_text(encoding="utf-8")


def ids(sheet: Sheet) -> list[str]:
    return [s.id for s in sheet.steps]


def test_job_before_sheet_before_workshop_before_default(sheet: Sheet) -> None:
    def by(job: dict[str, str], workshop: dict[str, str]) -> tuple[str, str]:
        found = {c.question: c for c in choices(sheet, job, workshop)}["detector"]
        return found.choice, found.by

    assert by({}, {"detector": "first"}) == ("last", "sheet")
    assert by({"detector": "first"}, {}) == ("first", "job")
    silent = parse_sheet(TEXT.replace('detector = "last"', ""), "s", "s")
    stand = {c.question: c for c in choices(silent, {}, {"detector": "first"})}
    assert (stand["detector"].choice, stand["detector"].by) == ("first", "workshop")
    assert (stand["if-order"].choice, stand["if-order"].by) == ("sheet", "default")


def test_the_detector_goes_where_the_job_wants_it(sheet: Sheet) -> None:
    assert [role_of(s) for s in sheet.steps if role_of(s)] == ["detector-coarse", "front-end", "if", "if", "detector"]
    first, why = apply(sheet, {"detector": "first"}, {})
    order = ids(first)
    assert (
        order.index("detector-coarse") < order.index("detector") < order.index("front-end") < order.index("sensitivity")
    )
    assert why == "detector first (this job's choice)"
    assert ids(apply(first, {"detector": "last"}, {})[0]) == ids(sheet), "and back again"
    # The sheet's own order wins over the workshop.
    silent = parse_sheet(TEXT.replace('detector = "last"', ""), "s", "s")
    same, why = apply(silent, {}, {"detector": "first"})
    assert ids(same) == ids(sheet) and why.startswith("as the sheet")
    # A sheet without an order of its own follows the workshop.
    free = TEXT.replace('detector = "last"', "").replace('after = ["if-second"]', "")
    moved, why = apply(parse_sheet(free, "s", "s"), {}, {"detector": "first"})
    assert ids(moved).index("detector") < ids(moved).index("front-end") and "the workshop's" in why


def test_if_transformers_from_the_last_one_back(sheet: Sheet) -> None:
    weir = read_sheet(find("ostrel-weir-40-am"))
    back, why = apply(weir, {"if-order": "last-first"}, {})
    last, second = ids(back).index("if-last"), ids(back).index("if-second")
    assert last < second < ids(back).index("if-first") < ids(back).index("sensitivity")
    both = replace(weir.step("if-second"), adjust=(("T4", "T5"), ("T6",)))
    one = replace(weir, steps=tuple(both if s.id == "if-second" else s for s in weir.steps if s.id != "if-last"))
    assert apply(one, {"if-order": "last-first"}, {})[0].step("if-second").adjust == (("T6",), ("T4", "T5"))
    assert "last IF transformer first (this job's choice)" in why
    workshop, _ = apply(weir, {}, {"if-order": "last-first"})
    assert ids(workshop) == ids(back), "its cans stand in no order of their own"
    tarn, _ = apply(sheet, {}, {"if-order": "last-first"})
    assert ids(tarn) == ids(sheet), "if-second comes after if-first by the sheet's own order"
    forced, _ = apply(sheet, {"if-order": "last-first"}, {})
    assert ids(forced).index("if-second") < ids(forced).index("if-first") < ids(forced).index("detector")


@pytest.mark.parametrize("path", [*built_in(), *general()], ids=lambda p: p.stem)
def test_every_mixture_of_conventions_keeps_every_step_and_every_other_order(path) -> None:  # type: ignore[no-untyped-def]
    sheet = read_sheet(path)
    mixtures: list[dict[str, str]] = [{}]
    for convention in (s for s in CONVENTIONS if s.effect in ("the order", "the channel that a step is peaked on")):
        mixtures = [{**m, convention.question: c} for m in mixtures for c in convention.choices]
    for chosen in mixtures:
        made, why = apply(sheet, chosen, {})
        assert sorted(ids(made)) == sorted(ids(sheet)) and why
        moved = {s.id for s in sheet.steps if role_of(s) in ("detector", "if", "front-end")}
        place = {name: n for n, name in enumerate(ids(made))}
        for step in sheet.steps:
            for before in step.after:
                if not {step.id, before} <= moved:
                    assert place[before] < place[step.id], (chosen, before, step.id)


def test_a_long_sheet_is_ordered_stably(sheet: Sheet) -> None:
    from dataclasses import replace

    steps = tuple(
        replace(sheet.steps[0], id=f"s{n}", after=(f"s{n + 1}",) if n % 2 == 0 and n < 199 else ()) for n in range(200)
    )
    procedure = [s.id for s in ordered(steps)]
    assert procedure[:4] == ["s1", "s0", "s3", "s2"] and len(procedure) == 200


def test_s9_and_back_off_change_what_a_job_is_told(book: Logbook) -> None:
    session = Session(book, open_job(book, "ostrel-tarn-40", Card(1, "ostrel-tarn-40")))
    before = session.sheet.step("s-meter").required[0].level_dbm
    session.set_conventions({"s9": "100uv-pd", "after-peak": "back-off"})
    assert session.sheet.step("s-meter").required[0].level_dbm == pytest.approx(before + 6.0206, abs=1e-4)  # type: ignore[operator]
    assert "turn back slightly" in session.sheet.step("front-end").note
    rows = {r.question: r for r in take_view(session).procedure.conventions}
    assert rows["s9"].by == "job" and rows["detector"].by == "sheet" and rows["s9"].own == "100uv-pd"
    session.set_conventions({})
    assert session.sheet.step("s-meter").required[0].level_dbm == before
    with pytest.raises(TapeError, match="is not a convention"):
        session.set_conventions({"detector": "sideways"})


def test_channel_shape_and_deviation(sheet: Sheet) -> None:
    weir = read_sheet(find("ostrel-weir-40-am"))
    for choice, channel in (("sheet", "20"), ("middle", "20"), ("ends", "1")):
        made, _ = apply(weir, {"channel": choice, "power": "middle"}, {})
        assert made.step("power").setting.channel == channel, choice
        assert ("confirm the middle" in made.step("power").note) is (choice == "ends")
    assert apply(weir, {"channel": "ends"}, {})[0].step("front-end").setting.channel == "20", (
        "it is read on one channel only"
    )
    told, _ = apply(sheet, {"if-shape": "staggered", "deviation": "louder"}, {})
    assert "Staggered" in told.step("if-second").note and "Staggered" not in told.step("front-end").note
    assert (
        "never above the rule's limit" in told.step("deviation").note
        and told.step("deviation").limit == sheet.step("deviation").limit
    )
    assert apply(sheet, {}, {})[0].step("deviation").note == sheet.step("deviation").note
    assert {s.question for s in CONVENTIONS} >= {
        "detector",
        "if-order",
        "in-spec",
        "s9",
        "after-peak",
        "channel",
        "if-shape",
        "deviation",
    }


def test_the_workshops_conventions_go_into_new_jobs_only(book: Logbook) -> None:
    old = Session(book, open_job(book, "ostrel-weir-40-am", Card(1, "x")))
    book.set_setting("conventions", {"if-order": "last-first"})
    new = Session(book, open_job(book, "ostrel-weir-40-am", Card(2, "x")))
    assert ids(old.sheet) != ids(new.sheet) and ids(Session(book, old.job_id).sheet) == ids(old.sheet)


def test_what_is_in_limits_is_worked_only_in_the_school_that_wants_it(new_session: Callable[..., Session]) -> None:
    session = new_session(7)  # an untouched radio
    for _ in range(400):
        if session.state.phase == "adjust":
            break
        session.follow(session.advice())
    session.go_to("front-end")
    assert verdict(session.state, session.step) == "left_as_found" and session.advice().why == "in-spec"
    session.set_conventions({"in-spec": "optimise"})
    for _ in range(120):
        advice = session.advice()
        if advice.act == "conclude":
            break
        session.follow(advice)
    assert session.state.moved_at_all(session.step) and advice.outcome == "peaked"
    session.follow(advice)
    assert next_step(session.state) is not None and session.advice().act == "go to"
