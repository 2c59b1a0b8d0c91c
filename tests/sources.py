"""The sources as the tests look at them: read once a process, imports and classes without the expressions in between."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from pathlib import Path

SOURCE = Path(__file__).resolve().parents[1] / "src" / "unitone"
MODULES = sorted(SOURCE.rglob("*.py"))


@dataclass(frozen=True)
class Facts:
    """What a module imports (module, names), its classes (name, lines, bases), and which public top-level names explain themselves."""

    imports: tuple[tuple[str, tuple[str, ...]], ...]
    classes: tuple[tuple[str, int, tuple[str, ...]], ...]
    empty: bool
    explained: bool
    unexplained: tuple[str, ...]


def statements(node: ast.AST) -> Iterator[ast.stmt]:
    """Every statement, however deep, without a look into expressions."""
    for name in ("body", "orelse", "finalbody", "handlers", "cases"):
        for inner in getattr(node, name, ()):
            if isinstance(inner, ast.stmt):
                yield inner
            yield from statements(inner)


@cache
def facts(path: Path) -> Facts:
    """Of one module."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    imports: list[tuple[str, tuple[str, ...]]] = []
    classes = []
    for node in statements(tree):
        if isinstance(node, ast.Import):
            imports += [(a.name, ()) for a in node.names]
        elif isinstance(node, ast.ImportFrom):
            imports.append((node.module or "", tuple(a.name for a in node.names)))
        elif isinstance(node, ast.ClassDef):
            lines = (node.end_lineno or 0) - node.lineno
            classes.append((node.name, lines, tuple(b.id for b in node.bases if isinstance(b, ast.Name))))
    public = [n for n in tree.body if isinstance(n, ast.FunctionDef | ast.ClassDef) and not n.name.startswith("_")]
    return Facts(
        tuple(imports), tuple(classes), not tree.body, bool(ast.get_docstring(tree)), tuple(n.name for n in public if not ast.get_docstring(n))
    )  # fmt: skip
