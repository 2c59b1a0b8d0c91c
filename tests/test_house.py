"""The house itself: contracts that name real rooms, documented functions, licences, locks, the launcher."""

from __future__ import annotations

import importlib.util
import os
import subprocess
import sys
import tomllib
from pathlib import Path
from typing import Any

import pytest

from sources import MODULES, facts

TOP = Path(__file__).resolve().parent.parent
SOURCES = MODULES
CORE = [p for p in SOURCES if "desktop" not in p.parts]


def test_the_contracts_name_modules_that_exist() -> None:
    contracts = tomllib.loads((TOP / "pyproject.toml").read_text())["tool"]["importlinter"]["contracts"]
    layers, apart, forbidden = contracts
    named = [m.strip() for line in layers["layers"] for m in line.split("|")] + forbidden["source_modules"]
    for module in [*named, *apart["source_modules"], *apart["forbidden_modules"]]:
        if module != "unitone.desktop":
            assert importlib.util.find_spec(module) is not None, module
    rooms = {
        f"unitone.{p.name}" for p in (TOP / "src" / "unitone").iterdir() if p.is_dir() and (p / "__init__.py").exists()
    }
    assert rooms <= set(named)
    assert set(forbidden["forbidden_modules"]) == {"PyQt6", "pyqtgraph"}


@pytest.mark.parametrize("path", CORE, ids=lambda p: str(p.relative_to(TOP / "src")))
def test_the_core_knows_no_qt_and_explains_itself(path: Path) -> None:
    found = facts(path)
    assert not any(module.split(".")[0] in ("PyQt6", "pyqtgraph") for module, _ in found.imports)
    if path.name in ("__init__.py", "__main__.py", "env.py") and found.empty:
        return
    assert found.explained, "a module says what it is for"
    assert found.unexplained == ()


def test_nothing_is_left_unfinished() -> None:
    for path in SOURCES:
        text = path.read_text(encoding="utf-8")
        for word in ("TO" + "DO", "FIX" + "ME", "NotImplemented" + "Error"):
            assert word not in text, (path, word)


#: The same subject in three rooms: what decides, what is done with it, what is shown.
SUBJECTS = {"align", "session", "present"}
#: What stands at the edge of a room, under one name in each.
EDGES = {"ports.py"}


def test_a_subject_is_found_by_the_name_of_its_file() -> None:
    """No name twice in the core, but where the rooms make it plain: one subject decided, done and shown; a folder of align; an entry."""
    places: dict[str, list[Path]] = {}
    for path in CORE:
        if path.name != "__init__.py" and not {"migrations", "entries"} & set(path.parts):
            places.setdefault(path.name, []).append(path.relative_to(TOP / "src" / "unitone"))
    for name, found in places.items():
        rooms = [p.parts[0] for p in found]
        plain = set(rooms) <= SUBJECTS and len(
            {p.parts[:2] if p.parts[0] == "align" else p.parts[:1] for p in found}
        ) == len(found)
        assert len(found) == 1 or plain or name in EDGES, (name, found)


def test_a_part_of_one_module_says_so() -> None:
    """A file that only one other file of its own folder uses begins with an underscore."""
    modules = {
        ".".join(p.relative_to(TOP / "src").with_suffix("").parts): p for p in SOURCES if p.name != "__init__.py"
    }
    users: dict[str, set[str]] = {m: set() for m in modules}
    for name, path in modules.items():
        for imported, names in facts(path).imports:
            for wanted in (imported, *(f"{imported}.{n}" for n in names)):
                if names and wanted in users:
                    users[wanted].add(name)
    folder = {m: m.rpartition(".")[0] for m in modules}
    for module, by in users.items():
        one = next(iter(by), "")
        # What is shown is put together in one place from many subjects, each with a name of its own; so are commands and pages.
        together = one.rpartition(".")[2] in (
            "bench_view",
            "charts",
            "commands",
            "main",
            "page",
            "editor",
            "app",
            "window",
            "advise",
        )
        if len(by) == 1 and folder[one] == folder[module] and not together and "desktop" not in module:
            assert module.rpartition(".")[2].startswith("_"), (module, by)


def test_no_class_is_split_by_inheritance_over_files() -> None:
    """A class of the core that another file inherits from is a port, an error, a kind of entry or a written shape: small and abstract."""
    allowed = {"Exception", "Protocol", "NamedTuple", "BaseModel"}
    for path in CORE:
        for name, lines, bases in facts(path).classes:
            assert not (lines > 150 and set(bases) - allowed), (path.name, name, bases)


def test_what_the_docs_draw_and_list_is_what_the_code_has() -> None:
    drawn = (TOP / "docs" / "rooms.svg").read_text(encoding="utf-8")
    assert docs_script("draw_rooms").drawing() == drawn, "draw it anew: .venv/bin/python docs/draw_rooms.py"
    page = (TOP / "docs" / "physics.md").read_text(encoding="utf-8")
    assert docs_script("list_physics_keys").written(page) == page, (
        "PYTHONPATH=src .venv/bin/python docs/list_physics_keys.py"
    )


def docs_script(name: str) -> Any:
    """A script of docs/ as a module."""
    spec = importlib.util.spec_from_file_location(name, TOP / "docs" / f"{name}.py")
    assert spec is not None and spec.loader is not None
    script = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(script)
    return script


def test_licences_stand_beside_what_they_cover() -> None:
    data = TOP / "src" / "unitone" / "data"
    assert "GNU GENERAL PUBLIC LICENSE" in (TOP / "LICENSE").read_text()
    assert "SIL OPEN FONT LICENSE" in (data / "fonts" / "OFL-B612.txt").read_text()
    assert "ISC License" in (data / "icons" / "LICENSE-lucide.txt").read_text()
    assert {p.name for p in (data / "fonts").glob("*.ttf")} == {"B612-Regular.ttf", "B612-Bold.ttf"}


def test_every_locked_package_has_a_version_and_a_hash() -> None:
    plain = (TOP / "requirements.lock").read_text()
    for name in ("requirements.lock", "requirements-dev.lock"):
        blocks = [
            b for b in (TOP / name).read_text().replace("\\\n", " ").splitlines() if b.strip() and not b.startswith("#")
        ]
        assert len(blocks) > 25
        assert all("==" in b and "--hash=sha256:" in b for b in blocks)
    # The development lock holds the plain one at the same versions.
    wanted = {line.split(" ")[0] for line in plain.splitlines() if "==" in line}
    assert wanted <= {
        line.split(" ")[0] for line in (TOP / "requirements-dev.lock").read_text().splitlines() if "==" in line
    }


def test_pictures_and_documents_are_linked() -> None:
    readme = (TOP / "README.md").read_text(encoding="utf-8")
    shots = list((TOP / "docs" / "screenshots").glob("*.png"))
    assert 3 <= len(shots) < 20 and all(s.name in readme for s in shots)
    for name in ("manual.md", "sheet.md", "physics.md", "ARCHITECTURE.md", "robot.md", "measured.md", "accuracy.md"):
        assert f"docs/{name}" in readme and (TOP / "docs" / name).is_file()
    assert "./unitone demo" in readme and "./unitone test" in readme


def test_the_published_schema_is_that_of_the_program() -> None:
    import json

    from unitone.bench.wire.instrument_card import InstrumentCard
    from unitone.conversions.recipe import Recipe
    from unitone.sheet.format.keys import SheetFile
    from unitone.simulator.physics import PhysicsFile

    written = json.loads((TOP / "docs" / "instrument.schema.json").read_text(encoding="utf-8"))
    assert written == InstrumentCard.model_json_schema()
    assert json.loads((TOP / "docs" / "recipe.schema.json").read_text(encoding="utf-8")) == Recipe.model_json_schema()
    assert json.loads((TOP / "docs" / "sheet.schema.json").read_text(encoding="utf-8")) == SheetFile.model_json_schema()
    assert (
        json.loads((TOP / "docs" / "physics.schema.json").read_text(encoding="utf-8"))
        == PhysicsFile.model_json_schema()
    )


def test_the_manual_tells_every_physics_and_sheet_key() -> None:
    from unitone.sheet.format import keys as form
    from unitone.simulator import physics

    for module, page in ((form, "sheet.md"), (physics, "physics.md")):
        text = (TOP / "docs" / page).read_text(encoding="utf-8")
        for value in vars(module).values():
            if isinstance(value, type) and hasattr(value, "model_fields") and value.__module__ == module.__name__:
                for key in value.model_fields:
                    assert f"`{key}`" in text or key in text, (page, value.__name__, key)


def test_a_second_start_does_no_set_up_work() -> None:
    stamps = sorted((TOP / ".venv").glob("installed-*.lock"))
    if not stamps:
        pytest.skip("not started through the launcher")
    before = [s.stat().st_mtime_ns for s in stamps]
    done = subprocess.run([TOP / "unitone", "--version"], capture_output=True, text=True, check=False)
    assert done.returncode == 0 and done.stdout.startswith("unitone ") and done.stderr == ""
    assert [s.stat().st_mtime_ns for s in stamps] == before


def test_without_a_new_enough_python_the_launcher_names_the_cure(tmp_path: Path) -> None:
    clone = tmp_path / "clone"
    clone.mkdir()
    for name in ("unitone", "requirements.lock"):
        (clone / name).write_bytes((TOP / name).read_bytes())
    (clone / "unitone").chmod(0o755)
    tools = tmp_path / "bin"
    tools.mkdir()
    for tool in ("sh", "dirname", "cmp"):
        (tools / tool).symlink_to(f"/usr/bin/{tool}" if Path(f"/usr/bin/{tool}").exists() else f"/bin/{tool}")
    (tools / "python3").write_text("#!/bin/sh\nexit 1\n")
    (tools / "python3").chmod(0o755)
    done = subprocess.run(
        [clone / "unitone", "demo"], env={"PATH": str(tools)}, capture_output=True, text=True, check=False
    )
    assert done.returncode == 3 and "Python 3.11" in done.stderr and "apt-get install" in done.stderr


def test_missing_system_packages_are_named(monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]) -> None:
    from unitone import setup_venv

    monkeypatch.setitem(setup_venv.QT_LIBRARIES, "libnowhere.so.9", "libnowhere9")
    monkeypatch.setattr(setup_venv.shutil, "which", lambda _: None)
    assert {"libnowhere9", "xvfb"} <= set(setup_venv.missing_packages(True))
    setup_venv.install_system_packages(["libnowhere9"])
    assert "sudo apt-get install -y --no-install-recommends libnowhere9" in capsys.readouterr().err


def test_the_core_opens_without_qt_installed() -> None:
    """A process in which Qt cannot be imported still aligns, reports and lists."""
    code = (
        "import sys\n"
        "class No:\n"
        "    def find_spec(self, name, path=None, target=None):\n"
        "        if name.split('.')[0] in ('PyQt6', 'pyqtgraph'): raise ModuleNotFoundError(name)\n"
        "sys.meta_path.insert(0, No())\n"
        "from unitone.cli.commands import run\n"
        "sys.exit(run(['sheet', 'list']) or run(['level', '1uV']))\n"
    )
    environment = {**os.environ, "PYTHONPATH": str(TOP / "src")}
    done = subprocess.run([sys.executable, "-c", code], env=environment, capture_output=True, text=True, check=False)
    assert done.returncode == 0 and "Ostrel Tarn 40" in done.stdout, done.stderr


def test_a_second_first_start_waits_and_finds_the_work_done(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from unitone import setup_venv

    (tmp_path / "requirements.lock").write_text("a==1\n")
    built: list[str] = []
    monkeypatch.setattr(setup_venv, "build", lambda top, lock: built.append(lock) or 0)
    assert setup_venv.build_once(tmp_path, "requirements.lock") == 0 and built == ["requirements.lock"]
    (tmp_path / ".venv").mkdir()
    (tmp_path / ".venv" / "installed-requirements.lock").write_text("a==1\n")
    assert setup_venv.build_once(tmp_path, "requirements.lock") == 0 and built == ["requirements.lock"]
