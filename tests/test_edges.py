"""The edges hold by construction: text reaches labels and tips one way, files are opened one way, threads end one way."""

from __future__ import annotations

import re
from pathlib import Path

SOURCE = Path(__file__).resolve().parent.parent / "src" / "unitone"


def lines(pattern: str, *but: str) -> list[str]:
    """Places in the source that match, apart from some files."""
    found = []
    for path in sorted(SOURCE.rglob("*.py")):
        name = path.relative_to(SOURCE).as_posix()
        if name in but:
            continue
        for n, line in enumerate(path.read_text(encoding="utf-8").splitlines(), 1):
            if re.search(pattern, line):
                found.append(f"{name}:{n}: {line.strip()}")
    return found


def test_text_reaches_labels_and_tips_one_way() -> None:
    assert not lines(r"\.setToolTip\(", "desktop/widgets/painted.py")
    assert not lines(r"\bQLabel\(", "desktop/widgets/painted.py", "desktop/widgets/photographs.py")
    # The two that are rich are ours: the name of the program, and a table whose cells are escaped.
    assert len(lines(r"TextFormat\.RichText")) == 2
    assert not lines(r"QToolTip\.showText\((?!.*plain_tip)")


def test_files_that_somebody_names_are_opened_one_way() -> None:
    own = (
        "files.py",
        "setup_venv.py",
        "desktop/theme/theme.py",
        "desktop/features/papers/page.py",
        "robot/demo.py",
        "robot/demo_data.py",
        "store/salvage.py",
    )
    assert not lines(
        r"\.read_text\(encoding|\.read_bytes\(\)|\.write_text\(|\.write_bytes\(|(?<!def )(?<![_.\w])open\(", *own
    )
    assert not lines(r"json\.load\(", "robot/demo_data.py")
    assert not lines(r"ZipFile\((?!out|made)", "files.py")


def test_threads_are_started_where_their_errors_are_caught() -> None:
    edges = (
        "desktop/shell/worker.py",
        "desktop/shell/errand.py",
        "desktop/shell/listener.py",
        "desktop/shell/live_input.py",
        "store/shared/sharing.py",
        "store/sqlite/file.py",
        "desktop/audio/soundcard.py",
        # The server reports what a connection raises (handle_error).
        "simulator/served.py",
        # What its one thread raises comes out of result(), before it ends.
        "setup_venv.py",
    )
    assert not lines(r"threading\.Thread\(|QThread\(|ThreadPoolExecutor\(", *edges)
