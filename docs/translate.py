"""Texts of the program and their translations: extract, update, compile, and what is missing.

    PYTHONPATH=src .venv/bin/python docs/translate.py [--check]

Extracts every text (Python, the papers' templates, the sheets that ship) into ``data/locale/unitone.pot``, merges it
into each language's ``unitone.po`` and compiles that. With --check nothing is written: exit code 1 where a file would
change or a text of a language is missing.
"""

from __future__ import annotations

import ast
import io
import re
import sys
import tomllib
from collections.abc import Iterator
from datetime import UTC, datetime
from functools import cache
from pathlib import Path
from typing import Any

from babel.messages.catalog import Catalog
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po

from unitone.words import LANGUAGES, LOCALE

TOP = Path(__file__).resolve().parents[1]
SOURCE = TOP / "src" / "unitone"
#: Functions whose first argument is a text (of tr_n: the first two).
_MARKS = {"tr": 1, "N_": 1, "tr_n": 2}
_MARKED = re.compile(r"\b(?:tr|N_|tr_n)\(")
#: Texts in the papers' templates.
_IN_TEMPLATE = re.compile(r'\btr\("((?:[^"\\]|\\.)*)"')
#: What of a sheet is read by people.
_SHEET_KEYS = frozenset(
    {
        "title",
        "note",
        "caution",
        "where",
        "tool",
        "does",
        "sign",
        "cause",
        "cure",
        "what",
        "how",
        "at",
        "coupling",
        "source",
    }
)

#: What of a recipe is.
_RECIPE_KEYS = frozenset({"name", "wish", "why", "leave", "caution", "words", "where", "was", "now"})


def from_python(path: Path) -> Iterator[str | tuple[str, str]]:
    """The texts of a module, in their order."""
    if not _MARKED.search(path.read_text(encoding="utf-8")):
        return
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in _MARKS:
            given = [
                a.value
                for a in node.args[: _MARKS[node.func.id]]
                if isinstance(a, ast.Constant) and isinstance(a.value, str)
            ]
            if len(given) == 2:
                yield given[0], given[1]
            elif given and given[0]:
                yield given[0]


def from_sheet(data: Any, key: str = "", keys: frozenset[str] = _SHEET_KEYS) -> Iterator[str]:
    """The texts of a sheet, or of a recipe, that ships."""
    if isinstance(data, dict):
        for name, value in data.items():
            yield from from_sheet(value, name, keys)
    elif isinstance(data, list):
        for value in data:
            yield from from_sheet(value, key, keys)
    elif isinstance(data, str) and key in keys and re.search("[A-Za-z]{3}", re.sub(r"\{[^}]*\}", "", data)):
        yield data


@cache
def extracted() -> Catalog:
    """Every text that there is, with the file it stands in."""
    catalog = Catalog(project="Unitone", charset="utf-8")
    for path in sorted(SOURCE.rglob("*.py")):
        for message in from_python(path):
            catalog.add(message, locations=[(str(path.relative_to(SOURCE)), 0)])
    for path in sorted((SOURCE / "report").glob("*.html")):
        for text in _IN_TEMPLATE.findall(path.read_text(encoding="utf-8")):
            catalog.add(text, locations=[(str(path.relative_to(SOURCE)), 0)])
    # The radios that general procedures are tried on are shown to nobody.
    for path in sorted(p for folder in ("general", "sheets") for p in (SOURCE / "data" / folder).glob("*.toml")):
        if not path.name.endswith(".physics.toml"):
            sheet = tomllib.loads(path.read_text(encoding="utf-8"))
            for text in (sheet["model"]["kind"], *from_sheet(sheet)):
                catalog.add(text, locations=[(str(path.relative_to(SOURCE)), 0)])
    for path in sorted((SOURCE / "data" / "instruments").glob("*.toml")):
        for text in from_sheet(tomllib.loads(path.read_text(encoding="utf-8")), keys=frozenset({"name"})):
            catalog.add(text, locations=[(str(path.relative_to(SOURCE)), 0)])
    for path in sorted((SOURCE / "data" / "recipes").glob("*.toml")):
        for text in from_sheet(tomllib.loads(path.read_text(encoding="utf-8")), keys=_RECIPE_KEYS):
            catalog.add(text, locations=[(str(path.relative_to(SOURCE)), 0)])
    return catalog


def po_path(language: str) -> Path:
    """Where a language's texts stand."""
    return LOCALE / language / "LC_MESSAGES" / "unitone.po"


def merged(language: str, template: Catalog) -> Catalog:
    """A language's catalogue with today's texts: what is gone is dropped, nothing is guessed."""
    path = po_path(language)
    if path.is_file():
        with path.open("rb") as file:
            catalog = read_po(file, locale=language)
    else:
        catalog = Catalog(locale=language, project="Unitone", charset="utf-8")
    catalog.update(template, no_fuzzy_matching=True)
    catalog.obsolete.clear()
    return catalog


def written(catalog: Catalog) -> bytes:
    """A catalogue as a file, the same bytes for the same texts."""
    out = io.BytesIO()
    write_po(out, catalog, width=150, sort_output=True, omit_header=False, include_lineno=False)
    # No date of making: a file changes when a text does.
    return re.sub(
        rb'"(POT-Creation-Date|PO-Revision-Date|Generated-By|Last-Translator|Language-Team): [^\n]*\n',
        b"",
        out.getvalue(),
    )


def compiled(catalog: Catalog) -> bytes:
    """The catalogue as gettext reads it."""
    # The same bytes for the same texts, whenever they are compiled.
    catalog.creation_date = catalog.revision_date = datetime(2026, 1, 1, tzinfo=UTC)
    out = io.BytesIO()
    write_mo(out, catalog)
    return out.getvalue()


def missing(catalog: Catalog) -> list[str]:
    """Texts that have no translation."""
    found = []
    for message in catalog:
        if message.id and not (all(message.string) if isinstance(message.string, tuple) else message.string):
            found.append(message.id[0] if isinstance(message.id, tuple) else message.id)
    return found


def main() -> int:
    """Write everything, or check it."""
    check = "--check" in sys.argv
    template = extracted()
    todo = {LOCALE / "unitone.pot": written(template)}
    bad = False
    for language in LANGUAGES:
        if language == "en":
            continue
        catalog = merged(language, template)
        lacking = missing(catalog)
        bad |= bool(lacking)
        print(
            f"{language}: {len(catalog) - len(lacking)} of {len(catalog)} texts",
            *(f"  {t!r}" for t in lacking[:20]),
            sep="\n",
        )
        po = written(catalog)
        todo[po_path(language)] = po
        todo[po_path(language).with_suffix(".mo")] = compiled(read_po(io.BytesIO(po), locale=language))
    for path, content in todo.items():
        if path.is_file() and path.read_bytes() == content:
            continue
        bad = True
        print(f"{'differs' if check else 'written'}: {path.relative_to(TOP)}")
        if not check:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(content)
    return 1 if check and bad else 0


if __name__ == "__main__":
    sys.exit(main())
