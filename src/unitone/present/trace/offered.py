"""The coach's offer to trace, on the Bench."""

from __future__ import annotations

from unitone.actions import shown_key
from unitone.align.trace.offer import offer
from unitone.job.state import JobState
from unitone.quantities.show import number
from unitone.words import tr


def describe_offer(state: JobState) -> str:
    """Why to trace before aligning, in a line; empty where nothing speaks for it."""
    found = offer(state)
    if found is None:
        return ""
    said = []
    if found.down_db is not None:
        said.append(tr("sensitivity {db} dB down", db=number(found.down_db, 0)))
    if found.no_level:
        said.append(tr("no level is enough"))
    if found.meter_dead:
        said.append(tr("S-meter dead"))
    if found.silent:
        said.append(tr("no output"))
    words = ", ".join(said)
    return tr("{what}: trace before you align ({key}).", key=shown_key("trace"), what=words[:1].upper() + words[1:])
