"""An exercise and a seed made into a radio on the bench: its sheet with the steps that are asked for, its physics, sealed."""

from __future__ import annotations

import re
import tomllib
from dataclasses import dataclass, replace
from typing import Any

from unitone.errors import SheetError, TapeError
from unitone.job.card import Card
from unitone.job.seal import seal, unsealed
from unitone.scenario.exercise import Exercise
from unitone.scenario.exercise_file import opened
from unitone.session.own_sheets import library_of
from unitone.session.session import Session, open_bundle
from unitone.sheet.editing.cut import cut_text
from unitone.sheet.format.bundle import Bundle
from unitone.sheet.format.read import parse_sheet, to_data
from unitone.sheet.format.write import to_toml
from unitone.sheet.library import Library, open_file
from unitone.simulator.mechanics import stream
from unitone.simulator.physics import parse_physics
from unitone.simulator.stage_faults import sounding_stages, stage_faults
from unitone.store.ports import Store
from unitone.words import tr

#: What an adjuster that nobody turned has drifted, as a share of what the physics file calls ageing.
_DRIFT = 0.5
_ADJUSTER = re.compile(r"^\[adjuster\.([\w-]+)\]\s*(?:#.*)?$")


def make_radio(exercise: Exercise, seed: int, library: Library) -> Bundle:
    """The sheet with the exercise's steps alone, and the physics of one radio, sealed. Raises SheetError for what does not exist, TapeError
    for a broken seal."""
    exercise, own = opened(exercise)
    bundle = own or open_file(library.find(exercise.sheet))
    if not bundle.physics:
        raise SheetError(
            [
                tr(
                    "{sheet}: has no physics file, so no radio can be made of it. Choose another sheet.",
                    sheet=exercise.sheet,
                )
            ]
        )
    sheet = to_data(bundle.text, exercise.sheet)
    physics = tomllib.loads(unsealed(bundle.physics))
    _check(exercise, sheet, physics)
    text = bundle.text if not exercise.steps else cut_text(bundle.text, sheet, exercise.steps)
    return replace(
        bundle, text=text, physics=seal(_written(unsealed(bundle.physics), _disturbed(exercise, seed, physics)))
    )


def _check(exercise: Exercise, sheet: dict[str, Any], physics: dict[str, Any]) -> None:
    steps = {s.get("id") for s in sheet.get("step", [])}
    problems = [
        tr("{sheet}: has no step {name!r}. Correct the exercise's steps.", sheet=exercise.sheet, name=s)
        for s in exercise.steps
        if s not in steps
    ]
    adjusters = physics.get("adjuster", {})
    for name in exercise.turned:
        if name not in adjusters:
            problems.append(
                tr("{sheet}: has no adjuster {name!r}. Correct the exercise.", sheet=exercise.sheet, name=name)
            )
        elif not adjusters[name].get("misaligned"):
            problems.append(
                tr(
                    "{sheet}: adjuster {name!r} has no “misaligned” in the physics file. Add it, or turn another.",
                    sheet=exercise.sheet,
                    name=name,
                )
            )
    fault = exercise.fault
    if fault and ":" not in fault and fault not in physics.get("fault", {}):
        problems.append(tr("{sheet}: has no fault {name!r}. Correct the exercise.", sheet=exercise.sheet, name=fault))
    if problems:
        raise SheetError(problems)


def _written(text: str, wanted: dict[str, Any]) -> str:
    """The physics as text: the file's own with the lines that were added, where that reads as it should."""
    lines = [f'has_fault = "{wanted["has_fault"]}"'] if "has_fault" in wanted else []
    for line in text.splitlines():
        lines.append(line)
        header = _ADJUSTER.match(line)
        if header is not None and header[1] in wanted["adjuster"]:
            lines.append(f"found_off = {wanted['adjuster'][header[1]]['found_off']}")
    made = "\n".join(lines) + "\n"
    try:
        return made if tomllib.loads(made) == wanted else to_toml(wanted)
    except tomllib.TOMLDecodeError:
        return to_toml(wanted)


def _disturbed(exercise: Exercise, seed: int, physics: dict[str, Any]) -> dict[str, Any]:
    """The physics of this very radio: where each adjuster was found, and what is broken."""
    hands = stream(seed, "practice")
    drift = _DRIFT * float(physics.get("untouched_drift", 0.03))
    adjusters: dict[str, Any] = {}
    for name, setting in physics["adjuster"].items():
        usual = float(setting.get("misaligned", 0.0))
        share, side = hands.uniform(*exercise.far), hands.choice((-1.0, 1.0))
        turned = exercise.everything or name in exercise.turned
        off = usual * side * share if turned else usual * side * drift * hands.uniform()
        adjusters[name] = {**setting, "found_off": round(float(off), 4)}
    made = {**physics, "adjuster": adjusters}
    if exercise.fault:
        made["has_fault"] = exercise.fault
    return made


def end(session: Session) -> None:
    """End a practice job as it stands: where it cannot be finished yet, it is left."""
    try:
        session.finish()
    except TapeError:
        session.keep_summary()


def begin(book: Store, exercise: Exercise, seed: int, library: Library | None = None) -> Session:
    """A new job on the practice logbook for this exercise and seed. Raises SheetError, StoreError."""
    bundle = make_radio(exercise, seed, library or library_of(book))
    card = Card(book.next_number(), exercise.sheet, complaint=exercise.complaint, simulated_seed=seed)
    # A sheet of the library was checked when it came in, and to leave out steps changes no frequency; somebody's own file is strange.
    checked = not exercise.sealed
    session = Session(book, open_bundle(book, bundle, f"{exercise.sheet}.toml", card, checked=checked))
    if exercise.conventions:
        session.set_conventions(dict(exercise.conventions))
    return session


@dataclass(frozen=True)
class Makeable:
    """What an exercise can be made of: (id, words) of the steps, of the adjusters that can be turned, and of the faults."""

    steps: tuple[tuple[str, str], ...]
    adjusters: tuple[tuple[str, str], ...]
    faults: tuple[tuple[str, str], ...]


def makeable(sheet_id: str, library: Library) -> Makeable:
    """What a sheet's radio offers to whoever makes an exercise of it. Raises SheetError."""
    bundle = open_file(library.find(sheet_id))
    sheet = parse_sheet(bundle.text, sheet_id, sheet_id)
    physics = parse_physics(bundle.physics, sheet_id, sheet)
    faults = [(name, f.title) for name, f in physics.fault.items()]
    faults += [(f.id, f"{f.part}: {tr(f.state)}") for f in stage_faults(physics)]
    faults += [(f.id, f"{f.stage}: {tr(f.own_sound or '')}") for f in sounding_stages(physics)]
    return Makeable(
        tuple((s.id, s.title) for s in sheet.steps),
        tuple((a.id, f"{a.id}  {a.where}".strip()) for a in sheet.adjusters if physics.adjuster[a.id].misaligned),
        tuple(faults),
    )
