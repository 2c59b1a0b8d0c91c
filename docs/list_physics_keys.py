"""Writes the table of keys into docs/physics.md from the classes that read the file: unit, default and range of every one.

PYTHONPATH=src .venv/bin/python docs/list_physics_keys.py
"""

from __future__ import annotations

import types
import typing
from pathlib import Path
from typing import Any

from pydantic import WithJsonSchema
from pydantic.fields import FieldInfo

from unitone.simulator import operating_point, physics, receive_physics
from unitone.simulator.physics_keys import Part

PAGE = Path(__file__).resolve().parent / "physics.md"
BEGIN, END = "<!-- every key: written by docs/list_physics_keys.py -->", "<!-- end of the keys -->"
#: Tables in the order of the file, with the class that reads each.
TABLES: tuple[tuple[str, type[Part]], ...] = (
    ("(top)", physics.PhysicsFile), ("[adjuster.ID]", physics.Setting), ("[[rail]]", physics.Rail),
    ("[oscillator.ID]", physics.Crystal), ("[reference]", physics.Reference), ("[[shift]]", physics.Shift),
    ("[vco.receive], [vco.transmit]", physics.Vco), ("[receive]", receive_physics.Receive),
    ("[[receive.stage]] kind = coil", receive_physics.CoilStage), ("[[receive.stage]] kind = pair", receive_physics.PairStage),
    ("[[receive.stage]] kind = amplifier, mixer", receive_physics.AmplifierStage),
    ("[[receive.stage]] kind = filter", receive_physics.FilterStage), ("[receive.detector]", receive_physics.Detector),
    ("[receive.am]", receive_physics.AmDetector), ("[receive.agc]", receive_physics.GainControl),
    ("[receive.blanker]", receive_physics.Blanker), ("[receive.audio]", receive_physics.Audio),
    ("[s_meter]", receive_physics.SMeter), ("[squelch]", receive_physics.Squelch), ("[transmit]", physics.Transmit),
    ("[[transmit.coil]]", physics.PowerCoil), ("[[transmit.stage]]", physics.TransmitStage),
    ("[transmit.trap]", physics.Trap), ("[[transmit.sub_harmonic]]", physics.SubHarmonic),
    ("[transmit.alc]", physics.Levelling), ("[transmit.meter]", physics.OwnMeter), ("[transmit.processor]", physics.Processor),
    ("[transmit.am]", physics.AmModulator), ("[transmit.balance]", physics.Balance), ("[draw]", physics.Draw),
    ("[aerial]", physics.Aerial), ("[bias]", physics.Bias), ("[[meter]]", physics.MeterMovement), ("[fault.ID]", physics.Fault),
    ("[[circuit]]", operating_point.Circuit), ("[[circuit.part]]", operating_point.CircuitPart),
)  # fmt: skip
_PLAIN = {float: "number", int: "whole number", str: "text", bool: "true or false"}


def _kind(annotation: Any, metadata: list[Any]) -> str:
    """What stands behind a key, in words: a unit, a text, a table."""
    for one in metadata:
        if isinstance(one, WithJsonSchema) and one.json_schema:
            return str(one.json_schema["description"]).rsplit(" ", 1)[1]
    origin, inner = typing.get_origin(annotation), typing.get_args(annotation)
    if origin is typing.Annotated:
        return _kind(inner[0], list(annotation.__metadata__))
    if origin in (typing.Union, types.UnionType):
        known = [_kind(a, []) for a in inner if a is not type(None)]
        return ", ".join(dict.fromkeys(known))
    if origin is typing.Literal:
        return ", ".join(f"`{a}`" for a in inner)
    if origin in (list, tuple):
        what = _kind(inner[0], [])
        return "tables" if what == "table" else f"list of {what}"
    if origin is dict:
        return "table"
    return _PLAIN.get(annotation, "table")


def _default(field: FieldInfo) -> str:
    if field.is_required():
        return "needed"
    value = field.default
    if value is None or value == "" or value == [] or value == {}:
        return "none"
    if isinstance(value, bool):
        return "true" if value else "false"
    return f"{value:g}" if isinstance(value, int | float) else str(value)


def _range(field: FieldInfo) -> str:
    ends = []
    for name, words in (
        ("gt", "> {:g}"),
        ("ge", "≥ {:g}"),
        ("lt", "< {:g}"),
        ("le", "≤ {:g}"),
        ("min_length", "at least {:g}"),
    ):
        found = [getattr(m, name) for m in field.metadata if getattr(m, name, None) is not None]
        ends += [words.format(v) for v in found]
    return ", ".join(ends)


def table() -> str:
    """The Markdown between the two marks."""
    rows = ["| table | key | unit or kind | default | range |", "|---|---|---|---|---|"]
    for title, part in TABLES:
        for key, field in part.model_fields.items():
            kind = _kind(field.annotation, field.metadata)
            rows.append(f"| `{title}` | `{key}` | {kind} | {_default(field)} | {_range(field)} |")
    return "\n".join([BEGIN, "", *rows, "", END])


def written(page: str) -> str:
    """The page with its table as the classes are now. Raises ValueError where a mark is missing."""
    head, rest = page.split(BEGIN)
    return head + table() + rest.split(END)[1]


if __name__ == "__main__":
    PAGE.write_text(written(PAGE.read_text(encoding="utf-8")), encoding="utf-8")
