"""The way back to a whole job: as few measurements as can be, in the order that changes the bench least."""

from __future__ import annotations

import random
from dataclasses import replace
from itertools import permutations

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from unitone.errors import UnitoneError
from unitone.job.card import Card
from unitone.job.entries.readings import Reading
from unitone.job.fold import fold
from unitone.job.recheck import (
    EXACT,
    Measurement,
    Stale,
    agree,
    arrange,
    changes,
    measurement,
    merge,
    plan,
    plan_of,
    stale_results,
)
from unitone.job.state import JobState
from unitone.job.verdicts import blockers, verdict
from unitone.session.session import Session, open_job
from unitone.sheet.format.read import parse_sheet, read_sheet
from unitone.sheet.library import built_in, find
from unitone.sheet.model.sheet import Conditions, Sheet
from unitone.store.logbook import Logbook

STANDING = Conditions("receive", "20", level_dbm=-107.0)


def some_stale(rng: random.Random, most: int = 8) -> list[Stale]:
    """Random stale results, many of which agree in pairs."""
    found = []
    for n in range(rng.randint(1, most)):
        hook_up = rng.choice(["receive", "receive", "transmit", "probe"])
        quantity = {"receive": ["rx.sinad", "rx.sn_ratio"], "transmit": ["tx.power"], "probe": ["vco.tuning_voltage"]}[
            hook_up
        ]
        panel = tuple(
            sorted({(k, rng.choice("ab")) for k in rng.sample(["squelch", "volume", "gain"], rng.randint(0, 2))})
        )
        conditions = Conditions(
            "either" if hook_up == "probe" else hook_up,  # type: ignore[arg-type]
            rng.choice([None, None, "1", "20", "40"]), rng.choice([None, "TP1"]) if hook_up == "probe" else None,
            rng.choice([-117.0, -107.0]) if hook_up == "receive" else None, panel=panel, band=rng.choice([None, None, "low", "high"]),
        )  # fmt: skip
        found.append(Stale(f"s{n}", 0, rng.choice(quantity), hook_up, conditions))
    return found


def test_two_agree_exactly_where_their_merged_conditions_settle_both() -> None:
    agreed = 0
    for seed in range(400):
        stale = some_stale(random.Random(seed))
        for a, b in permutations(stale, 2):
            merged = merge(a.conditions, b.conditions)
            same = (a.quantity_id, a.hook_up) == (b.quantity_id, b.hook_up)
            settles = merged.settles(a.conditions) and merged.settles(b.conditions)
            assert agree(a, b) == (same and settles), (a, b)
            agreed += agree(a, b)
    assert agreed > 100


def partitions(items: list[int]) -> list[list[list[int]]]:
    """Every way to part a list into groups."""
    if not items:
        return [[]]
    first, rest = items[0], items[1:]
    found = []
    for parts in partitions(rest):
        found.append([[first], *parts])
        for n in range(len(parts)):
            found.append([*parts[:n], [first, *parts[n]], *parts[n + 1 :]])
    return found


def brute_force(stale: list[Stale], hook_up: str) -> tuple[int, int]:
    """(fewest measurements, fewest hook-up changes among those) by trying every partition and every order."""
    best = (10**9, 10**9)
    for parts in partitions(list(range(len(stale)))):
        if len(parts) > best[0]:
            continue
        if all(agree(stale[i], stale[j]) for g in parts for i in g for j in g if i < j):
            made = [measurement([stale[i] for i in g]) for g in parts]
            hooks = {m.hook_up for m in made} - {"probe"}
            fewest = (
                min((changes(o, hook_up, STANDING)[0] for o in permutations(made)), default=0)
                if len(made) < 6
                else len(hooks - {hook_up})
            )
            best = min(best, (len(parts), fewest))
    return best


@pytest.mark.parametrize("seed", range(40))
def test_the_set_is_the_smallest_and_its_hook_up_changes_the_fewest(seed: int) -> None:
    rng = random.Random(seed)
    stale = some_stale(rng, 7)
    hook_up = rng.choice(["receive", "transmit", "probe"])
    made = plan(stale, hook_up, STANDING)
    assert (len(made.measurements), made.hook_up_changes) == brute_force(stale, hook_up)
    assert made.exact and made.results == len(stale)
    settled = [s for m in made.measurements for s in m.settles]
    assert sorted(s.step for s in settled) == sorted(s.step for s in stale), "each result is settled once"
    for m in made.measurements:
        assert all(m.conditions.settles(s.conditions) and m.quantity_id == s.quantity_id for s in m.settles)


@pytest.mark.parametrize("seed", range(12))
def test_the_order_is_the_best_of_all_orders(seed: int) -> None:
    rng = random.Random(1000 + seed)
    made = [measurement([s]) for s in some_stale(rng, 6)]
    order = arrange(made, "receive", STANDING)
    best = min(changes(o, "receive", STANDING) for o in permutations(made))
    assert changes(order, "receive", STANDING) == best
    assert sorted(map(repr, order)) == sorted(map(repr, made))


def test_beyond_twelve_it_says_that_it_is_not_proved() -> None:
    rng = random.Random(5)
    stale = [s for n in range(6) for s in some_stale(rng, 8)]
    made = plan(stale, "probe", STANDING)
    assert len(stale) > EXACT and not made.exact and len(made.measurements) <= len(stale)
    assert sorted(s.step for m in made.measurements for s in m.settles) == sorted(s.step for s in stale)
    hooks = [m.hook_up for m in made.measurements if m.hook_up != "probe"]
    assert made.hook_up_changes == len(set(hooks)), "each hook-up is gone to once"
    assert plan([], "probe", STANDING).measurements == ()


@pytest.mark.parametrize("seed", range(12))
def test_a_large_plan_always_takes_the_largest_group_left(seed: int) -> None:
    """What is grown once and kept is what growing every group anew for each measurement would give."""
    rng = random.Random(seed)
    stale = [replace(s, step=f"{n}-{s.step}") for n in range(10) for s in some_stale(rng, 9)]
    made = {frozenset(s.step for s in m.settles) for m in plan(stale, "probe", STANDING).measurements}
    left, plain = list(stale), set()
    while left:
        largest: list[Stale] = []
        for start in left:
            group = [start]
            for other in left:
                merged = replace(start, conditions=measurement(group).conditions)
                if other is not start and agree(merged, other):
                    group.append(other)
            largest = max(largest, group, key=len)
        plain.add(frozenset(s.step for s in largest))
        left = [s for s in left if s not in largest]
    assert len(stale) > EXACT and made == plain


def test_a_probe_goes_on_any_hook_up() -> None:
    probe = Measurement("vco.tuning_voltage", "probe", Conditions("either", "1", "TP3"), ())
    transmit = Measurement("tx.power", "transmit", Conditions("transmit", "1"), ())
    receive = Measurement("rx.sinad", "receive", Conditions("receive", "1", level_dbm=-107.0), ())
    assert changes([transmit, probe, transmit], "transmit", Conditions())[0] == 0
    assert (
        changes(
            arrange([transmit, receive, probe], "receive", Conditions("receive", "1")),
            "receive",
            Conditions("receive", "1"),
        )[0]
        == 1
    )


def read_all(session: Session) -> None:
    """Every requirement of the sheet once, in the middle of its limit."""
    for step in session.sheet.steps:
        session.go_to(step.id)
        for required in step.required:
            session.append(Reading(step.quantity_id, required, step.limit.middle, "hand", "hand"))


def test_touching_a_part_and_following_the_plan_makes_the_job_whole() -> None:
    with Logbook(None) as book:
        session = Session(book, open_job(book, "ostrel-weir-40-am", Card(1, "ostrel-weir-40-am")))
        read_all(session)
        session.touch("D4", "diode replaced")
        stale = stale_results(session.state)
        assert {s.step for s in stale} == {s.id for s in session.sheet.steps if s.quantity_id.startswith("rx.")}
        first = plan_of(session.state)
        assert len(first.measurements) == len(stale) - 2, "front end, first IF and second IF are one reading"
        assert (
            session.advice().step in {m.settles[0].step for m in first.measurements} or session.advice().act == "go to"
        )
        for m in first.measurements:
            session.append(
                Reading(m.quantity_id, m.conditions, session.sheet.step(m.settles[0].step).limit.middle, "hand", "hand")
            )
        assert stale_results(session.state) == () and not blockers(session.state)
        session.void_last()
        assert len(stale_results(session.state)) == 1
        session.touch("C58")
        session.void_last()
        assert len(stale_results(session.state)) == 1, "a touch that was struck was never made"


KINDS = ("read", "turn", "touch", "void", "accept", "aside", "variant", "undo", "conventions", "finish", "conclude")
OPS = st.lists(
    st.tuples(st.sampled_from(KINDS), st.integers(0, 999)),
    max_size=40,
)  # fmt: skip


@settings(max_examples=15, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(st.sampled_from([p.stem for p in built_in()]), OPS)
def test_no_sequence_of_entries_finishes_a_job_with_a_stale_reading_in_it(
    name: str, ops: list[tuple[str, int]]
) -> None:
    with Logbook(None) as book:
        session = Session(book, open_job(book, name, Card(1, name)))
        read_all(session)
        text = session.state.written.source_text
        finished: JobState | None = None
        for op, n in [*ops, ("finish", 0)]:
            steps = session.sheet.steps
            step = steps[n % len(steps)]
            try:
                if op == "read":
                    required = step.required[n % len(step.required)]
                    value = step.limit.middle if n % 3 else 500.0
                    session.append(Reading(step.quantity_id, required, value, "hand", "hand"))
                elif op == "turn":
                    session.turn(session.sheet.adjusters[n % len(session.sheet.adjusters)].id, 2_500)
                elif op == "touch":
                    session.touch(("recap", "crystal", "C99", "final")[n % 4])
                elif op == "void":
                    session.void_last()
                elif op in ("accept", "aside"):
                    session.go_to(step.id)
                    session.judge("accepted" if op == "accept" else "not applicable", "it is what it is")
                elif op == "variant":
                    session.set_variant(f"v{n}", text.replace('supply = "', f'supply = "{n} ', 1))
                elif op == "undo":
                    session.undo_variant()
                elif op == "conventions":
                    session.set_conventions(
                        {"in-spec": ("leave", "optimise")[n % 2], "detector": ("first", "last")[n % 2]}
                    )
                elif op == "conclude":
                    session.conclude("set")
                elif op == "finish":
                    session.finish()
                    finished = session.state
            except UnitoneError as error:
                assert str(error).strip()
        again = fold(book.tape(session.job_id), session.job_id)
        assert [verdict(again, s) for s in again.sheet.steps] == [
            verdict(session.state, s) for s in session.sheet.steps
        ]
        assert again.latest == session.state.latest and again.reached == session.state.reached
        if finished is not None:
            assert not stale_results(finished) and not blockers(finished)


def test_reach_is_what_the_sheet_declares_or_safely_wide(sheet: Sheet) -> None:
    on_20 = Conditions("receive", "20")
    assert sheet.adjuster("CT1").can_change("tx.frequency_error", Conditions("transmit", "1")), (
        "computed from the mixing model"
    )
    bare = read_sheet(find("handheld"))
    assert bare.adjuster("IF1").can_change("rx.squelch_opens", on_20) and not bare.adjuster("IF1").can_change(
        "tx.power", on_20
    )
    narrow = parse_sheet(sheet.source_text.replace('affects = ["tx.deviation"]', 'affects = ["tx.harmonic"]'), "n", "n")
    assert narrow.adjuster("P2").can_change("tx.deviation", Conditions("transmit", "20")), (
        "what it is turned for it reaches"
    )
    mallard = read_sheet(find("ostrel-mallard-6"))
    trimmer = mallard.adjuster("CT2")
    assert trimmer.can_change("tx.frequency_error", Conditions("transmit", "B")) and not trimmer.can_change(
        "tx.frequency_error", Conditions("transmit", "A")
    )
