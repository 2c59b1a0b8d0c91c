"""The frequency coach on multi-band radios: a sample of the robot's proof, its words, and what it refuses to do."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from unitone.align.advise import advise
from unitone.align.frequency.counts import readings_of
from unitone.align.frequency.trimming import Tuning, advise_tuning, countables, tells_apart
from unitone.job.card import Card
from unitone.job.fold import fold
from unitone.present.bench.trimming import describe_elsewhere, describe_tuning
from unitone.robot.on_frequency import _beyond_reach, by_advice, prepare, run_frequency, run_frequency_trial
from unitone.robot.referee import Referee
from unitone.session.session import Session, open_job
from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import find, physics_path
from unitone.simulator.physics import read_physics
from unitone.store.logbook import Logbook

SHEET = "ostrel-curlew-5"


def job(book: Logbook, seed: int | None) -> Session:
    return Session(book, open_job(book, SHEET, Card(book.next_number(), SHEET, f"C5-{seed}", simulated_seed=seed)))


def test_a_sample_of_radios_comes_on_frequency_and_no_band_gets_worse() -> None:
    report = run_frequency_trial(SHEET, 4, 4001, with_baseline=False)
    assert report["recovered"] == 4 and report["wrong_verdicts"] == 0, report["problems"]
    assert report["error"]["max_hz"] < 60 and report["readings_per_set"] < 45
    naive = [run_frequency(SHEET, seed, baseline=True) for seed in (4001, 4002)]
    assert all(r.moves > 0 for r in naive)


def test_a_crystal_of_its_own_is_unknown_until_it_is_counted(top: Path) -> None:
    """Twelve crystals with a trimmer each: one count tells of one of them, and none is left uncounted."""
    report = run_frequency_trial(str(top / "tests" / "radios" / "skerry-knot.toml"), 1, 11, with_baseline=False)
    assert report["recovered"] == 1 and report["wrong_verdicts"] == 0, report["problems"]
    assert report["readings_per_set"] >= 12 and report["out_of_reach"] == []


def test_a_radio_of_another_design_comes_in_too(tmp_path: Path) -> None:
    """Cores in place of trimmers, a tripled crystal mixed from above, and no test points for the carrier oscillators."""
    sheet = find(SHEET).read_text(encoding="utf-8")
    physics = physics_path(find(SHEET)).read_text(encoding="utf-8")
    for mode in ("am", "usb", "lsb"):
        sheet = re.sub(rf'(id = "car-{mode}"\n.*\n.*\n)test_point = "TP5"\n', r"\1", sheet)
        sheet = re.sub(rf'\[\[step\]\]\nid = "carrier-{mode}"\n(.+\n)+\n', "", sheet)
    sheet = re.sub(r'after = \[[^]]*\]\n|watch = "s_meter"\n', "", sheet)
    sheet = re.sub(
        r'id = "CT(\d)"\nkind = "trimmer"((?:\n.+)*?)\nstep = 1\n',
        r'id = "CT\1"\nkind = "core"\2\nturns = 6\nstep = 11.25\n',
        sheet,
    )
    for k, band in enumerate("ABCDE"):
        hz = (18.375 + (k - 2) * 0.225) * 2 / 3
        sheet = re.sub(rf'(id = "x-{band}"\nnominal = )".*"', rf'\1"{hz:.6f} MHz"', sheet).replace(
            f'x-{band} = "2"', f'x-{band} = "3"'
        )
    physics = re.sub(
        r"\[adjuster.CT(\d)\]\naligned = 90\nspread = 10\nmisaligned = 65",
        r"[adjuster.CT\1]\naligned = 3\nspread = 0.4\nmisaligned = 1.5",
        physics,
    )
    physics = re.sub(r'trimmer_least = "3 pF"\ntrimmer_most = "12 pF"', "per_turn_ppm = 14", physics).replace(
        SHEET, "merganser"
    )
    path = tmp_path / "merganser.toml"
    path.write_text(sheet, encoding="utf-8")
    physics_path(path).write_text(physics, encoding="utf-8")
    assert tells_apart(read_sheet(path)) and all(
        a.kind == "core" for a in read_sheet(path).adjusters if a.id.startswith("CT")
    )
    results = [run_frequency(str(path), seed) for seed in (11, 12, 13)]
    assert all(r.recovered for r in results), [r.problems for r in results]


def follow_all(session: Session, told: Tuning) -> None:
    """The bench's moves until what the coach said is done: a count taken, or a trimmer turned."""
    entries = len(session.state.readings) + len(session.state.turns)
    while len(session.state.readings) + len(session.state.turns) == entries:
        session.follow(advise(session.state, "frequency"))
    assert told.act == ("turn" if session.state.entries[-1].kind == "turn" else "read")


def test_it_is_a_function_of_the_tape_and_says_what_it_does(book: Logbook) -> None:
    session = job(book, 8)
    prepare(session)
    said, acts = [], set()
    for _ in range(200):
        move = advise_tuning(session.state)
        assert move == advise_tuning(fold(book.tape(session.job_id), session.job_id))
        said.append(describe_tuning(move))
        acts.add(move.act)
        if move.act == "done":
            break
        if move.act == "turn":
            # The words carry what the data says: the trimmer, and the frequency that is to be shown.
            assert move.at is not None and f"Turn {move.adjuster} until {move.at.point.label} shows" in said[-1]
            assert f"{(move.at.point.hz + move.aim_hz) / 1e6:.6f} MHz" in said[-1] and move.move_mdeg
        follow_all(session, move)
    assert acts == {"read", "turn", "done"} and said[-1].startswith("On frequency on all bands and modes")
    assert said[0].startswith("Count transmit ") and any("it shows which oscillator is off" in w for w in said)


def test_what_is_well_inside_is_left_alone(book: Logbook) -> None:
    # Find a specimen that nobody has turned: its radio is read, and nothing is trimmed.
    for seed in range(1, 60):
        session = job(book, seed)
        made = session.bench.radio.mechanics.specimen  # type: ignore[attr-defined]
        if made.untouched:
            break
    prepare(session)
    by_advice(session)
    assert not [t for t in session.state.turns if t.adjuster.startswith("CT")]
    assert describe_tuning(advise_tuning(session.state)) == "Well in spec: leave it alone."


def test_a_counter_in_doubt_is_checked_before_anything_is_trimmed(book: Logbook) -> None:
    session = job(book, None)
    # Every carrier 6 ppm high, and the reference's own count too: by hand, with a counter of which nothing is known.
    for thing in countables(session.sheet):
        step = session.sheet.step(thing.step)
        session.go_to(thing.step)
        if step.hook_up != "probe" and session.state.hook_up != step.hook_up:
            session.confirm_hook_up(step.hook_up)
        off = 6e-6 * thing.point.hz
        session.type_in(
            f"{off:.0f} Hz" if step.quantity_id.endswith("error") else f"{thing.point.hz + off:.0f} Hz",
            thing.conditions,
        )
    move = advise_tuning(session.state)
    assert move.act == "check counter" and "check the counter" in describe_tuning(move)
    assert describe_elsewhere(session.state, session.sheet.step("band-a")) == ""


def test_readings_made_stale_by_a_trimmer_are_dropped_and_no_others(book: Logbook) -> None:
    session = job(book, 8)
    while session.state.phase == "as-found":
        session.follow(session.advice())
    before = {r.point.label for r in readings_of(session.state)}
    assert not any("receive" in label for label in before)
    session.turn("CT4", 3_000)
    left = {r.point.label for r in readings_of(session.state)}
    assert set(before - left) == {label for label in before if " C " in label} and left
    first = next(t.seq for t in session.state.turns)
    assert {r.point.label for r in readings_of(session.state, first)} == before
    session.turn("CT1", 2_000)
    assert {r.point.label for r in readings_of(session.state)} == {
        f"car-{m} at its test point" for m in ("am", "usb", "lsb")
    }


def test_the_bench_sends_one_to_the_oscillator_that_is_off(book: Logbook) -> None:
    """A carrier oscillator off shows on every band: at a band's own step the Bench names the carrier's trimmer, not the band's."""
    session = job(book, 8)
    for trim in [f"CT{n}" for n in range(1, 10)]:
        made = session.bench.radio.mechanics.specimen  # type: ignore[attr-defined]
        made.found[trim] = made.right[trim]
    made.found["CT7"] = made.right["CT7"] + 45
    prepare(session)
    step = session.sheet.step("band-b")
    session.go_to("band-b")
    session.confirm_hook_up("transmit")
    for thing in countables(session.sheet):
        if thing.step.startswith("band-") or thing.step == "chart-ssb":
            session.go_to(thing.step)
            session.set_up(thing.conditions)
            session.measure(thing.conditions)
    words = describe_elsewhere(session.state, step)
    assert words.startswith("Turn CT7 until") or (words == "" and advise_tuning(session.state).act == "read")
    while advise_tuning(session.state).act == "read":
        follow_all(session, advise_tuning(session.state))
    assert describe_elsewhere(session.state, step).startswith("Turn CT7 until car-am at its test point shows 10.695000")


@pytest.mark.parametrize("sheet", ["ostrel-tarn-40", "ostrel-mallard-6", "valve-receiver"])
def test_other_sheets_have_nothing_to_tell_apart_or_little(sheet: str, book: Logbook) -> None:
    session = Session(book, open_job(book, sheet, Card(1, sheet, "1")))
    for step in session.sheet.steps:
        assert describe_elsewhere(session.state, step) == ""


def test_what_is_given_up_is_excused_only_where_the_physics_says_so(tmp_path: Path) -> None:
    """A crystal 200 ppm off its trimmer's range is given up, named, and the referee agrees; a trimmer that reaches is no excuse."""
    path = tmp_path / "curlew.toml"
    path.write_text(find(SHEET).read_text(encoding="utf-8"), encoding="utf-8")
    physics = physics_path(find(SHEET)).read_text(encoding="utf-8").replace(SHEET, "curlew")
    marked = '[oscillator.x-B]\nadjuster = "CT3"\n'
    assert marked in physics
    physics_path(path).write_text(
        physics.replace(marked, marked + "odd_share = 1.0\nodd_ppm = 200\n"), encoding="utf-8"
    )
    result = run_frequency(str(path), 5)
    assert result.recovered and max(result.errors_hz) > 4000, result.problems
    with Logbook(None) as book:
        made = Session(book, open_job(book, str(path), Card(1, "curlew", "C5", simulated_seed=5)))
        prepare(made)
        by_advice(made)
        move = advise_tuning(made.state)
        assert [name for name, _ in move.given_up] == ["x-B"] and "x-B stays" in describe_tuning(move)
        assert "Which padder?" in describe_tuning(move)
        referee = Referee(made.sheet, read_physics(physics_path(path), made.sheet), 5)
        assert _beyond_reach(referee, countables(made.sheet), {"x-B", "x-C", "car-am"}) == {"x-B"}
