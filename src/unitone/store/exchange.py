"""One job as a file of its own (JSON, ``unitone-job/1``): taken out, with or without its owner, and taken in.

The schema is published as ``docs/job.schema.json``.
"""

from __future__ import annotations

import base64
import binascii
import hashlib
import json
import math
from pathlib import Path, PurePath
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from unitone.errors import StoreError, TapeError, UnitoneError
from unitone.files import plain_reason, read_json, write_file
from unitone.job.card import Card
from unitone.job.entries import KINDS, entry_from_data
from unitone.job.fold import fold
from unitone.job.privacy import names_in, without
from unitone.job.state import JobState
from unitone.job.summary import summary
from unitone.store.logbook import Logbook, text_hash
from unitone.words import tr

FORMAT = "unitone-job/1"
#: A job's file is far smaller; what is larger is none.
MAX_BYTES = 120_000_000


#: A job's number is typed by people.
MAX_NUMBER = 999_999_999
_ULID = "^[0-7][0-9A-HJKMNP-TV-Z]{25}$"
_UTC = r"^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d{1,9})?(Z|[+-]\d\d:\d\d)$"
#: Whole numbers beyond this are not the same in every program (2⁵³).
_MOST = 2**53


class _Strict(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, strict=True)


class EntryFile(_Strict):
    """One entry of the tape."""

    id: str = Field(pattern=_ULID)
    seq: int = Field(ge=1, le=10_000_000)
    kind: str
    utc: str = Field(pattern=_UTC)
    bench_s: float = Field(ge=0, le=1e10, allow_inf_nan=False)
    data: dict[str, Any]


class JobPart(_Strict):
    """The row of the job: its card and the list's picture of it (computed anew when the job is next worked on)."""

    id: str = Field(pattern=_ULID)
    number: int = Field(ge=1, le=MAX_NUMBER)
    radio: str
    status: str
    updated: str = Field(pattern=_UTC)
    card: dict[str, Any]
    summary: dict[str, Any]


class JobFile(_Strict):
    """A job's file: the row, the whole tape in order, and the pictures that it names (base64, by SHA-256)."""

    format: Literal["unitone-job/1"]
    job: JobPart
    tape: list[EntryFile] = Field(min_length=1)
    pictures: dict[str, str] = {}


def export_job(book: Logbook, job_id: str, without_owner: bool = False) -> dict[str, Any]:
    """A job as plain data in the form ``unitone-job/1``; without its owner and call sign where that is asked.

    Raises StoreError.
    """
    data: dict[str, Any] = {"format": FORMAT, **without_paths(book.export_job(job_id))}
    return _scrub(data) if without_owner else data


def without_paths(job: dict[str, Any]) -> dict[str, Any]:
    """A job as plain data without the places of this machine: the first version kept the whole path of the sheet."""
    tape = [
        {**e, "data": {**e["data"], "sheet_path": PurePath(str(e["data"]["sheet_path"])).name}}
        if "sheet_path" in e["data"]
        else e
        for e in job["tape"]
    ]
    return {**job, "tape": tape}


def _scrub(data: dict[str, Any]) -> dict[str, Any]:
    """Leave out owner and call sign, wherever they stand: on the card, in later cards, and inside other words."""
    cards = [data["job"]["card"], *(e["data"]["card"] for e in data["tape"] if "card" in e["data"])]
    names = names_in(cards, (str(e["data"].get("who") or "") for e in data["tape"] if e["kind"] == "on-air"))

    def clean(value: Any, key: str = "") -> Any:
        if isinstance(value, dict):
            return {k: clean(v, k) for k, v in value.items()}
        if isinstance(value, list):
            return [clean(v) for v in value]
        if not isinstance(value, str) or key in ("sheet_text", "physics_text", "sheet_hash", "physics_hash"):
            return value
        if key in ("owner", "call_sign", "who"):
            return ""
        return without(value, names)

    return {**data, "job": clean(data["job"]), "tape": [{**e, "data": clean(e["data"])} for e in data["tape"]]}


def write_job(book: Logbook, job_id: str, path: Path, without_owner: bool = False) -> None:
    """Write a job's file, whole or not at all. Raises StoreError."""
    content = json.dumps(export_job(book, job_id, without_owner), ensure_ascii=False, indent=1).encode()
    write_file(path, content, StoreError)


def read_job(path: Path) -> dict[str, Any]:
    """The data of a job's file, checked: shape, order of the tape, pictures, and that it folds. Raises StoreError."""
    try:
        data = read_json(path, MAX_BYTES)
    except OSError as error:
        raise StoreError(
            tr("{path}: cannot be read ({why}). Check its name.", path=path, why=plain_reason(error))
        ) from None
    except ValueError as error:
        reason = plain_reason(error)
        raise StoreError(
            tr("{path}: is not JSON ({reason}). Take a file that “export” wrote.", path=path, reason=reason)
        ) from None
    given = data.get("format") if isinstance(data, dict) else None
    if given != FORMAT:
        newer = isinstance(given, str) and given.startswith("unitone-job/")
        cure = tr("It needs a newer Unitone.") if newer else tr("Take a file that “export” wrote.")
        raise StoreError(
            tr("{path}: its format is {given!r}, not {what!r}. {cure}", path=path, given=given, what=FORMAT, cure=cure)
        )
    try:
        made = JobFile.model_validate(data)
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(p) for p in first["loc"])
        raise StoreError(
            tr("{path}: {place}: {first}. Nothing was taken over.", path=path, place=place, first=first["msg"])
        ) from None
    if words := _unsound(data):
        raise StoreError(tr("{path}: {words}. Nothing was taken over.", path=path, words=words))
    state = _check_tape(path, made)
    # What the list shows is worked out here: a file's own summary is a copy that nobody checked.
    try:
        row = {
            "card": state.card.to_data(), "summary": summary(state), "status": state.status[0], "radio": state.sheet.title,
        }  # fmt: skip
        json.dumps(row, allow_nan=False)
    except (UnitoneError, KeyError, TypeError, ValueError, AttributeError, IndexError, ArithmeticError) as error:
        raise StoreError(
            tr(
                "{path}: its state cannot be worked out ({name}). Nothing was taken over.",
                path=path,
                name=type(error).__name__,
            )
        ) from None
    whole = made.model_dump()
    return {**whole, "job": {**whole["job"], **row}}


def _unsound(value: Any, place: str = "") -> str:
    """Why data cannot be kept: text that is no Unicode, a number beyond all bounds; empty where it can."""
    if isinstance(value, dict):
        return next((w for k, v in value.items() if (w := _unsound(k, place) or _unsound(v, f"{place}.{k}"[:200]))), "")
    if isinstance(value, list):
        return next((w for n, v in enumerate(value) if (w := _unsound(v, f"{place}.{n}"[:200]))), "")
    where = place.strip(".")[:80].encode("utf-8", "replace").decode()
    if isinstance(value, str):
        try:
            value.encode("utf-8")
        except UnicodeEncodeError:
            return tr("{where}: has text that is not Unicode", where=where)
        return tr("{where}: has a zero character", where=where) if "\0" in value else ""
    if isinstance(value, bool) or value is None:
        return ""
    if isinstance(value, int) and abs(value) > _MOST:
        return tr("{where}: {value} is not a number that can be kept", where=where, value=str(value)[:24])
    if isinstance(value, float) and not math.isfinite(value):
        return tr("{where}: is infinite", where=where)
    return ""


def _check_tape(path: Path, made: JobFile) -> JobState:
    if [e.seq for e in made.tape] != list(range(1, len(made.tape) + 1)):
        raise StoreError(
            tr("{path}: entries are missing from its log or out of order. Nothing was taken over.", path=path)
        )
    if len({e.id for e in made.tape}) != len(made.tape):
        raise StoreError(tr("{path}: an entry is in it twice. Nothing was taken over.", path=path))
    unknown = next((e for e in made.tape if e.kind not in KINDS or e.kind == "damaged"), None)
    if unknown is not None:
        raise StoreError(
            tr(
                "{path}: entry {seq} is of a kind ({kind!r}) that needs a newer Unitone.",
                path=path,
                seq=unknown.seq,
                kind=unknown.kind,
            )
        )
    for hashed, content in made.pictures.items():
        try:
            right = hashlib.sha256(base64.b64decode(content, validate=True)).hexdigest() == hashed
        except binascii.Error:
            right = False
        if not right:
            raise StoreError(tr("{path}: a picture in it is damaged. Nothing was taken over.", path=path))
    for entry in made.tape:
        for name in ("sheet", "physics"):
            written, named = entry.data.get(f"{name}_text"), entry.data.get(f"{name}_hash")
            if (written is None and named is None) or (
                isinstance(written, str) and named in (None, text_hash(written))
            ):
                continue
            raise StoreError(
                tr(
                    "{path}: the {name} in entry {seq} is not the one that it names. Nothing was taken over.",
                    path=path,
                    name=name,
                    seq=entry.seq,
                )
            )
    try:
        state = fold([entry_from_data(e.model_dump()) for e in made.tape], made.job.id)
        if state.unreadable:
            raise TapeError(tr("entry {unreadable} is not of the form of its kind", unreadable=state.unreadable[0]))
        pictures = {h for e in made.tape for h in (e.data.get("pictures") or {}).values()}
    except (UnitoneError, KeyError, TypeError, ValueError, AttributeError, IndexError, ArithmeticError) as error:
        words = str(error).encode("utf-8", "replace").decode()[:300]
        raise StoreError(
            tr("{path}: its log is not consistent ({words}). Nothing was taken over.", path=path, words=words)
        ) from None
    if words := _card_problem(state.card):
        raise StoreError(tr("{path}: its card: {words}. Nothing was taken over.", path=path, words=words))
    if pictures - set(made.pictures):
        raise StoreError(tr("{path}: a picture that its log names is not in it. Nothing was taken over.", path=path))
    return state


def _card_problem(card: Card) -> str:
    """What of a card is of the wrong kind; empty where nothing is."""
    if not (isinstance(card.number, int) and not isinstance(card.number, bool) and 1 <= card.number <= MAX_NUMBER):
        return tr("its number is none")
    for name in ("sheet_id", "serial", "owner", "complaint", "call_sign", "first_look", "simulated_fault"):
        if not isinstance(getattr(card, name), str):
            return tr("{name} is not text", name=name)
    if not all(isinstance(x, str) for x in (*card.accessories, *card.missing)):
        return tr("its accessories are not text")
    seed = card.simulated_seed
    return (
        ""
        if seed is None or (isinstance(seed, int) and not isinstance(seed, bool) and seed >= 0)
        else tr("its seed is not a number")
    )


def import_job(book: Logbook, data: dict[str, Any]) -> tuple[int, bool]:
    """Take in a job from ``read_job``; (its number here, whether another job had its number already).

    Raises StoreError for a job that is here already; nothing is changed then.
    """
    row = dict(data["job"])
    here = book.find_job(row["id"])
    if here is not None:
        raise StoreError(
            tr("This job is here already, as job {number:04d}. Nothing was taken over.", number=here.number)
        )
    number, renumbered, tape = row["number"], False, data["tape"]
    taken = book.entries_here([e["id"] for e in tape])
    if taken:
        raise StoreError(
            tr(
                "{taken} of its entries are in this logbook already, in another job. Nothing was taken over.",
                taken=taken,
            )
        )
    if not book.number_is_free(number):
        number, renumbered = book.next_number(), True
        row |= {"number": number, "card": {**row["card"], "number": number}}
        first = tape[0]
        opening = {**first, "data": {**first["data"], "card": {**first["data"]["card"], "number": number}}}
        tape = [opening, *tape[1:]]
    book.import_jobs([{"job": row, "tape": tape, "pictures": data["pictures"]}])
    return number, renumbered
