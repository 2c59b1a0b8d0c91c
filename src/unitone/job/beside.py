"""Two radios side by side on one generator or aerial: what was logged of both, and what the differences say together."""

from __future__ import annotations

import statistics
from dataclasses import dataclass
from typing import Literal

from unitone.job.shop import Beside, BesideWhat
from unitone.job.state import JobState

#: Radios that differ by less are alike: two S-meters by an S-unit's third, two sensitivities by what a needle doubts
#: (common practice, no source).
ALIKE_DB = 2.0
BesideFinding = Literal["alike", "s-meter alone", "deaf", "keen", "weak on the air", ""]


@dataclass(frozen=True)
class Compared:
    """The differences of one kind: how much this radio is better (dB), on average, and how far the pairs spread."""

    what: BesideWhat
    count: int
    better_db: float
    spread_db: float


def better_db(pair: Beside) -> float:
    """By how much this radio is better than the other in a pair (dB): its S-meter higher, a weaker level enough, a stronger field."""
    if pair.what == "sensitivity":
        return pair.its - pair.mine
    return pair.mine - pair.its


def compared(state: JobState) -> tuple[Compared, ...]:
    """Each kind once, in the order in which they were first logged."""
    made = []
    for what in dict.fromkeys(p.what for p in state.shop.beside):
        found = [better_db(p) for p in state.shop.beside if p.what == what]
        spread = statistics.stdev(found) if len(found) > 1 else 0.0
        made.append(Compared(what, len(found), statistics.fmean(found), spread))
    return tuple(made)


def finding(state: JobState) -> BesideFinding:
    """What the kinds say together: meters differ and sensitivities do not, so it is the meter; both differ, so it is the receiver."""
    by_kind = {c.what: c.better_db for c in compared(state)}
    heard, shown, sent = (by_kind.get(k) for k in ("sensitivity", "S-meter", "field strength"))
    if heard is not None and abs(heard) > ALIKE_DB:
        return "deaf" if heard < 0 else "keen"
    if shown is not None and abs(shown) > ALIKE_DB and heard is not None:
        return "s-meter alone"
    if sent is not None and sent < -ALIKE_DB:
        return "weak on the air"
    known = [x for x in (heard, shown, sent) if x is not None]
    return "alike" if known and all(abs(x) <= ALIKE_DB for x in known) else ""
