"""Speed of sheets and tapes: a sheet of 200 steps, a tape of 5 000 entries. Milliseconds, and ratios in one run.

python benchmarks/sheets.py
"""

from __future__ import annotations

import time
import tomllib
from collections.abc import Callable

from unitone.job.card import Card
from unitone.job.entries import Entry
from unitone.job.entries.hands import Turned
from unitone.job.entries.opening import Opened
from unitone.job.entries.readings import Reading
from unitone.job.fold import advance, fold
from unitone.job.recheck import plan_of
from unitone.job.verdicts import verdict
from unitone.sheet.conventions.questions import apply
from unitone.sheet.editing.draft import Draft
from unitone.sheet.format.build import check
from unitone.sheet.format.read import parse_sheet
from unitone.sheet.format.write import to_toml
from unitone.sheet.library import find

TEXT = find("ostrel-tarn-40").read_text(encoding="utf-8")


def best(work: Callable[[], object], times: int = 7) -> float:
    """The best of several runs, in milliseconds."""
    found = []
    for _ in range(times):
        start = time.perf_counter()
        work()
        found.append(time.perf_counter() - start)
    return min(found) * 1e3


def long_sheet(steps: int) -> dict[str, object]:
    """The built-in sheet with its steps repeated under other ids, each after the one before."""
    data = tomllib.loads(TEXT)
    made = []
    for n in range(steps):
        row = dict(data["step"][n % len(data["step"])])
        row["id"] = f"{row['id']}-{n}"
        row["after"] = [made[-1]["id"]] if made else []
        made.append(row)
    data["step"] = made
    # Rows of the voltage table name steps by their old ids.
    data["voltage"] = [{k: v for k, v in row.items() if k != "step"} for row in data.get("voltage", [])]
    return data


def tape(entries: int) -> list[Entry]:
    """Readings and turns by turns, as a long job would have them."""
    sheet = parse_sheet(TEXT, "s", "s")
    made = [Entry("E1", 1, "2026-01-01T00:00:00Z", 0.0, Opened(Card(1, "s").to_data(), "s", "h", TEXT))]
    for n in range(2, entries + 1):
        step = sheet.steps[n % len(sheet.steps)]
        if n % 3:
            reading = Reading(
                step.quantity_id, step.required[n % len(step.required)], step.limit.middle, "meter", "hand"
            )
            made.append(Entry(f"E{n}", n, "t", float(n), reading))
        else:
            name = sheet.adjusters[n % len(sheet.adjusters)].id
            made.append(Entry(f"E{n}", n, "t", float(n), Turned(name, 45_000, 45_000, False)))
    return made


def main() -> None:
    """Print the table."""
    data = long_sheet(200)
    text = to_toml(data)
    sheet = parse_sheet(text, "s", "s")
    draft = Draft(data)
    print(f"open and check a sheet of 200 steps: {best(lambda: parse_sheet(text, 's', 's')):.1f} ms")
    print(f"check a draft of 200 steps: {best(lambda: check(data, 's')):.1f} ms")
    print(
        f"order it by the job's conventions: {best(lambda: apply(sheet, {'detector': 'first', 'if-order': 'last-first'}, {})):.1f} ms"
    )
    print(
        f"one key typed (on the window's thread): {best(lambda: draft.put(('step', 150, 'note'), 'x' * (time.perf_counter_ns() % 97))):.2f} ms"
    )
    entries = tape(5000)
    whole = best(lambda: fold(entries))
    state = fold(entries)

    def one_more() -> None:
        advance(state, entries[-1])
        for step in state.sheet.steps:
            verdict(state, step)
        plan_of(state)

    print(
        f"fold a tape of 5000 entries: {whole:.1f} ms; one entry more with verdicts and re-check plan: {best(one_more):.2f} ms"
    )
    print(f"fold of 5000 against fold of 500 (10 would be straight): {whole / best(lambda: fold(entries[:500])):.1f}")


if __name__ == "__main__":
    main()
