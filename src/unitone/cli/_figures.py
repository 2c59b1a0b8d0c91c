"""Commands of arithmetic: the calculators, oscillators traced from frequency readings, and conversions to other channels."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

import typer

from unitone.errors import EntryError, UnitoneError
from unitone.files import plain_reason, read_text

#: Frequency readings of one radio: thousands of rows stay below this (bytes).
MAX_READINGS = 4_000_000
Json = Annotated[bool, typer.Option("--json", help="Print one JSON object.")]


def _print(data: Any) -> None:
    print(json.dumps(data, ensure_ascii=False, allow_nan=False))


def calculate(
    name: Annotated[str, typer.Argument(help="A calculator; without a name they are listed.")] = "",
    values: Annotated[list[str] | None, typer.Argument(metavar="[KEY=VALUE]...")] = None,
    as_json: Json = False,
) -> None:
    """The calculators: calculate padder low=10.2394M high=10.23998M wanted=10.24M padder=33p."""
    from unitone.calculators.catalogue import CALCULATORS, calculator_of, to_data
    from unitone.calculators.typed import work_out

    if not name:
        listed = [
            {
                "name": s.name,
                "question": s.question,
                "keys": [{"key": g.key, "unit": g.unit, "usual": g.usual} for g in s.given],
            }
            for s in CALCULATORS
        ]
        if as_json:
            _print(listed)
            return
        for s in CALCULATORS:
            print(f"{s.name}: {s.question} {' '.join(g.key for g in s.given)}")
        return
    chosen = calculator_of(name)
    typed: dict[str, str] = {}
    for text in values or []:
        key, sign, value = text.partition("=")
        if not sign:
            raise EntryError(f"“{text}”: write KEY=VALUE, like {chosen.given[0].key}={chosen.given[0].hint or '1'}.")
        typed[key.strip()] = value
    try:
        answers = work_out(chosen, typed)
    except UnitoneError as error:
        # Whatever cannot be worked out from what was typed is bad use of the command.
        raise EntryError(str(error)) from None
    if as_json:
        _print(to_data(answers))
        return
    for a in answers:
        print(f"{a.words}: {a.text}")
    for words in (chosen.formula, chosen.assumes, chosen.caution):
        if words:
            print(words)


def trace_readings(sheet: str, readings: Path, as_json: bool, workspace: str) -> None:
    """What ``attribute`` does. Raises UnitoneError naming the file, its line and the cure."""
    from unitone.align.frequency.counts import counted, parse_readings, to_data, trace
    from unitone.cli.workspace import folder_of
    from unitone.sheet.format.read import read_sheet
    from unitone.sheet.library import Library

    made = read_sheet(Library(folder_of(workspace) / "sheets").find(sheet))
    try:
        found = trace(made, counted(made, parse_readings(read_text(readings, MAX_READINGS), str(readings))))
    except (OSError, UnicodeDecodeError) as error:
        raise UnitoneError(f"{readings}: cannot be read as text ({plain_reason(error)}). Save it as CSV.") from None
    except EntryError as error:
        raise UnitoneError(str(error) if str(readings) in str(error) else f"{readings}: {error}") from None
    if as_json:
        _print(to_data(found))
        return
    for words in (found.headline, *found.named, *found.cannot_tell, found.suspect, found.following):
        if words:
            print(words)


def plan_conversion(sheet: str, want: str, as_json: bool, workspace: str) -> None:
    """What ``convert`` does. Raises UnitoneError naming what cannot be read, or what the sheet lacks."""
    from unitone.cli.workspace import folder_of
    from unitone.conversions.convert import convert, to_data, way_title
    from unitone.sheet.format.read import read_sheet
    from unitone.sheet.library import Library

    made = read_sheet(Library(folder_of(workspace) / "sheets").find(sheet))
    data = to_data(found := convert(made, want))
    if as_json:
        _print(data)
        return
    for row in data["dividers"]:
        print(
            f"{row['hz'] / 1e6:.6f} MHz  N {row['n']}  {row['band'] or ''} {row['switch'] or ''}  {way_title(row['way'])}".rstrip()
        )
    for crystal in data["crystals"]:
        print(
            f"{crystal['hz'] / 1e6:.6f} MHz crystal beside {crystal['beside']}, {crystal['cut']}, {crystal['load_pf']:g} pF"
        )
    for n, plan in enumerate(found.plans, 1):
        ways = ", ".join(way_title(k) for k in plan.kinds) or "nothing reaches it"
        size = f"{len(plan.reached)} of {len(found.wanted)} channels, {plan.parts} parts, {plan.cuts} cuts"
        print(f"way {n}: {ways}: {size}, locks: {plan.lock}")
    for words in data["warnings"]:
        print(words)


def register(app: typer.Typer, workspace: Callable[[], str]) -> None:
    """Put the commands on the command line."""

    def attribute(
        sheet: Annotated[str, typer.Argument(help="A sheet's id or path.")],
        readings: Annotated[Path, typer.Argument(help="CSV: way,band,mode,channel,point,hz (measured).")],
        as_json: Json = False,
    ) -> None:
        """Trace frequency readings to the oscillators that are off, and name the reading that would tell more."""
        trace_readings(sheet, readings, as_json, workspace())

    def convert(
        sheet: Annotated[str, typer.Argument(help="A sheet's id or path.")],
        want: Annotated[
            str, typer.Option("--want", help="Channels: 26.515..27.855 step 0.01; alphas; -5kHz; 27.205; uk-40.")
        ],
        as_json: Json = False,
    ) -> None:
        """What other channels take: dividers, pins, crystals, whether it locks, and the ways ranked."""
        plan_conversion(sheet, want, as_json, workspace())

    app.command()(calculate)
    app.command()(convert)
    app.command("sums", hidden=True)(calculate)
    app.command()(attribute)
