"""The papers as one HTML page each that needs nothing else."""

from __future__ import annotations

import base64
from pathlib import Path
from typing import Any

from jinja2 import Environment, FileSystemLoader
from markupsafe import Markup

from unitone.report.certificate import Certificate, Row, told_below
from unitone.words import day, language, tr

_TEMPLATES = Path(__file__).resolve().parent
#: Verdicts are told by shape as well as by word and colour.
SHAPES = {
    "accepted": "△",
    "not applicable": "–",
    "in_spec": "●",
    "left_as_found": "□",
    "out_of_spec": "▲",
    "recheck": "◆",
    "todo": "○",
    "undecided": "◐",
    "": "",
}
_INK = {"out_of_spec": "#a8322a", "accepted": "#a8322a", "recheck": "#5a4b86", "undecided": "#5a4b86"}


def to_html(certificate: Certificate) -> str:
    """The page, with everything that was typed escaped."""
    return render_template("certificate.html", c=certificate, shapes=SHAPES, below=told_below(certificate))


def render_template(name: str, **values: Any) -> str:
    """One of the shipped templates, with everything that was typed escaped."""
    environment = Environment(loader=FileSystemLoader(_TEMPLATES), autoescape=True)
    environment.globals.update(tr=tr, day=day, lang=language(), bar=_bar, mark=lambda b: base64.b64encode(b).decode())
    return environment.get_template(name).render(**values)


def _bar(row: Row) -> Markup:
    """A limit bar: the band, a ring where the reading was found, a disc or triangle where it was left."""
    low, high = row.band
    parts = [
        '<rect x="0" y="7" width="160" height="6" rx="3" fill="#eae5da"/>',
        f'<rect x="{low * 160:.1f}" y="6" width="{max(high - low, 0.05) * 160:.1f}" height="8" rx="4" fill="#dcebdc" stroke="#8db08f"/>',
    ]
    found, left = (None if p is None else 5 + p * 150 for p in (row.found_place, row.left_place))
    if found is not None and left is not None:
        parts.append(f'<line x1="{found:.1f}" x2="{left:.1f}" y1="10" y2="10" stroke="#56626a"/>')
    if found is not None:
        parts.append(f'<circle cx="{found:.1f}" cy="10" r="4" fill="#fff" stroke="#1d2b33"/>')
    if left is not None:
        ink = _INK.get(row.verdict, "#2f6636")
        if row.verdict == "out_of_spec":
            parts.append(f'<path d="M{left - 5:.1f} 14 L{left + 5:.1f} 14 L{left:.1f} 5 Z" fill="{ink}"/>')
        else:
            parts.append(f'<circle cx="{left:.1f}" cy="10" r="4.4" fill="{ink}"/>')
    return Markup('<svg width="160" height="20" role="img" aria-hidden="true">' + "".join(parts) + "</svg>")
