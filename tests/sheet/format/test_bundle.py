"""Bundles, pictures and the library: what is taken, what is refused, and that nothing is lost."""

from __future__ import annotations

import io
import struct
import zipfile
import zlib
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PIL import Image

from unitone.errors import SheetError
from unitone.sheet.format import bundle as bundles
from unitone.sheet.format.bundle import Bundle, read_bundle, write_bundle
from unitone.sheet.format.pictures import check_picture, read_picture
from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import Library, check_file, find, open_file, slug

SHIPPED = [
    "corvane-alder-5",
    "corvane-heron-3",
    "ostrel-curlew-5",
    "ostrel-mallard-6",
    "ostrel-tarn-40",
    "ostrel-teal-6",
    "ostrel-weir-40-am",
]

TEXT = find("ostrel-tarn-40").read_text(encoding="utf-8")
SVG = '<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9">{}</svg>'


def picture(kind: str = "PNG", size: tuple[int, int] = (8, 6)) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", size, "#7a6a4a").save(out, kind)
    return out.getvalue()


def zipped(path: Path, files: dict[str, bytes], method: int = zipfile.ZIP_DEFLATED) -> Path:
    with zipfile.ZipFile(path, "w", method) as archive:
        for name, content in files.items():
            archive.writestr(name, content)
    return path


def test_a_bundle_comes_back_whole(tmp_path: Path) -> None:
    pictures = {"top.png": picture(), "below.jpg": picture("JPEG"), "draw.svg": SVG.format("<rect/>").encode()}
    path = tmp_path / "deep" / "mine.unitone"
    write_bundle(path, TEXT, pictures, "physics = 1")
    assert read_bundle(path) == Bundle(TEXT, pictures, "physics = 1")
    assert read_sheet(path).id == "mine" and len(read_sheet(path).steps) == 18
    assert [p.name for p in path.parent.iterdir()] == ["mine.unitone"], "no half-written neighbour is left"
    # The built-in sheet with what stands beside it is the same thing.
    built = open_file(find("ostrel-tarn-40"))
    assert (
        list(built.pictures) == ["ostrel-tarn-40.svg"] and "unitone-physics/1" in built.physics and built.left_out == ()
    )


@pytest.mark.parametrize(
    ("name", "says"),
    [
        ("../evil.toml", "outside its folder"),
        ("/etc/passwd", "outside its folder"),
        ("pictures\\..\\x", "outside its folder"),
        ("c:/x", "outside"),
    ],
)
def test_a_zip_that_points_outside_is_refused(tmp_path: Path, name: str, says: str) -> None:
    path = zipped(tmp_path / "x.unitone", {"sheet.toml": TEXT.encode(), name: b"x"})
    with pytest.raises(SheetError, match=says):
        read_bundle(path)
    assert list(tmp_path.iterdir()) == [path]


def test_bombs_links_and_strangers(tmp_path: Path) -> None:
    bomb = zipped(tmp_path / "bomb.unitone", {"sheet.toml": b"#" * 50_000_000})
    assert bomb.stat().st_size < 100_000
    with pytest.raises(SheetError, match="unpacks to far more"):
        read_bundle(bomb)
    with zipfile.ZipFile(tmp_path / "link.unitone", "w") as archive:
        info = zipfile.ZipInfo("sheet.toml")
        info.external_attr = 0o120777 << 16
        archive.writestr(info, "/etc/passwd")
    with pytest.raises(SheetError, match="link to elsewhere"):
        read_bundle(tmp_path / "link.unitone")
    many = zipped(tmp_path / "many.unitone", {f"pictures/{n}.png": b"" for n in range(150)})
    with pytest.raises(SheetError, match="150 files"):
        read_bundle(many)
    with pytest.raises(SheetError, match=r"no sheet\.toml"):
        read_bundle(zipped(tmp_path / "none.unitone", {"readme": b"x"}))
    with pytest.raises(SheetError, match="not UTF-8"):
        read_bundle(zipped(tmp_path / "bytes.unitone", {"sheet.toml": b"\xff\xfe"}))
    with pytest.raises(SheetError, match="cannot be read"):
        read_bundle(tmp_path / "nowhere.unitone")
    big = SVG.format("<!--" + "x" * 41_000_000 + "-->").encode()
    half = zipped(
        tmp_path / "half.unitone",
        {"sheet.toml": TEXT.encode(), "pictures/big.svg": big, "pictures/bad.png": b"no", "notes.txt": b"x"},
    )
    got = read_bundle(half)
    assert got.text == TEXT and got.pictures == {} and len(got.left_out) == 3
    assert any("40 MB" in x for x in got.left_out) and any("is not a complete PNG" in x for x in got.left_out)


@pytest.mark.parametrize(
    ("inside", "says"),
    [
        ("<script>1</script>", "script"), ('<rect onclick="x()"/>', "script in onclick"), ('<image href="http://a/b.png"/>', "link to"),
        ('<image xmlns:x="http://www.w3.org/1999/xlink" x:href="file:///etc/passwd"/>', "link to"), ("<foreignObject/>", "foreignobject"),
        ('<rect style="fill:url(http://a/b)"/>', "link in style"), ("<style>@import 'http://a'</style>", "link in its style"),
        ("<rect", "is not a complete SVG"), ("<?php x?>", "instruction"),
    ],
)  # fmt: skip
def test_drawings_with_anything_active_are_refused(inside: str, says: str) -> None:
    with pytest.raises(SheetError, match=f"(?i){says}"):
        check_picture("a.svg", SVG.format(inside).encode())


def test_pictures_that_are_taken_and_those_that_are_not(tmp_path: Path) -> None:
    assert check_picture("a.png", picture()) == "PNG" and check_picture("A.JPEG", picture("JPEG")) == "JPEG"
    inner = SVG.format(
        '<defs><g id="a"/></defs><use href="#a"/><image href="data:image/png;base64,AA=="/><rect style="fill:url(#a)"/>'
    )
    assert check_picture("a.svg", inner.encode()) == "SVG"
    laughs = '<!DOCTYPE svg [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]>' + SVG.format("&b;")
    for name, content, says in (
        ("a.gif", b"GIF89a", "Use PNG"), ("a.png", picture()[:40], "is not a complete PNG"), ("a.svg", laughs.encode(), "declarations"),
        ("a.svg", b"<html/>", "is not an SVG"), ("a.png", b"", "is not a complete PNG"),
    ):  # fmt: skip
        with pytest.raises(SheetError, match=says):
            check_picture(name, content)
    # A picture that says it is 60 000 x 60 000 pixels is refused by its head alone.
    head = struct.pack(">IIBBBBB", 60_000, 60_000, 8, 2, 0, 0, 0)
    chunk = struct.pack(">I", 13) + b"IHDR" + head + struct.pack(">I", zlib.crc32(b"IHDR" + head))
    with pytest.raises(SheetError, match=r"pixels are too many|is not a complete PNG"):
        check_picture("huge.png", b"\x89PNG\r\n\x1a\n" + chunk + picture()[33:])
    huge = tmp_path / "huge.jpg"
    with huge.open("wb") as file:
        file.truncate(200_000_000)  # a picture of 200 MB
    with pytest.raises(SheetError, match="is too large: 40 MB at most"):
        read_picture(huge)
    with pytest.raises(SheetError, match="cannot be read"):
        read_picture(tmp_path / "none.png")


@settings(
    max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow, HealthCheck.function_scoped_fixture]
)
@given(st.binary(max_size=300), st.integers(0, 4000), st.booleans())
def test_any_bytes_are_a_bundle_or_a_clear_refusal(tmp_path: Path, content: bytes, at: int, graft: bool) -> None:
    path = tmp_path / "any.unitone"
    write_bundle(path, TEXT, {"top.png": picture()})
    if graft:
        whole = bytearray(path.read_bytes())
        whole[at % len(whole) : at % len(whole) + len(content)] = content
        content = bytes(whole)
    path.write_bytes(content)
    try:
        assert isinstance(read_bundle(path), Bundle)
    except SheetError as error:
        assert str(error).startswith(str(path))


def test_the_library_keeps_finds_sets_aside_and_brings_back(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    library = Library(tmp_path / "sheets")
    assert [k.id for k in library.kept()] == SHIPPED
    assert library.free_id("Ostrel Tarn 40") == "ostrel-tarn-40-2" and slug("Größe 9 / µV!") == "groe-9-v"
    path = library.save("mine", Bundle(TEXT, {}))
    (tmp_path / "sheets" / "hand.toml").write_text(TEXT.replace('plan = "eu-40"', 'plan = "moon"'), encoding="utf-8")
    kept = {k.id: k for k in library.kept()}
    assert kept["mine"].own and not kept["mine"].problems and kept["hand"].problems and kept["ostrel-tarn-40"].simulated
    assert library.find("mine") == path and check_file(tmp_path / "sheets" / "hand.toml")[0].count("moon") == 1
    aside = library.remove(path)
    assert not path.exists() and library.put_back(aside) == path
    library.keep_draft("mine", Bundle("x = 1"))
    assert library.draft_of("mine") == Bundle("x = 1") and len(library.own()) == 2
    library.drop_draft("mine")
    assert library.draft_of("mine") is None
    for wrong in (
        lambda: library.remove(find("ostrel-tarn-40")),
        lambda: library.find("nothing"),
        lambda: Library(None).save("x", Bundle(TEXT)),
    ):
        with pytest.raises(SheetError):
            wrong()
    monkeypatch.setattr(
        bundles.files.os, "replace", lambda *_: (_ for _ in ()).throw(OSError(28, "No space left on device"))
    )
    before = path.read_bytes()
    with pytest.raises(SheetError, match="No space"):
        library.save("mine", Bundle(TEXT + "# more\n"))
    assert path.read_bytes() == before
