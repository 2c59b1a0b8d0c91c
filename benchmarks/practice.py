"""The trainee robots over the exercises of the ladder: marks and passes, twice where asked, to see that a seed gives the same.

PYTHONPATH=src python benchmarks/practice.py [WORKERS] [EXERCISE ...]
"""

from __future__ import annotations

import sys

from unitone.robot.many import many
from unitone.scenario.exercise_trial import take_exercise
from unitone.scenario.exercises import LADDER, find_exercise
from unitone.scenario.marking import Mark

_ROBOTS = ("coached", "careless", "peaking")


def _one(asked: tuple[str, str]) -> Mark:
    name, robot = asked
    exercise = find_exercise(name)
    return take_exercise(exercise, exercise.seed, robot)


def main() -> None:
    """Print a row an exercise."""
    workers, names = int(([*sys.argv, "1"])[1]), sys.argv[2:] or [e.id for e in LADDER]
    marks = iter(many(_one, [(n, r) for n in names for r in _ROBOTS], workers))
    print("| exercise | " + " | ".join(_ROBOTS) + " | good moves |\n|---|" + "---|" * (len(_ROBOTS) + 1))
    passes = dict.fromkeys(_ROBOTS, 0)
    for name in names:
        row = [next(marks) for _ in _ROBOTS]
        for robot, m in zip(_ROBOTS, row, strict=True):
            passes[robot] += m.passed
        cells = " | ".join(f"{m.score}{' pass' if m.passed else ''}" for m in row)
        print(f"| {name} | {cells} | {row[0].good_moves} |", flush=True)
        if row[0].score < 100:
            print(f"<!-- {name}: {row[0]} -->", flush=True)
    print("| passed | " + " | ".join(f"{passes[r]} of {len(names)}" for r in _ROBOTS) + " | |")


if __name__ == "__main__":
    main()
