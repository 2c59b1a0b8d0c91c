"""A conversion carried out on a simulated radio: crystals exchanged, the radio aligned again by the coach's advice, every channel counted."""

from __future__ import annotations

import tempfile
from collections.abc import Mapping
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import tomlkit

from unitone import files
from unitone.conversions.convert import Conversion
from unitone.conversions.ways import Crystal, Plan, Reached
from unitone.job.card import Card
from unitone.quantities.registry import FOUND_BY
from unitone.robot.referee import Referee
from unitone.robot.technician import align
from unitone.session.session import Session, open_job
from unitone.sheet.editing.cut import cut_text
from unitone.sheet.format.read import parse_sheet, to_data
from unitone.sheet.library import find, open_file, physics_path
from unitone.sheet.model.mixing_model import Place, outputs_with
from unitone.sheet.model.sheet import Conditions, Sheet, Step
from unitone.simulator.mechanics import unit_mdeg
from unitone.simulator.physics import PhysicsFile
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.store.logbook import Logbook

#: Every wanted channel has to be this near (Hz).
NEAR_HZ = 100.0
#: What the coils are peaked by once the crystals are in; what comes before them, and what proves them.
_PEAKED_BY = ("tx.power", "rx.sn_ratio", "rx.sinad", "rx.af_voltage")
_BEFORE = (
    "supply.rail", "vco.tuning_voltage", "ref.frequency", "osc.frequency", "tx.frequency_error", "rx.lo_error"
)  # fmt: skip
#: So many readings tell what a channel has.
_READINGS = 9
_PROOF = ("rx.sensitivity_am", "rx.sensitivity")


@dataclass(frozen=True)
class CarriedOut:
    """What came of it: the worst channel (Hz off), whether all of them lock, and what is out of spec at the ends (empty: nothing). What
    this very radio could not do before either, with every coil at its best, is its ``own_limit``."""

    worst_hz: float
    locked: bool
    out: tuple[str, ...]
    own_limit: tuple[str, ...] = ()


def exchanged(sheet: Sheet, crystals: Mapping[str | None, tuple[Crystal, int]]) -> Sheet:
    """The sheet with a crystal of each of these bands exchanged and the band moved (Hz), written and read anew. Raises SheetError for what
    the checker refuses."""
    document = tomlkit.parse(sheet.source_text)
    bands = document["channels"].get("bands")
    for band, (crystal, shift_hz) in crystals.items():
        for one in document["oscillator"]:
            if one["id"] == crystal.oscillator:
                one["nominal"] = f"{float(crystal.hz) / 1e6:.9f} MHz"
        if bands is not None and band is not None:
            bands[band] = f"{(sheet.plan.shift(band) + shift_hz) / 1e3:.6f} kHz"
    return parse_sheet(tomlkit.dumps(document), "converted", "converted")


def rounds_of(sheet: Sheet, plan: Plan) -> list[tuple[dict[str | None, tuple[Crystal, int]], list[Reached]]]:
    """The plan as radios that can be on the bench at once: one crystal a band in each, and the channels that it then has."""
    moved: dict[str | None, dict[tuple[Crystal, int], list[Reached]]] = {}
    plain: list[Reached] = []
    for r in plan.reached:
        if r.crystal is None:
            plain.append(r)
        else:
            key = (r.crystal, r.wanted.hz - sheet.carrier_hz(r.shown, r.band))
            moved.setdefault(r.band, {}).setdefault(key, []).append(r)
    rounds: list[tuple[dict[str | None, tuple[Crystal, int]], list[Reached]]] = []
    for band, groups in moved.items():
        for n, (key, rows) in enumerate(groups.items()):
            if n == len(rounds):
                rounds.append(({}, []))
            rounds[n][0][band] = key
            rounds[n][1].extend(rows)
    for r in plain:
        at = next((x for x in rounds if r.band not in x[0]), None)
        if at is None:
            rounds.append(({}, []))
            at = rounds[-1]
        at[1].append(r)
    return rounds


def carry_out(sheet_name: str, conversion: Conversion, plan: Plan, seed: int) -> CarriedOut:
    """Each round on the bench: rails and lock, frequency, then the coils, by advice; then its channels, by the physics. Raises SheetError."""
    worst, locked, out, own = 0.0, True, list[str](), list[str]()
    for crystals, rows in rounds_of(conversion.synthesiser.sheet, plan):
        made = _one_radio(sheet_name, conversion, crystals, rows, seed)
        worst, locked = max(worst, made.worst_hz), locked and made.locked
        out += made.out
        own += made.own_limit
    return CarriedOut(worst, locked, tuple(dict.fromkeys(out)), tuple(dict.fromkeys(own)))


def _one_radio(
    sheet_name: str, conversion: Conversion, crystals: Mapping[str | None, tuple[Crystal, int]], rows: list[Reached], seed: int
) -> CarriedOut:  # fmt: skip
    path = find(sheet_name)
    whole = exchanged(conversion.synthesiser.sheet, crystals)
    again = _again(whole, conversion.synthesiser.mode)
    text = cut_text(whole.source_text, to_data(whole.source_text, "converted"), again)
    book = Logbook(None)
    with tempfile.TemporaryDirectory() as folder:
        here, bundle = Path(folder) / "converted.toml", open_file(path)
        files.write_file(here, text.encode())
        files.write_file(physics_path(here), bundle.physics.encode())
        for name, content in bundle.pictures.items():
            files.write_file(Path(folder) / name, content)
        job = open_job(book, str(here), Card(book.next_number(), "converted", simulated_seed=seed))
        session = Session(book, job)
    align(session)
    bench = session.bench
    assert isinstance(bench, SimulatedBench)
    mode, pll = conversion.synthesiser.mode, conversion.synthesiser.pll
    counted = {
        o.id: Fraction(bench.radio.synthesiser.oscillator_hz(o.id, way="transmit")) for o in session.sheet.oscillators
    }
    worst, locked = 0.0, True
    for r in rows:
        place = Place("transmit", r.band, mode, r.shown or session.sheet.plan.names[0])
        hz = float(outputs_with(session.sheet, place, pll.output, r.n, counted)["tx.carrier"])
        worst = max(worst, abs(hz - r.wanted.hz))
        if r.way in ("there", "pull", "crystal"):
            locked = locked and bench.radio.locked(place)
    shown = [r for r in rows if r.way in ("there", "pull", "crystal")]
    out: list[str] = []
    own: list[str] = []
    for r in [shown[0], shown[-1]] if shown else []:
        for step, at in _out_of_spec(bench, session.sheet, r, mode):
            able = _could(conversion.synthesiser.sheet, bench.radio.physics, seed, step, at, float(r.wanted.hz))
            (out if able else own).append(f"{r.wanted.name}: {step.quantity_id}")
    book.close()
    return CarriedOut(worst, locked, tuple(out), tuple(own))


def _again(sheet: Sheet, mode: str | None) -> list[str]:
    """The steps that a converted radio goes through again: rails, frequencies, coils, and the sensitivity of the mode that was asked for."""
    return [
        s.id
        for s in sheet.steps
        if s.quantity_id in _BEFORE
        or (s.adjust and s.quantity_id in _PEAKED_BY)
        or (s.quantity_id in _PROOF and _is_in(s, mode))
    ]


def _could(sheet: Sheet, physics: PhysicsFile, seed: int, step: Step, at: Conditions, hz: float) -> bool:
    """Could this radio do it before it was converted, every coil at its best for all of the step's places: on its own channel that is
    nearest to ``hz``?"""
    referee = Referee(sheet, physics, seed)
    made = referee.radio.mechanics.specimen
    referee.stand_at({a.id: round((made.right[a.id] - made.found[a.id]) * unit_mdeg(a)) for a in sheet.adjusters})
    linear = [s for s in sheet.steps if s.quantity_id in _PEAKED_BY and s.aim in ("level", "peak")]
    if step.quantity_id == "tx.power":
        for s in linear:
            if s.quantity_id == "tx.power":
                referee.bring_in(s)
    else:
        mine = [s for s in linear if s.quantity_id != "tx.power"]
        coils = sorted({a for s in mine for a in s.adjusters})
        referee.least(coils, lambda: float(np.mean([referee.worst_db(s) for s in mine])))
    bands: tuple[str | None, ...] = tuple(name for name, _ in sheet.plan.bands) or (None,)
    band, channel = min(
        ((b, c) for b in bands for c in sheet.plan.names),
        key=lambda place: abs(sheet.carrier_hz(place[1], place[0]) - hz),
    )
    own = next(s for s in sheet.steps if s.id == step.id)
    return referee.holds(replace(own, required=(replace(at, band=band, channel=channel),)))


def _out_of_spec(bench: SimulatedBench, sheet: Sheet, r: Reached, mode: str | None) -> list[tuple[Step, Conditions]]:
    """Power and sensitivity on a channel, against the sheet's own limits: what is out, and where."""
    out = []
    for quantity_id in ("tx.power", "rx.sensitivity_am", "rx.sensitivity"):
        step = next((s for s in sheet.steps if s.quantity_id == quantity_id and _is_in(s, mode)), None)
        if step is None:
            continue
        at: Conditions = replace(step.required[0], channel=r.shown, band=r.band)
        q = quantity_id
        if q in FOUND_BY:
            level = step.limit.high
            q, at = FOUND_BY[q][0], replace(at, level_dbm=at.level_dbm if level is None else level)
        # What is judged is the radio, not one reading of it: its spread is as wide as what some radios have to spare.
        read = [bench.measure(q, at).value for _ in range(_READINGS)]
        value = None if None in read else float(np.mean([v for v in read if v is not None]))
        holds = value is not None and (
            value >= FOUND_BY[quantity_id][1] if q != quantity_id else step.limit.holds(value)
        )
        if not holds:
            out.append((step, replace(at, level_dbm=step.required[0].level_dbm)))
    return out


def _is_in(step: Step, mode: str | None) -> bool:
    asked = step.required[0].mode
    return asked is None or mode is None or asked.lower() == mode.lower()
