"""What a window's class asks of itself is there: a method that moved to another class leaves no caller behind."""

from __future__ import annotations

import ast
import importlib
import inspect
import pkgutil
from functools import cache
from pathlib import Path

import pytest

pytest.importorskip("PyQt6.QtWidgets")

import unitone.desktop

pytestmark = pytest.mark.window


def is_python(of: type) -> bool:
    try:
        return inspect.getfile(of).endswith(".py")
    except (TypeError, OSError):
        return False


@cache
def classes(path: Path) -> dict[str, ast.ClassDef]:
    return {n.name: n for n in ast.walk(ast.parse(path.read_text(encoding="utf-8"))) if isinstance(n, ast.ClassDef)}


def names(of: type, context: type) -> dict[str, int]:
    """The names that a class uses of ``self`` to read (Load) or to set (Store), with a line of each."""
    node = classes(Path(inspect.getfile(of))).get(of.__name__)
    return {
        n.attr: n.lineno
        for n in (ast.walk(node) if node is not None else ())
        if isinstance(n, ast.Attribute)
        and isinstance(n.value, ast.Name)
        and n.value.id == "self"
        and isinstance(n.ctx, context)
    }


def test_no_class_asks_itself_for_what_it_has_not() -> None:
    missing, seen = [], 0
    for found in pkgutil.walk_packages(unitone.desktop.__path__, "unitone.desktop."):
        module = importlib.import_module(found.name)
        for of in vars(module).values():
            # (A class that makes up its names as they are asked for is not looked at.)
            if (
                not isinstance(of, type)
                or of.__module__ != module.__name__
                or inspect.isfunction(getattr(of, "__getattr__", None))
            ):
                continue
            seen += 1
            # Ours, and those written in Python elsewhere, set what they have when they are made.
            ours = [c for c in of.__mro__ if is_python(c)]
            has = set[str]().union(*(names(c, ast.Store) for c in ours), *(inspect.get_annotations(c) for c in ours))
            missing += [
                f"{found.name}:{n} {of.__name__}.{x}"
                for x, n in names(of, ast.Load).items()
                if x not in has and not hasattr(of, x)
            ]
    assert seen > 150 and missing == []
