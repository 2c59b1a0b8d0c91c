"""A conversion carried out on a simulated radio: crystals exchanged, the radio aligned again by the coach's advice, every channel counted."""

from __future__ import annotations

import tempfile
from collections.abc import Mapping
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import tomlkit

from unitone import files
from unitone.conversions.convert import Conversion
from unitone.conversions.ways import Crystal, Plan, Reached
from unitone.job.card import Card
from unitone.quantities.registry import FOUND_BY
from unitone.robot.on_frequency import by_advice, prepare, work_at
from unitone.session.session import Session, open_job
from unitone.sheet.format.read import parse_sheet
from unitone.sheet.library import find, open_file, physics_path
from unitone.sheet.model.mixing_model import Place, outputs_with
from unitone.sheet.model.sheet import Conditions, Sheet, Step
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.store.logbook import Logbook

#: Every wanted channel has to be this near (Hz).
NEAR_HZ = 100.0
#: What the coils are peaked by once the crystals are in.
_PEAKED_BY = ("tx.power", "rx.sn_ratio", "rx.sinad")


@dataclass(frozen=True)
class CarriedOut:
    """What came of it: the worst channel (Hz off), whether all of them lock, and what is out of spec at the ends (empty: nothing)."""

    worst_hz: float
    locked: bool
    out: tuple[str, ...]


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
    worst, locked, out = 0.0, True, list[str]()
    for crystals, rows in rounds_of(conversion.synthesiser.sheet, plan):
        made = _one_radio(sheet_name, conversion, crystals, rows, seed)
        worst, locked = max(worst, made.worst_hz), locked and made.locked
        out += made.out
    return CarriedOut(worst, locked, tuple(dict.fromkeys(out)))


def _one_radio(
    sheet_name: str, conversion: Conversion, crystals: Mapping[str | None, tuple[Crystal, int]], rows: list[Reached], seed: int
) -> CarriedOut:  # fmt: skip
    path = find(sheet_name)
    sheet = exchanged(conversion.synthesiser.sheet, crystals)
    book = Logbook(None)
    with tempfile.TemporaryDirectory() as folder:
        here, bundle = Path(folder) / "converted.toml", open_file(path)
        files.write_file(here, sheet.source_text.encode())
        files.write_file(physics_path(here), bundle.physics.encode())
        for name, content in bundle.pictures.items():
            files.write_file(Path(folder) / name, content)
        job = open_job(book, str(here), Card(book.next_number(), "converted", simulated_seed=seed))
        session = Session(book, job)
    prepare(session)
    by_advice(session)
    work_at(session, [s.id for s in session.sheet.steps if s.quantity_id in _PEAKED_BY and s.aim in ("level", "peak")])
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
    out = [w for r in ([shown[0], shown[-1]] if shown else []) for w in _out_of_spec(bench, session.sheet, r, mode)]
    book.close()
    return CarriedOut(worst, locked, tuple(out))


def _out_of_spec(bench: SimulatedBench, sheet: Sheet, r: Reached, mode: str | None) -> list[str]:
    """Power and sensitivity on a channel, against the sheet's own limits."""
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
        value = bench.measure(q, at).value
        holds = value is not None and (
            value >= FOUND_BY[quantity_id][1] if q != quantity_id else step.limit.holds(value)
        )
        if not holds:
            out.append(f"{r.wanted.name}: {quantity_id}")
    return out


def _is_in(step: Step, mode: str | None) -> bool:
    asked = step.required[0].mode
    return asked is None or mode is None or asked.lower() == mode.lower()
