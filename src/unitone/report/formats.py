"""A certificate written down: HTML, PDF, CSV, JSON."""

from __future__ import annotations

import csv
import io
import json

from unitone.errors import UnitoneError
from unitone.report.certificate import Certificate
from unitone.words import tr

FORMATS = ("pdf", "html", "csv", "json")


def render(certificate: Certificate, form: str) -> bytes:
    """The certificate in ``form``. Raises UnitoneError for a form that is not known."""
    if form == "json":
        return json.dumps(certificate.to_data(), ensure_ascii=False, indent=1).encode()
    if form == "csv":
        return _csv(certificate)
    if form == "html":
        from unitone.report.html import to_html

        return to_html(certificate).encode()
    if form == "pdf":
        from unitone.report._pdf import to_pdf

        return to_pdf(certificate)
    raise UnitoneError(
        tr("No certificate in the form {form!r}. Use one of {list}.", form=form, list=", ".join(FORMATS))
    )


def _csv(certificate: Certificate) -> bytes:
    """One line a result, with the job on each, in UTF-8."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(
        ["job", "radio", "serial", "simulated", "phase", "step", "channel", "limit", "source", "found", "found_value",
         "found_verdict", "left", "left_value", "verdict", "instrument", "remark"]
    )  # fmt: skip
    for r in certificate.rows:
        writer.writerow(
            [certificate.number, certificate.radio, certificate.serial, "yes" if certificate.simulated else "no", r.phase,
             r.title, r.channel, r.limit, r.source, r.found, r.found_value, r.found_verdict, r.left, r.left_value, r.verdict,
             r.instrument, r.remark]
        )  # fmt: skip
    return out.getvalue().encode("utf-8")
