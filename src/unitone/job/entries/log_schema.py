"""The log's published form: a JSON Schema made from the classes of its entries."""

from __future__ import annotations

from typing import Any

import msgspec

from unitone.job.entries import KINDS
from unitone.job.entries.notes import Damaged


def log_schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of a job's log, as it stands in a job's file: entries in order, each of one kind."""
    classes = [cls for cls in KINDS.values() if cls is not Damaged]

    def hook(kind: type) -> dict[str, Any]:
        raise TypeError(f"{kind} has no form")

    places, forms = msgspec.json.schema_components(classes, schema_hook=hook, ref_template="#/$defs/{name}")
    # On disk, conditions leave out what is not given, and a panel is a mapping.
    forms["Conditions"]["properties"]["panel"] = {"type": "object", "additionalProperties": {"type": "string"}}
    envelope = {
        "id": {"type": "string", "pattern": "^[0-7][0-9A-HJKMNP-TV-Z]{25}$"}, "seq": {"type": "integer", "minimum": 1},
        "utc": {"type": "string", "format": "date-time"}, "bench_s": {"type": "number", "minimum": 0},
    }  # fmt: skip
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "The log of a job, unitone-job/1",
        "type": "array",
        "items": {
            "oneOf": [
                {
                    "type": "object", "properties": {**envelope, "kind": {"const": cls.kind}, "data": place},
                    "required": ["id", "seq", "kind", "utc", "bench_s", "data"],
                }
                for cls, place in zip(classes, places, strict=False)
            ]
        },
        "$defs": forms,
    }  # fmt: skip
