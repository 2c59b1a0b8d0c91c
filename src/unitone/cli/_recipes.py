"""Recipes at the command line: list them, check a file, try one on a sheet's simulated radio."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

import typer

from unitone.cli.workspace import folder_of
from unitone.errors import BenchError, EntryError, SheetError


def register(app: typer.Typer, workspace: Callable[[], str]) -> None:
    """``unitone recipe list|check|try``."""
    recipe_app = typer.Typer(help="Modifications as files: list, check and try them.", no_args_is_help=True)
    app.add_typer(recipe_app, name="recipe")

    @recipe_app.command("list")
    def recipe_list(
        as_json: Annotated[bool, typer.Option("--json", help="Print one JSON object and nothing else.")] = False,
    ) -> None:
        """The recipes that come with Unitone, and the workshop's own."""
        from unitone.conversions.recipe import recipes

        rows: list[dict[str, Any]] = []
        for f in recipes(folder_of(workspace()) / "recipes"):
            if f.made is None:
                print(f"unitone: {f.problems[0]}", file=sys.stderr)
                continue
            r = f.made
            rows.append({"id": r.id, "name": r.name, "wish": list(r.wish), "check": list(r.check), "own": f.own})
        if as_json:
            print(json.dumps(rows, ensure_ascii=False))
            return
        for row in rows:
            print(f"{row['id']:24} {row['name']}: {row['wish'][0]}")

    @recipe_app.command("check")
    def recipe_check(files: Annotated[list[str], typer.Argument(metavar="FILE...")]) -> None:
        """Check recipes: FILE:LINE: key: what is wrong and its cure. Exit 1 when one does not hold."""
        from unitone.calculators.catalogue import calculator_of
        from unitone.conversions.recipe import read_recipe

        bad = False
        for name in files:
            try:
                made = read_recipe(Path(name))
                for value in made.value:
                    given = {g.key for g in calculator_of(value.calculator).given}
                    wrong = sorted(set(value.inputs) - given)
                    if wrong:
                        raise SheetError(
                            [
                                f"{name}:1: value.{value.id}: {value.calculator} takes no “{wrong[0]}”. It takes {', '.join(sorted(given))}."
                            ]
                        )
                print(f"{name}: {made.name}, {len(made.do)} changes, no errors")
            except SheetError as error:
                bad = True
                for problem in error.problems:
                    print(problem, file=sys.stderr)
            except EntryError as error:
                bad = True
                print(f"{name}:1: value: {error}", file=sys.stderr)
        raise typer.Exit(1 if bad else 0)

    @recipe_app.command("try")
    def recipe_try(
        recipe: Annotated[str, typer.Argument(help="A recipe's id, or a file.")],
        sheet: Annotated[str, typer.Argument(help="A sheet's id or file, with its physics file beside it.")],
        given: Annotated[
            list[str] | None,
            typer.Option(
                "--with", metavar="KEY=TEXT", help="What the recipe asks for, or VALUE.KEY=TEXT for an input."
            ),
        ] = None,
        seed: Annotated[int, typer.Option("--seed", help="Which specimen, every adjuster where it is right.")] = 1,
        as_json: Annotated[bool, typer.Option("--json", help="Print one JSON object and nothing else.")] = False,
    ) -> None:
        """Read before and after on a simulated radio, every adjuster where it is right before."""
        from unitone.conversions.recipe import read_recipe, recipes
        from unitone.session.recipes import aligned_bench, try_on, work_out_recipe
        from unitone.sheet.format.read import parse_sheet
        from unitone.sheet.library import Library, open_file

        own = folder_of(workspace())
        made = next((f.made for f in recipes(own / "recipes") if f.made is not None and f.made.id == recipe), None)
        if made is None:
            made = read_recipe(Path(recipe))
        asked: dict[str, str] = {}
        typed: dict[str, dict[str, str]] = {}
        for text in given or ():
            key, sign, value = text.partition("=")
            if not sign:
                raise EntryError(f"“{text}”: write KEY=TEXT, such as diode=D12.")
            where, dot, name = key.partition(".")
            if dot:
                typed.setdefault(where, {})[name] = value
            else:
                asked[key] = value
        path = Library(own / "sheets").find(sheet)
        bundle = open_file(path)
        if not bundle.physics:
            raise BenchError(f"{sheet} has no simulated radio: no physics file stands beside it.")
        read = parse_sheet(bundle.text, str(path), path.stem)
        worked = work_out_recipe(made, read, None, asked, typed)
        tried = try_on(aligned_bench(read, bundle.physics, seed), read, worked)
        data: dict[str, Any] = {
            "recipe": made.id, "sheet": read.id, "seed": seed,
            "values": {v.id: {a.key: a.value if a.value is not None else a.text for a in v.answers} for v in worked.values},
            "problems": {v.id: v.problem for v in worked.values if v.problem},
            "done": [d.model_dump() for d in worked.done],
            "readings": [
                {"step": None if t.step is None else t.step.id, "quantity": t.before.quantity_id, "before": t.before.value, "after": t.after.value,
                 "held": t.held, "holds": t.holds}
                for t in tried
            ],
        }  # fmt: skip
        if as_json:
            print(json.dumps(data, ensure_ascii=False))
            return
        for t in tried:
            title = t.before.quantity_id if t.step is None else t.step.title
            verdict = {True: "in spec", False: "out of spec", None: ""}[t.holds]
            print(f"{title}: {t.before.value:.6g} → {t.after.value:.6g}  {verdict}" if t.before.value is not None and t.after.value is not None
                  else f"{title}: no reading")  # fmt: skip
