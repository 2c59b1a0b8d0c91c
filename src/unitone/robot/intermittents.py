"""Intermittents watched, made from seeds: six things are moved three times each, one of them is the cause, and drop-outs come by chance besides."""

from __future__ import annotations

from unitone.align.trace.intermittent import rank
from unitone.job.checks import Watch
from unitone.simulator.mechanics import stream

#: A movement of the cause lets the reading drop out in so many cases.
_GOES = 0.9
#: Movements follow each other so fast (s); a drop-out by chance falls into so long a moment of one.
_BETWEEN_S, _MOMENT_S = 4.0, 1.5


def watched(seed: int, things: int = 6, times: int = 3, by_chance: float = 0.2) -> tuple[str, Watch]:
    """(the cause, a watch) of a seed; ``by_chance``: how often a drop-out falls into the moment of a movement without it."""
    rng = stream(seed, "intermittent")
    names = [f"thing {n + 1}" for n in range(things)]
    cause = names[int(rng.integers(things))]
    moved, drops, now = [], [], 2.0
    for _ in range(times):
        for name in rng.permutation(names):
            moved.append((now, str(name)))
            if name == cause and rng.random() < _GOES:
                drops.append(now + float(rng.uniform(0.1, 0.9)))
            if rng.random() < by_chance:
                drops.append(now + float(rng.uniform(0.0, _MOMENT_S)))
            # By itself it goes as often while nothing is moved.
            if rng.random() < by_chance * (_BETWEEN_S - _MOMENT_S) / _MOMENT_S:
                drops.append(now + float(rng.uniform(_MOMENT_S, _BETWEEN_S)))
            now += _BETWEEN_S
    return cause, Watch(1, "", "", "rx.s_meter", now, -30.0, 0.0, tuple(sorted(drops)), tuple(moved))


def share_right(sets: int, seed: int = 1) -> float:
    """How often the cause stands first."""
    told = [watched(s) for s in range(seed, seed + sets)]
    return sum(rank([watch])[0].what == cause for cause, watch in told) / max(sets, 1)
