"""Draws docs/rooms.svg from the code: the rooms in the layers of the contract, their folders, and who leans on whom.

.venv/bin/python docs/draw_rooms.py
"""

from __future__ import annotations

import ast
import tomllib
from collections.abc import Iterator
from html import escape
from pathlib import Path

TOP = Path(__file__).resolve().parent.parent
SOURCE = TOP / "src" / "unitone"
#: Rooms that everything may lean on, drawn as one.
GROUND = ("doctor", "files", "trouble", "errors", "actions", "words", "data", "collector")
WIDE, HIGH, ACROSS, DOWN, EDGE = 190, 54, 26, 42, 30
PAPER, INK, QUIET, SIGNAL = "#f7f2e8", "#26221c", "#8a8172", "#1f7a76"


def layers() -> list[list[str]]:
    """The rooms of each layer, top first, as import-linter checks them."""
    contracts = tomllib.loads((TOP / "pyproject.toml").read_text(encoding="utf-8"))["tool"]["importlinter"]["contracts"]
    rows = [[m.strip().removeprefix("unitone.") for m in line.split("|")] for line in contracts[0]["layers"]]
    return [r for row in rows if (r := [m for m in row if m not in GROUND])]


def folders(room: str) -> list[str]:
    """The folders of a room that hold code."""
    return sorted(
        p.name for p in (SOURCE / room).iterdir() if p.is_dir() and any(p.rglob("*.py")) and p.name != "__pycache__"
    )


def _statements(node: ast.AST) -> Iterator[ast.stmt]:
    """Every statement: imports stand in no expression."""
    for name in ("body", "orelse", "finalbody", "handlers", "cases"):
        for inner in getattr(node, name, ()):
            if isinstance(inner, ast.stmt):
                yield inner
            yield from _statements(inner)


def imports() -> set[tuple[str, str]]:
    """(room, room) for every import from one into another."""
    found = set()
    for path in SOURCE.rglob("*.py"):
        here = path.relative_to(SOURCE).parts[0].removesuffix(".py")
        for node in _statements(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("unitone."):
                there = (node.module or "").split(".")[1]
                if there != here:
                    found.add((here, there))
    return found


def drawing() -> str:
    """The picture as SVG."""
    rows = layers()
    width = 2 * EDGE + max(len(r) for r in rows) * (WIDE + ACROSS) - ACROSS
    place: dict[str, tuple[float, float]] = {}
    y = float(EDGE)
    heights: dict[str, float] = {}
    for row in rows:
        x = (width - len(row) * (WIDE + ACROSS) + ACROSS) / 2
        tall = HIGH
        for room in row:
            names = folders(room)
            heights[room] = HIGH + 15 * -(-len(names) // 3)
            tall = max(tall, heights[room])
            place[room] = (x, y)
            x += WIDE + ACROSS
        y += tall + DOWN
    height = y - DOWN + EDGE + 34
    out = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height:.0f}" viewBox="0 0 {width} {height:.0f}" '
        f'font-family="B612, sans-serif">',
        f'<rect width="{width}" height="{height:.0f}" fill="{PAPER}"/>',
    ]
    for a, b in sorted(imports()):
        if a in place and b in place:
            (ax, ay), (bx, by) = place[a], place[b]
            start, end = (ax + WIDE / 2, ay + heights[a]), (bx + WIDE / 2, by)
            bend = (start[1] + end[1]) / 2
            out.append(
                f'<path d="M{start[0]:.0f} {start[1]:.0f} C{start[0]:.0f} {bend:.0f} {end[0]:.0f} {bend:.0f} {end[0]:.0f} {end[1]:.0f}" '
                f'fill="none" stroke="{SIGNAL}" stroke-opacity="0.35" stroke-width="1.2"/>'
            )
    for room, (x, top) in place.items():
        out.append(
            f'<rect x="{x:.0f}" y="{top:.0f}" width="{WIDE}" height="{heights[room]:.0f}" rx="8" fill="#fffdf8" stroke="{INK}" stroke-width="1.2"/>'
        )
        out.append(
            f'<text x="{x + 12:.0f}" y="{top + 24:.0f}" font-size="16" font-weight="bold" fill="{INK}">{escape(room)}</text>'
        )
        words = (ast.get_docstring(ast.parse((SOURCE / room / "__init__.py").read_text(encoding="utf-8"))) or "").split(
            "\n"
        )[0]
        first = words.split(":")[0].rstrip(".")
        out.append(
            f'<text x="{x + 12:.0f}" y="{top + 42:.0f}" font-size="10.5" fill="{QUIET}">{escape(first[:31])}</text>'
        )
        names = folders(room)
        for n in range(0, len(names), 3):
            line = " · ".join(names[n : n + 3])
            out.append(
                f'<text x="{x + 12:.0f}" y="{top + 58 + 5 * n:.0f}" font-size="10.5" fill="{INK}">{escape(line)}</text>'
            )
    below = "Under all of them: " + ", ".join(GROUND) + ". A line goes from a room down to one that it imports."
    out.append(f'<text x="{EDGE}" y="{height - 16:.0f}" font-size="11" fill="{QUIET}">{escape(below)}</text>')
    return "\n".join([*out, "</svg>", ""])


if __name__ == "__main__":
    (TOP / "docs" / "rooms.svg").write_text(drawing(), encoding="utf-8")
