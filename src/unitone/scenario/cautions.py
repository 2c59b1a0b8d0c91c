"""The cautions that a hand ignored, as the log tells it: keying into the wrong thing, a steel blade in a core, a core driven against its stop."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

from unitone.job.entries import Entry
from unitone.job.entries.bench import Broken
from unitone.job.entries.hands import Turned
from unitone.job.entries.practice import ToolTaken
from unitone.sheet.model.sheet import Sheet
from unitone.words import N_

Caution = Literal["interlock", "metal", "stop", "heat"]

#: Each in words.
CAUTIONS: dict[Caution, str] = {
    "interlock": N_("keyed with the wrong hook-up"),
    "metal": N_("steel in a core"),
    "stop": N_("pushed on against a stop"),
    "heat": N_("idle current over the rating"),
}
_BY_DAMAGE: dict[str, Caution] = {"generator": "interlock", "final": "interlock", "bias": "heat"}


def ignored(tape: Iterable[Entry], sheet: Sheet) -> tuple[Caution, ...]:
    """Which cautions a job's log shows as ignored, each once, in the order in which they were."""
    cores = {a.id for a in sheet.adjusters if a.kind == "core"}
    found: dict[Caution, None] = {}
    tool = "plastic"
    against: dict[str, bool] = {}
    for entry in tape:
        said = entry.said
        match said:
            case ToolTaken():
                tool = said.tool
            case Broken() if said.what in _BY_DAMAGE:
                found[_BY_DAMAGE[said.what]] = None
            case Turned() if said.adjuster in cores:
                if tool == "metal":
                    found["metal"] = None
                if said.stop and not said.moved and against.get(said.adjuster) is (said.asked > 0):
                    found["stop"] = None
                if said.stop:
                    against[said.adjuster] = said.asked > 0
                else:
                    against.pop(said.adjuster, None)
    return tuple(found)
