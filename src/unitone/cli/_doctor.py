"""What works on this machine, at the command line."""

from __future__ import annotations

import dataclasses
import json
from collections.abc import Callable
from functools import partial
from typing import Annotated

import typer

from unitone.cli.workspace import folder_of, place_of

_SIGNS = {"works": "✓", "limited": "–", "missing": "✗"}


def register(app: typer.Typer, workspace: Callable[[], str]) -> None:
    """``unitone doctor``."""

    @app.command()
    def doctor(
        as_json: Annotated[bool, typer.Option("--json", help="Print one JSON object and nothing else.")] = False,
    ) -> None:
        """What works on this machine (window, sound, camera, speech, scans, wires, logbook), and the cure for what does not."""
        from unitone.doctor import examine, is_well
        from unitone.store.places import ask_server

        place = place_of(workspace())
        checks = examine(folder_of(workspace()), partial(ask_server, place) if isinstance(place, str) else None)
        well = is_well(checks)
        if as_json:
            print(json.dumps({"well": well, "checks": [dataclasses.asdict(c) for c in checks]}, ensure_ascii=False))
        else:
            for c in checks:
                print(f"{_SIGNS[c.state]} {c.title}: {c.found}")
                if c.cure:
                    print(f"    {c.cure}")
        if not well:
            raise typer.Exit(1)
