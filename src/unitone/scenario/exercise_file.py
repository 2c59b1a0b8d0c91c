"""Exercises of one's own: a sheet and its physics, what is wrong hidden under a seal, in one file that a class can share."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path

import msgspec

from unitone import files
from unitone.errors import SheetError, TapeError
from unitone.job.seal import is_sealed, seal, unsealed
from unitone.scenario.exercise import OWN, SKILLS, Exercise
from unitone.sheet.format.bundle import Bundle
from unitone.sheet.library import Library, open_file, slug
from unitone.words import tr

FORMAT = "unitone-exercise/1"
ENDING = ".exercise.json"
#: A file with its sheet and physics may be so long (bytes).
_MOST = 4_000_000
#: What an exercise's file may say in a line, and in all of them together.
_LONGEST = 300


class Key(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """What is under the seal: what is wrong with the radio, and the radio."""

    turned: tuple[str, ...] = ()
    everything: bool = False
    far: tuple[float, float] = (0.55, 1.0)
    fault: str = ""
    leave_alone: bool = False
    steps: tuple[str, ...] = ()
    seed: int = 1
    sheet_text: str = ""
    physics_text: str = ""


class _File(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    format: str
    title: str
    complaint: str
    purpose: str
    habit: str
    skill: str
    grade: int
    sheet: str
    sealed: str


def opened(exercise: Exercise) -> tuple[Exercise, Bundle | None]:
    """An exercise with its key, and its radio where it brings its own; one of the ladder is given back. Raises TapeError for a broken seal,
    SheetError for what is under it."""
    if not exercise.sealed:
        return exercise, None
    try:
        key = msgspec.json.decode(unsealed(exercise.sealed), type=Key)
    except msgspec.DecodeError:
        raise SheetError([_damaged(exercise.title)]) from None
    whole = msgspec.structs.replace(
        exercise, sealed="", turned=key.turned, everything=key.everything, far=key.far, fault=key.fault, leave_alone=key.leave_alone,
        steps=key.steps, seed=exercise.seed,
    )  # fmt: skip
    return whole, Bundle(key.sheet_text, {}, key.physics_text)


def sealed_exercise(exercise: Exercise, library: Library) -> Exercise:
    """An exercise as it may be given away: with its radio, and what is wrong sealed. Raises SheetError where no radio can be made of it."""
    bundle = open_file(library.find(exercise.sheet))
    key = Key(
        exercise.turned, exercise.everything, exercise.far, exercise.fault, exercise.leave_alone, exercise.steps, exercise.seed,
        bundle.text, bundle.physics,
    )  # fmt: skip
    return msgspec.structs.replace(
        exercise, turned=(), everything=False, far=(0.55, 1.0), fault="", leave_alone=False, steps=(),
        sealed=seal(msgspec.json.encode(key).decode()),
    )  # fmt: skip


def write_exercise(path: Path, exercise: Exercise) -> None:
    """Write a sealed exercise. Raises SheetError where it says too little or too much, UnitoneError where the file cannot be written."""
    problems = _problems(exercise, str(path))
    if problems:
        raise SheetError(problems)
    told = {
        "format": FORMAT, "title": exercise.title, "complaint": exercise.complaint, "purpose": exercise.purpose, "habit": exercise.habit,
        "skill": exercise.skill, "grade": exercise.grade, "sheet": exercise.sheet, "sealed": exercise.sealed,
    }  # fmt: skip
    files.write_file(path, json.dumps(told, ensure_ascii=False, indent=1).encode())


def _problems(exercise: Exercise, path: str) -> list[str]:
    found = []
    if not exercise.title.strip():
        found.append(f"{path}:1: title: " + tr("is missing. Give the exercise a name."))
    if not exercise.complaint.strip():
        found.append(f"{path}:1: complaint: " + tr("is missing. Write what the owner says."))
    for name in ("title", "complaint", "purpose", "habit"):
        if len(getattr(exercise, name)) > _LONGEST:
            found.append(f"{path}:1: {name}: " + tr("is longer than {n} letters. Shorten it.", n=_LONGEST))
    if exercise.skill not in SKILLS:
        found.append(f"{path}:1: skill: " + tr("use one of {list}.", list=", ".join(SKILLS)))
    if not 1 <= exercise.grade <= 5:
        found.append(f"{path}:1: grade: " + tr("use 1 to 5."))
    if not is_sealed(exercise.sealed):
        found.append(f"{path}:1: sealed: " + tr("is missing. Make the exercise anew in Practice."))
    return found


def read_exercise(path: Path) -> Exercise:
    """Read one file. Raises SheetError with file, key and cure."""
    try:
        raw = msgspec.convert(files.read_json(path, _MOST), _File)
    except msgspec.ValidationError as error:
        raise SheetError([f"{path}:1: {error}. " + tr("Get the file anew from whoever made it.")]) from None
    except (OSError, ValueError) as error:
        reason = files.plain_reason(error)
        raise SheetError([f"{path}:1: file: " + tr("cannot be read ({reason}).", reason=reason)]) from None
    if raw.format != FORMAT:
        raise SheetError([f"{path}:1: format: " + tr("{format!r} needs a newer Unitone.", format=raw.format)])
    made = Exercise(
        OWN + slug(path.name.removesuffix(ENDING)), raw.skill, raw.grade, raw.title, raw.complaint, raw.purpose,  # type: ignore[arg-type]
        raw.habit, raw.sheet, sealed=raw.sealed,
    )  # fmt: skip
    problems = _problems(made, str(path))
    if problems:
        raise SheetError(problems)
    try:
        key = msgspec.json.decode(unsealed(made.sealed), type=Key)
    except (msgspec.DecodeError, TapeError):
        raise SheetError([f"{path}:1: sealed: {_damaged(made.title)}"]) from None
    return msgspec.structs.replace(made, seed=key.seed)


def own_exercises(folder: Path | None) -> tuple[list[Exercise], list[str]]:
    """The exercises of a workshop's own, by name, and what is wrong with those that cannot be used."""
    made: list[Exercise] = []
    problems: list[str] = []
    for path in _files(folder):
        try:
            made.append(read_exercise(path))
        except SheetError as error:
            problems += error.problems
    return made, problems


def _files(folder: Path | None) -> Sequence[Path]:
    if folder is None or not (folder / "exercises").is_dir():
        return ()
    return sorted(p for p in (folder / "exercises").iterdir() if p.name.endswith(ENDING) and not p.name.startswith("."))


def keep_exercise(folder: Path, exercise: Exercise) -> Path:
    """Put a sealed exercise among the workshop's own; returns its file. Raises SheetError, UnitoneError."""
    place = folder / "exercises"
    files.private_folder(place)
    path = place / f"{slug(exercise.title)}{ENDING}"
    n = 1
    while path.exists():
        n += 1
        path = place / f"{slug(exercise.title)}-{n}{ENDING}"
    write_exercise(path, exercise)
    return path


def take_in(folder: Path, path: Path) -> Exercise:
    """Take a file that somebody gave into the workshop's own exercises. Raises SheetError, UnitoneError."""
    made = read_exercise(path)
    return read_exercise(keep_exercise(folder, made))


def _damaged(title: str) -> str:
    return tr("{title}: the sealed part is damaged. Get the file anew from whoever made it.", title=title)
