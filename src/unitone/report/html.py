"""The certificate as one HTML page that needs nothing else."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from jinja2 import Environment, FileSystemLoader

from unitone.job.verdicts import describe_verdict
from unitone.report.certificate import Certificate

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


def to_html(certificate: Certificate) -> str:
    """The page, with everything that was typed escaped."""
    return render_template("certificate.html", c=certificate, shapes=SHAPES)


def render_template(name: str, **values: Any) -> str:
    """One of the shipped templates, with everything that was typed escaped."""
    environment = Environment(loader=FileSystemLoader(_TEMPLATES), autoescape=True)
    environment.globals["verdict_words"] = describe_verdict
    return environment.get_template(name).render(**values)
