"""The meters that were taught before the workshop's camera, each with the picture of its teaching; and the readers made of them."""

from __future__ import annotations

import base64
import io
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from unitone.bench.camera.camera_meter import CameraMeter, Frames, reader_of
from unitone.bench.camera.taught import Frame, Taught
from unitone.errors import BenchError, SheetError, StoreError
from unitone.sheet.format.pictures import check_picture
from unitone.store.ports import Store
from unitone.words import tr

#: JPEG quality of the picture that is kept: above 90 the edges of ticks stay where they are.
_QUALITY = 94
_MOST_PIXELS = 4_000_000


@dataclass(frozen=True)
class KeptMeter:
    """A taught meter and the frame of its teaching (JPEG)."""

    taught: Taught
    picture: bytes

    @classmethod
    def of(cls, taught: Taught, frame: Frame) -> KeptMeter:
        """With the frame made small enough to keep."""
        from PIL import Image

        out = io.BytesIO()
        Image.fromarray(frame).save(out, "JPEG", quality=_QUALITY, subsampling=0)
        return cls(taught, out.getvalue())


def frame_of(content: bytes, name: str) -> Frame:
    """A picture file's pixels: shape (rows, columns, 3). Raises BenchError for what is no picture, or too large a one."""
    from PIL import Image

    try:
        check_picture(name, content, name)
        with Image.open(io.BytesIO(content), formats=("PNG", "JPEG")) as image:
            if image.width * image.height > _MOST_PIXELS:
                raise BenchError(tr("{name} is too large. Save it at 2000 pixels across or less.", name=name))
            made: Frame = np.asarray(image.convert("RGB"), dtype=np.uint8)
    except (SheetError, OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        raise BenchError(tr("{name} is no picture that can be read. Use PNG or JPEG.", name=name)) from None
    return made


def kept_meters(logbook: Store) -> tuple[KeptMeter, ...]:
    """As they were taught; what is not understood any more is left out."""
    found: Any = logbook.setting("camera_meters", []) or []
    made = []
    for row in found if isinstance(found, list) else []:
        try:
            made.append(KeptMeter(Taught.from_data(row["taught"]), base64.b64decode(row["picture"], validate=True)))
        except (BenchError, KeyError, TypeError, ValueError):
            continue
    return tuple(made)


def keep_meters(logbook: Store, meters: Sequence[KeptMeter]) -> None:
    """Into the logbook. Raises StoreError; two meters of one quantity are refused: which of them would read it?"""
    read = [m.taught.quantity for m in meters]
    if len(set(read)) < len(read):
        raise StoreError(tr("Another taught meter reads that already. Remove it first."))
    rows = [{"taught": m.taught.to_data(), "picture": base64.b64encode(m.picture).decode()} for m in meters]
    logbook.set_setting("camera_meters", rows)


def camera_ports(logbook: Store, frames: Frames) -> tuple[tuple[CameraMeter, ...], tuple[str, ...]]:
    """The meters that read from these frames, and why others do not."""
    made, wrong = [], []
    for kept in kept_meters(logbook):
        try:
            made.append(CameraMeter(reader_of(kept.taught, frame_of(kept.picture, f"{kept.taught.name}.jpg")), frames))
        except BenchError as error:
            wrong.append(f"{kept.taught.name}: {error}")
    return tuple(made), tuple(wrong)
