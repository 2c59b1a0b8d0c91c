"""Where sheets live: those that come with the program, the workshop's own, and paths given by hand."""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass, field, replace
from pathlib import Path

from unitone.errors import SheetError
from unitone.files import plain_reason
from unitone.sheet.format.bundle import ENDING, Bundle, read_bundle, write_bundle
from unitone.sheet.format.lines import key_lines
from unitone.sheet.format.pictures import read_picture
from unitone.sheet.format.read import parse_sheet, problem_lines, read_sheet, read_text
from unitone.sheet.model.sheet import Sheet
from unitone.words import N_, tr

DATA = Path(__file__).resolve().parent.parent / "data"
SHEETS = DATA / "sheets"
#: General procedures by kind of radio, for a radio without a sheet.
GENERAL = DATA / "general"
_MISSING = N_("the picture is not beside the sheet")


@dataclass(frozen=True)
class Kept:
    """A sheet as the library lists it; ``problems`` says why it cannot be used yet (empty: it can)."""

    id: str
    path: Path
    title: str
    kind: str
    steps: int
    own: bool
    simulated: bool
    problems: tuple[str, ...] = ()
    words: str = field(default="", repr=False)
    aliases: tuple[str, ...] = ()
    #: The source that it was taken over from; empty for the workshop's own and those of the program.
    source: str = ""


def built_in() -> list[Path]:
    """The sheet files that come with the program, by name."""
    return sorted(p for p in SHEETS.glob("*.toml") if not p.name.endswith(".physics.toml"))


def general() -> list[Path]:
    """The general procedures, by name."""
    return sorted(GENERAL.glob("*.toml"))


def physics_path(sheet_path: Path) -> Path:
    """Where the physics file of a sheet stands: NAME.physics.toml beside NAME.toml (it may be missing)."""
    return sheet_path.with_name(sheet_path.stem + ".physics.toml")


def open_file(path: Path) -> Bundle:
    """A sheet file as a bundle: a zip as it is; a TOML with the pictures and the physics beside it. Raises SheetError."""
    if path.suffix != ".toml":
        return read_bundle(path)
    text = read_text(path)
    pictures: dict[str, bytes] = {}
    left_out: list[str] = []
    for name in re.findall(r"^\s*(?:board|file)\s*=\s*\"([^\"/\\]+)\"", text, re.MULTILINE):
        try:
            beside = path.with_name(name)
            there = beside.is_file()
        except (OSError, ValueError):
            left_out.append(
                tr("{name}: is not a picture's name. Name a file beside the sheet, like board.png.", name=name[:40])
            )
            continue
        if there:
            try:
                pictures[name] = read_picture(beside)
            except SheetError as error:
                left_out += error.problems
        else:
            left_out.append(tr("{name}: {missing}. Add it in the editor.", name=name, missing=_MISSING))
    physics = read_text(physics_path(path)) if physics_path(path).is_file() else ""
    return Bundle(text, pictures, physics, tuple(left_out))


def slug(words: str) -> str:
    """A file name made of a title: letters, digits and dashes."""
    plain = unicodedata.normalize("NFKD", words).encode("ascii", "ignore").decode()
    return re.sub(r"[^a-z0-9]+", "-", plain.lower()).strip("-")[:60] or "sheet"


#: What a file held when it was last looked at, by place, time and size: a library of hundreds is looked at once.
_LOOKED: dict[tuple[Path, int, int], Kept] = {}


class Library:
    """The sheets that a workshop can use; its own live in ``folder`` (None: there are none)."""

    def __init__(self, folder: Path | None) -> None:
        self.folder = folder

    def own(self) -> list[Path]:
        """The workshop's own sheet files, by name."""
        if self.folder is None or not self.folder.is_dir():
            return []
        try:
            there = [p for p in self.folder.iterdir() if not p.name.startswith(".")]
        except OSError as error:
            reason = plain_reason(error)
            raise SheetError(
                [
                    f"{self.folder}:1: file: "
                    + tr("the folder cannot be read ({reason}). Check its permissions.", reason=reason)
                ]
            ) from None
        return sorted(
            p for p in there
            if p.suffix == ENDING or (p.suffix == ".toml" and not p.name.endswith(".physics.toml"))
        )  # fmt: skip

    def taken(self) -> list[Path]:
        """The sheets taken over from others (``sheet.exchange``); one that the workshop has a version of its own of is left out."""
        if self.folder is None:
            return []
        own = {p.stem for p in self.own()}
        return sorted(p for p in self.folder.glob(f"from/[!.]*/*{ENDING}") if p.stem not in own)

    def kept(self) -> list[Kept]:
        """Every sheet, the workshop's own first, then those of others; a file that cannot be used is listed with what is wrong."""
        taken = [replace(self._kept(p, False), source=p.parent.name) for p in self.taken()]
        return [self._kept(p, True) for p in self.own()] + taken + [self._kept(p, False) for p in built_in()]

    def _kept(self, path: Path, own: bool) -> Kept:
        try:
            stat = path.stat()
            key = (path, stat.st_mtime_ns, stat.st_size)
        except OSError:
            key = (path, 0, 0)
        found = _LOOKED.get(key)
        if found is None:
            found = _LOOKED[key] = self._look(path, own)
        return found

    def _look(self, path: Path, own: bool) -> Kept:
        try:
            bundle = open_file(path)
        except SheetError as error:
            return Kept(path.stem, path, path.name, "", 0, own, False, tuple(error.problems), path.stem)
        except Exception as error:  # one bad file must not take the others from the list
            words = f"{path}:1: file: " + tr(
                "cannot be read ({name}: {error}). Move it away, or correct it.", name=type(error).__name__, error=error
            )
            return Kept(path.stem, path, path.name, "", 0, own, False, (words,), path.stem)
        try:
            sheet = parse_sheet(bundle.text, path.name, path.stem)
        except SheetError as error:
            return Kept(path.stem, path, path.stem, "", 0, own, False, tuple(error.problems), path.stem)
        words = " ".join([sheet.title, sheet.kind, path.stem, *sheet.aliases, *(s.title for s in sheet.steps)]).lower()
        return Kept(
            path.stem, path, sheet.title.strip() or path.stem, sheet.kind, len(sheet.steps), own, bool(bundle.physics),
            (), words, sheet.aliases,
        )  # fmt: skip

    def find(self, name: str) -> Path:
        """The file of a sheet given by id or by path. Raises SheetError naming what there is."""
        for path in [*self.own(), *self.taken(), *built_in(), *general()]:
            if path.stem == name:
                return path
        given = Path(name)
        try:
            # What is there but no file (a folder, a pipe) is told by whoever opens it.
            if given.exists():
                return given
        except (OSError, ValueError):
            pass
        known = ", ".join(p.stem for p in [*self.own(), *self.taken(), *built_in()])
        raise SheetError([f"{name}:1: file: " + tr("no such sheet or file. Sheets there are: {known}.", known=known)])

    def free_id(self, wanted: str) -> str:
        """``wanted`` as a file name that no sheet of this library has yet."""
        taken = {p.stem for p in [*self.own(), *self.taken(), *built_in(), *general()]}
        name, number = slug(wanted), 2
        while name in taken:
            name, number = f"{slug(wanted)}-{number}", number + 1
        return name

    def save(self, identifier: str, bundle: Bundle) -> Path:
        """Keep a sheet as the workshop's own. Raises SheetError where there is no folder or it cannot be written."""
        if self.folder is None:
            raise SheetError([f"{identifier}:1: file: " + tr("this logbook is in memory only, it keeps no sheets.")])
        path = self.folder / f"{identifier}{ENDING}"
        write_bundle(path, bundle.text, bundle.pictures, bundle.physics)
        old = self.folder / f"{identifier}.toml"
        if old.is_file():
            old.rename(old.with_suffix(".toml.before"))
        return path

    def _draft_path(self, identifier: str) -> Path | None:
        return None if self.folder is None else self.folder / "drafts" / f"{identifier}{ENDING}"

    def keep_draft(self, identifier: str, bundle: Bundle) -> None:
        """Keep what is not saved of a sheet, apart from the sheet itself. Raises SheetError."""
        path = self._draft_path(identifier)
        if path is not None:
            write_bundle(path, bundle.text, bundle.pictures)

    def draft_of(self, identifier: str) -> Bundle | None:
        """What was not saved of a sheet, None where everything was; a draft that cannot be read counts as none."""
        path = self._draft_path(identifier)
        if path is None or not path.is_file():
            return None
        try:
            return read_bundle(path)
        except SheetError:
            return None

    def drop_draft(self, identifier: str) -> None:
        """The sheet itself is saved: its draft is no longer needed."""
        path = self._draft_path(identifier)
        if path is not None:
            path.unlink(missing_ok=True)

    def remove(self, path: Path) -> Path:
        """Put one of the workshop's own sheets aside (it is renamed, not destroyed); returns where it lies now."""
        if path not in self.own():
            raise SheetError([f"{path}:1: file: " + tr("comes with the program and stays.")])
        aside = path.with_name(f"{path.name}.removed")
        number = 2
        while aside.exists():
            aside, number = path.with_name(f"{path.name}.removed-{number}"), number + 1
        path.rename(aside)
        return aside

    def put_back(self, aside: Path) -> Path:
        """Undo ``remove``. Raises SheetError where the name has been taken since."""
        path = aside.with_name(aside.name.partition(".removed")[0])
        if path.exists():
            raise SheetError([f"{path}:1: file: " + tr("there is a sheet of that name again. Rename one of them.")])
        aside.rename(path)
        return path


def find(name: str) -> Path:
    """The file of a sheet that comes with the program, by id, or a path. Raises SheetError naming what there is."""
    return Library(None).find(name)


def load(name: str) -> Sheet:
    """The sheet of that id or path. Raises SheetError."""
    return read_sheet(find(name))


def check_file(path: Path) -> list[str]:
    """``FILE:LINE: key: what and cure`` for everything that is wrong with a sheet file; empty where it holds."""
    from unitone.sheet.format.build import check
    from unitone.sheet.format.read import to_data

    try:
        bundle = open_file(path)
        _, problems = check(to_data(bundle.text, str(path)), path.stem, bundle.text)
    except SheetError as error:
        return error.problems
    # A picture that is merely not there keeps nobody from using the sheet.
    refused = [w for w in bundle.left_out if _MISSING not in w]
    return problem_lines(problems, key_lines(bundle.text), str(path)) + [f"{path}:1: {w}" for w in refused]
