"""Builds what is given away: the wheel and the source, and a Debian package that carries everything but Python.

    python packaging/build.py wheel OUT      wheel and source archive
    python packaging/build.py deb OUT        unitone_VERSION_ARCH.deb, checked by lintian where that is installed

Run from a checkout with the project's own environment (``./unitone test --version`` makes it). The registry is asked for the locked
packages; nothing else is fetched.
"""

from __future__ import annotations

import gzip
import os
import platform
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

TOP = Path(__file__).resolve().parent.parent
LINUX = TOP / "packaging" / "linux"
SIZES = (16, 22, 24, 32, 48, 64, 128, 256, 512)
#: Where the package's own files lie.
HOME = "usr/lib/unitone"
#: What comes with the packages and is never loaded: Qt's other worlds, tests, headers.
LEFT_OUT = (
    "PyQt6/Qt6/qml", "PyQt6/Qt6/qsci", "PyQt6/bindings", "PyQt6/uic", "PyQt6/lupdate", "PyQt6/Qt6/plugins/sqldrivers",
    "PyQt6/Qt6/plugins/qmltooling", "PyQt6/Qt6/plugins/position", "PyQt6/Qt6/plugins/assetimporters", "PyQt6/Qt6/plugins/geometryloaders",
    "PyQt6/Qt6/plugins/sceneparsers", "PyQt6/Qt6/plugins/renderers", "PyQt6/Qt6/plugins/designer", "PyQt6/Qt6/plugins/webview",
    "pyqtgraph/examples", "pulsectl/tests", "reportlab/graphics/samples", "numpy/_core/include", "numpy/_core/lib",
)  # fmt: skip
_LIBRARIES_LEFT_OUT = ("Qt6Quick", "Qt6Qml", "Qt6Designer", "Qt6Bluetooth", "Qt6Nfc", "Qt6Positioning", "Qt6Sensors", "Qt6RemoteObjects",
                       "Qt6WebChannel", "Qt6WebSockets", "Qt6Pdf", "Qt6Help", "Qt6Sql", "Qt6Test", "Qt6LabsAnimation", "Qt6LabsFolder",
                       "Qt6LabsPlatform", "Qt6LabsQml", "Qt6LabsSettings", "Qt6LabsShared", "Qt6LabsWave", "Qt6ShaderTools", "Qt6SpatialAudio",
                       "Qt6StateMachine", "Qt6TextToSpeechQml", "Qt63DQuick")  # fmt: skip
DEPENDS = (
    "libegl1, libgl1, libglib2.0-0, libfontconfig1, libdbus-1-3, libxkbcommon0, libxkbcommon-x11-0, libxcb-cursor0, libxcb-icccm4, "
    "libxcb-image0, libxcb-keysyms1, libxcb-randr0, libxcb-render-util0, libxcb-shape0, libxcb-xinerama0, libpulse0"
)
LAUNCHER = """#!/bin/sh
# -P: nothing of the folder at hand is taken for a part of the program.
export PYTHONPATH=/usr/lib/unitone
# The program's folder is not its user's: what Python compiles is kept in the user's cache, or every start compiles all of it again.
if [ -n "${{XDG_CACHE_HOME:-$HOME}}" ]; then
    export PYTHONPYCACHEPREFIX="${{XDG_CACHE_HOME:-$HOME/.cache}}/unitone/bytecode"
    unset PYTHONDONTWRITEBYTECODE
fi
exec {python} -P -m unitone "$@"
"""


def run(*command: str | Path, **more: object) -> None:
    """Run a command; what fails ends the build."""
    subprocess.run([str(c) for c in command], check=True, **more)  # type: ignore[call-overload]


def version() -> str:
    """The version that pyproject.toml names."""
    import tomllib

    return str(tomllib.loads((TOP / "pyproject.toml").read_text("utf-8"))["project"]["version"])


def build_wheel(out: Path) -> Path:
    """Wheel and source archive into ``out``; the wheel's path. The built environment has to hold ``build`` and ``hatchling`` or fetch them."""
    out.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        run(sys.executable, "-m", "venv", folder)
        python = Path(folder) / "bin" / "python"
        run(python, "-m", "pip", "install", "-q", "--disable-pip-version-check", "build==1.3.0")
        run(python, "-m", "build", "--outdir", out.resolve(), TOP)
    return max(out.glob("unitone-*.whl"), key=lambda p: p.stat().st_mtime)


def commands() -> list[tuple[str, str]]:
    """(command, what it does) as ``--help`` says it."""
    sys.path.insert(0, str(TOP / "src"))
    import typer.main

    from unitone.cli.commands import app

    group = typer.main.get_command(app)
    found = []
    for name, command in sorted(group.commands.items()):  # type: ignore[attr-defined]
        if command.hidden:
            continue
        inner = getattr(command, "commands", None)
        for sub, one in sorted(inner.items()) if inner else (("", command),):
            found.append((f"{name} {sub}".strip(), " ".join((one.help or "").split())))
    return found


def man_page() -> str:
    """The manual page, with every command as the program has it."""
    lines = []
    for name, words in commands():
        text = words.replace("\\", "\\\\").replace("-", "\\-")
        lines += [".TP", f".B {name}", text if not text.startswith(".") else f"\\&{text}"]
    return (LINUX / "unitone.1").read_text("utf-8").replace("@COMMANDS@", "\n".join(lines))


def completion(shell: str) -> str:
    """What bash, zsh or fish needs to complete the commands and the files that are opened."""
    names = sorted({name.partition(" ")[0] for name, _ in commands()})
    subs: dict[str, list[str]] = {}
    for name, _ in commands():
        first, _, second = name.partition(" ")
        if second:
            subs.setdefault(first, []).append(second)
    if shell == "bash":
        cases = "\n".join(f'        {k}) words="{" ".join(v)}" ;;' for k, v in subs.items())
        return (
            "_unitone() {\n"
            '    local words="" now="${COMP_WORDS[COMP_CWORD]}" before="${COMP_WORDS[COMP_CWORD-1]}"\n'
            '    case "$before" in\n'
            '        --workspace) COMPREPLY=($(compgen -d -- "$now")); return ;;\n'
            f"{cases}\n"
            f'        unitone|*/unitone) words="{" ".join(names)} --workspace --version --help" ;;\n'
            "    esac\n"
            '    COMPREPLY=($(compgen -W "$words" -- "$now") $(compgen -f -- "$now"))\n'
            "}\n"
            "complete -o filenames -F _unitone unitone\n"
        )
    if shell == "zsh":
        listed = "\n".join(f"        '{n}:{_first(w)}'" for n, w in _top(commands()))
        return (
            "#compdef unitone\n_unitone() {\n    local -a commands\n    commands=(\n"
            f"{listed}\n    )\n"
            "    if (( CURRENT == 2 )); then\n        _describe command commands\n        _files\n    else\n        _files\n    fi\n}\n"
            '_unitone "$@"\n'
        )
    lines = [f"complete -c unitone -n __fish_use_subcommand -a {n} -d '{_first(w)}'" for n, w in _top(commands())]
    for first, seconds in subs.items():
        lines += [f"complete -c unitone -n '__fish_seen_subcommand_from {first}' -a '{' '.join(seconds)}'"]
    return "\n".join([*lines, "complete -c unitone -l workspace -r -d 'Another logbook'"]) + "\n"


def _top(listed: list[tuple[str, str]]) -> list[tuple[str, str]]:
    made: dict[str, str] = {}
    for name, words in listed:
        made.setdefault(name.partition(" ")[0], words)
    return list(made.items())


def _first(words: str) -> str:
    """The first sentence, for one line of a completion."""
    return words.split(". ")[0].split(": ")[0].rstrip(".").replace("'", "").replace(":", ",")[:70]


def icons(root: Path) -> None:
    """Our drawing in every size, and as it is."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PyQt6.QtCore import QRectF, Qt
    from PyQt6.QtGui import QGuiApplication, QImage, QPainter
    from PyQt6.QtSvg import QSvgRenderer

    app = QGuiApplication.instance() or QGuiApplication([])
    drawing = TOP / "src" / "unitone" / "data" / "icons" / "unitone.svg"
    renderer = QSvgRenderer(str(drawing))
    base = root / "usr/share/icons/hicolor"
    for side in SIZES:
        image = QImage(side, side, QImage.Format.Format_ARGB32)
        image.fill(Qt.GlobalColor.transparent)
        painter = QPainter(image)
        renderer.render(painter, QRectF(0, 0, side, side))
        painter.end()
        place = base / f"{side}x{side}" / "apps"
        place.mkdir(parents=True, exist_ok=True)
        image.save(str(place / "unitone.png"))
    place = base / "scalable" / "apps"
    place.mkdir(parents=True, exist_ok=True)
    shutil.copy(drawing, place / "unitone.svg")
    del app


def _put(root: Path, place: str, content: str | bytes, mode: int = 0o644) -> None:
    path = root / place
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(content.encode() if isinstance(content, str) else content)
    path.chmod(mode)


def _install_packages(root: Path, wheel: Path) -> None:
    """The locked packages and the program into one folder, without what is never loaded."""
    target = root / HOME
    pip = (
        sys.executable,
        "-m",
        "pip",
        "install",
        "-q",
        "--disable-pip-version-check",
        "--no-compile",
        "--target",
        target,
    )
    run(*pip, "--require-hashes", "--only-binary", ":all:", "-r", TOP / "requirements.lock")
    run(*pip, "--no-deps", "--upgrade", wheel)
    shutil.rmtree(target / "bin", ignore_errors=True)
    for name in LEFT_OUT:
        shutil.rmtree(target / name, ignore_errors=True)
    libraries = target / "PyQt6/Qt6/lib"
    for path in sorted(libraries.glob("lib*.so*")):
        if any(path.name.startswith(f"lib{x}") for x in _LIBRARIES_LEFT_OUT):
            path.unlink()
    for path in (target / "PyQt6").glob("*.so"):
        if path.name.partition(".")[0] in ("QtQuick", "QtQml", "QtDesigner", "QtBluetooth", "QtNfc", "QtPositioning", "QtSensors",
                                           "QtRemoteObjects", "QtWebChannel", "QtWebSockets", "QtPdf", "QtPdfWidgets", "QtHelp", "QtSql",
                                           "QtTest", "QtQuick3D", "QtQuickWidgets", "QtSpatialAudio", "QtStateMachine"):  # fmt: skip
            path.unlink()
    for path in (target / "PyQt6/Qt6/translations").glob("*.qm"):
        if not path.stem.endswith("_de"):
            path.unlink()
    # Fonts of others that no paper of ours uses: Unitone's own come with it.
    for path in (target / "reportlab/fonts").glob("*.pfb"):
        path.unlink()
    for name in ("numpy", "scipy"):
        for tests in sorted((target / name).rglob("tests"), reverse=True):
            if tests.is_dir() and tests.parent.name != "testing":
                shutil.rmtree(tests)
    for path in target.rglob("*"):
        if path.is_file():
            path.chmod(
                0o755 if os.access(path, os.X_OK) and not path.suffix == ".so" and ".so." not in path.name else 0o644
            )
        elif path.is_dir():
            path.chmod(0o755)


def build_deb(out: Path) -> Path:
    """The Debian package into ``out``; its path."""
    out.mkdir(parents=True, exist_ok=True)
    machine = subprocess.run(
        ["dpkg", "--print-architecture"], capture_output=True, text=True, check=True
    ).stdout.strip()
    major, minor = platform.python_version_tuple()[:2]
    python = f"python{major}.{minor}"
    with tempfile.TemporaryDirectory() as folder:
        root = Path(folder) / "unitone"
        wheel = build_wheel(Path(folder) / "dist")
        _install_packages(root, wheel)
        icons(root)
        _put(root, "usr/bin/unitone", LAUNCHER.format(python=f"/usr/bin/{python}"), 0o755)
        _put(root, "usr/share/applications/unitone.desktop", (LINUX / "unitone.desktop").read_bytes())
        _put(root, "usr/share/metainfo/unitone.metainfo.xml", (LINUX / "unitone.metainfo.xml").read_bytes())
        _put(root, "usr/share/mime/packages/unitone.xml", (LINUX / "unitone-mime.xml").read_bytes())
        _put(root, "usr/share/man/man1/unitone.1.gz", gzip.compress(man_page().encode(), 9, mtime=0))
        _put(root, "usr/share/bash-completion/completions/unitone", completion("bash"))
        _put(root, "usr/share/zsh/vendor-completions/_unitone", completion("zsh"))
        _put(root, "usr/share/fish/vendor_completions.d/unitone.fish", completion("fish"))
        _put(root, "usr/share/doc/unitone/copyright", (LINUX / "copyright").read_bytes())
        changes = f"unitone ({version()}) unstable; urgency=medium\n\n  * See /{HOME}/unitone/data/docs and CHANGELOG.md of the source.\n\n"
        changes += " -- The Unitone founders <unitone@localhost.localdomain>  Tue, 01 Dec 2026 12:00:00 +0000\n"
        _put(root, "usr/share/doc/unitone/changelog.gz", gzip.compress(changes.encode(), 9, mtime=0))
        _put(root, "usr/share/lintian/overrides/unitone", (LINUX / "lintian-overrides").read_bytes())
        size = sum(p.stat().st_size for p in root.rglob("*") if p.is_file()) // 1024
        control = (LINUX / "control").read_text("utf-8")
        for key, value in (("@VERSION@", version()), ("@ARCH@", machine), ("@SIZE@", str(size)), ("@DEPENDS@", DEPENDS),
                           ("@PYTHON@", f"{major}.{minor}"), ("@NEXT@", f"{major}.{int(minor) + 1}")):  # fmt: skip
            control = control.replace(key, value)
        _put(root, "DEBIAN/control", control)
        for path in (root, *root.rglob("*")):
            if path.is_dir():
                path.chmod(0o755)
        made = out / f"unitone_{version()}_{machine}.deb"
        run("dpkg-deb", "--root-owner-group", "-Zxz", "-z6", "--build", root, made, stdout=subprocess.DEVNULL)
    print(f"{made}: {made.stat().st_size // 1_000_000} MB, {size // 1000} MB installed")
    if shutil.which("lintian"):
        run("lintian", "--allow-root", "--fail-on", "error", "--no-tag-display-limit", made)
    return made


def main() -> None:
    """Build what is asked for."""
    if len(sys.argv) != 3 or sys.argv[1] not in ("wheel", "deb"):
        sys.exit(__doc__)
    {"wheel": build_wheel, "deb": build_deb}[sys.argv[1]](Path(sys.argv[2]))


if __name__ == "__main__":
    main()
