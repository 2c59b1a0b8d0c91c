"""Reads what the program says, as its users do: plain words, short sentences, terms of the glossary, and a whole second language."""

from __future__ import annotations

import ast
import importlib.util
import re
import string
from functools import cache, lru_cache
from pathlib import Path
from types import ModuleType

import pytest

from unitone.align.moves import Advice
from unitone.job.card import Card
from unitone.present.bench.bench_view import take_view
from unitone.present.bench.sentences import sentence
from unitone.present.glossary import terms
from unitone.robot.technician import align
from unitone.session.session import Session, open_job
from unitone.sheet.library import built_in
from unitone.store.logbook import Logbook
from unitone.words import in_language

TOP = Path(__file__).resolve().parents[1]
SOURCE = TOP / "src" / "unitone"
#: Archaic, invented or riddling: what a technician would not say at the next bench.
FORBIDDEN = re.compile(
    r"\b(nought|mend\w*|bears|smells|whether it may|so many|thereof|of nothing|told apart|stand-ins?|tape|schools?|Sums|lest|hence|wherefore"
    r"|shall|control volts|rail volts|supply volts|audio volts|AVC volts|bias volts|left alone|adjuster in hand|said of|came with it"
    r"|stands? (?:in|apart|still|by)|strikes?|struck)\b",
    re.IGNORECASE,
)
#: A label is a noun: what has one of these is a clause.
CLAUSE = re.compile(
    r"\b(is|are|was|were|has|have|had|does|did|bears|holds|stands|should|said|came|gives|makes|wants)\b", re.IGNORECASE
)
LABEL_ROLES = ("heading", "title", "page", "small")
#: Names of file formats, standards, bodies and units: no terms of the trade.
NO_TERMS = frozenset({
    "PNG", "JPEG", "PDF", "HF", "MW", "SW", "SVG", "MB", "UTF", "TOML", "JSON", "CSV", "WAV", "FLAC", "SHA", "DOCTYPE", "ENTITY",
    "CFR", "EN", "IEC", "ILAC", "JCGM", "IARU", "ITU", "CEPT", "MPT", "DC", "FET", "INSTR", "OVER", "SCPI", "TCPIP", "VISA", "MA", "CL", "CW", "NF",
})  # fmt: skip
UNITS = frozenset(["dB", "dBm", "dBc", "µV", "mV", "V", "W", "mW", "A", "mA", "Hz", "kHz", "MHz"])
ON_AIR = re.compile(r"\b(transmit\w*|key|keyed|keying)\b", re.IGNORECASE)
IMPERATIVES = frozenset(["Turn", "Log", "Set", "Go", "Hook", "Seal", "Finish"])
#: What a step ends with, instead of an order.
ENDS = ("Go on.", "leave it alone.", "but look at it.", "print the certificate.")


@cache
def translating() -> ModuleType:
    """The module that extracts and compiles the texts."""
    where = importlib.util.spec_from_file_location("translate", TOP / "docs" / "translate.py")
    assert where is not None and where.loader is not None
    module = importlib.util.module_from_spec(where)
    where.loader.exec_module(module)
    return module


@pytest.fixture(scope="session")
def texts() -> list[str]:
    found = [m.id for m in translating().extracted() if m.id]
    return [t for ids in found for t in (ids if isinstance(ids, tuple) else (ids,))]


@lru_cache(maxsize=1)
def all_calls() -> dict[str, list[tuple[str, ast.Call]]]:
    """Every call of a plain name, by that name."""
    found: dict[str, list[tuple[str, ast.Call]]] = {}
    for path in sorted(SOURCE.rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name):
                found.setdefault(node.func.id, []).append((f"{path.relative_to(SOURCE)}:{node.lineno}", node))
    return found


def calls(name: str) -> list[tuple[str, ast.Call]]:
    return all_calls().get(name, [])


def sentences(text: str) -> list[str]:
    return [x for x in re.split(r"(?<=[.!?])\s+", re.sub(r"\{[^}]*\}", "X", text)) if x]


def test_no_text_has_a_word_that_nobody_says(texts: list[str]) -> None:
    assert len(texts) > 3000
    assert [t for t in texts if FORBIDDEN.search(t)] == []


def test_sentences_are_short(texts: list[str]) -> None:
    lengths = sorted(len(re.findall(r"[\w'’\-]+", s)) for t in texts for s in sentences(t))
    assert lengths[len(lengths) // 2] <= 9 and lengths[int(0.95 * len(lengths))] <= 16


def test_abbreviations_are_the_trades_own(texts: list[str]) -> None:
    known = set(re.findall(r"\b[A-Z]{2,}\b", " ".join(s for t in terms() for s in t.spellings))) | NO_TERMS
    used = {w for t in texts for w in re.findall(r"\b[A-Z]{2,}\b", re.sub(r"\{[^}]*\}", "", t))}
    assert sorted(used - known) == []


def test_labels_are_nouns_and_no_clauses() -> None:
    labels = []
    for where, node in calls("label"):
        first = node.args[0]
        if not (isinstance(first, ast.Constant) and first.value in LABEL_ROLES) or len(node.args) < 2:
            continue
        said = node.args[1]
        if (
            isinstance(said, ast.Call)
            and getattr(said.func, "id", "") == "tr"
            and isinstance(said.args[0], ast.Constant)
        ):
            labels.append((where, str(said.args[0].value)))
    for where, node in calls("Ask"):
        said = node.args[1]
        if isinstance(said, ast.Call) and isinstance(said.args[0], ast.Constant):
            labels.append((where, str(said.args[0].value)))
    assert len(labels) > 50
    assert [x for x in labels if CLAUSE.search(x[1]) and not x[1].endswith("?")] == []


def test_every_placeholder_is_given() -> None:
    wrong = []
    for name, first in (("tr", 0), ("tr_n", 1)):
        for where, node in calls(name):
            said = node.args[first] if len(node.args) > first else None
            if not isinstance(said, ast.Constant) or any(k.arg is None for k in node.keywords) or not node.keywords:
                continue
            wanted = {field.split(".")[0] for _, field, _, _ in string.Formatter().parse(str(said.value)) if field}
            given = {k.arg for k in node.keywords} | ({"n"} if name == "tr_n" else set())
            if wanted - given or (name == "tr" and given - wanted):
                wrong.append((where, wanted ^ given))
    assert wrong == []


def test_german_says_everything(monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]) -> None:
    """Every text has its German, with the same placeholders, and what gettext reads is what the source says."""
    module = translating()
    monkeypatch.setattr("sys.argv", ["translate.py", "--check"])
    assert module.main() == 0, capsys.readouterr().out
    with module.po_path("de").open("rb") as file:
        catalogue = module.read_po(file, locale="de")
    fields = re.compile(r"\{[^{}]*\}")
    for message in catalogue:
        if message.id:
            english = message.id[-1] if isinstance(message.id, tuple) else message.id
            german = message.string[-1] if isinstance(message.string, tuple) else message.string
            assert sorted(fields.findall(english)) == sorted(fields.findall(german)), english


@pytest.mark.parametrize("language", ["en", "xx"])
def test_nothing_speaks_of_transmitting_where_nothing_is_sent(language: str) -> None:
    """Every step of every sheet that ships, as the Bench shows it before its first reading."""
    seen = 0
    with Logbook(None) as book:
        for path in built_in():
            session = Session(book, open_job(book, path.stem, Card(book.next_number(), path.stem)))
            session.start_work()
            for step in session.state.sheet.steps:
                session.go_to(step.id)
                with in_language(language):
                    view = take_view(session)
                said = (view.coach.headline, view.coach.detail, view.hook_up.words, view.step.dial_words)
                if language == "en" and step.hook_up != "transmit":
                    assert not [s for s in said if ON_AIR.search(s) and "up for transmit" not in s], (
                        path.stem,
                        step.id,
                        said,
                    )
                    seen += 1
                if language == "xx":
                    # What is not in brackets was never marked for translation.
                    assert [s for s in said[:2] if s and "[" not in s] == [], (path.stem, step.id)
                    seen += 1
    assert seen > 40


def test_a_headline_says_what_to_do_in_seven_words() -> None:
    heard: set[str] = set()
    with Logbook(None) as book:
        for kept, seed in (("ostrel-tarn-40", 11), ("ostrel-weir-40-am", 12)):
            session = Session(book, open_job(book, kept, Card(book.next_number(), kept, simulated_seed=seed)))

            def hear(advice: Advice, session: Session = session) -> None:
                said = sentence(advice, session.state.sheet, dict(session.state.positions))[0]
                # The name of a step or of what is read counts as one word, however long.
                step = session.state.sheet.step(advice.step)
                heard.add(said.replace(step.title, "Step").replace(step.quantity.title, "reading"))

            assert align(session, hear).finished
    assert len(heard) > 40
    for headline in heard:
        # The channel that is meant is no part of the order.
        order = re.sub(r" on (band|channel|[A-Z]+,).*", ".", headline)
        said = [w for w in order.rstrip(".").split() if re.search("[A-Za-z]", w) and w not in UNITS]
        assert len(said) <= 7, headline
        assert order.split()[0] in IMPERATIVES or order.endswith(ENDS), headline
