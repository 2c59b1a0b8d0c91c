"""Sources of sheets: what a folder of others has that is new or different, and taking it over.

What is taken over is a copy in the workshop (``sheets/from/NAME``): it is there when the share is not, and changes only
when somebody says so. A sheet that was changed here is the workshop's own, of the same id: it stays in use, whatever
comes from the source.
"""

from __future__ import annotations

import difflib
import hashlib
import json
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any, Literal

from unitone import files
from unitone.errors import SheetError
from unitone.sheet.exchange.signing import Signature, files_in, read_sums, signature_of
from unitone.sheet.format.bundle import ENDING, Bundle, write_bundle
from unitone.sheet.format.read import parse_sheet
from unitone.sheet.library import Library, open_file, physics_path, slug
from unitone.words import tr

State = Literal["new", "same", "changed", "gone", "broken"]
#: Sources stand in the library's folder under this name, each with its index.
FROM = "from"
_INDEX = "source.json"
_LARGEST_INDEX = 2_000_000


@dataclass(frozen=True)
class Source:
    """A folder of others: its short name here, and where it is."""

    name: str
    place: Path


@dataclass(frozen=True)
class Offered:
    """A sheet of a source beside what the workshop has of it: ``own`` where the workshop has a version of its own."""

    id: str
    title: str
    path: Path
    state: State
    signature: Signature
    own: bool = False
    problems: tuple[str, ...] = ()


@dataclass(frozen=True)
class Looked:
    """A source as it is now; ``fingerprint`` is that of its signed list, empty where it has none."""

    source: Source
    offered: tuple[Offered, ...]
    fingerprint: str = ""


@dataclass(frozen=True)
class Changed:
    """A line of the differences: taken away, come, or the same on both sides."""

    sign: Literal["-", "+", " "]
    words: str


def sources(library: Library) -> list[Source]:
    """The sources that were added, by name; one whose index is damaged is left out."""
    if library.folder is None or not (library.folder / FROM).is_dir():
        return []
    found = []
    for folder in sorted((library.folder / FROM).iterdir()):
        if not folder.name.startswith(".") and (folder / _INDEX).is_file():
            place = str(_index(folder).get("place") or "")
            if place:
                found.append(Source(folder.name, Path(place)))
    return found


def add_source(library: Library, place: Path) -> Source:
    """Look at a folder from now on. Raises SheetError: it is none, it is the workshop's own, or nothing can be kept."""
    if library.folder is None:
        raise SheetError([f"{place}:1: file: " + tr("this logbook is in memory only, it keeps no sheets.")])
    place = place.absolute()
    if not place.is_dir():
        raise SheetError([f"{place}:1: file: " + tr("it is not a folder. Is it plugged in, or mounted?")])
    if place == library.folder.absolute() or library.folder.absolute() in place.parents:
        raise SheetError([f"{place}:1: file: " + tr("these are the workshop's own sheets. Choose a folder of others.")])
    there = next((s for s in sources(library) if s.place == place), None)
    if there is not None:
        return there
    taken = {s.name for s in sources(library)}
    base = slug(place.name) if place.name else "source"
    name, number = base, 2
    while name in taken:
        name, number = f"{base}-{number}", number + 1
    _keep_index(library.folder / FROM / name, {"place": str(place), "taken": {}})
    return Source(name, place)


def drop_source(library: Library, source: Source) -> None:
    """Look at it no longer: what was taken over is put aside, not destroyed. Raises SheetError."""
    folder = _folder(library, source)
    aside, number = folder.with_name(f".{source.name}.removed"), 2
    while aside.exists():
        aside, number = folder.with_name(f".{source.name}.removed-{number}"), number + 1
    try:
        folder.rename(aside)
    except OSError as error:
        raise SheetError([f"{folder}:1: file: {files.plain_reason(error)}"]) from None


def look(library: Library, source: Source) -> Looked:
    """Every sheet of a source, and how it stands to what was taken over; what is gone there comes last. Raises SheetError."""
    sums, taken = read_sums(source.place), _index(_folder(library, source)).get("taken", {})
    own = {p.stem for p in library.own()}
    offered: list[Offered] = []
    for path in files_in(source.place):
        if path.suffix == ENDING or (path.suffix == ".toml" and not path.name.endswith(".physics.toml")):
            made = _look_at(source, path, taken, path.stem in own)
            offered.append(_signed(made, source.place, sums))
    here = {o.id for o in offered}
    gone = [
        Offered(i, str(t.get("title") or i), source.place, "gone", "unsigned", i in own)
        for i, t in taken.items()
        if i not in here
    ]
    return Looked(source, tuple(sorted(offered, key=lambda o: o.title.lower()) + gone), sums.fingerprint)


def _look_at(source: Source, path: Path, taken: dict[str, Any], own: bool) -> Offered:
    try:
        bundle = open_file(path)
        sheet = parse_sheet(bundle.text, path.name, path.stem)
    except SheetError as error:
        return Offered(path.stem, path.stem, path, "broken", "unsigned", own, tuple(error.problems))
    before = taken.get(path.stem)
    state: State = "new" if before is None else "same" if before.get("content") == content_hash(bundle) else "changed"
    return Offered(path.stem, sheet.title.strip() or path.stem, path, state, "unsigned", own)


def _signed(made: Offered, folder: Path, sums: Any) -> Offered:
    if made.state == "broken" or not sums.hashes:
        return made
    parts = [made.path]
    if made.path.suffix == ".toml":
        pictures = [made.path.with_name(name) for name in open_file(made.path).pictures]
        parts += [p for p in (*pictures, physics_path(made.path)) if p.is_file()]
    return Offered(made.id, made.title, made.path, made.state, signature_of(folder, sums, tuple(parts)), made.own)


def content_hash(bundle: Bundle) -> str:
    """SHA-256 over what a sheet says and shows, however its file is packed."""
    made = hashlib.sha256(bundle.text.encode())
    for name, content in [*sorted(bundle.pictures.items()), ("physics", bundle.physics.encode())]:
        made.update(f"\0{name}\0{len(content)}\0".encode() + content)
    return made.hexdigest()


def take(library: Library, source: Source, offered: Offered) -> Path:
    """Take a sheet over as it is at the source now; the copy that was there stays beside it as ``.before``. Raises SheetError."""
    bundle = open_file(offered.path)
    parse_sheet(bundle.text, offered.path.name, offered.id)
    folder = _folder(library, source)
    path = folder / f"{offered.id}{ENDING}"
    if path.is_file():
        files.write_file(
            path.with_name(f"{path.name}.before"), files.read_bytes(path, files.PRIVATE_LARGEST), _as_sheet
        )
    write_bundle(path, bundle.text, bundle.pictures, bundle.physics)
    index = _index(folder)
    taken = {**index.get("taken", {}), offered.id: {"content": content_hash(bundle), "title": offered.title}}
    _keep_index(folder, {**index, "taken": taken})
    return path


def differences(library: Library, source: Source, offered: Offered) -> list[Changed]:
    """What taking a sheet over would change: against the workshop's own version, or against the copy that was taken over.

    Nothing for a new one. Raises SheetError.
    """
    path = next((p for p in library.own() if p.stem == offered.id), _folder(library, source) / f"{offered.id}{ENDING}")
    if offered.state in ("gone", "broken") or not path.is_file():
        return []
    return changes(open_file(path), open_file(offered.path))


def changes(old: Bundle, new: Bundle) -> list[Changed]:
    """The lines that differ, with two lines around them, and the pictures and the physics that do."""
    made: list[Changed] = []
    for line in difflib.unified_diff(old.text.splitlines(), new.text.splitlines(), n=2, lineterm=""):
        if line.startswith(("---", "+++")):
            continue
        if line.startswith("@@"):
            if made:
                made.append(Changed(" ", "…"))
        else:
            made.append(Changed(line[0], line[1:]))  # type: ignore[arg-type]
    for name in sorted({*old.pictures, *new.pictures}):
        before, now = old.pictures.get(name), new.pictures.get(name)
        if before == now:
            continue
        if before is not None:
            made.append(Changed("-", tr("picture {name}", name=name)))
        if now is not None:
            made.append(Changed("+", tr("picture {name}", name=name)))
    if old.physics != new.physics:
        made.append(Changed("+", tr("the simulated radio is another")))
    return made


def as_data(offered: Offered) -> dict[str, Any]:
    """For the command line."""
    return {**asdict(offered), "path": str(offered.path), "problems": list(offered.problems)}


def _folder(library: Library, source: Source) -> Path:
    assert library.folder is not None
    return library.folder / FROM / source.name


def _index(folder: Path) -> dict[str, Any]:
    """What is known of a source; nothing where it cannot be read: then all of it counts as new."""
    try:
        data = files.read_json(folder / _INDEX, _LARGEST_INDEX)
    except (OSError, ValueError):
        return {}
    if not isinstance(data, dict) or not isinstance(data.get("taken"), dict):
        return {}
    return data


def _keep_index(folder: Path, data: dict[str, Any]) -> None:
    try:
        files.private_folder(folder)
    except OSError as error:
        raise SheetError([f"{folder}:1: file: {files.plain_reason(error)}"]) from None
    files.write_file(folder / _INDEX, json.dumps(data, ensure_ascii=False, indent=1).encode(), _as_sheet)


def _as_sheet(words: str) -> SheetError:
    return SheetError([words])
