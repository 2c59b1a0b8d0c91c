"""The command line: ``./unitone``. Exit codes: 0 done, 1 does not hold, 2 bad use, 3 cannot be read."""

from __future__ import annotations

import os
import sys
from collections.abc import Sequence
from pathlib import Path

#: Files by these endings are opened in the window.
OPENED = (".unitone", ".job.json", ".exercise.json", ".unitone-backup", ".toml")


def main() -> None:
    """Run the command. The plain window starts without loading the rest of the command line."""
    # What Unitone writes is its owner's alone.
    os.umask(0o077)
    if os.environ.get("UNITONE_LANG"):
        # The window asks the workshop, too; a command speaks English where nothing else is asked for.
        from unitone.words import language_wanted, use_language

        use_language(language_wanted())
    arguments = sys.argv[1:]
    fast = _window_arguments(arguments)
    if fast is not None:
        sys.exit(_open_window(*fast))
    opened = _files_to_open(arguments)
    if opened is not None:
        sys.exit(_open_window(*opened))
    from unitone.cli.commands import run

    sys.exit(run(arguments))


def _window_arguments(arguments: list[str]) -> tuple[str, bool, bool] | None:
    """(workspace, demo, fresh) when the arguments only ask for a window; None for anything else."""
    workspace, demo = "", False
    rest = list(arguments)
    while rest:
        word = rest.pop(0)
        if word == "demo" and not demo:
            demo = True
        elif word == "--workspace" and rest:
            workspace = rest.pop(0)
        elif word.startswith("--workspace="):
            workspace = word.partition("=")[2]
        else:
            return None
    return workspace, demo, not workspace


def _files_to_open(arguments: list[str]) -> tuple[str, bool, bool, list[str]] | None:
    """The same with files, as a double-click gives them; None where anything is no file with an ending of ours."""
    workspace, paths = "", []
    rest = list(arguments)
    while rest:
        word = rest.pop(0)
        if word == "--workspace" and rest:
            workspace = rest.pop(0)
        elif word.startswith("--workspace="):
            workspace = word.partition("=")[2]
        elif word.lower().endswith(OPENED) and not word.startswith("-"):
            paths.append(word)
        else:
            return None
    return (workspace, False, False, paths) if paths else None


def _open_window(workspace: str, demo: bool, fresh: bool, paths: Sequence[str] = ()) -> int:
    from unitone.cli.workspace import folder_of, make_demo, own_folder, place_of
    from unitone.errors import UnitoneError
    from unitone.store.kept_place import kept_place

    try:
        place = make_demo(workspace) if demo else place_of(workspace)
        folder = place if isinstance(place, Path) else folder_of(workspace)
        # Back from a server it goes to the folder that was named, or to this machine's own.
        own = folder if isinstance(place, Path) else Path(kept_place().folder or own_folder())
    except UnitoneError as error:
        print(f"unitone: {error}", file=sys.stderr)
        return 3
    if demo and fresh:
        print(
            f"unitone: demo workshop in {folder} (open it again with: ./unitone --workspace {folder})", file=sys.stderr
        )
    if not (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY") or os.environ.get("QT_QPA_PLATFORM")):
        print(
            "unitone: there is no screen (neither DISPLAY nor WAYLAND_DISPLAY is set). Start it in a desktop session, "
            "or use the commands that need no window: ./unitone --help",
            file=sys.stderr,
        )
        return 3
    # The window is found by name, so that the command line never leans on Qt.
    import importlib

    return int(importlib.import_module("unitone.desktop.shell.app").run(place, [Path(p) for p in paths], own))
