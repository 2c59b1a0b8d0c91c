"""A sheet cut down to some of its steps: an exercise, or what a radio needs again after a change."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any


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
