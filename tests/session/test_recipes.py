"""Recipes: every one that ships is right in itself, computes, changes a simulated radio physically, and is undone; files by others are checked."""

from __future__ import annotations

from pathlib import Path

import pytest

from unitone.calculators.catalogue import calculator_of
from unitone.conversions.recipe import RECIPES, parse_recipe, read_recipe, recipes, sheet_fact
from unitone.errors import BenchError, EntryError, SheetError, TapeError
from unitone.job.card import Card
from unitone.job.fold import fold
from unitone.job.modifications import standing
from unitone.present.card.recipe_view import recipe_view, tried_view
from unitone.report.certificate import certificate
from unitone.session.session import Session, open_job
from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import find
from unitone.simulator.changes import Change, with_changes
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.store.logbook import Logbook

FIVE = "ostrel-curlew-5"
#: What nobody else than the technician knows: the counts at a trimmer's ends.
COUNTS = {"pad": {"low": "15.000000 MHz", "high": "15.001400 MHz", "wanted": "15.001200 MHz"}}


def _job(book: Logbook, sheet: str = FIVE, seed: int | None = 3, fault: str = "") -> Session:
    card = Card(book.next_number(), sheet, simulated_seed=seed, simulated_fault=fault)
    return Session(book, open_job(book, sheet, card))


def _given(session: Session, name: str) -> dict[str, str]:
    recipe = read_recipe(RECIPES / f"{name}.toml")
    crystals = [o.id for o in session.sheet.oscillators if o.nominal_hz > 12e6]
    return {a.key: crystals[0] for a in recipe.ask if a.of == "oscillator"}


def test_every_recipe_that_ships_is_tried_and_carried_out_on_the_five_band_set(book: Logbook) -> None:
    session = _job(book)
    shipped = session.recipes.all()
    assert len(shipped) >= 12 and all(f.made is not None and not f.own for f in shipped)
    moved = {}
    for file in shipped:
        recipe = file.made
        assert recipe is not None
        for value in recipe.value:
            assert set(value.inputs) <= {g.key for g in calculator_of(value.calculator).given}, recipe.id
        worked = session.recipes.worked(recipe, _given(session, recipe.id), COUNTS)
        assert all(v.answers and not v.problem for v in worked.values), (recipe.id, worked.values)
        tried = session.recipes.tried(worked)
        moved[recipe.id] = max(
            abs((t.after.value or 0.0) - (t.before.value or 0.0)) / (abs(t.before.value or 0.0) + 1e-9) for t in tried
        )
        view = recipe_view(worked, session.state)
        assert view.complete and all(i.words for i in view.inputs) and tried_view(tried)[1], recipe.id
    # Each changes what it says it changes; nothing of the job was changed by trying.
    assert all(share > 0.005 for name, share in moved.items() if name not in ("crystal-exchanged", "crystal-padder")), (
        moved
    )
    assert session.state.shop.modifications == {} and isinstance(session.bench, SimulatedBench)
    assert session.bench.radio.changes == ()
    for file in shipped:
        assert file.made is not None
        session.recipes.carry_out(w := session.recipes.worked(file.made, _given(session, file.made.id), COUNTS), w.done)
    assert len(session.bench.radio.changes) >= len(shipped)
    # The log alone makes the same radio again; put back in reverse order, it is as it was.
    again = Session(book, session.job_id)
    assert isinstance(again.bench, SimulatedBench) and again.bench.radio.physics == session.bench.radio.physics
    for m in reversed(standing(again.state)):
        again.workshop.put_back(m.entry_id)
    assert again.bench.radio.physics == again.bench.radio.healthy and again.bench.radio.changes == ()


def test_the_meter_s_diode_cures_a_silicon_one_and_deleting_the_entry_takes_it_back(book: Logbook) -> None:
    session = _job(book, fault="silicon-meter-diode")
    recipe = read_recipe(RECIPES / "meter-diode.toml")
    step = next(s for s in session.sheet.steps if s.quantity_id == "rx.s_meter")
    low = session.bench.measure("rx.s_meter", step.required[0]).value
    worked = session.recipes.worked(recipe, {"diode": "D7"})
    session.recipes.carry_out(worked, worked.done)
    high = session.bench.measure("rx.s_meter", step.required[0]).value
    assert low is not None and high is not None and high > low + 5.0
    assert any("D7 changed: silicon diode → germanium diode" in line for line in certificate(session.state).differs)
    session.void_last()
    assert session.bench.measure("rx.s_meter", step.required[0]).value == pytest.approx(low, abs=0.3)


def test_a_power_resistor_goes_over_the_limit_and_says_why_it_is_left(book: Logbook) -> None:
    session = _job(book, seed=None)
    recipe = read_recipe(RECIPES / "power-resistor.toml")
    assert "sixth of an S-unit" in recipe.leave
    # A real radio: it is tried on one of its sheet, aligned.
    tried = session.recipes.tried(session.recipes.worked(recipe, {}))
    power = next(t for t in tried if t.before.quantity_id == "tx.power")
    assert power.held and power.holds is False and "out of spec" in tried_view(tried)[0]


def test_what_is_open_or_impossible_is_refused_before_anything_is_noted(book: Logbook) -> None:
    session = _job(book)
    padder = read_recipe(RECIPES / "crystal-padder.toml")
    worked = session.recipes.worked(padder, {"oscillator": "x-A"})
    assert worked.changes is None and "Missing" in worked.values[0].problem and "…" in worked.done[0].now
    with pytest.raises(BenchError, match="not known yet"):
        session.recipes.tried(worked)
    with pytest.raises(EntryError, match="still open"):
        session.recipes.carry_out(worked, worked.done)
    handheld = _job(book, "ostrel-teal-6")
    stretched = handheld.recipes.worked(read_recipe(RECIPES / "vco-stretch.toml"), {})
    with pytest.raises(SheetError, match="no such key"):
        handheld.recipes.carry_out(stretched, stretched.done)
    assert fold(book.tape(handheld.job_id), handheld.job_id).shop.modifications == {}
    with pytest.raises(TapeError, match="Say where"):
        session.workshop.modify("track cut", "")


def test_the_next_job_s_radio_is_the_modified_one(book: Logbook) -> None:
    card = Card(book.next_number(), FIVE, "0231", simulated_seed=3)
    session = Session(book, open_job(book, FIVE, card))
    worked = session.recipes.worked(read_recipe(RECIPES / "if-filter.toml"), {})
    session.recipes.carry_out(worked, worked.done)
    session.keep_summary()
    following = Session(book, open_job(book, FIVE, Card(book.next_number(), FIVE, "0231", simulated_seed=3)))
    assert isinstance(session.bench, SimulatedBench) and isinstance(following.bench, SimulatedBench)
    assert following.bench.radio.changes == session.bench.radio.changes != ()
    # On another simulated radio's physics the note stays, the physics does not.
    other = Session(
        book,
        open_job(book, "ostrel-weir-40-am", Card(book.next_number(), "ostrel-weir-40-am", "0231", simulated_seed=3)),
    )
    assert standing(other.state) == ()


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (Change("s_meter.treshold", "plus", "3 dB"), "no such key"), (Change("s_meter.threshold", "plus", "lots"), "no amount"),
        (Change("receive.stage.[kind=coil].q", "times", "-2"), "more than 0"), (Change("receive.stage.99.q", "to", "3"), "no such key"),
        (Change("s_meter.adjuster", "times", "2"), "is no number"),
    ],
)  # fmt: skip
def test_a_change_that_cannot_be_is_named(book: Logbook, change: Change, words: str) -> None:
    bench = _job(book).bench
    assert isinstance(bench, SimulatedBench)
    with pytest.raises(SheetError, match=words):
        with_changes(bench.radio.physics, [change])


def test_keys_go_into_all_tables_or_into_the_first_that_fits(book: Logbook) -> None:
    bench = _job(book).bench
    assert isinstance(bench, SimulatedBench)
    made = with_changes(
        bench.radio.physics,
        [Change("vco.*.fixed", "plus", "-6 pF"), Change("receive.stage.[kind=coil].q", "times", "2"), Change("supply", "to", "12 V")],
    )  # fmt: skip
    assert [v.fixed for v in made.vco.values()] == pytest.approx([36.8e-12, 36.8e-12]) and made.supply == 12.0
    assert made.receive is not None and bench.radio.physics.receive is not None
    qs = [[getattr(s, "q", None) for s in r.stage] for r in (bench.radio.physics.receive, made.receive)]
    assert qs[1][0] == 2 * qs[0][0] and qs[1][1:] == qs[0][1:]


GOOD = (RECIPES / "meter-diode.toml").read_text(encoding="utf-8")


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ('plus = "{drop.db} dB"', 'plus = "{drob.db} dB"', "nothing that is asked"),
        ('check = ["rx.s_meter"]', 'check = ["rx.smeter"]', "no quantity"),
        ('plus = "{drop.db} dB"', "", "one of to, plus, times"), ('what = "part changed"', 'what = "sawn"', "do.what"),
        ("[[value]]", "[[value]", "no valid TOML"), ('name = "S-meter diode"', "", "name: is missing"),
        ('usual = "D12"', 'usual = "D12"\ncolour = "red"', "not known here"),
    ],
)  # fmt: skip
def test_a_wrong_recipe_names_line_key_and_cure(old: str, new: str, words: str) -> None:
    with pytest.raises(SheetError) as caught:
        parse_recipe(GOOD.replace(old, new), "mine.toml")
    assert words in str(caught.value) and "mine.toml:" in str(caught.value)


def test_a_workshop_s_own_recipe_takes_the_place_of_its_namesake(tmp_path: Path) -> None:
    (tmp_path / "mine.toml").write_text(GOOD.replace('name = "S-meter diode"', 'name = "Our diode"'), encoding="utf-8")
    (tmp_path / "broken.toml").write_text("format = 1", encoding="utf-8")
    found = recipes(tmp_path)
    mine = next(f for f in found if f.made is not None and f.made.id == "meter-diode")
    assert mine.own and mine.made is not None and mine.made.name == "Our diode"
    assert len([f for f in found if f.made is None and f.problems and f.own]) == 1 and len(found) == len(recipes()) + 1


def test_what_the_sheet_says_to_a_name() -> None:
    sheet = read_sheet(find(FIVE))
    assert sheet_fact(sheet, "crystal x-A") is not None and sheet_fact(sheet, "crystal none") is None
    assert sheet_fact(sheet, "nominal tx.power") == "3.7 W" and sheet_fact(sheet, "window low") == "0.4 V"
    ends = sheet_fact(sheet, "vco ends")
    assert ends is not None and ends.count("MHz") == 2 and sheet_fact(sheet, "weather") is None
