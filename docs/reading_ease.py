"""How easily the program reads: sentence lengths of its texts, and Flesch's reading ease of the manual.

    PYTHONPATH=src .venv/bin/python docs/reading_ease.py [FOLDER]

Texts are the string literals of two words or more in FOLDER's src/unitone (default: here), without docstrings and
formulas: the same rule fits sources from before texts were marked for translation. Reading ease: R. Flesch, "A new
readability yardstick", J. Applied Psychology 32 (1948), 206.835 − 1.015 words a sentence − 84.6 syllables a word;
syllables are pyphen's hyphenation points and one, or the groups of vowels where those are more.
"""

from __future__ import annotations

import ast
import re
import sys
from collections.abc import Iterator
from pathlib import Path

import pyphen

TOP = Path(__file__).resolve().parents[1]
_HYPHENS = pyphen.Pyphen(lang="en_GB")


def literals(folder: Path) -> Iterator[str]:
    """The texts of the sources, docstrings left out."""
    for path in sorted((folder / "src" / "unitone").rglob("*.py")):
        tree = ast.parse(path.read_text(encoding="utf-8"))
        docstrings = {
            id(node.body[0].value)
            for node in ast.walk(tree)
            if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef)
            and node.body
            and isinstance(node.body[0], ast.Expr)
        }
        pieces = {id(v) for n in ast.walk(tree) if isinstance(n, ast.JoinedStr) for v in n.values}
        for node in ast.walk(tree):
            if isinstance(node, ast.JoinedStr):
                text = "".join(v.value if isinstance(v, ast.Constant) else "X" for v in node.values)  # type: ignore[misc]
            elif isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in docstrings | pieces:
                text = node.value
            else:
                continue
            if (
                len(re.findall(r"[A-Za-z]{2,}", text)) > 1
                and "\n" not in text
                and not re.search(r"[{}<>_=/\\]{2}|;$", text)
            ):
                yield text


def sentences(text: str) -> list[str]:
    """A text cut at its full stops, question and exclamation marks."""
    return [x for x in re.split(r"(?<=[.!?])\s+", re.sub(r"\{[^}]*\}", "X", text)) if re.search("[A-Za-z]", x)]


def lengths(texts: Iterator[str]) -> list[int]:
    """Words of each sentence, rising."""
    return sorted(len(re.findall(r"[\w'’\-]+", s)) for t in texts for s in sentences(t))


def syllables(word: str) -> int:
    """At least one."""
    vowels = len(re.findall(r"[aeiouy]+", re.sub(r"(?<=[^l])e$", "", word.lower())))
    return max(1, vowels, len(_HYPHENS.positions(word)) + 1)


def flesch(markdown: str) -> tuple[float, float, float]:
    """(words a sentence, syllables a word, reading ease) of a page, without its code, links' addresses and pictures."""
    text = re.sub(r"<!--.*?-->|!\[[^\]]*\]\([^)]*\)", "", markdown, flags=re.DOTALL)
    text = re.sub(r"\[([^\]]*)\]\([^)]*\)", r"\1", re.sub(r"^    .*$", "", text, flags=re.MULTILINE))
    text = re.sub(r"`[^`]*`", "X", text)
    said = [
        sentence
        for block in re.split(r"\n\s*\n|\n(?=\s*(?:[-|#]|\d+\.))", text)
        for sentence in re.split(r"(?<=[.!?])\s+", re.sub(r"[#*|>_]+|^\s*\d+\.", " ", block.replace("\n", " ")).strip())
        if re.search("[a-z]", sentence)
    ]
    words = re.findall(r"[A-Za-z][A-Za-z'’]*", " ".join(said))
    a, b = len(words) / len(said), sum(map(syllables, words)) / len(words)
    return a, b, 206.835 - 1.015 * a - 84.6 * b


def main() -> None:
    """Print both for a folder."""
    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else TOP
    found = lengths(literals(folder))
    whole = sorted(
        n
        for t in literals(folder)
        for s in sentences(t)
        if s.rstrip()[-1] in ".!?" and (n := len(re.findall(r"[\w'’\-]+", s))) > 3
    )
    print(
        f"whole sentences: {len(whole)}, median {whole[len(whole) // 2]} words, 95 % within {whole[int(0.95 * len(whole))]}"
    )
    print(
        f"all texts: {len(found)} sentences, median {found[len(found) // 2]} words, 95 % within {found[int(0.95 * len(found))]}"
    )
    a, b, ease = flesch((folder / "docs" / "manual.md").read_text(encoding="utf-8"))
    print(f"manual: {a:.1f} words a sentence, {b:.2f} syllables a word, reading ease {ease:.0f}")


if __name__ == "__main__":
    main()
