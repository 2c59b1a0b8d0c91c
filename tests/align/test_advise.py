"""The coach's parts on hills and settings of our own making, and its words against its data."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import get_args

import msgspec
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import follow_until
from unitone.align.advise import MAX_VISITS, advise, hill, leave_alone, next_step
from unitone.align.hill_readings import visit_plan
from unitone.align.moves import Turn, Why
from unitone.align.peak.core import next_move
from unitone.align.peak.hill import Point, curve, fit_hill
from unitone.align.sensitivity.find_level import next_level, posterior, sinad_at
from unitone.align.setpoint.heat import hot, input_watts
from unitone.align.setpoint.target import Spot, next_set_move
from unitone.job.entries.procedure import PhaseBegun
from unitone.job.entries.readings import Reading
from unitone.job.verdicts import verdict
from unitone.present.bench.sentences import _DETAIL, amount, button, clock, position_text, sentence, turns_text
from unitone.session.session import Session
from unitone.sheet.model.sheet import TURN, Adjuster, Conditions, Sheet


def adjuster(kind: str = "core", step: int = 45_000, travel: int = 8 * TURN, stops: bool = True) -> Adjuster:
    return Adjuster("A", kind, "", None, "", travel, stops, step, ())  # type: ignore[arg-type]


def climb(
    top: float, width: float, noise: float, seed: int, stop: float = 99.0, slope: float = 1.6, flat: bool = False
) -> tuple[str, float, int]:
    """Let the coach peak a hill; (why it stopped, loss in dB of signal, readings)."""
    rng = np.random.default_rng(seed)
    position, low, high = 0, None, None
    points: list[Point] = []
    for _ in range(60):
        move = next_move(points, slope, adjuster(), position, (low, high))
        if move.act == "stop":
            return move.why, 10 * np.log10(1 + ((position / TURN - top) / width) ** 2), len(points)
        if move.act == "go":
            wanted = move.target_mdeg
            if wanted / TURN > stop:
                wanted, high = round(stop * TURN), round(stop * TURN)
            position = wanted
        height = 12.0 if flat else 12.0 - slope * 10 * np.log10(1 + ((position / TURN - top) / width) ** 2)
        points.append(Point(position / TURN, height + noise * rng.standard_normal(), max(noise, 0.05)))
    raise AssertionError("never stopped")


@pytest.mark.parametrize("width", [0.5, 0.9, 1.6])
def test_hills_are_peaked(width: float) -> None:
    results = [climb(top, width, 0.25, seed) for seed, top in enumerate(np.linspace(-2, 2, 25))]
    assert all(why == "peaked" for why, _, _ in results)
    losses = [loss for _, loss, _ in results]
    assert np.median(losses) < 0.05 and max(losses) < 0.4
    assert np.mean([n for _, _, n in results]) < 11


def test_a_peak_beyond_the_stop_is_called_so() -> None:
    why, _, readings = climb(2.5, 0.9, 0.2, 1, stop=0.5)
    assert why == "at-stop" and readings < 12


def test_a_core_that_does_nothing_is_called_dead() -> None:
    why, _, readings = climb(0.0, 1.0, 0.15, 2, flat=True)
    assert why == "dead" and readings < 14


def test_readings_at_different_levels_share_one_hill() -> None:
    def height(turns: float, level: float) -> float:
        return 12 + 1.6 * (level + 117) - 16 * np.log10(1 + ((turns - 0.6) / 0.9) ** 2)

    points = [
        Point(t, height(t, level), 0.1, level)
        for t, level in ((-1.0, -112.0), (0.0, -112.0), (0.5, -117.0), (1.5, -117.0))
    ]
    fit = fit_hill(points, 1.6)
    assert fit.x0 == pytest.approx(0.6, abs=0.1)
    mean, spread = curve(fit, points, np.array([0.6, 2.0]))
    assert mean[0] > mean[1] and spread.shape == (2,)
    with pytest.raises(ValueError, match="at least one"):
        fit_hill([], 1.6)


def settle(
    respond: Callable[[int], float],
    target: float,
    close: float,
    part: Adjuster,
    stops: tuple[int | None, int | None] = (None, None),
) -> tuple[str, float, int]:
    """Let the coach set an adjuster; (why it stopped, the value left, readings)."""
    position, spots = 0, []
    low, high = stops
    felt: tuple[int | None, int | None] = (None, None)
    for _ in range(60):
        move = next_set_move(spots, target, close, part, position, felt)
        if move.act == "stop":
            return move.why, respond(position), len(spots)
        if move.act == "go":
            position = move.target_mdeg
            if high is not None and position >= high:
                position, felt = high, (felt[0], high)
            if low is not None and position <= low:
                position, felt = low, (low, felt[1])
        spots.append(Spot(position, respond(position), close / 10))
    raise AssertionError("never stopped")


def test_presets_cores_and_trimmers_are_set() -> None:
    preset = adjuster("preset", 2_500, 270_000)
    why, left, n = settle(lambda p: 8.4 + p / 270_000 * 1.6, 8.0, 0.03, preset, (-150_000, 120_000))
    assert (why, n) == ("set", n) and left == pytest.approx(8.0, abs=0.03) and n <= 6
    why, left, n = settle(lambda p: 3.6 * np.exp(-p / TURN / 3), 2.4, 0.1, adjuster())
    assert why == "set" and left == pytest.approx(2.4, abs=0.15) and n <= 8
    trimmer = adjuster("trimmer", 2_000, 360_000, False)
    for start in range(0, 360, 20):
        why, left, n = settle(lambda p, s=start: 500 * np.cos(np.radians(p / 1000 + s)), 120.0, 8.0, trimmer)
        assert why == "set" and abs(left - 120) < 20 and n <= 20, start


def test_what_cannot_be_set_is_said() -> None:
    preset = adjuster("preset", 2_500, 270_000)
    why, left, _ = settle(lambda p: 8.4 + p / 270_000 * 1.6, 9.9, 0.03, preset, (-150_000, 120_000))
    assert why == "at-stop" and left == pytest.approx(8.4 + 120 / 270 * 1.6)
    trimmer = adjuster("trimmer", 2_000, 360_000, False)
    why, left, _ = settle(lambda p: 500 * np.cos(np.radians(p / 1000 + 40)), 900.0, 8.0, trimmer)
    assert why == "out-of-range" and left > 450
    why, _, _ = settle(lambda p: 5.0, 9.0, 0.1, preset, (-135_000, 135_000))
    assert why == "dead"


def found_level(seed: int, off_limit: float | None = None) -> tuple[float, float, int, float]:
    """Let the finder find a level, on a chart one ``off_limit`` dB from the limit: (found, truth, readings, limit) dBm."""
    rng = np.random.default_rng(seed)
    truth, slope = rng.uniform(-123, -95), rng.uniform(1.2, 2.4)
    readings: list[tuple[float, float]] = []
    start = truth + rng.uniform(-12, 12)
    limit = truth - (off_limit or 0.0)
    for _ in range(15):
        move = next_level(readings, round(start, 1), most_dbm=None if off_limit is None else limit)
        if move.found_dbm is not None:
            assert (move.std_db or 1) < 0.4
            return move.found_dbm, truth, len(readings), limit
        assert move.try_dbm is not None
        ideal = 12 + slope * (move.try_dbm - truth)
        readings.append((move.try_dbm, max(0.0, min(ideal, 30 + 0.1 * (ideal - 30))) + 0.25 * rng.standard_normal()))
    raise AssertionError("never found")


@pytest.mark.parametrize("seed", range(12))
def test_the_level_for_twelve_decibels(seed: int) -> None:
    found, truth, readings, _ = found_level(seed)
    assert found == pytest.approx(truth, abs=0.6) and readings <= 9


def test_a_place_of_a_chart_is_known_as_soon_as_it_is_clearly_in_or_out() -> None:
    clear = [found_level(seed, off) for seed in range(15) for off in (-4.0, -2.0, 2.0)]
    assert all((found > limit) == (truth > limit) and abs(found - truth) < 1.2 for found, truth, _, limit in clear)
    close = [found_level(seed, 0.1) for seed in range(15)]
    alone = [found_level(seed) for seed in range(15)]
    assert [c[2] for c in close] == [a[2] for a in alone], "near the limit nothing is saved"
    assert np.mean([c[2] for c in clear]) < np.mean([a[2] for a in alone]) - 1


def test_a_deaf_radio_has_no_level() -> None:
    readings: list[tuple[float, float]] = []
    for _ in range(20):
        move = next_level(readings, -116.0)
        if move.hopeless:
            break
        assert move.try_dbm is not None
        readings.append((move.try_dbm, 0.4))
    assert move.hopeless and move.found_dbm == -50.0


# -- words ---------------------------------------------------------------------------------------


def test_every_reason_has_a_sentence() -> None:
    assert set(get_args(Why)) == set(_DETAIL)


def test_turns_read_as_the_trade_says_them(sheet: Sheet) -> None:
    core, preset, trimmer = sheet.adjuster("T1"), sheet.adjuster("P1"), sheet.adjuster("CT1")
    assert [turns_text(n * 45_000) for n in (1, 2, 7, 8, 11, 16)] == ["⅛", "¼", "⅞", "1", "1⅜", "2"]
    assert (turns_text(100_000), turns_text(-622_000)) == ("100°", "1.73"), (
        "what is no sixteenth: degrees, past a turn hundredths"
    )
    assert (
        amount(core, -45_000) == "⅛ turn" and amount(core, 360_000) == "1 turn" and amount(core, 540_000) == "1½ turns"
    )
    assert amount(preset, 2_500) == "2.5°" and amount(trimmer, -14_000) == "14°"
    assert (
        position_text(core, 0) == "0"
        and position_text(core, -90_000) == "−¼ ccw"
        and position_text(trimmer, 14_000) == "+14° cw"
    )
    assert (clock(0), clock(135_000), clock(270_000)) == ("7:30", "12:00", "4:30")


def parse_turn(headline: str) -> tuple[str, int]:
    """Read a turn sentence as a person would: adjuster and millidegrees."""
    name, rest = headline.removeprefix("Turn ").split(" ", 1)
    sign = -1 if "anticlockwise" in rest else 1
    if rest.startswith("an eighth"):
        return name, sign * 45_000
    if rest.startswith("a sixteenth"):
        return name, sign * 22_500
    words = rest.split(" ")
    number = words[0]
    for n, word in enumerate(words[:2]):
        if word.endswith("/16"):
            return name, sign * ((int(words[0]) * TURN if n else 0) + int(word[:-3]) * 22_500)
    if number.endswith(("°", "°,")):
        return name, sign * round(float(number.rstrip("°,")) * 1000)
    eighths = {"⅛": 1, "¼": 2, "⅜": 3, "½": 4, "⅝": 5, "¾": 6, "⅞": 7}
    part = eighths.get(number[-1], 0)
    whole = int(number[:-1] or 0) if part else int(number)
    return name, sign * (whole * TURN + part * 45_000)


def test_the_sentence_and_the_data_are_one(new_session: Callable[..., Session]) -> None:
    """A whole job: whoever reads the sentences makes exactly the moves of the data."""
    session = new_session(2)
    seen = set()
    for _ in range(400):
        advice = session.advice()
        headline, detail = sentence(advice, session.sheet, session.state.positions)
        seen.add(advice.act)
        assert headline and detail and "{" not in headline + detail
        assert button(advice, True)
        if advice.act == "turn":
            assert parse_turn(headline) == (advice.adjuster, advice.move_mdeg)
        if advice.act in ("set-up", "measure") and advice.conditions and advice.conditions.channel:
            assert f"channel {advice.conditions.channel}" in headline
        if advice.act == "done":
            break
        session.follow(advice)
    assert seen == {"hook-up", "set-up", "measure", "turn", "log", "conclude", "go to", "finish", "done"}
    assert button(Turn("rail", "first-try", "P1", 5), False) == "I turned P1"


def test_the_coach_is_a_pure_function(new_session: Callable[..., Session]) -> None:
    session = new_session(3)
    for _ in range(150):
        once, twice = advise(session.state), advise(session.state)
        assert once == twice
        fresh = Session(session.logbook, session.job_id)
        if len(session.state.entries) % 40 == 0:
            assert fresh.advice() == once
        if once.act == "done":
            break
        session.follow(once)


def test_survey_first_then_the_route(new_session: Callable[..., Session], sheet: Sheet) -> None:
    session = new_session(3)
    turned_before: list[str] = []
    follow_until(session, lambda s: s.state.phase == "adjust")
    assert not session.state.turns and len(session.state.found) == sum(len(s.required) for s in sheet.steps)
    follow_until(session, lambda s: bool(s.state.finished))
    order = []
    for turn in session.state.turns:
        if turn.adjuster not in order:
            order.append(turn.adjuster)
    procedure = [a for s in sheet.steps for a in s.adjusters]
    assert order == sorted(order, key=procedure.index) or turned_before == []
    assert next_step(session.state) is None


def test_in_limits_is_left_alone(new_session: Callable[..., Session], sheet: Sheet) -> None:
    session = new_session(7)
    follow_until(session, lambda s: bool(s.state.finished))
    alone = [s for s in sheet.steps if verdict(session.state, s) == "left_as_found"]
    assert len(alone) >= 10
    assert all(leave_alone(session.state, s) for s in alone)
    assert all(session.state.positions[a] == 0 for s in alone for a in s.adjusters)


def test_a_strong_signal_is_brought_down_and_a_weak_one_up(new_session: Callable[..., Session]) -> None:
    session = new_session(2)
    session.start_work()
    session.go_to("front-end")
    session.confirm_hook_up("receive")
    wanted = session.step.setting
    session.set_up(wanted)
    session.measure()
    session.turn("T1", 45_000)
    for level, why in ((-70.0, "level-too-strong"), (-128.0, "level-too-weak")):
        session.set_up(replace(wanted, level_dbm=level))
        session.measure()
        advice = session.advice()
        assert advice.act == "set-up" and advice.why == why and advice.conditions is not None
        assert (advice.conditions.level_dbm < level) == (why == "level-too-strong")


def test_a_pair_is_one_visit_unless_it_is_heard(sheet: Sheet) -> None:
    pair = sheet.step("if-second")
    assert visit_plan(pair) == [("T4", "T5")]
    assert visit_plan(replace(pair, read_by="rx.loudness")) == [("T4",), ("T5",), ("T4",), ("T5",)]
    assert visit_plan(replace(pair, aim="null")) == [("T4",), ("T5",)] * 2 and visit_plan(
        replace(pair, aim="level")
    ) == [("T4",), ("T5",)]
    assert visit_plan(sheet.step("front-end")) == [("T1",), ("T2",)]
    assert MAX_VISITS == 2


def test_the_plots_hill_follows_the_readings(new_session: Callable[..., Session]) -> None:
    session = new_session(2)
    follow_until(
        session,
        lambda s: (
            s.state.at == "power"
            and len(s.state.turns) > 3
            and s.advice().act == "turn"
            and s.advice().why == "to-peak"
        ),
    )
    name = session.advice().adjuster
    points, fitted = hill(session.state, session.step, name)
    assert len(points) >= 3 and fitted is not None and len(fitted.turns) == len(fitted.fitted)
    assert fitted.peak_turns == pytest.approx(
        (session.advice().move_mdeg + session.state.positions[name]) / TURN, abs=0.1
    )
    assert hill(session.state, session.sheet.step("rail"), "P1")[1] is None


# -- the level finder on its own ---------------------------------------------------------------------


@pytest.mark.parametrize(
    ("slope", "ceiling", "mark", "most"),
    [(1.3, 24.0, 12.0, 8), (1.7, 35.0, 12.0, 8), (2.3, 30.0, 12.0, 8), (1.0, 25.0, 10.0, 14)],
)
def test_the_level_is_found_within_a_third_of_a_decibel_by_hand(
    slope: float, ceiling: float, mark: float, most: int
) -> None:
    """Readings typed to a tenth with 0.35 dB of spread: a sample of benchmarks/find_level.py, FM at 12 dB SINAD and AM at 10 dB."""
    rng = np.random.default_rng(round(slope * 100))
    close = []
    for _ in range(20):
        truth = float(rng.uniform(-122, -95))
        readings: list[tuple[float, float]] = []
        while True:
            move = next_level(readings, truth + float(rng.uniform(-9, 9)) if not readings else 0.0, mark)
            if move.found_dbm is not None or len(readings) == most:
                break
            assert move.try_dbm is not None
            ideal = float(sinad_at(np.array(move.try_dbm - truth), np.array(slope), np.array(ceiling), mark))
            readings.append((move.try_dbm, max(0.0, round(ideal + 0.35 * rng.standard_normal(), 1))))
        found, std, seen = posterior(readings, mark)
        close.append(abs(found - truth) <= 0.3)
        assert std < 0.35 and 0.8 < seen < 2.8
    assert sum(close) >= 18


def test_one_wrong_reading_is_outvoted() -> None:
    """Bisection never comes back from a wrong turn; the finder does."""
    truth = -117.0
    right = [
        (lv, float(sinad_at(np.array(lv - truth), np.array(1.6), np.array(30.0), 12.0)))
        for lv in (-118.0, -116.5, -117.4, -116.9, -117.8)
    ]
    found, std, _ = posterior([(-120.0, 25.0), *right])
    assert found == pytest.approx(truth, abs=0.15) and std < 0.3
    with pytest.raises(ValueError, match="no readings"):
        posterior([])


@given(st.floats(-20, 20), st.floats(0.9, 2.6), st.floats(17, 45), st.sampled_from([10.0, 12.0]))
def test_the_curve_goes_through_the_mark_and_only_rises(
    delta: float, slope: float, ceiling: float, mark: float
) -> None:
    def at(d: float) -> float:
        return float(sinad_at(np.array(d), np.array(slope), np.array(ceiling), mark))

    assert at(0.0) == pytest.approx(mark, abs=1e-9) and at(delta) <= at(delta + 0.5) + 1e-12
    assert 0.0 <= at(delta) <= 10 * np.log10(1 + 10 ** (ceiling / 10)) + 1e-9


def test_a_detector_in_limits_is_suspected_once_everything_else_is_done(new_session: Callable[..., Session]) -> None:
    """Left alone inside its limit, it can be what keeps the sensitivity out: by then nothing else is left to turn."""
    session = new_session(None)
    for step in session.sheet.steps:
        session.go_to(step.id)
        for required in step.required:
            session.append(Reading(step.quantity_id, required, step.limit.middle, "hand", "hand"))
    for required in session.sheet.step("sensitivity").required:
        session.append(Reading("rx.sensitivity", required, -103.0, "hand", "hand"))
    session.start_work()
    peaked = {s.id for s in session.sheet.steps if s.aim in ("peak", "level") and s.hook_up == "receive"}
    suspected = []
    for _ in range(40):
        following = next_step(session.state)
        if following is None:
            break
        name, why = following
        session.go_to(name)
        suspected += [name] if why == "check-out" else []
        session.conclude("peaked" if why == "check-out" else "in-spec")
    assert set(suspected) & peaked and suspected[-1].startswith("detector") and "rail" not in suspected
    assert min(suspected.index(s) for s in suspected if s.startswith("detector")) > max(
        suspected.index(s) for s in suspected if s in peaked
    )


def test_heat_is_not_judged_by_figures_that_would_burn_a_radio_that_is_right(
    new_session: Callable[..., Session],
) -> None:
    """A slip in the sheet (13 A keyed) held every power coil back as too hot; what is read is believed."""
    session = new_session(None)
    step = session.sheet.step("power")
    sheet = session.state.sheet
    right = sheet.power
    object.__setattr__(sheet, "power", replace(right, keyed_a=13.0))
    try:
        assert input_watts(session.state) is None and not hot(session.state, step)
        session.append(Reading("supply.current", Conditions(way="transmit"), 3.0, "hand", "hand"))
        taken = input_watts(session.state)
        assert taken == pytest.approx(13.2 * (3.0 - 0.32)) and hot(session.state, step)
    finally:
        object.__setattr__(sheet, "power", right)


@pytest.mark.parametrize(
    ("values", "then"),
    [
        ((7.95,), "conclude"), ((7.83,), "measure"), ((7.83, 7.84), "measure"), ((7.88, 7.87, 7.89), "conclude"),
        ((7.82, 7.79, 7.81), "turn"), ((7.81, 7.77, 7.805), "turn"),
    ],
)  # fmt: skip
def test_a_preset_nearer_to_its_limit_than_readings_tell_is_read_again_and_by_their_mean_left_or_set(
    values: tuple[float, ...], then: str, new_session: Callable[..., Session]
) -> None:
    session = new_session(None)
    session.go_to("rail")
    session.confirm_hook_up("probe")
    session.append(PhaseBegun("adjust"))
    there = session.step.setting
    for volts in values:
        session.append(Reading("supply.rail", there, volts, "a meter", "typed", std=0.05))
    assert verdict(session.state, session.step) == "left_as_found"
    assert session.advice().act == then


def test_a_preset_that_one_reading_called_set_and_the_next_takes_back_is_visited_again(
    new_session: Callable[..., Session],
) -> None:
    """A squelch on the edge: the second look hears it open on its own noise, and nothing else has moved since."""
    session = new_session(6)

    def is_set(seen: Session) -> bool:
        return any(outcome == "set" for _, outcome in seen.state.concluded.get("squelch", ()))

    follow_until(session, is_set)
    step, last = session.sheet.step("squelch"), session.state.readings[-1].reading
    assert last.quantity_id == "rx.squelch_opens" and verdict(session.state, step) in ("in_spec", "adjusted")
    session.append(msgspec.structs.replace(last, value=-130.0, bound="<", word="always open"))
    assert verdict(session.state, step) == "out_of_spec"
    move = advise(session.state)
    assert isinstance(move, Turn) and move.step == "squelch"
