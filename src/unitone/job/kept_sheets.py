"""Sheets that logs keep, ready for use: each once, as jobs share theirs."""

from __future__ import annotations

from functools import lru_cache

from unitone.sheet.model.sheet import Sheet


@lru_cache(maxsize=32)
def kept_sheet(text: str, identifier: str) -> Sheet:
    """The sheet of that text. Raises SheetError."""
    # What reads a sheet takes a while to load, and the list of jobs needs no sheet.
    from unitone.sheet.format.read import parse_sheet

    return parse_sheet(text, identifier, identifier, kept=True)
