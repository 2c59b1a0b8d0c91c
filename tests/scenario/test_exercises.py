"""Exercises: what they are made of, what the robots' work comes to, and that a seed gives the same radio and the same mark."""

from __future__ import annotations

import datetime
import json
import re
import shutil
from pathlib import Path

import msgspec
import pytest

from unitone.errors import EntryError, SheetError, TapeError
from unitone.job.entries.opening import Opened
from unitone.job.seal import is_sealed, seal, unsealed
from unitone.robot.referee import Referee
from unitone.scenario.exercise import DIAGNOSES, SKILLS, Exercise, in_words
from unitone.scenario.exercise_file import keep_exercise, own_exercises, read_exercise, sealed_exercise, take_in
from unitone.scenario.exercise_trial import take_exercise
from unitone.scenario.exercises import LADDER, daily, find_exercise, surprise
from unitone.scenario.marking import radio_of
from unitone.scenario.practice_radio import begin, make_radio, makeable
from unitone.session.own_sheets import library_of
from unitone.store.logbook import Logbook


def test_the_ladder_is_thirty_or_more_in_six_skills_each_with_its_purpose_and_habit() -> None:
    assert len(LADDER) >= 30 and len({e.id for e in LADDER}) == len(LADDER)
    for skill in SKILLS:
        grades = [e.grade for e in LADDER if e.skill == skill]
        assert len(grades) >= 4 and max(grades) - min(grades) >= 2, skill
    for e in LADDER:
        assert e.id.startswith(e.skill) and 1 <= e.grade <= 5
        assert all(len(words) > 10 for words in (e.title, e.complaint, e.purpose, e.habit)) or e.title in ("A dead IF",)
    assert sum(e.leave_alone for e in LADDER) >= 3 and sum(bool(e.fault) for e in LADDER) >= 6


@pytest.mark.parametrize("name", [e.id for e in LADDER])
def test_every_exercise_makes_a_radio_that_can_be_put_on_the_bench(name: str, book: Logbook) -> None:
    e = find_exercise(name)
    session = begin(book, e, e.seed)
    assert not e.steps or [s.id for s in session.sheet.steps] == [s.id for s in session.sheet.steps if s.id in e.steps]
    assert len(session.sheet.steps) == (len(e.steps) or len(session.sheet.steps)) and session.advice().act != "done"
    _, physics = radio_of(book, session.job_id)
    for a, setting in physics.adjuster.items():
        off = abs(setting.found_off or 0.0)
        turned = e.everything or a in e.turned
        assert off <= 0.05 * setting.misaligned or (turned and off >= 0.29 * setting.misaligned), a
    assert physics.has_fault == e.fault


def test_what_is_wrong_is_sealed_on_the_log(book: Logbook) -> None:
    e = find_exercise("settings-5")
    session = begin(book, e, e.seed)
    opened = session.logbook.tape(session.job_id)[0].said
    assert isinstance(opened, Opened) and is_sealed(opened.physics_text)
    assert e.fault not in msgspec.json.encode(opened.to_data()).decode() and session.state.card.simulated_fault == ""
    assert "found_off" not in opened.physics_text and "found_off" in unsealed(opened.physics_text)
    assert unsealed(seal("10 µV, Ω")) == "10 µV, Ω" and unsealed("never sealed") == "never sealed"
    for wrong in ("sealed/1:", "sealed/1:zzz", opened.physics_text[:-9]):
        with pytest.raises(TapeError, match="damaged"):
            unsealed(wrong)


def test_the_window_reads_no_answer() -> None:
    """Neither the physics of a job nor a fault's name is read anywhere that a screen is made of."""
    source = Path(__file__).resolve().parents[2] / "src" / "unitone"
    for room in ("desktop", "present"):
        for path in (source / room).rglob("*.py"):
            if path.name != "shots.py":
                found = re.search(
                    r"physics_text|has_fault|found_off|job.seal|simulated_fault", path.read_text(encoding="utf-8")
                )
                assert found is None, (path, found)


def test_a_seed_is_the_same_radio_everywhere_and_another_seed_another(book: Logbook) -> None:
    e, library = find_exercise("receive-3"), library_of(book)
    assert make_radio(e, 7, library) == make_radio(e, 7, library) != make_radio(e, 8, library)
    today = datetime.date(2026, 11, 29)
    assert daily(today) == daily(today) != daily(today + datetime.timedelta(days=1))
    assert {daily(today + datetime.timedelta(days=n))[0].id for n in range(len(LADDER))} == {x.id for x in LADDER}
    assert surprise(3, 5) == surprise(3, 5) and all(surprise(g, s)[0].grade == g for g in range(1, 6) for s in range(4))
    with pytest.raises(EntryError, match="grades 1 to 5"):
        surprise(6, 1)
    with pytest.raises(EntryError, match="no such exercise"):
        find_exercise("receive-99")


def test_an_exercise_that_names_what_is_not_there_says_so(book: Logbook) -> None:
    e, library = find_exercise("receive-1"), library_of(book)
    for change, words in (
        ({"steps": ("nowhere",)}, "no step 'nowhere'"), ({"turned": ("T77",)}, "no adjuster 'T77'"), ({"fault": "gremlin"}, "no fault 'gremlin'"),
        ({"sheet": "ostrel-mallard-6"}, "no physics file"),
    ):  # fmt: skip
        with pytest.raises(SheetError, match=words):
            make_radio(msgspec.structs.replace(e, **change), 1, library)


#: One a kind: a core, leaving alone, a stage with a bad part.
_SAMPLE = ("receive-1", "transmit-6", "tracing-2")


@pytest.mark.parametrize("name", _SAMPLE)
def test_the_coached_robot_gets_full_marks_the_careless_none(name: str) -> None:
    e = find_exercise(name)
    full = take_exercise(e, e.seed, "coached")
    assert (full.score, full.passed, full.moves) == (100, True, full.good_moves) and full.out == full.needless == ()
    poor = take_exercise(e, e.seed, "careless")
    assert not poor.passed and poor.score < 60


def test_a_stage_that_hisses_is_an_exercise_too(book: Logbook) -> None:
    e = find_exercise("tracing-2")
    assert ("if1:noisy", "if1: noisy") in makeable(e.sheet, library_of(book)).faults
    hissing = msgspec.structs.replace(e, id="own", fault="if1:noisy")
    full, poor = (take_exercise(hissing, e.seed, who) for who in ("coached", "careless"))
    assert full.named and full.passed and not poor.named and not poor.passed


def test_who_peaks_everything_fails_where_leaving_alone_is_trained_and_a_seed_gives_the_same_mark() -> None:
    e = find_exercise("transmit-6")
    made = take_exercise(e, e.seed, "peaking")
    assert not made.passed and made.needless and made == take_exercise(e, e.seed, "peaking")
    assert take_exercise(find_exercise("receive-1"), 11, "peaking").passed, "one core that is off may be peaked"
    with pytest.raises(EntryError, match="the robots are coached, careless, peaking"):
        take_exercise(e, 1, "lazy")


def test_radios_of_other_seeds_are_out_of_spec_as_found(book: Logbook) -> None:
    """An exercise on a radio that nobody has seen has something to do, too."""
    for name in ("receive-1", "receive-2", "receive-3", "settings-1"):
        e = find_exercise(name)
        for seed in (901, 902):
            session = begin(book, e, seed)
            sheet, physics = radio_of(book, session.job_id)
            referee = Referee(sheet, physics, seed)
            assert not all(referee.holds(s) for s in sheet.steps), (name, seed)


def test_every_reason_of_a_fault_can_be_named() -> None:
    from unitone.sheet.format.read import read_sheet
    from unitone.sheet.library import find, physics_path
    from unitone.simulator.physics import read_physics

    for e in LADDER:
        path = find(e.sheet)
        physics = read_physics(physics_path(path), read_sheet(path))
        assert {f.reason for f in physics.fault.values()} <= set(DIAGNOSES)


def test_an_exercise_of_ones_own_is_shared_as_one_file_and_tells_nothing(tmp_path: Path, book: Logbook) -> None:
    library = library_of(book)
    wished = Exercise(
        "own", "receive", 2, "One can", "Deaf since it fell", "Find it", "Read first", "ostrel-tarn-40", ("if-first",), ("T3",), False, (1.0, 1.4),
        seed=5,
    )  # fmt: skip
    given = sealed_exercise(wished, library)
    path = keep_exercise(tmp_path, given)
    assert keep_exercise(tmp_path, given).name == "one-can-2.exercise.json"
    text = path.read_text(encoding="utf-8")
    assert "if-first" not in text and "misaligned" not in text and "Deaf since it fell" in text
    (again, mine), problems = own_exercises(tmp_path)
    assert problems == [] and mine.id == "own-one-can" and again.seed == mine.seed == 5
    assert mine.turned == () and mine.steps == () and in_words(mine, "complaint") == "Deaf since it fell"
    # It brings its radio: the same one that its maker had.
    assert make_radio(mine, 5, library).physics == make_radio(wished, 5, library).physics
    full = take_exercise(mine, 5, "coached")
    assert (full.score, full.passed) == (100, True)
    taken = take_in(tmp_path / "other", path)
    assert taken.title == "One can" and own_exercises(tmp_path / "other")[0][0].id == taken.id
    for change, words in (
        ({"format": "unitone-exercise/9"}, "newer Unitone"), ({"sealed": "x"}, "sealed: is missing"), ({"grade": 9}, "grade: use 1 to 5"),
        ({"skill": "magic"}, "skill: use one of"), ({"sealed": given.sealed[:-40]}, "damaged"), ({"title": " "}, "title: is missing"),
        ({"habit": "x" * 301}, "habit: is longer"),
    ):  # fmt: skip
        bad = tmp_path / "bad.exercise.json"
        bad.write_text(json.dumps({**json.loads(text), **change}), encoding="utf-8")
        with pytest.raises(SheetError, match=words):
            read_exercise(bad)
    bad.write_text("{", encoding="utf-8")
    with pytest.raises(SheetError, match=r"bad.exercise.json:1: "):
        read_exercise(bad)
    shutil.copy(bad, tmp_path / "exercises" / "broken.exercise.json")
    made, problems = own_exercises(tmp_path)
    assert len(made) == 2 and len(problems) == 1, "one that is broken costs itself"
    assert own_exercises(None) == ([], [])


def test_what_an_exercise_can_be_made_of(book: Logbook) -> None:
    radio = makeable("ostrel-weir-40-am", library_of(book))
    assert ("sensitivity", "10 dB (S+N)/N level") in radio.steps and dict(radio.adjusters)["T3"].startswith("T3")
    assert "silicon-meter-diode" in dict(radio.faults) and "if:dead" in dict(radio.faults)
