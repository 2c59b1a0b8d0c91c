"""The lines of a text cut into steps: tables, numbered items, blocks of ``key: value``, lines that begin with adjusters, paragraphs."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from unitone.sheet.drafting.phrases import NAMES

Line = tuple[int, str]

#: What a column, or the key of a line, is about; the first that fits.
_ROLES: tuple[tuple[str, str], ...] = (
    ("number", r"^(?:no|nr|step|#|item no|pos)\.?$"),
    ("min", r"^min(?:imum)?\.?$"), ("max", r"^max(?:imum)?\.?$"),
    ("limit", r"limit|spec|require|toleranc|rating|permitted"),
    ("adjust", r"adjust|align|^adj|^tune|^turn"),
    ("for", r"^for\b|nominal|reading|^value|indicat|result"),
    ("point", r"test ?point|connect|measuring|^point"),
    ("instrument", r"instrument|equipment|^meter"),
    ("condition", r"condition|set ?to|setting|input|signal|^mode|channel|procedure|remark|switch"),
    ("item", r"item|stage|circuit|section|^name|descript|purpose"),
)  # fmt: skip
_NUMBERED = re.compile(r"^\s*(?:step\s*)?(\d{1,2})\s*[.):]\s+(?=\S)", re.IGNORECASE)
_LETTERED = re.compile(r"^\s*\(?([a-z])\)\s+(?=\S)")
_SECTION = re.compile(r"^\s*\d+(?:\.\d+)+\.?\s+[A-Z][A-Za-z]{2}\D{0,57}$")
_NOTE = re.compile(r"^\s*(note|caution|warning|remark|attention)s?\b\s*[:.!]?\s*", re.IGNORECASE)
_RULE = re.compile(r"^[\s\-=_|+*.]*$")
_BEGINS = re.compile(
    rf"^\s*(?:{NAMES}(?:\s*(?:,|/|\+|&|and)\s*{NAMES})*|[a-z][a-z ./]{{1,24}}[^:=]{{0,16}})\s*[:=]\s+\S", re.IGNORECASE
)
_GUTTER_LEAST, _TWO_COLUMN_LINES = 2, 6


@dataclass
class Segment:
    """One step's words: where they stand, under which heading, and by column or key where the text has such."""

    line: int
    words: str
    heading: str = ""
    cells: dict[str, str] = field(default_factory=dict)
    cautions: list[str] = field(default_factory=list)
    #: It has a number of its own in the text.
    item: bool = False


def role_of(title: str) -> str:
    """What a column or key of that title is about; empty where nothing is known of it."""
    plain = title.strip().lower()
    return next((role for role, pattern in _ROLES if plain and re.search(pattern, plain)), "")


def segments_of(lines: Sequence[str]) -> list[Segment]:
    """The text cut into steps, in order."""
    numbered = [(n, line.rstrip()) for n, line in enumerate(lines, 1)]
    found: list[Segment] = []
    heading = ""
    for block in _blocks(_in_one_column(numbered)):
        block, heading = _without_headings(block, heading)
        if not block:
            continue
        if _goes_on(block, found):
            found[-1].words += " " + " ".join(line.strip() for _, line in block)
            continue
        for cut in (_delimited, _aligned, _keyed, _items, _line_by_line):
            made = cut(block, heading)
            if made:
                found += made
                break
        else:
            found += _paragraph(block, heading, found)
    return found


def _goes_on(block: list[Line], found: list[Segment]) -> bool:
    """Does a block belong to the numbered item before it: nothing of its own begins there (a scan puts blank lines anywhere)?"""
    if not found or not found[-1].item or _is_header(_chunks(block[0][1])):
        return False
    return not any(
        _NUMBERED.match(line) or _LETTERED.match(line) or _NOTE.match(line) or _BEGINS.match(line) for _, line in block
    )


# -- blocks and headings ----------------------------------------------------------------------------------


def _in_one_column(lines: list[Line]) -> list[Line]:
    """Two columns of prose side by side, one under the other."""
    body = [line for _, line in lines if line.strip()]
    if len(body) < _TWO_COLUMN_LINES or any(_is_header(_chunks(line)) for line in body):
        return lines
    width = max(map(len, body))
    best = (0.0, 0)
    for at in range(20, width - 15):
        free = [len(line) <= at or line[at - _GUTTER_LEAST + 1 : at + 1].strip() == "" for line in body]
        both = [line[:at].strip() != "" and line[at:].strip() != "" for line in body]
        share = sum(free) / len(body)
        if share >= 0.88 and sum(both) >= 0.5 * len(body) and (share, at) > best:
            best = (share, at)
    if not best[1]:
        return lines
    at = best[1]
    left: list[Line] = []
    right: list[Line] = []
    for n, line in lines:
        if len(line) > at and line[at - _GUTTER_LEAST + 1 : at + 1].strip():
            # A line across both columns: a title.
            left += [(n, line), (n, "")]
        else:
            left.append((n, line[:at].rstrip()))
            right.append((n, line[at:].strip()))
    return [*left, (0, ""), *right]


def _blocks(lines: list[Line]) -> Iterator[list[Line]]:
    block: list[Line] = []
    for n, line in lines:
        if line.strip():
            block.append((n, line))
        elif block:
            yield block
            block = []
    if block:
        yield block


def _is_heading(line: str) -> bool:
    plain = line.strip()
    if len(plain) > 60 or _SECTION.match(line):
        return bool(_SECTION.match(line))
    words = re.sub(r"^\d+\.?\s+", "", plain).rstrip(":")
    if not words or re.search(r"[;|=,]|\d", words):
        return False
    about = re.search(r"transmi|receiv|^tx$|^rx$|align|adjust|synth|section|side", words, re.IGNORECASE)
    return words.isupper() or (
        bool(about) and len(words.split()) <= 5 and not re.search(r"[.]\s*$", plain) and not role_of_line(plain)
    )


def role_of_line(line: str) -> str:
    """The role of a ``Key: value`` line; empty for any other."""
    key, colon, value = line.partition(":")
    return role_of(key) if colon and value.strip() and len(key) < 24 else ""


def _without_headings(block: list[Line], heading: str) -> tuple[list[Line], str]:
    """Headings at the top of a block hold for it and for what comes; a heading inside begins nothing here."""
    while block and (_is_heading(block[0][1]) or _RULE.match(block[0][1])):
        if len(block) > 1 and _NUMBERED.match(block[0][1]):
            # The title of an item, with its words under it.
            break
        if not _RULE.match(block[0][1]):
            heading = block[0][1].strip()
        block = block[1:]
    return block, heading


# -- tables -------------------------------------------------------------------------------------------------


def _is_header(cells: Sequence[str]) -> bool:
    return len(cells) >= 3 and sum(bool(role_of(c)) for c in cells) >= max(2, len(cells) // 2)


def _chunks(line: str) -> list[str]:
    return [c for c in re.split(r"\s{2,}", line.strip()) if c]


def _delimited(block: list[Line], heading: str) -> list[Segment]:
    for mark in ("|", ";", "\t"):
        header = [c.strip() for c in block[0][1].strip().strip("|").split(mark)]
        if not _is_header(header):
            continue
        roles = [role_of(c) for c in header]
        rows = []
        for n, line in block[1:]:
            if _RULE.match(line):
                continue
            cells = [c.strip() for c in line.strip().strip("|").split(mark)]
            rows.append(_row(n, roles, cells, heading))
        return rows
    return []


def _aligned(block: list[Line], heading: str) -> list[Segment]:
    titles = _chunks(block[0][1])
    if not _is_header(titles):
        return []
    starts, at = [], 0
    for title in titles:
        at = block[0][1].index(title, at)
        starts.append(at)
        at += len(title)
    roles = [role_of(t) for t in titles]
    rows: list[tuple[int, list[str]]] = []
    for n, line in block[1:]:
        if _RULE.match(line):
            continue
        cells = _sliced(line, starts)
        if cells[0] == "" and rows:
            rows[-1] = (rows[-1][0], [f"{a} {b}".strip() for a, b in zip(rows[-1][1], cells, strict=True)])
        else:
            rows.append((n, cells))
    return [_row(n, roles, cells, heading) for n, cells in rows]


def _sliced(line: str, starts: list[int]) -> list[str]:
    """Cells by where the header's columns begin; a word that runs over a border stays whole, where most of it lies."""
    edges = [0]
    for start in starts[1:]:
        edge = min(start, len(line))
        while 0 < edge < len(line) and line[edge - 1] != " ":
            edge -= 1
        edges.append(edge if edge > edges[-1] else start)
    return [line[a:b].strip() for a, b in zip(edges, [*edges[1:], None], strict=True)]


def _row(n: int, roles: list[str], cells: list[str], heading: str) -> Segment:
    by_role: dict[str, str] = {}
    for role, cell in zip(roles, cells, strict=False):
        if role and cell and cell not in ("-", "–", "—"):
            by_role[role] = f"{by_role[role]}, {cell}" if role in by_role else cell
    return Segment(
        n,
        "; ".join(c for r, c in zip([*roles, *[""] * len(cells)], cells, strict=False) if c and r != "number"),
        heading,
        by_role,
    )


# -- other forms -----------------------------------------------------------------------------------------------


def _keyed(block: list[Line], heading: str) -> list[Segment]:
    roles = [role_of_line(line) for _, line in block]
    if len(block) < 3 or sum(map(bool, roles)) < 0.7 * len(block):
        return []
    cells: dict[str, str] = {}
    for (_, line), role in zip(block, roles, strict=True):
        value = line.partition(":")[2].strip()
        if role and value:
            cells[role] = f"{cells[role]}, {value}" if role in cells else value
    return [Segment(block[0][0], "; ".join(line.strip() for _, line in block), heading, cells)]


def _items(block: list[Line], heading: str) -> list[Segment]:
    if not any(_NUMBERED.match(line) or _LETTERED.match(line) for _, line in block):
        return []
    found: list[Segment] = []
    for n, line in block:
        if _is_heading(line) and _SECTION.match(line):
            heading = line.strip()
            continue
        if _NUMBERED.match(line) or _LETTERED.match(line) or not found:
            words = _LETTERED.sub("", _NUMBERED.sub("", line)).strip()
            found.append(Segment(n, words, heading, item=True))
        elif note := _NOTE.match(line):
            found[-1].cautions.append(line[note.end() :].strip())
        else:
            found[-1].words += " " + line.strip()
    return found


def _line_by_line(block: list[Line], heading: str) -> list[Segment]:
    if len(block) < 2 or sum(bool(_BEGINS.match(line)) for _, line in block) < 0.6 * len(block):
        return []
    return [Segment(n, line.strip(), heading) for n, line in block]


def _paragraph(block: list[Line], heading: str, before: list[Segment]) -> list[Segment]:
    words = " ".join(line.strip() for _, line in block)
    note = _NOTE.match(words)
    if note and before:
        before[-1].cautions.append(words[note.end() :].strip())
        return []
    return [Segment(block[0][0], words, heading)]
