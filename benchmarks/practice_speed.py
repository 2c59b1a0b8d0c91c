"""How long the start of each exercise takes (the middle one of three), and what ten minutes of the simulated radio's sound take of one core.

PYTHONPATH=src python benchmarks/practice_speed.py [SECONDS OF SOUND]
"""

from __future__ import annotations

import sys
import time

import numpy as np

from unitone.scenario.exercises import LADDER
from unitone.scenario.practice_radio import begin
from unitone.session.own_sheets import library_of
from unitone.signals.playback import Playback
from unitone.store.logbook import Logbook

_BLOCK_S, _OUTPUT_HZ = 0.1, 48_000.0


def main() -> None:
    """Print both tables."""
    seconds = float([*sys.argv, "600"][1])
    taken, shares = [], {}
    with Logbook(None) as book:
        library = library_of(book)
        begin(book, LADDER[0], 1, library)
        for e in LADDER:
            thrice = []
            for _ in range(3):
                started = time.perf_counter()
                session = begin(book, e, e.seed, library)
                thrice.append(1e3 * (time.perf_counter() - started))
            taken.append((sorted(thrice)[1], e.id))
            step = next((s for s in session.sheet.steps if s.hook_up == "receive"), None)
            if step is None or e.sheet in shares:
                continue
            session.confirm_hook_up("receive")
            playback, dry = Playback(_OUTPUT_HZ), 0
            used = time.process_time()
            for _ in range(round(seconds / _BLOCK_S)):
                heard = session.bench.listen(step.setting, _BLOCK_S)
                assert heard is not None
                playback.push(heard.samples.real, heard.rate)
                dry += len(playback.block(round(_OUTPUT_HZ * _BLOCK_S))) != round(_OUTPUT_HZ * _BLOCK_S)
            shares[e.sheet] = (100.0 * (time.process_time() - used) / seconds, playback.gaps + dry)
    ms = np.array([t for t, _ in taken])
    print("| start of | median | 95 % | slowest |\n|---|---|---|---|")
    print(
        f"| {len(ms)} exercises | {np.median(ms):.0f} ms | {np.percentile(ms, 95):.0f} ms | {ms.max():.0f} ms ({max(taken)[1]}) |\n"
    )
    print(f"| radio, {seconds:.0f} s of sound | share of one core | gaps |\n|---|---|---|")
    for sheet, (share, gaps) in shares.items():
        print(f"| {sheet} | {share:.1f} % | {gaps} |")


if __name__ == "__main__":
    main()
