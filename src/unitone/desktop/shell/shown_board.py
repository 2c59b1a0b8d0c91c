"""A board picture of a job on a page: read off the window's thread, from the job's own copy or from beside its sheet."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from unitone.desktop.widgets.board import BoardView
from unitone.desktop.widgets.picture import WHOLE, BoardImage, ImageReader
from unitone.errors import UnitoneError
from unitone.present.bench.bench_shapes import BoardPicture, Pin
from unitone.sheet.format.pictures import read_picture
from unitone.sheet.library import SHEETS


class ShownBoard(BoardView):
    """Shows the picture that it is told to once it is read; hidden where there is none."""

    def __init__(self, blob: Callable[[str], bytes], tell: Callable[[str], object]) -> None:
        super().__init__()
        self._blob, self._tell = blob, tell
        self._images = ImageReader(self)
        self._read_one: tuple[BoardPicture, BoardImage | None] | None = None
        self._now: tuple[Pin, ...] = ()

    def show_picture(self, wanted: BoardPicture | None, pins: tuple[Pin, ...]) -> None:
        """This picture, with these pins on it."""
        self._now = pins
        if wanted is None:
            self._read_one = None
        elif self._read_one is None or (self._read_one[0].hash, self._read_one[0].file) != (wanted.hash, wanted.file):
            self._read_one = (wanted, None)
            self._read(wanted)
        else:
            self._read_one = (wanted, self._read_one[1])
        self.setVisible(wanted is not None)
        crop = wanted.crop if wanted is not None else WHOLE
        self.show_board(self._read_one[1] if self._read_one else None, pins, crop)

    def _read(self, wanted: BoardPicture) -> None:
        def take(image: BoardImage) -> None:
            now = self._read_one
            if now is not None and (now[0].hash, now[0].file) == (wanted.hash, wanted.file):
                self._read_one = (now[0], image)
                self.show_board(image, self._now, now[0].crop)

        try:
            if wanted.hash:
                self._images.read(wanted.file, self._blob(wanted.hash), take, self._tell)
                return
            beside = SHEETS / Path(wanted.file).name
            if beside.is_file():
                self._images.read(beside.name, read_picture(beside), take, self._tell)
        except UnitoneError as error:
            self._tell(str(error))
