"""Attacks at full size: mutated sheets, physics files, bundles, pictures, job files, recordings, responses, calculators, databases, kills.

No traceback, no hang over 5 s, no memory over 500 MB, nothing lost. Each attack runs in processes of its own, which
are watched. Prints a table; exit code 1 where something did not hold.

    .venv/bin/python benchmarks/hostile.py [SHARE [WORKERS [NAME...]]]     a share of the attacks, 0.01 to see that it runs; some by name
"""

from __future__ import annotations

import contextlib
import io
import json
import math
import multiprocessing
import os
import random
import resource
import sqlite3
import subprocess
import sys
import tempfile
import time
import traceback
import warnings
import zipfile
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

#: What may be done at most: seconds for one attack, bytes above what the program takes by itself.
MOST_S, MOST_BYTES = 5.0, 500_000_000
#: Values that break programs.
WILD = (
    "",
    "0",
    "-1",
    "1e308",
    "-1e308",
    "nan",
    "inf",
    "1e-320",
    "9" * 300,
    "27 MHz",
    "<img src=x>",
    "\ud800",
    "\0",
    "../../etc/passwd",
    "[" * 50,
)


def _mutated(text: str, rng: random.Random) -> str:
    """A text with a few things changed: lines dropped, doubled or swapped, values exchanged, letters spoilt."""
    lines = text.split("\n")
    for _ in range(rng.randrange(1, 4)):
        at = rng.randrange(len(lines))
        kind = rng.randrange(7)
        if kind == 0:
            del lines[at]
        elif kind == 1:
            lines.insert(at, lines[rng.randrange(len(lines))])
        elif kind == 2 and "=" in lines[at]:
            key = lines[at].partition("=")[0]
            value = rng.choice([*WILD, "[]", "{}", "true", "[1, 2]", '"1 V"', '"27 MHz"', "27e6", "-5", "0.0", '["x"]'])
            lines[at] = f"{key}= {value}"
        elif kind == 3 and "=" in lines[at]:
            other = [x for x in lines if "=" in x]
            lines[at] = f"{lines[at].partition('=')[0]}={rng.choice(other).partition('=')[2]}"
        elif kind == 4 and lines[at]:
            cut = rng.randrange(len(lines[at]))
            lines[at] = lines[at][:cut] + rng.choice('"[]{}=#\\\x07é0') + lines[at][cut + 1 :]
        elif kind == 5:
            lines[at] = lines[at] + " " + rng.choice(WILD)
        else:
            other_at = rng.randrange(len(lines))
            lines[at], lines[other_at] = lines[other_at], lines[at]
        lines = lines or [""]
    return "\n".join(lines)


def _spoilt(content: bytes, rng: random.Random) -> bytes:
    """Bytes cut, overwritten or with something put in."""
    made = bytearray(content)
    for _ in range(rng.randrange(1, 6)):
        at = rng.randrange(max(len(made), 1))
        kind = rng.randrange(4)
        if kind == 0:
            del made[at:]
        elif kind == 1:
            made[at : at + rng.randrange(1, 64)] = rng.randbytes(rng.randrange(1, 64))
        elif kind == 2:
            made[at:at] = rng.randbytes(rng.randrange(1, 200))
        elif made:
            made[at % len(made)] ^= 1 << rng.randrange(8)
    return bytes(made)


def _write(path: Path, text: str) -> None:
    path.write_bytes(text.encode("utf-8", "surrogatepass"))


# -- attacks: each takes a seed, raises what is not foreseen; one that is dear to make ready returns what is timed ------


def sheets(seed: int, place: Path) -> None:
    from unitone.cli.commands import run
    from unitone.sheet.library import built_in, general

    rng = random.Random(seed)
    text = rng.choice([*built_in(), *general()]).read_text(encoding="utf-8")
    _write(place / "x.toml", _mutated(text, rng))
    _quiet(lambda: run(["sheet", "check", str(place / "x.toml")]), (0, 1))


def physics(seed: int, place: Path) -> None:
    """Survivors of the check are opened and worked: nothing that is taken may fail later."""
    from unitone.cli.commands import run
    from unitone.errors import UnitoneError
    from unitone.job.card import Card
    from unitone.present.bench.bench_view import take_view
    from unitone.session.session import Session, open_job
    from unitone.sheet.library import built_in, physics_path
    from unitone.store.logbook import Logbook

    rng = random.Random(seed)
    sheet = rng.choice([p for p in built_in() if physics_path(p).is_file()])
    _write(place / "x.toml", sheet.read_text(encoding="utf-8"))
    _write(place / "x.physics.toml", _mutated(physics_path(sheet).read_text(encoding="utf-8"), rng))
    if _quiet(lambda: run(["sheet", "check", str(place / "x.toml")]), (0, 1)):
        return
    with Logbook(None) as book:
        session = Session(book, open_job(book, str(place / "x.toml"), Card(1, "x", simulated_seed=1)))
        for step in session.sheet.steps[:: rng.randrange(3, 9)]:
            session.go_to(step.id)
            if step.hook_up != "probe":
                session.confirm_hook_up(step.hook_up)
            for _ in range(2):
                # What the bench cannot do is said in words; anything else is a fault.
                with contextlib.suppress(UnitoneError):
                    session.follow(session.advice())
            take_view(session)


def bundles(seed: int, place: Path) -> Callable[[], None]:
    from unitone.cli.commands import run
    from unitone.sheet.format.bundle import write_bundle
    from unitone.sheet.library import find

    rng = random.Random(seed)
    sheet = find("ostrel-tarn-40")
    good = place / "good.unitone"
    write_bundle(good, sheet.read_text(encoding="utf-8"), {"board.svg": sheet.with_suffix(".svg").read_bytes()})
    content = good.read_bytes()
    if rng.random() < 0.4:
        out = io.BytesIO()
        with zipfile.ZipFile(
            out, "w", rng.choice((zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED, zipfile.ZIP_LZMA, zipfile.ZIP_BZIP2))
        ) as archive:
            archive.writestr("sheet.toml", _mutated(sheet.read_text(encoding="utf-8"), rng).encode("utf-8", "replace"))
            for _ in range(rng.randrange(4)):
                name = rng.choice(
                    (
                        "../up.toml",
                        "/abs",
                        "pictures/a.png",
                        "pictures/b.svg",
                        "sheet.toml",
                        "pictures/c/d.png",
                        "x" * 300,
                        "a\\b",
                    )
                )
                with contextlib.suppress(UserWarning):
                    archive.writestr(name, rng.randbytes(rng.randrange(2000)) * rng.choice((1, 1, 400)))
        content = out.getvalue()
    else:
        content = _spoilt(content, rng)
    (place / "x.unitone").write_bytes(content)
    return lambda: _quiet(lambda: run(["sheet", "check", str(place / "x.unitone")]), (0, 1)) and None


def pictures(seed: int, place: Path) -> None:
    from PIL import Image

    from unitone.errors import SheetError
    from unitone.sheet.format.pictures import is_simple_drawing, read_picture
    from unitone.sheet.library import find

    rng = random.Random(seed)
    kind = rng.choice(("png", "jpg", "svg", "svg"))
    out = io.BytesIO()
    if kind == "svg":
        text = find("ostrel-tarn-40").with_suffix(".svg").read_text(encoding="utf-8")
        deep, wide = rng.randrange(1, 12), rng.randrange(1, 12)
        levels = "".join(
            f'<g id="l{n}">{f"<use href=%cl{n - 1}%c/>" % (34, 34) * wide}</g>' for n in range(deep)
        ).replace('"l', '"#l')
        content = _mutated(text.replace("</svg>", f"<defs>{levels}</defs></svg>"), rng).encode("utf-8", "replace")
    else:
        Image.new("RGB", (rng.randrange(1, 300), rng.randrange(1, 300)), (rng.randrange(256),) * 3).save(
            out, "PNG" if kind == "png" else "JPEG"
        )
        content = _spoilt(out.getvalue(), rng)
    (place / f"x.{kind}").write_bytes(content)
    with contextlib.suppress(SheetError):
        content = read_picture(place / f"x.{kind}")
        if kind == "svg":
            is_simple_drawing(content)


def jobs(seed: int, place: Path) -> None:
    """Whatever is taken in can be listed, opened and printed."""
    from unitone.errors import StoreError
    from unitone.job.fold import fold
    from unitone.present.bench.bench_view import take_view
    from unitone.present.papers import render_paper
    from unitone.robot.demo_data import load
    from unitone.session.session import Session
    from unitone.store.exchange import export_job, import_job, read_job
    from unitone.store.logbook import Logbook

    rng = random.Random(seed)
    with Logbook(None) as book:
        book.import_jobs([min(load(), key=lambda j: len(j["tape"]))])
        data = export_job(book, book.jobs()[0].id)
    for _ in range(rng.randrange(1, 3)):
        at: Any = data
        while isinstance(at, dict | list) and at:
            key = rng.choice(list(at)) if isinstance(at, dict) else rng.randrange(len(at))
            if not isinstance(at[key], dict | list) or not at[key] or rng.random() < 0.15:
                at[key] = rng.choice([None, 5, -1, 2**63, 1e999, "", *WILD, [], {}, [1], {"a": 1}, True])
                break
            at = at[key]
    text = json.dumps(data)
    (place / "x.json").write_bytes(_spoilt(text.encode(), rng) if rng.random() < 0.2 else text.encode())
    with Logbook(None) as book:
        try:
            import_job(book, read_job(place / "x.json"))
        except StoreError as error:
            str(error).encode("utf-8")
            return
        row = book.jobs()[0]
        session = Session(book, row.id)
        take_view(session)
        for form in ("pdf", "html", "json", "csv"):
            render_paper(fold(book.tape(row.id), row.id), "certificate", form)


def recordings(seed: int, place: Path) -> None:
    import numpy as np
    import soundfile

    from unitone.cli.commands import run

    rng = random.Random(seed)
    noise = np.random.default_rng(seed)
    name = rng.choice(("x.wav", "x.flac", "x.sigmf-meta"))
    samples = noise.standard_normal((rng.randrange(1, 40_000), rng.randrange(1, 3))) * 0.1
    if name.endswith("meta"):
        samples.astype("f4").tofile(place / "x.sigmf-data")
        form = rng.choice(("cf32_le", "rf32_le", "ci16_le", "x", 5))
        rate = rng.choice((48_000, 0, -1, 1e308, "x"))
        captures = rng.choice(([], [{}], 5, [{"core:frequency": "x"}]))
        meta = {"global": {"core:datatype": form, "core:sample_rate": rate}, "captures": captures}
        (place / name).write_bytes(
            _spoilt(json.dumps(meta).encode(), rng) if rng.random() < 0.5 else json.dumps(meta).encode()
        )
    else:
        soundfile.write(str(place / name), samples, rng.choice((8_000, 44_100, 48_000)))
        (place / name).write_bytes(_spoilt((place / name).read_bytes(), rng))
    task = rng.choice(("sinad", "fm", "am", "spectrum"))
    _quiet(lambda: run(["measure", task, str(place / name), "--json"]), (0, 3))


def responses(seed: int, place: Path) -> None:
    import pickle

    from unitone.errors import SignalError
    from unitone.signals.response import measure_response, read_response

    rng = random.Random(seed)
    name = rng.choice(("x.s1p", "x.s2p", "x.csv"))
    head = rng.choice(
        (
            "# Hz S DB R 50\n",
            "# MHz S MA R 50\n",
            "# kHz Z RI R 50\n",
            "! only a comment\n",
            "[Version] 2.0\n# Hz S RI R 50\n[Number of Ports] 2\n",
        )
    )
    width = {"x.s1p": 3, "x.s2p": 9, "x.csv": 2}[name]
    rows = "\n".join(
        " ".join([str(n * 1000), *(f"{rng.uniform(-60, 60):.3f}" for _ in range(width - 1))])
        for n in range(rng.randrange(60))
    )
    content = (head * (name != "x.csv") + rows.replace(" ", "," if name == "x.csv" else " ")).encode()
    if rng.random() < 0.1:
        content = pickle.dumps({"a": 1})
    (place / name).write_bytes(_spoilt(content, rng) if rng.random() < 0.7 else content)
    with contextlib.suppress(SignalError):
        measure_response(*read_response(place / name))


def calculators(seed: int, place: Path) -> None:
    from unitone.calculators.catalogue import CALCULATORS
    from unitone.cli.commands import run

    del place
    rng = random.Random(seed)
    chosen = rng.choice(CALCULATORS)
    typed = {g.key: g.usual or g.hint.split(",")[0] for g in chosen.given}
    for key in rng.sample(list(typed), rng.randrange(1, len(typed) + 1)):
        typed[key] = rng.choice([*WILD, "1 GHz", "1e300 MHz", "4k7", "S9", "20 dB", "-3", "1;2;3", "A 1; A 2"])
    out = _quiet(
        lambda: run(["calculate", chosen.name, *(f"{k}={v}" for k, v in typed.items()), "--json"]), (0, 2), True
    )
    if out:
        json.loads(out, parse_constant=lambda c: (_ for _ in ()).throw(ValueError(c)))


def databases(seed: int, place: Path) -> Callable[[], None]:
    """A damaged logbook opens, is refused, or is salvaged; a listed job opens or says why not."""
    from unitone.errors import UnitoneError
    from unitone.robot.demo_data import fill
    from unitone.session.session import Session
    from unitone.store.logbook import Logbook
    from unitone.store.salvage import salvage
    from unitone.store.sqlite.reading import FILE_NAME

    rng = random.Random(seed)
    with Logbook(place) as book:
        fill(book)
    with contextlib.closing(sqlite3.connect(place / FILE_NAME)) as raw:
        raw.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    content = bytearray((place / FILE_NAME).read_bytes())
    for _ in range(rng.choice((1, 5, 40))):
        at = rng.randrange(len(content))
        content[at : at + rng.choice((1, 8, 500))] = rng.randbytes(rng.choice((1, 8, 500)))
    (place / FILE_NAME).write_bytes(bytes(content[: rng.choice((len(content), len(content) * 9 // 10))]))

    def work() -> None:
        try:
            with Logbook(place, read_only=True) as book:
                for row in book.jobs()[:6]:
                    with contextlib.suppress(UnitoneError):
                        Session(book, row.id)
        except UnitoneError:
            with contextlib.suppress(UnitoneError):
                book, _ = salvage(place)
                with book:
                    for row in book.jobs()[:6]:
                        with contextlib.suppress(UnitoneError):
                            Session(book, row.id)

    return work


def kills(seed: int, place: Path) -> None:
    """A first start killed at one of its statements: the folder opens, and what is logged then is kept."""
    from unitone.job.card import Card
    from unitone.session.session import Session, open_job
    from unitone.store.logbook import Logbook

    done = subprocess.run(
        [sys.executable, "-c", _KILLED, str(place), str(seed)], capture_output=True, text=True, timeout=60, check=False
    )
    if done.returncode not in (0, 9):
        raise RuntimeError(done.stderr)
    with Logbook(place) as book:
        Session(book, open_job(book, "ostrel-tarn-40", Card(1, "ostrel-tarn-40"))).note("kept")
        if book.integrity() != "ok" or len(book.jobs("kept")) != 1:
            raise RuntimeError("something is lost")


_KILLED = """
import os, sqlite3, sys
from pathlib import Path
left = int(sys.argv[2])
real = sqlite3.connect
def connect(*args, **kwargs):
    made = real(*args, **kwargs)
    def count(_):
        global left
        left -= 1
        if left == 0:
            os._exit(9)
    made.set_trace_callback(count)
    return made
sqlite3.connect = sqlite3.dbapi2.connect = connect
from unitone.store.logbook import Logbook
Logbook(Path(sys.argv[1])).close()
"""

ATTACKS: dict[str, tuple[Callable[[int, Path], Callable[[], None] | None], int]] = {
    "sheets": (sheets, 2500), "physics files, survivors worked": (physics, 1250), "bundles": (bundles, 2500), "pictures": (pictures, 2000),
    "job files": (jobs, 1300), "recordings": (recordings, 1200), "Touchstone and CSV": (responses, 1000), "calculator calls": (calculators, 3000),
    "damaged databases": (databases, 60), "first start killed at a statement": (kills, 40),
}  # fmt: skip


def _quiet(work: Callable[[], int], codes: tuple[int, ...], output: bool = False) -> Any:
    """Run a command without its output; its exit code (or its output). A code that is none of the contract's is a fault."""
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        code = work()
    if code not in codes or "inside Unitone" in err.getvalue():
        raise RuntimeError(f"exit code {code}: {err.getvalue()[:400]}")
    return out.getvalue() if output else code


def attack(asked: tuple[str, int]) -> tuple[str, int, float, float, str]:
    """(name, seed, seconds, bytes of memory more than before, what went wrong) of one attack."""
    name, seed = asked
    before, began = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss, time.monotonic()
    wrong = ""
    with tempfile.TemporaryDirectory(prefix="unitone-hostile-") as place:
        os.environ["XDG_STATE_HOME"] = os.environ["XDG_DATA_HOME"] = place
        try:
            work = ATTACKS[name][0](seed, Path(place))
            if work is not None:
                # Up to here the attack was made ready.
                began = time.monotonic()
                work()
        except Exception:
            wrong = traceback.format_exc(limit=-4)
    return (
        name,
        seed,
        time.monotonic() - began,
        (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) * 1024.0,
        wrong,
    )


def _warm() -> None:
    """What any run loads is loaded before the clock runs."""
    import unitone.present.bench.bench_view  # noqa: F401

    warnings.simplefilter("ignore")
    with tempfile.TemporaryDirectory() as place:
        for once in (sheets, calculators, recordings):
            with contextlib.suppress(Exception):
                once(1, Path(place))


#: So many attacks are made by one process: what one of them leaves behind does not pile up.
_ONE_PROCESS = 400


class _Workers:
    """Processes that attack; new ones after a while."""

    def __init__(self, many: int) -> None:
        self._many, self._left = many, 0
        self._pool: ProcessPoolExecutor | None = None

    def all_of(self, name: str, many: int) -> list[tuple[int, float, float, str]]:
        """(seed, seconds, bytes, what went wrong) of every attack of a kind."""
        rows: list[tuple[int, float, float, str]] = []
        seeds = list(range(1, many + 1))
        while seeds:
            if self._left <= 0 or self._pool is None:
                self.close()
                spawn = multiprocessing.get_context("spawn")
                self._pool = ProcessPoolExecutor(self._many, initializer=_warm, mp_context=spawn)
                self._left = _ONE_PROCESS * self._many
            now, seeds = seeds[: self._left], seeds[self._left :]
            self._left -= len(now)
            chunk = max(1, min(8, len(now) // self._many))
            rows += [told[1:] for told in self._pool.map(attack, [(name, s) for s in now], chunksize=chunk)]
        return rows

    def close(self) -> None:
        """Let them go."""
        if self._pool is not None:
            self._pool.shutdown()
            self._pool = None


def main() -> int:
    """Run all of it, or what is named, and print the table, a line as soon as its attacks are done; 1 where something did not hold."""
    share = float(sys.argv[1]) if len(sys.argv) > 1 else 1.0
    workers = _Workers(int(sys.argv[2]) if len(sys.argv) > 2 else os.cpu_count() or 1)
    chosen = sys.argv[3:] or list(ATTACKS)
    if unknown := [name for name in chosen if name not in ATTACKS]:
        sys.exit(f"unknown: {', '.join(unknown)}; there are {', '.join(ATTACKS)}")
    print("| attack | tries | tracebacks or wrong exit codes | longest s | over 5 s | most memory more, MB |")
    print("|---|---|---|---|---|---|", flush=True)
    held = True
    for name in chosen:
        rows = workers.all_of(name, max(1, math.ceil(ATTACKS[name][1] * share)))
        wrong = [r for r in rows if r[3]]
        slow = [r for r in rows if r[1] > MOST_S]
        most = max(r[2] for r in rows)
        line = (name, len(rows), len(wrong), f"{max(r[1] for r in rows):.1f}", len(slow), f"{most / 1e6:.0f}")
        print(f"| {' | '.join(map(str, line))} |", flush=True)
        held = held and not wrong and most < MOST_BYTES
        for seed, _, _, words in wrong[:3]:
            print(f"{name}, seed {seed}: {words}", file=sys.stderr)
        for seed, seconds, _, _ in slow[:3]:
            print(f"{name}, seed {seed}: {seconds:.1f} s", file=sys.stderr)
    workers.close()
    return 0 if held else 1


if __name__ == "__main__":
    sys.exit(main())
