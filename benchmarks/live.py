"""The live path on a virtual sound card: how late a number is, and whether a block is lost while the Bench works.

PYTHONPATH=src:tests QT_QPA_PLATFORM=offscreen python benchmarks/live.py [SECONDS]
"""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import tempfile
import time
from functools import partial
from pathlib import Path

import numpy as np
from PyQt6.QtWidgets import QApplication

from unitone.desktop.audio import soundcard
from unitone.desktop.audio.soundcard import Device, SoundOutput, devices
from unitone.desktop.shell.app import make_application
from unitone.desktop.shell.window import MainWindow
from unitone.robot.demo_data import fill
from unitone.session.session import Session
from unitone.signals.generate import Setting
from unitone.store.logbook import Logbook
from virtualcard import VirtualCard


def pump(app: QApplication, seconds: float) -> None:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        app.processEvents()
        time.sleep(0.002)


def latencies(app: QApplication, page, output: SoundOutput, times: int = 20) -> list[float]:  # type: ignore[no-untyped-def]
    """Seconds from a step of the generator's level, as it is handed to the sound server, to the figure that shows all of it, less
    the averaging time. The server's own time, out and in, is part of it."""
    found = []
    for n in range(times):
        level = 0.02 if n % 2 else 0.2
        wanted = 20 * np.log10(level)
        output.change(Setting("tone", 1000.0, level=level))
        start = time.monotonic()
        while page.shown is None or page.shown.value is None or abs(page.shown.value - wanted) > 0.2:
            app.processEvents()
            time.sleep(0.001)
            if time.monotonic() - start > 5:
                raise SystemExit("the figure never came")
        found.append(time.monotonic() - start - page.how.read("volts").averaging_s)
        pump(app, 0.5)
    return found


def move(session: Session, way: int) -> None:
    """One use of the Bench: a turn there and back at a step with an adjuster."""
    session.confirm_hook_up("receive")
    if not session.step.adjusters:
        session.go_to("front-end")
    session.turn(session.step.adjusters[0], 45_000 * way)


def main() -> None:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    card = VirtualCard()
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else 600.0
    app = make_application()
    with tempfile.TemporaryDirectory() as place, Logbook(Path(place) / "demo") as logbook:
        fill(logbook)
        window = MainWindow(logbook)
        window.resize(1280, 800)
        window.show()
        window.show_place("meters")
        page = window._meters
        # A short way out: what is measured is the way in.
        usual, soundcard._OUT_BUFFER_S = soundcard._OUT_BUFFER_S, 0.02
        output = SoundOutput(Device(devices(True)[0].id, "bench"), Setting("tone", 1000.0, level=0.2))
        output.begin()
        page.chips["volts"].click()
        page.how.average.setCurrentIndex(0)
        page.listen_to("card")
        while page.shown is None:
            pump(app, 0.1)
        pump(app, 2.0)
        found = np.array(latencies(app, page, output, 20 if seconds >= 60 else 3))
        print(
            f"step to number, less averaging: median {1e3 * np.median(found):.0f} ms, most {1e3 * found.max():.0f} ms over {found.size} steps"
        )
        # Another program plays from here on, so that what is lost is lost on the way in.
        output.stop()
        soundcard._OUT_BUFFER_S = usual
        t = np.arange(48_000 * 20) / 48_000
        (Path(place) / "tone.raw").write_bytes(np.rint(16_000 * np.sin(2 * np.pi * 1000 * t)).astype("<i2").tobytes())
        loop = f"while cat {place}/tone.raw; do :; done | pacat --raw --format=s16le --rate=48000 --channels=1 --latency-msec=500 -d bench"
        player = subprocess.Popen(loop, shell=True, env=card.env, start_new_session=True, stderr=subprocess.DEVNULL)
        window.open_job(logbook.job("147").id)
        bench = window._bench
        pump(app, 3.0)
        feed = page._listener.feed
        heard = []
        push = feed.push

        def watch(block):  # type: ignore[no-untyped-def]
            heard.append(np.array(block, np.float32))
            push(block)

        feed.push = watch
        start, moves, worst = time.monotonic(), 0, 0.0
        while time.monotonic() - start < seconds:
            # The Bench is used as fast as it answers; the Meters listen on.
            before = bench._generation
            window.worker.do(partial(move, way=1 if moves % 2 else -1))
            asked = time.monotonic()
            while bench._generation == before and time.monotonic() - asked < 5:
                pump(app, 0.01)
            worst = max(worst, time.monotonic() - asked)
            moves += 1
            pump(app, 0.2)
        took = time.monotonic() - start
        feed.push = push
        x = np.concatenate(heard).astype(np.float64)
        # A lost or doubled sample of a tone shows in its second difference, and in the count of samples.
        jumps = np.abs(np.diff(x, 2)) > 1.5 * 0.5 * (2 * np.pi * 1000 / feed.rate) ** 2 + 2e-4
        print(
            f"{took:.0f} s at {feed.rate:.0f} Hz while {moves} moves were made on the Bench (slowest answer {1e3 * worst:.0f} ms): "
            f"{x.size} samples, {x.size / took / feed.rate:.5f} of the clock's, {int(jumps.sum())} breaks, {feed.lost} lost unmeasured"
        )
        os.killpg(player.pid, signal.SIGKILL)
        window.close()
    card.stop()


if __name__ == "__main__":
    main()
