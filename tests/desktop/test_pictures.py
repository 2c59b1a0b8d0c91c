"""Pictures that take long, are too large or are none: the window waits for nothing and says why nothing is shown."""

from __future__ import annotations

import time
from pathlib import Path

import pytest
from PIL import Image
from PyQt6.QtCore import QObject
from pytestqt.qtbot import QtBot

from unitone.desktop.widgets import picture
from unitone.desktop.widgets.picture import BoardImage, ImageReader, read_image
from unitone.errors import SheetError
from unitone.sheet.format.pictures import MAX_PIXELS, check_picture, is_simple_drawing

HEAD = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="1500" height="1000">'


def nested(deep: int, wide: int = 10) -> bytes:
    """A drawing of a few lines that reuses itself ``wide`` times at each of ``deep`` levels."""
    parts = ['<g id="l0"><rect width="9" height="9"/></g>']
    parts += [f'<g id="l{n}">' + f'<use xlink:href="#l{n - 1}"/>' * wide + "</g>" for n in range(1, deep + 1)]
    return (HEAD + f"<defs>{''.join(parts)}</defs>" + f'<use xlink:href="#l{deep}"/></svg>').encode()


def tangle(points: int) -> bytes:
    """One filled path whose lines cross one another: little to read, very long to draw."""
    lines = "".join(f"L{i * 37 % 1500} {i * 91 % 1000}" for i in range(points))
    return f'{HEAD}<path d="M0 0{lines}"/></svg>'.encode()


def test_drawings_that_grow_when_drawn_are_refused_before_anything_draws_them() -> None:
    for deep in (5, 9, 30):
        assert len(nested(deep)) < 9000
        with pytest.raises(SheetError, match="more than 20000 elements"):
            check_picture("board.svg", nested(deep))
    with pytest.raises(SheetError, match="more than 20000 elements"):
        check_picture("board.svg", (HEAD + '<rect width="1" height="1"/>' * 200_000 + "</svg>").encode())
    loop = HEAD + '<g id="a"><use xlink:href="#b"/></g><g id="b"><use xlink:href="#a"/></g></svg>'
    with pytest.raises(SheetError, match="more than 20000 elements"):
        check_picture("board.svg", loop.encode())
    assert check_picture("board.svg", nested(2)) == "SVG" and not is_simple_drawing(nested(2))
    shipped = sorted((Path(picture.__file__).parents[2] / "data" / "sheets").glob("*.svg"))
    assert shipped and all(is_simple_drawing(p.read_bytes()) for p in shipped)


def test_a_drawing_that_takes_too_long_is_given_up_with_words(qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(picture, "DRAWN_WITHIN", 1.0)
    check_picture("slow.svg", tangle(12_000))
    parent, told, shown = QObject(), list[str](), list[BoardImage]()
    reader = ImageReader(parent)
    began = time.monotonic()
    reader.read("slow.svg", tangle(12_000), shown.append, told.append)
    assert time.monotonic() - began < 0.5, "the window waited"
    qtbot.waitUntil(lambda: bool(told or shown), timeout=60_000)
    assert not shown and "takes longer than 1 s" in told[0] and "slow.svg" in told[0]
    # One of the same kind that is drawn in time is shown.
    monkeypatch.setattr(picture, "DRAWN_WITHIN", 60.0)
    reader.read("fine.svg", nested(2), shown.append, told.append)
    qtbot.waitUntil(lambda: bool(shown) or len(told) > 1, timeout=60_000)
    assert shown and shown[0].valid and shown[0].shape() == pytest.approx(1.5, rel=0.01)
    # What Qt cannot read is said, too, and stops nobody.
    reader.read("empty.svg", f"{HEAD}<filter/></svg>"[:-6].encode(), shown.append, told.append)
    qtbot.waitUntil(lambda: len(told) > 1, timeout=60_000)
    assert "cannot be shown" in told[1]


def test_every_photograph_that_is_taken_in_is_shown(tmp_path: Path) -> None:
    path = tmp_path / "large.png"
    side = int(MAX_PIXELS**0.5)
    Image.new("L", (side, side), 128).save(path, compress_level=1)
    assert check_picture("large.png", path.read_bytes()) == "PNG" and not read_image(path.read_bytes()).isNull()
    Image.new("1", (side + 40, side + 40)).save(path, compress_level=1)
    with pytest.raises(SheetError, match="50 million at most"):
        check_picture("large.png", path.read_bytes())
