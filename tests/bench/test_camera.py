"""Needles and LEDs by camera: drawn meters read, spoilt frames refused in words, the meter port, what is kept and read again."""

from __future__ import annotations

import math
import threading
from collections.abc import Iterator
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator

from unitone.bench.camera._leds import LedReader
from unitone.bench.camera._scale import Scale
from unitone.bench.camera.camera_meter import CameraMeter, Frames, reader_of
from unitone.bench.camera.needle import NeedleReader
from unitone.bench.camera.taught import Frame, Mark, Taught
from unitone.errors import BenchError, StoreError
from unitone.session.cameras import KeptMeter, camera_ports, frame_of, keep_meters, kept_meters
from unitone.sheet.model.sheet import Conditions
from unitone.simulator.led_picture import LedRow
from unitone.simulator.meter_picture import FACES, SINAD_FACE, Meter, View
from unitone.store.logbook import Logbook

RECEIVE = Conditions("receive")


def taught(meter: Meter, quantity: str = "supply.rail", off: float = 0.0, seed: int = 1) -> Taught:
    wrong = np.random.default_rng(seed).normal(0.0, off, (1 + len(meter.face.marks), 2)) if off else np.zeros((40, 2))
    pivot = meter.pivot()
    marks = tuple(Mark(x + dx, y + dy, v) for (x, y, v), (dx, dy) in zip(meter.marks(), wrong[1:], strict=False))
    return Taught("meter", quantity, "needle", marks, (pivot[0] + wrong[0, 0], pivot[1] + wrong[0, 1]))


@pytest.mark.parametrize("face", FACES, ids=lambda f: f.kind)
def test_every_kind_of_face_is_read_from_beside_in_poor_light(face: object) -> None:
    for n, tilt in enumerate((0.0, 18.0, 34.0)):
        view = View(tilt, 70.0 * n + 25.0, 4.0, 0.9, light=0.8, gradient=(0.4, -0.3), blur=1.2, noise=6.0, seed=n)
        meter = Meter(face, view)  # type: ignore[arg-type]
        reader = NeedleReader(taught(meter, off=0.7, seed=n), meter.picture(meter.face.value(0.15)))
        for share in (0.04, 0.41, 0.93):
            seen = reader.read(meter.picture(meter.face.value(share), seed=n))
            assert seen.value is not None, (tilt, share, seen.trouble)
            assert abs(meter.face.share(seen.value) - share) < 0.006
            assert seen.doubt > 0
    # Pegged beyond the last mark: that is told, not a figure of the scale.
    pegged = reader.read(meter.picture(meter.face.value(1.045), seed=5))
    assert pegged.bound == ">" and pegged.value == meter.face.marks[-1]


def test_spoilt_frames_are_refused_with_their_own_words() -> None:
    meter = Meter(FACES[0], View(12.0, 40.0, noise=3.0))
    reader = NeedleReader(taught(meter), meter.picture(2.0))
    view = meter.view
    x, y = meter.pivot()
    tip = next(m for m in meter.marks() if m[2] == 6.0)
    half = (0.4 * x + 0.6 * tip[0], 0.4 * y + 0.6 * tip[1])
    hand = ((half[0] - 60, 490.0), (half[0] - 60, half[1] - 40), (half[0] + 60, half[1] - 40), (half[0] + 60, 490.0))
    for kind, spoilt in (
        ("moved", replace(view, shift=(9.0, -6.0))), ("moved", replace(view, roll_deg=4.0)), ("no needle", replace(view, hand=hand)),
        ("glare", replace(view, glare=((half[0], half[1], 90.0, 900.0),))),
    ):  # fmt: skip
        seen = reader.read(Meter(meter.face, spoilt).picture(6.0))
        assert (seen.value, seen.trouble) == (None, kind)
    gone = Meter(replace(meter.face, width_mm=0.0), replace(view, shadow=0.0)).picture(6.0)
    assert reader.read(gone).trouble == "no needle"
    assert reader.read(np.zeros((240, 320, 3), np.uint8)).trouble == "size"
    assert reader.read(meter.picture(6.0)).value == pytest.approx(6.0, abs=0.04)
    with pytest.raises(BenchError, match="No needle is seen"):
        NeedleReader(taught(meter), gone)


def test_a_scale_seen_from_beside_beats_interpolation_over_the_seen_angle() -> None:
    # A square-law scale on a circle, foreshortened by cos 32° along a slanting axis: directions go through a matrix, nothing else.
    turn = np.array([[math.cos(0.6), -math.sin(0.6)], [math.sin(0.6), math.cos(0.6)]])
    squeeze = turn @ np.diag([math.cos(math.radians(32)), 1.0]) @ turn.T

    def seen(value: float) -> tuple[float, float]:
        true = math.radians(-140 + 100 * math.sqrt(value / 30.0))
        d = squeeze @ np.array([math.cos(true), math.sin(true)])
        return math.atan2(d[1], d[0]), 200.0 * float(np.hypot(*d))

    values = np.array([0.0, 1.0, 3.0, 5.0, 10.0, 20.0, 30.0])
    angles, radii = (np.array(v) for v in zip(*(seen(v) for v in values), strict=True))
    scale = Scale(angles, values, radii)
    plain = PchipInterpolator(angles, values)
    asked = np.linspace(0.3, 29.7, 60)
    by_model = max(abs(math.sqrt(scale(seen(v)[0]) / 30) - math.sqrt(v / 30)) for v in asked)
    by_plain = max(abs(math.sqrt(max(float(plain(seen(v)[0])), 0) / 30) - math.sqrt(v / 30)) for v in asked)
    assert by_model < 0.002 < by_plain


def test_the_viewing_angle_is_told_from_the_marks() -> None:
    for tilt in (0.0, 15.0, 33.0):
        told = taught(Meter(FACES[2], View(tilt, 30.0))).viewing_angle_deg()
        assert told == pytest.approx(tilt, abs=7.0)


@given(st.lists(st.floats(-50, 50), min_size=2, max_size=8, unique=True), st.randoms())
def test_marks_in_any_order_make_the_same_scale_and_come_back_from_disk(values: list[float], shuffle: object) -> None:
    ordered = sorted(values)
    marks = [
        Mark(300 + 200 * math.cos(a), 400 + 200 * math.sin(a), v)
        for a, v in zip(np.linspace(-2.4, -0.7, len(values)), ordered, strict=True)
    ]
    mixed = list(marks)
    shuffle.shuffle(mixed)  # type: ignore[attr-defined]
    made = Taught("m", "supply.rail", "needle", tuple(mixed), (300.0, 400.0)).checked()
    assert made.marks == tuple(marks)
    assert Taught.from_data(made.to_data()) == made
    # Two numbers swapped: the scale goes back and forth, and the click is named.
    if len(values) > 2:
        wrong = [Mark(m.x, m.y, v) for m, v in zip(marks, [ordered[1], ordered[0], *ordered[2:]], strict=True)]
        with pytest.raises(BenchError, match="do not rise"):
            Taught("m", "supply.rail", "needle", tuple(wrong), (300.0, 400.0)).checked()


def test_leds_are_told_apart_and_a_hand_over_them_is_no_reading() -> None:
    right = count = 0
    for seed in range(4):
        row = LedRow.of(np.random.default_rng([seed, 3]))
        marks = tuple(Mark(x, y, float(n)) for n, (x, y) in enumerate(row.places()))
        reader = LedReader(Taught("leds", "rx.needle", "leds", marks), row.picture(row.count // 2))
        for lit in range(row.count + 1):
            told = reader.segments(row.picture(lit))
            right += int(np.sum(told == (np.arange(row.count) < lit)))
            count += row.count
    assert right >= 0.995 * count
    assert reader.read(row.picture(0)).bound == "<" and reader.read(row.picture(row.count)).bound == ">"
    assert reader.read(row.picture(3)).value == 2.0
    covered = row.picture(row.count).copy()
    x, y = row.places()[1]
    covered[int(y) - 14 : int(y) + 14, int(x) - 14 : int(x) + 14] = 20
    assert reader.read(covered).trouble == "covered"
    with pytest.raises(BenchError, match="some are lit and some are dark"):
        LedReader(Taught("leds", "rx.needle", "leds", marks), row.picture(0))


@pytest.fixture
def camera() -> Iterator[tuple[Meter, Frames, CameraMeter]]:
    meter = Meter(SINAD_FACE, View(10.0, 80.0))
    frames = Frames()
    yield meter, frames, CameraMeter(reader_of(taught(meter, "rx.sinad"), meter.picture(8.0)), frames)


def film(frames: Frames, pictures: list[Frame], again: bool = True) -> threading.Event:
    """Frames from a thread until it is told to stop, the last one over and over."""
    over = threading.Event()

    def run() -> None:
        n = 0
        while not over.wait(0.02):
            frames.push(pictures[min(n, len(pictures) - 1)])
            n += 1
            if n == len(pictures) and not again:
                return

    threading.Thread(target=run, daemon=True).start()
    return over


def test_a_whole_reading_waits_for_the_needle_and_gives_its_doubt(camera: tuple[Meter, Frames, CameraMeter]) -> None:
    meter, frames, port = camera
    assert port.measures("rx.sinad") and not port.measures("tx.power") and port.live("rx.sinad", RECEIVE) is None
    rising = [meter.picture(v, n) for n, v in enumerate((6.0, 8.0, 10.0, 11.5, *(12.0,) * 6))]
    over = film(frames, rising)
    got = port.measure("rx.sinad", RECEIVE)
    over.set()
    assert (
        got.value == pytest.approx(12.0, abs=0.12) and got.source == "camera" and got.instrument == "meter" and got.std
    )
    live = port.live("rx.sinad", RECEIVE)
    assert live is not None and live.value == pytest.approx(12.0, abs=0.12)


def test_no_picture_a_knocked_camera_and_a_stop_are_each_one_message(camera: tuple[Meter, Frames, CameraMeter]) -> None:
    meter, frames, port = camera
    with pytest.raises(BenchError, match="gives no picture"):
        port.measure("rx.sinad", RECEIVE)
    over = film(frames, [Meter(SINAD_FACE, View(10.0, 80.0, shift=(14.0, 4.0))).picture(8.0)])
    with pytest.raises(BenchError, match="camera has moved"):
        port.measure("rx.sinad", RECEIVE)
    told = port.live("rx.sinad", RECEIVE)
    assert told is not None and told.value is None and "Put it back" in told.warning
    over.set()
    # A needle that never stands is broken off by hand.
    swinging = film(frames, [meter.picture(6.0 + 5 * (n % 2), n) for n in range(8)] * 50)
    threading.Timer(0.3, port.cancel).start()
    with pytest.raises(BenchError, match="broken off"):
        port.measure("rx.sinad", RECEIVE)
    swinging.set()
    frames.end("The camera is gone.")
    with pytest.raises(BenchError, match=r"The camera is gone\."):
        port.measure("rx.sinad", RECEIVE)


def test_what_is_kept_reads_the_same_after_a_restart() -> None:
    book = Logbook(None)
    try:
        meter = Meter(FACES[4], View(20.0, 200.0, noise=4.0))
        frame = meter.picture(8.0)
        reader = NeedleReader(taught(meter, "tx.power", 0.7), frame)
        keep_meters(book, [KeptMeter.of(reader.taught, frame)])
        assert [m.taught.quantity for m in kept_meters(book)] == ["tx.power"]
        frames = Frames()
        (port,), wrong = camera_ports(book, frames)
        frames.push(meter.picture(17.0, 9))
        got = port.live("tx.power", RECEIVE)
        assert not wrong and got is not None and got.value == pytest.approx(17.0, abs=0.2)
        with pytest.raises(StoreError, match="reads that already"):
            keep_meters(book, [*kept_meters(book), *kept_meters(book)])
        # A picture that no longer holds is told by its meter's name, and the others go on.
        keep_meters(book, [KeptMeter(reader.taught, b"no picture")])
        assert camera_ports(book, frames)[1][0].startswith("meter: ")
        with pytest.raises(BenchError, match="no picture that can be read"):
            frame_of(b"GIF89a", "face.gif")
    finally:
        book.close()
