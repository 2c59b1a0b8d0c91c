"""Practice at the command line: the exercises, the one of the day, and what a robot makes of one."""

from __future__ import annotations

import dataclasses
import datetime
import json
from typing import Annotated, Any

import typer


def register(app: typer.Typer) -> None:
    """``unitone practice``."""

    @app.command()
    def practice(
        exercise: Annotated[str, typer.Argument(help="An exercise's id; without one they are listed.")] = "",
        robot: Annotated[str, typer.Option("--robot", help="coached, careless or peaking: who takes it.")] = "coached",
        seed: Annotated[int, typer.Option("--seed", min=0, help="Another radio; 0 is the exercise's own.")] = 0,
        daily: Annotated[bool, typer.Option("--daily", help="The exercise of today.")] = False,
        as_json: Annotated[bool, typer.Option("--json", help="Print one JSON object and nothing else.")] = False,
    ) -> None:
        """List the exercises of Practice, or let a robot take one and mark it."""
        from unitone.scenario.exercise_trial import take_exercise
        from unitone.scenario.exercises import LADDER, find_exercise
        from unitone.scenario.exercises import daily as of_the_day

        if not exercise and not daily:
            rows = [
                {"id": e.id, "skill": e.skill, "grade": e.grade, "title": e.title, "sheet": e.sheet} for e in LADDER
            ]
            if as_json:
                print(json.dumps(rows, ensure_ascii=False))
                return
            for e in LADDER:
                print(f"{e.id:16} grade {e.grade}  {e.title}")
            return
        chosen, its_seed = of_the_day(datetime.date.today()) if daily else (find_exercise(exercise), 0)
        its_seed = seed or its_seed or chosen.seed
        made = take_exercise(chosen, its_seed, robot)
        told: dict[str, Any] = {"exercise": chosen.id, "seed": its_seed, "robot": robot, **dataclasses.asdict(made)}
        if as_json:
            print(json.dumps(told, ensure_ascii=False))
            return
        print(f"{chosen.title}: {made.score} of 100, {'passed' if made.passed else 'not passed'}")
        print(
            f"in spec {made.restored[0]} of {made.restored[1]}, {made.moves} moves, a good hand needs {made.good_moves}"
        )
