"""A half-good file: what could be read of it, and a list of what could not. Nothing is thrown away."""

from __future__ import annotations

import re
import tomllib
from dataclasses import dataclass, field
from typing import Any

from unitone.quantities.older_names import in_todays_names
from unitone.words import tr

_HEADER = re.compile(r"^\s*\[")
_KEY = re.compile(r"^\s*(?:[A-Za-z0-9_\-]+|\"[^\"]*\")\s*=")
_NAMED = re.compile(r"^\s*(\[\[?)\s*([A-Za-z0-9_\-.]+)\s*\]\]?\s*(?:#.*)?$")
#: Tables that a sheet writes as lists of tables.
LISTS = (
    "oscillator", "mixing", "control", "picture", "adjuster", "part", "action", "test_point", "stage", "step",
    "voltage", "inspect", "known_fault",
)  # fmt: skip


@dataclass(frozen=True)
class Recovered:
    """``data`` as TOML would have it; ``lost`` tells each line that could not be read; ``left`` holds those lines."""

    data: dict[str, Any]
    lost: tuple[str, ...] = ()
    left: tuple[str, ...] = field(default=(), repr=False)


def recover(text: str, name: str) -> Recovered:
    """What can be read of ``text``: all of it where it is TOML, else block by block and line by line."""
    try:
        return Recovered(_shaped(in_todays_names(tomllib.loads(text))[0])[0])
    except (tomllib.TOMLDecodeError, RecursionError, ValueError):
        pass
    data: dict[str, Any] = {}
    lost: list[str] = []
    left: list[str] = []
    for first, block in _blocks(text.splitlines()):
        got = _read(block)
        if got is None:
            got, bad = _line_by_line(block)
            for number in bad:
                lost.append(
                    f"{name}:{first + number}: "
                    + tr("{strip!r} could not be read. Type it anew.", strip=block[number].strip()[:60])
                )
                left.append(block[number])
        problem = _join(data, got, block[0] if block else "")
        if problem:
            lost.append(f"{name}:{first}: {problem}")
            left += block
    shaped, odd = _shaped(in_todays_names(data)[0])
    return Recovered(shaped, tuple(lost + [f"{name}:1: {o}" for o in odd]), tuple(left))


def _blocks(lines: list[str]) -> list[tuple[int, list[str]]]:
    """Runs of lines from one table header to the next, with the number of their first line."""
    found: list[tuple[int, list[str]]] = [(1, [])]
    for number, line in enumerate(lines, 1):
        if _HEADER.match(line) and (_NAMED.match(line) or "=" not in line):
            found.append((number, []))
        found[-1][1].append(line)
    return [(n, b) for n, b in found if b]


def _read(block: list[str]) -> dict[str, Any] | None:
    try:
        return tomllib.loads("\n".join(block))
    except (tomllib.TOMLDecodeError, RecursionError, ValueError):
        return None


def _line_by_line(block: list[str]) -> tuple[dict[str, Any], list[int]]:
    """Keep every key of a block that can be read; numbers of the lines that cannot."""
    good: list[str] = []
    bad: list[int] = []
    at = 0
    while at < len(block):
        end = at + 1
        while end < len(block) and not _KEY.match(block[end]) and end - at < 200:
            end += 1
        # A value may go on over several lines: take them together, else the first alone.
        for piece_end in sorted({end, at + 1}, reverse=True):
            if _read([*good, *block[at:piece_end]]) is not None:
                good += block[at:piece_end]
                at = piece_end
                break
        else:
            if block[at].strip():
                bad.append(at)
            at += 1
    return _read(good) or {}, bad


def _join(data: dict[str, Any], got: dict[str, Any], header: str) -> str:
    """Add a block's content; what is there already stays and is told."""
    for key, value in got.items():
        if isinstance(value, list) and isinstance(data.get(key), list) and _HEADER.match(header):
            data[key] += value
        elif isinstance(value, dict) and isinstance(data.get(key), dict):
            twice = [k for k in value if k in data[key]]
            data[key] = {**value, **data[key]}
            if twice:
                return tr("{key}.{twice} stands twice. The first was kept.", key=key, twice=twice[0])
        elif key in data:
            return tr("{key} stands twice. The first was kept.", key=key)
        else:
            data[key] = value
    return ""


def _shaped(data: dict[str, Any]) -> tuple[dict[str, Any], list[str]]:
    """Lists are lists of tables and tables are tables; what is neither is told and left out."""
    odd: list[str] = []
    made = dict(data)
    for key in LISTS:
        if key not in made:
            continue
        value = made[key]
        if isinstance(value, dict):
            made[key] = [value]
        elif not isinstance(value, list):
            odd.append(tr("{key}: {value!r} is not a list of [[{key}]] tables and was left out.", key=key, value=value))
            del made[key]
        elif any(not isinstance(item, dict) for item in value):
            odd.append(tr("{key}: has something that is not a table; it was left out.", key=key))
            made[key] = [item for item in value if isinstance(item, dict)]
    for key in ("model", "channels", "conventions"):
        if key in made and not isinstance(made[key], dict):
            odd.append(tr("{key}: {made!r} is not a table and was left out.", key=key, made=made[key]))
            del made[key]
    return made, odd
