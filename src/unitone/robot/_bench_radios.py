"""A radio on the bench of a technician who has no sheet of it: which of its parts the general procedure's names stand for.

``data/matching/PROCEDURE.toml`` says it, held apart from the procedure: the coach never sees it. The radio is one of the library with
a physics file; what its board has beyond the procedure is added to the job's sheet by the hand that finds it.
"""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from unitone.errors import SheetError
from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import DATA, find, physics_path
from unitone.sheet.model.sheet import Adjuster, Conditions, Sheet, TestPoint
from unitone.simulator.physics import Fault, PhysicsFile, read_physics, with_fault

MATCHING = DATA / "matching"


class Found(BaseModel):
    """[[found]]: an adjuster of the board that the procedure does not name, and the step at which it is turned."""

    model_config = ConfigDict(extra="forbid")
    adjuster: str
    step: str


class Matching(BaseModel):
    """A file of ``data/matching``: the radio, and what the procedure's names are on its board.

    ``adjusters``, ``points``, ``stages``, ``channels``, ``bands`` and ``modes`` say that; ``found`` is what its board has more,
    ``missing`` which of the procedure's adjusters and ``without`` which of its steps it does not have (a band that is not there), ``sets``
    what of its physics differs.
    """

    model_config = ConfigDict(extra="forbid")
    radio: str
    mode: str = ""
    band: str = ""
    channels: dict[str, str] = {}
    bands: dict[str, str] = {}
    modes: dict[str, str] = {}
    adjusters: dict[str, str] = {}
    points: dict[str, str] = {}
    stages: dict[str, str] = {}
    found: list[Found] = []
    missing: list[str] = []
    without: list[str] = []
    sets: dict[str, str | float | bool] = Field(default_factory=dict)


@dataclass(frozen=True)
class Radio:
    """The radio on the bench, by the procedure's names: its sheet (what a simulated radio is made of) and its physics."""

    matching: Matching
    sheet: Sheet
    physics: PhysicsFile

    def there(self, conditions: Conditions) -> Conditions:
        """A place of the procedure as this radio calls it: a procedure for one band or mode names none."""
        own = self.matching
        return replace(
            conditions,
            mode=own.modes.get(conditions.mode or "", conditions.mode) or own.mode or None,
            band=own.bands.get(conditions.band or "", conditions.band) or own.band or None,
            channel=own.channels.get(conditions.channel or "", conditions.channel),
        )


def radio_for(procedure: Sheet) -> Radio:
    """The radio that a general procedure is tried on. Raises SheetError where there is none, or it does not fit."""
    path = MATCHING / f"{procedure.id}.toml"
    if not path.is_file():
        raise SheetError([f"{procedure.id}:1: file: there is no radio to try this procedure on ({path.name})."])
    try:
        matching = Matching.model_validate(tomllib.loads(path.read_text("utf-8")))
    except (tomllib.TOMLDecodeError, ValidationError) as error:
        raise SheetError([f"{path.name}:1: file: {error}"]) from None
    beside = MATCHING / f"{matching.radio}.toml"
    own_path = beside if beside.is_file() else find(matching.radio)
    own = read_sheet(own_path)
    physics = read_physics(physics_path(own_path), own)
    if matching.sets:
        fault = Fault(title="as built", reason="dead", sets=matching.sets)
        physics = with_fault(physics.model_copy(update={"fault": {"as built": fault}}), "as built")
    names = {theirs: ours for ours, theirs in (matching.adjusters | matching.points).items()}
    stages = {theirs: ours for ours, theirs in matching.stages.items()}
    renamed = PhysicsFile.model_validate(
        _renamed(physics.model_dump(), names, stages) | {"sheet": procedure.id, "fault": {}}
    )
    return Radio(matching, _on_its_board(procedure, own, names, stages), renamed)


def _renamed(value: Any, names: Mapping[str, str], stages: Mapping[str, str], key: str = "") -> Any:
    if isinstance(value, str):
        # "if" is a stage under its key, and a kind of circuit elsewhere.
        return (stages if key.endswith("stage") else names).get(value, value)
    if isinstance(value, list | tuple):
        return [_renamed(v, names, stages) for v in value]
    if isinstance(value, dict):
        return {names.get(k, k): _renamed(v, names, stages, k) for k, v in value.items()}
    return value


def _on_its_board(procedure: Sheet, own: Sheet, names: Mapping[str, str], stages: Mapping[str, str]) -> Sheet:
    """The procedure's steps on the radio's own board: its adjusters, oscillators, channels and test points, by the procedure's names."""

    def adjuster(a: Adjuster) -> Adjuster:
        return replace(a, id=names.get(a.id, a.id))

    def point(t: TestPoint) -> TestPoint:
        return replace(t, id=names.get(t.id, t.id))

    boxes = tuple(
        replace(s, id=stages.get(s.id, s.id), after=tuple(stages.get(a, a) for a in s.after)) for s in own.stages
    )
    oscillators = tuple(
        replace(
            o,
            trim=names.get(o.trim, o.trim) if o.trim else None,
            test_point=names.get(o.test_point, o.test_point) if o.test_point else None,
        )
        for o in own.oscillators
    )
    return replace(
        own, id=procedure.id, adjusters=tuple(map(adjuster, own.adjusters)), oscillators=oscillators,
        test_points=tuple(map(point, own.test_points)), stages=boxes, steps=procedure.steps, source_text="",
    )  # fmt: skip
