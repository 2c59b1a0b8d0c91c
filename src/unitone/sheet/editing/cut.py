"""A sheet cut down to some of its steps: an exercise, or what a radio needs again after a change."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Collection
from typing import Any

from unitone.sheet.format.write import to_toml

_HEADER = re.compile(r"^\s*\[\[?\s*([A-Za-z][\w.-]*)\s*\]\]?\s*(?:#.*)?$")
_LIST = re.compile(r"^(\s*(?:after|pulls)\s*=\s*)\[(.*)\]\s*$")
_NAME = re.compile(r"\"([^\"]*)\"")


def cut_text(text: str, data: dict[str, Any], steps: Collection[str]) -> str:
    """A sheet's text with these steps alone; ``data`` is what it reads as. Its lines are kept where that is all it takes, which is several
    times faster than writing it anew."""
    wanted = only_steps(data, steps)
    made = _cut_lines(text, steps)
    try:
        if tomllib.loads(made) == wanted:
            return made
    except tomllib.TOMLDecodeError:
        pass
    return to_toml(wanted)


def _cut_lines(text: str, steps: Collection[str]) -> str:
    blocks: list[tuple[str, list[str]]] = [("", [])]
    for line in text.splitlines():
        header = _HEADER.match(line)
        if header is not None and not (header[1].startswith("step.") and blocks[-1][0] == "step"):
            blocks.append((header[1], []))
        blocks[-1][1].append(line)
    kept: list[str] = []
    for name, lines in blocks:
        if name == "step" and not any(f'id = "{s}"' in lines for s in steps):
            continue
        for line in lines:
            named = _LIST.match(line) if name == "step" else None
            if named is not None:
                there = [n for n in _NAME.findall(named[2]) if n in steps]
                if not there:
                    continue
                line = f"{named[1]}[{', '.join(chr(34) + n + chr(34) for n in there)}]"
            elif name == "voltage" and line.startswith("step = ") and not any(line == f'step = "{s}"' for s in steps):
                continue
            kept.append(line)
    return "\n".join(kept) + "\n"


def only_steps(sheet: dict[str, Any], steps: Collection[str]) -> dict[str, Any]:
    """The sheet without its other steps, and without what refers to them."""
    kept = []
    for step in sheet["step"]:
        if step["id"] not in steps:
            continue
        step = dict(step)
        for key in ("after", "pulls"):
            if key in step:
                step[key] = [s for s in step[key] if s in steps]
                if not step[key]:
                    del step[key]
        kept.append(step)
    made = {**sheet, "step": kept}
    if "voltage" in sheet:
        made["voltage"] = [{k: v for k, v in row.items() if k != "step" or v in steps} for row in sheet["voltage"]]
    return made
