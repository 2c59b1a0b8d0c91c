"""Re-check: the fewest measurements that make a job whole again, in the order that changes the bench least.

Two stale results are settled by one measurement where their conditions agree in
everything that both of them ask. The smallest set of measurements is then a
smallest cover by such groups: exact (dynamic programming over subsets) up to
``EXACT`` stale results, greedy beyond. Agreement is settled field by field, so
results that agree in pairs agree all together.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import pairwise

from unitone.job.state import JobState, Key
from unitone.sheet.model.sheet import Conditions, Step

#: Up to so many stale results the smallest set is found for certain.
EXACT = 12
#: Of smallest sets, so many are compared for the changes that they need.
_COMPARED = 8
#: Beyond so many measurements one order costs enough to work out: the first smallest set is taken.
_MANY = 8
#: What a hook-up change weighs against a setting made anew: more than all settings together.
_HOOK = 10_000


@dataclass(frozen=True)
class Stale:
    """A stale result: its step, which requirement, and how the bench is hooked up for it."""

    step: str
    index: int
    quantity_id: str
    hook_up: str
    conditions: Conditions


@dataclass(frozen=True)
class Measurement:
    """One measurement of the plan and the stale results that it settles."""

    quantity_id: str
    hook_up: str
    conditions: Conditions
    settles: tuple[Stale, ...]


@dataclass(frozen=True)
class Plan:
    """The measurements in order; ``exact`` says that no smaller set exists."""

    measurements: tuple[Measurement, ...]
    results: int
    hook_up_changes: int
    panel_changes: int
    exact: bool


def stale_results(state: JobState) -> tuple[Stale, ...]:
    """Every stale result in the order of the procedure; steps put aside as not applicable have none."""
    aside = {k for k, v in state.judged.items() if v.verdict == "not applicable"}
    return tuple(
        Stale(s.id, i, s.quantity_id, s.hook_up, c)
        for s in state.sheet.steps
        if s.id not in aside
        for i, c in enumerate(s.required)
        if state.is_stale(s, i)
    )


def agree(a: Stale, b: Stale) -> bool:
    """Does one measurement settle both: do their merged conditions settle either?"""
    if a.quantity_id != b.quantity_id or a.hook_up != b.hook_up:
        return False
    one, two = a.conditions, b.conditions
    # Compared field by field, as this is asked of every two results again and again.
    if (one.level_dbm is None) != (two.level_dbm is None) or abs(
        (one.level_dbm or 0.0) - (two.level_dbm or 0.0)
    ) > 0.05:
        return False
    if any(x != y and x is not None and y is not None for x, y in (
        (one.channel, two.channel), (one.band, two.band), (one.mode, two.mode),
    )):  # fmt: skip
        return False
    if one.way != two.way and "either" not in (one.way, two.way):
        return False
    if (one.test_point, one.tone_hz, one.deviation_hz, one.depth_pct, one.offset_hz, one.mic_mv, one.source) != (
        two.test_point, two.tone_hz, two.deviation_hz, two.depth_pct, two.offset_hz, two.mic_mv, two.source,
    ):  # fmt: skip
        return False
    knobs = dict(one.panel)
    return all(knobs.get(knob, place) == place for knob, place in two.panel)


def merge(a: Conditions, b: Conditions) -> Conditions:
    """The conditions that ask everything that either asks (of two that agree)."""
    panel = dict(b.panel) | dict(a.panel)
    return replace(
        a,
        way=a.way if a.way != "either" else b.way,
        channel=a.channel if a.channel is not None else b.channel,
        band=a.band if a.band is not None else b.band,
        mode=a.mode if a.mode is not None else b.mode,
        panel=tuple(sorted(panel.items())),
    )


def measurement(group: Sequence[Stale]) -> Measurement:
    """One measurement for a group of results that agree."""
    wanted = group[0].conditions
    for other in group[1:]:
        wanted = merge(wanted, other.conditions)
    return Measurement(group[0].quantity_id, group[0].hook_up, wanted, tuple(group))


@lru_cache(maxsize=64)
def _plan(stale: tuple[Stale, ...], hook_up: str, standing: Conditions) -> Plan:
    return plan(stale, hook_up, standing)


def plan(stale: Sequence[Stale], hook_up: str, standing: Conditions) -> Plan:
    """The plan for these stale results, from the hook-up and settings at which the bench stands."""
    if not stale:
        return Plan((), 0, 0, 0, True)
    groups, exact = _covers(stale)
    groups = groups[:1] if len(groups[0]) > _MANY else groups
    best: tuple[tuple[int, int], tuple[Measurement, ...]] | None = None
    for cover in groups:
        order = arrange([measurement([stale[i] for i in group]) for group in cover], hook_up, standing)
        cost = changes(order, hook_up, standing)
        if best is None or cost < best[0]:
            best = (cost, order)
    assert best is not None
    return Plan(best[1], len(stale), best[0][0], best[0][1], exact)


def _maximal_groups(stale: Sequence[Stale]) -> list[int]:
    """Maximal groups of results that agree, as bit masks (Bron and Kerbosch 1973, with a pivot)."""
    n = len(stale)
    near = [sum(1 << j for j in range(n) if j != i and agree(stale[i], stale[j])) for i in range(n)]
    found: list[int] = []

    def grow(chosen: int, may: int, not_again: int) -> None:
        if not may and not not_again:
            found.append(chosen)
            return
        pivot = max(_bits(may | not_again), key=lambda v: (may & near[v]).bit_count())
        for v in _bits(may & ~near[pivot]):
            grow(chosen | 1 << v, may & near[v], not_again & near[v])
            may &= ~(1 << v)
            not_again |= 1 << v

    grow(0, (1 << n) - 1, 0)
    return sorted(found)


def _bits(mask: int) -> list[int]:
    return [i for i in range(mask.bit_length()) if mask >> i & 1]


def _covers(stale: Sequence[Stale]) -> tuple[list[list[list[int]]], bool]:
    """Smallest covers (lists of groups of indices), and whether they are certain to be smallest."""
    if len(stale) > EXACT:
        return [_greedy(stale)], False
    groups = _maximal_groups(stale)
    full = (1 << len(stale)) - 1
    least = [0] + [len(stale) + 1] * full
    for mask in range(1, full + 1):
        lowest = mask & -mask
        least[mask] = 1 + min(least[mask & ~g] for g in groups if g & lowest)
    covers: list[list[int]] = []

    def walk(mask: int, chosen: list[int]) -> None:
        if len(covers) >= _COMPARED:
            return
        if not mask:
            covers.append(chosen)
            return
        lowest = mask & -mask
        for g in groups:
            if g & lowest and least[mask & ~g] == least[mask] - 1:
                # What an earlier measurement settles already asks nothing more of this one.
                walk(mask & ~g, [*chosen, g & mask])

    walk(full, [])
    return [[_bits(g) for g in cover] for cover in covers], True


def _greedy(stale: Sequence[Stale]) -> list[list[int]]:
    """Groups grown one by one round each result left, largest agreement first."""
    alike: dict[tuple[str, str], list[int]] = {}
    for i, one in enumerate(stale):
        alike.setdefault((one.quantity_id, one.hook_up), []).append(i)
    left = dict.fromkeys(range(len(stale)))
    grown: dict[int, list[int]] = {}
    found = []
    while left:
        for start in left:
            if start not in grown:
                others = alike[stale[start].quantity_id, stale[start].hook_up]
                grown[start] = _grown(stale, start, [i for i in others if i in left])
        best = max((grown[start] for start in left), key=len)
        found.append(sorted(best))
        gone = set(best)
        for i in gone:
            del left[i]
        # A group that lost none of its own grows as it did: only the others have to be grown again.
        grown = {start: group for start, group in grown.items() if start in left and gone.isdisjoint(group)}
    return found


def _grown(stale: Sequence[Stale], start: int, others: Sequence[int]) -> list[int]:
    """The result ``start`` and all of ``others``, in their order, that still agree with what is merged so far."""
    group, wanted = [start], stale[start]
    for other in others:
        if other != start and agree(wanted, stale[other]):
            wanted = replace(wanted, conditions=merge(wanted.conditions, stale[other].conditions))
            group.append(other)
    return group


def _asked(c: Conditions) -> dict[str, object]:
    """What has to be set for these conditions: generator, channel, test point, and the knobs by their names."""
    asked: dict[str, object] = {
        "channel": c.channel, "band": c.band, "mode": c.mode, "level": c.level_dbm, "tone": c.tone_hz, "deviation": c.deviation_hz,
        "depth": c.depth_pct, "offset": c.offset_hz, "mic": c.mic_mv, "test point": c.test_point, "source": c.source,
    }  # fmt: skip
    return {k: v for k, v in asked.items() if v is not None} | {f"knob {knob}": place for knob, place in c.panel}


def _set_anew(there: dict[str, object], asked: dict[str, object]) -> int:
    return sum(there.get(k) != v for k, v in asked.items())


def setting_changes(a: Conditions, b: Conditions) -> int:
    """How many things have to be set anew to come from ``a`` to ``b``: generator, channel, knobs, test point."""
    return _set_anew(_asked(a), _asked(b))


def changes(order: Sequence[Measurement], hook_up: str, standing: Conditions) -> tuple[int, int]:
    """(hook-up changes, settings made anew) of measurements in this order. A probe goes on any hook-up."""
    hooks = [m.hook_up for m in order if m.hook_up != "probe"]
    turned = sum(a != b for a, b in pairwise([hook_up, *hooks])) if hooks else 0
    places = [standing, *(m.conditions for m in order)]
    return turned, sum(setting_changes(a, b) for a, b in pairwise(places))


def arrange(given: Sequence[Measurement], hook_up: str, standing: Conditions) -> tuple[Measurement, ...]:
    """The order with the fewest hook-up changes and, among those, the fewest settings made anew.

    Exact (Held and Karp 1962, over hook-ups and settings at once) up to ``EXACT``
    measurements; beyond, the nearest next one. Ties keep the order of the procedure.
    """
    n = len(given)
    if n > EXACT:
        return _nearest(given, hook_up, standing)
    if not given:
        return ()
    return tuple(given[i] for i in _held_karp(given, hook_up, standing)[1])


def _held_karp(given: Sequence[Measurement], hook_up: str, standing: Conditions) -> tuple[int, list[int]]:
    """Least cost (hook-up changes by the ten thousand, settings by one) and its order, by dynamic programming.

    A state is which measurements are done, which was last, and how the bench is
    hooked up; the hook-up differs from the last measurement's own only after probes.
    """
    n = len(given)
    hooks = list(dict.fromkeys([hook_up, *(m.hook_up for m in given if m.hook_up != "probe")]))
    leads = [-1 if m.hook_up == "probe" else hooks.index(m.hook_up) for m in given]
    steps = [[setting_changes(a.conditions, b.conditions) for b in given] for a in given]
    width = len(hooks)
    # table[mask][last * width + hook] = (cost, state before)
    table: list[dict[int, tuple[int, int]]] = [{} for _ in range(1 << n)]
    for i, m in enumerate(given):
        hook = 0 if leads[i] < 0 else leads[i]
        table[1 << i][i * width + hook] = (_HOOK * (hook != 0) + setting_changes(standing, m.conditions), -1)
    for mask in range(1, 1 << n):
        free = [i for i in range(n) if not mask >> i & 1]
        for state, (cost, _) in table[mask].items():
            last, hook = divmod(state, width)
            row = steps[last]
            for i in free:
                lead = leads[i]
                following = hook if lead < 0 else lead
                total = cost + row[i] + (_HOOK if following != hook else 0)
                here = table[mask | 1 << i]
                key = i * width + following
                if key not in here or total < here[key][0]:
                    here[key] = (total, state)
    mask = (1 << n) - 1
    at = min(table[mask], key=lambda k: table[mask][k][0])
    best, order = table[mask][at][0], []
    while at >= 0:
        order.append(at // width)
        at, mask = table[mask][at][1], mask & ~(1 << at // width)
    return best, order[::-1]


def _nearest(given: Sequence[Measurement], hook_up: str, standing: Conditions) -> tuple[Measurement, ...]:
    order, here, hook = [], _asked(standing), hook_up
    left = [(m, _asked(m.conditions)) for m in given]
    while left:
        as_hooked_up = [n for n, (m, _) in enumerate(left) if m.hook_up in ("probe", hook)]
        nearest = min(as_hooked_up or range(len(left)), key=lambda n: _set_anew(here, left[n][1]))
        best, here = left.pop(nearest)
        order.append(best)
        hook = hook if best.hook_up == "probe" else best.hook_up
    return tuple(order)


def plan_of(state: JobState) -> Plan:
    """The plan for a job as it stands."""
    return _plan(stale_results(state), state.hook_up, state.set_up)


def merged_for(state: JobState, step: Step, index: int) -> Conditions:
    """Conditions for re-reading one requirement that settle, along with it, all that the plan joins to it."""
    key: Key = (step.id, index)
    for m in plan_of(state).measurements:
        if any((s.step, s.index) == key for s in m.settles):
            return m.conditions
    return step.required[index]
