"""What goes into the packages: every command on the manual page and in the completions, icons of every size, files that the desktop takes."""

from __future__ import annotations

import ast
import importlib.util
import re
import shutil
import subprocess
import sys
import tomllib
import xml.etree.ElementTree as ET
from importlib.metadata import packages_distributions
from pathlib import Path
from types import ModuleType

import pytest

from unitone.cli.main import OPENED

pytestmark = pytest.mark.window


@pytest.fixture(scope="module")
def build(request: pytest.FixtureRequest) -> ModuleType:
    path = Path(request.config.rootpath) / "packaging" / "build.py"
    spec = importlib.util.spec_from_file_location("packaging_build", path)
    assert spec is not None and spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


def test_the_manual_page_and_the_completions_have_every_command(build: ModuleType, tmp_path: Path) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "unitone", "--help"], capture_output=True, text=True, check=True, timeout=120
    )
    told = set(re.findall(r"^│ ([a-z][\w-]*) ", done.stdout, re.MULTILINE))
    listed = {name.partition(" ")[0] for name, _ in build.commands()}
    assert len(told) > 20 and told == listed
    page = build.man_page()
    assert all(f".B {name}\n" in page for name, _ in build.commands()) and "@" not in re.sub(r"\S+@\S+", "", page)
    for shell, test in (("bash", ["bash", "-n"]), ("zsh", ["zsh", "-n"]), ("fish", ["fish", "--no-execute"])):
        words = build.completion(shell)
        assert all(re.search(rf"\b{re.escape(n)}\b", words) for n in listed)
        if shutil.which(test[0]) is not None:
            (tmp_path / shell).write_text(words)
            subprocess.run([*test, str(tmp_path / shell)], check=True, timeout=60)
    # What bash offers is what there is.
    script = build.completion("bash") + 'COMP_WORDS=(unitone pra) COMP_CWORD=1\n_unitone\necho "${COMPREPLY[@]}"\n'
    offered = subprocess.run(
        ["bash", "-c", script], capture_output=True, text=True, check=True, cwd=tmp_path, timeout=60
    ).stdout.split()
    assert offered == ["practice"]


def test_the_desktop_takes_the_files(build: ModuleType, top: Path) -> None:
    linux = top / "packaging" / "linux"
    for tool, command in (
        ("desktop-file-validate", ["desktop-file-validate", "unitone.desktop"]),
        ("appstreamcli", ["appstreamcli", "validate", "--no-net", "unitone.metainfo.xml"]),
    ):
        if shutil.which(tool) is not None:
            subprocess.run(command, check=True, cwd=linux, timeout=60, stdout=subprocess.DEVNULL)
    entry = (linux / "unitone.desktop").read_text("utf-8")
    kinds = set(re.findall(r"application/x-unitone-\w+", entry))
    space = "{http://www.freedesktop.org/standards/shared-mime-info}"
    mime = ET.parse(linux / "unitone-mime.xml").getroot()
    assert {t.get("type") for t in mime.findall(f"{space}mime-type")} == kinds
    endings = {str(g.get("pattern")).removeprefix("*") for g in mime.iter(f"{space}glob")}
    assert endings <= set(OPENED), "what is double-clicked is opened"
    info = ET.parse(linux / "unitone.metainfo.xml").getroot()
    assert {m.text for m in info.iter("mediatype")} == kinds
    assert next(r.get("version") for r in info.iter("release")) == build.version()
    assert f"Unitone {build.version()}" in (linux / "unitone.1").read_text("utf-8")


def test_icons_in_every_size_are_ours_and_the_wheel_takes_the_manual_along(
    build: ModuleType, top: Path, tmp_path: Path, qapp: object
) -> None:
    from PyQt6.QtGui import QImage

    build.icons(tmp_path)
    for side in build.SIZES:
        image = QImage(str(tmp_path / f"usr/share/icons/hicolor/{side}x{side}/apps/unitone.png"))
        assert (image.width(), image.height()) == (side, side)
        assert image.pixelColor(side // 2, side // 8).blue() > image.pixelColor(side // 2, side // 8).red(), (
            "dark blue above the circle"
        )
    taken = tomllib.loads((top / "pyproject.toml").read_text("utf-8"))["tool"]["hatch"]["build"]["targets"]["wheel"][
        "force-include"
    ]
    assert all((top / source).exists() for source in taken) and "docs/manual.md" in taken
    # Everything that is imported is said to be needed, and is in the lock.
    named = {
        re.split(r"[<>=\[]", d)[0].lower()
        for d in tomllib.loads((top / "pyproject.toml").read_text("utf-8"))["project"]["dependencies"]
    }
    locked = {
        m.lower() for m in re.findall(r"^([\w.-]+)==", (top / "requirements.lock").read_text("utf-8"), re.MULTILINE)
    }
    assert named <= locked, named - locked
    used = set()
    for path in (top / "src" / "unitone").rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            modules = [a.name for a in node.names] if isinstance(node, ast.Import) else []
            modules += [node.module] if isinstance(node, ast.ImportFrom) and node.module and not node.level else []
            used |= {m.split(".")[0] for m in modules}
    of = packages_distributions()
    needed = {d.lower().replace("_", "-") for m in used - {"unitone"} - sys.stdlib_module_names for d in of[m]}
    # What PyQt6, typer and jinja2 bring with them comes with them.
    assert needed - {"pyqt6-sip", "click", "markupsafe"} <= named, needed - named
