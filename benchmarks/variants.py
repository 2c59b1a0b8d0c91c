"""Radios taken to their ends: turned four turns off, circuits far narrower or flatter, a top outside the travel, pairs of any coupling,
detectors of any rate. Each is a foreign or shipped radio with a few lines of its physics changed. Prints a table in Markdown.

    PYTHONPATH=src python benchmarks/variants.py [SETS [SEED]]
"""

from __future__ import annotations

import os
import re
import shutil
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from unitone.quantities.entry import parse_si
from unitone.robot.whole_radios import run_trial
from unitone.sheet.library import find, physics_path

TOP = Path(__file__).resolve().parent.parent
AM, FM = "ostrel-weir-40-am", str(TOP / "benchmarks" / "radios" / "skerry-garganey.toml")
Change = Callable[[str], str]


def half_width(turns: float) -> Change:
    """Every circuit of the receiver so many turns wide, from the top to where 3 dB are lost; its sense stays."""

    def change(text: str) -> str:
        blocks = re.split(r"(?m)^(?=\[)", text)
        for n, block in enumerate(blocks):
            centre, q = re.search(r'centre = "([^"]+)"', block), re.search(r"(?m)^q = (\S+)", block)
            if block.startswith("[[receive.stage]]") and centre and q:
                hz = parse_si(centre[1], "Hz") / (2.0 * float(q[1])) / turns
                blocks[n] = re.sub(r'per_turn = "(-?)[^"]+"', lambda m, hz=hz: f'per_turn = "{m[1]}{hz:.6g} Hz"', block)
        return "".join(blocks)

    return change


def coupling(k: float) -> Change:
    """Every pair of the receiver with this coupling, in units of critical coupling."""
    return lambda text: re.sub(r"(?m)^coupling = \S+$", f"coupling = {k}", text)


def detector(khz_a_turn: float) -> Change:
    """A quadrature coil that a turn moves by so much."""
    return lambda text: re.sub(
        r'(\[receive\.detector\][^\[]*?per_turn = ")[^"]+', lambda m: f"{m[1]}{khz_a_turn} kHz", text
    )


def turned_off(turns: float) -> Change:
    """Every core up to so many turns off, and every radio turned at."""

    def change(text: str) -> str:
        text = re.sub(r"(?m)^untouched_share = \S+$", "untouched_share = 0", text)
        blocks = re.split(r"(?m)^(?=\[)", text)
        for n, block in enumerate(blocks):
            if re.match(r"\[adjuster\.[TL]\d", block):
                blocks[n] = re.sub(r"(?m)^misaligned = \S+$", f"misaligned = {turns}", block)
        return "".join(blocks)

    return change


def outside(name: str, turns: float) -> Change:
    """The top of one core that many turns from its stop, beyond its travel."""
    return lambda text: re.sub(rf"(\[adjuster\.{name}\][^\[]*?aligned = )\S+", lambda m: f"{m[1]}{turns}", text)


VARIANTS: tuple[tuple[str, str, Change], ...] = (
    ("four turns off", AM, turned_off(4.0)), ("four turns off", FM, turned_off(4.0)),
    ("circuits 0.12 turn wide", AM, half_width(0.12)), ("circuits 0.12 turn wide", FM, half_width(0.12)),
    ("circuits 3 turns wide", AM, half_width(3.0)), ("circuits 3 turns wide", FM, half_width(3.0)),
    ("pairs of k 0.5", AM, coupling(0.5)), ("pairs of k 2", AM, coupling(2.0)), ("pairs of k 3", AM, coupling(3.0)),
    ("pairs of k 0.5", FM, coupling(0.5)), ("pairs of k 1.8", FM, coupling(1.8)),
    ("detector 0.5 kHz a turn", FM, detector(0.5)), ("detector 8 kHz a turn", FM, detector(8.0)),
    ("a top outside the travel", AM, outside("T1", -0.8)), ("a top outside the travel", FM, outside("T1", -0.8)),
)  # fmt: skip


def main() -> None:
    """Run them, a row as soon as one is done; what went wrong goes to the other stream."""
    sets = int(sys.argv[1]) if len(sys.argv) > 1 else 10
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 8001
    print(
        "| radio | variant | recovered | readings | loss dB: median, 95 % | wrong verdicts |\n|---|---|---|---|---|---|"
    )
    for title, base, change in VARIANTS if sets > 1 else VARIANTS[:1]:
        path = find(base)
        with tempfile.TemporaryDirectory() as folder:
            made = Path(folder) / path.name
            for beside in path.parent.glob(f"{path.stem}*.svg"):
                shutil.copy(beside, folder)
            made.write_text(path.read_text(encoding="utf-8"), encoding="utf-8")
            text = physics_path(path).read_text(encoding="utf-8")
            changed = change(text)
            assert changed != text, title
            physics_path(made).write_text(changed, encoding="utf-8")
            report = run_trial(str(made), sets, seed, os.cpu_count() or 1, with_baseline=False)
        loss = report["loss_db"]
        print(
            f"| {path.stem} | {title} | {report['recovered']} of {sets} | {report['readings_per_set']} | "
            f"{loss['median']}, {loss['p95']} | {report['wrong_verdicts']} |",
            flush=True,
        )
        for problem in report["problems"]:
            print(f"{path.stem}, {title}, seed {problem['seed']}: {'; '.join(problem['what'])}", file=sys.stderr)


if __name__ == "__main__":
    main()
