"""Touchstone read as text, held against scikit-rf's own writer in every format, with noise data, comments, wrapped rows and version 2."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import skrf

from unitone.errors import SignalError
from unitone.signals._touchstone import read_touchstone


def network(ports: int) -> skrf.Network:
    rng = np.random.default_rng(4)
    f = np.linspace(10.6e6, 10.8e6, 41)
    s = rng.standard_normal((41, ports, ports)) * 0.3 + 1j * rng.standard_normal((41, ports, ports)) * 0.3
    return skrf.Network(f=f, s=s, f_unit="Hz", z0=50)


@pytest.mark.parametrize("form", ["db", "ma", "ri"])
@pytest.mark.parametrize("ports", [1, 2])
def test_every_format_reads_as_it_was_written(tmp_path: Path, form: str, ports: int) -> None:
    written = network(ports)
    written.write_touchstone(str(tmp_path / "x"), form=form)
    for row, column in [(0, 0)] if ports == 1 else [(0, 0), (1, 0), (0, 1), (1, 1)]:
        hz, db = read_touchstone(tmp_path / f"x.s{ports}p", f"s{row + 1}{column + 1}")
        assert hz == pytest.approx(written.f) and db == pytest.approx(
            20 * np.log10(np.abs(written.s[:, row, column])), abs=1e-4
        )


def test_noise_comments_wrapped_rows_and_version_two(tmp_path: Path) -> None:
    (tmp_path / "a.s2p").write_text(
        "! a comment\n# MHz S DB R 50 ! another\n1 -1 0 -2 0\n -3 0 -4 0\n2 -5 0 -6 0 -7 0 -8 0\n1 3 0.5 20 0.4\n2 4 0.5 20 0.4\n"
    )
    hz, db = read_touchstone(tmp_path / "a.s2p")
    assert list(hz) == [1e6, 2e6] and list(db) == [-2.0, -6.0]
    (tmp_path / "b.s2p").write_text(
        "[Version] 2.0\n# Hz S DB R 50\n[Number of Ports] 2\n[Two-Port Data Order] 12_21\n[Network Data]\n1 -1 0 -2 0 -3 0 -4 0\n[End]\nrubbish"
    )
    assert list(read_touchstone(tmp_path / "b.s2p")[1]) == [-3.0]


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "no option line"), ("# Hz S DB R 50\n", "no data"), ("# Hz Z RI R 50\n1 2 3\n", "Z parameters"), ("# Hz S DB R 50\n1 2 x\n", ":2:"),
        ("# Hz S DB R 50\n1 2 3 4 5 6 7 8 9\n2 2\n", "incomplete"), ("# Hz S DB R 50\n" + "2 1 1 1 1 1 1 1 1\n1 1 1 1 1 1 1 1 1\n", "do not rise"),
        ("[Number of Ports] 4\n# Hz S DB R 50\n", "4 ports"), ("# Hz S DB R 50\n1 1e999 1 1e999 1 1 1 1 1\n", "infinite"),
    ],
)  # fmt: skip
def test_what_is_none_is_refused_with_its_line(tmp_path: Path, text: str, words: str) -> None:
    (tmp_path / "x.s2p").write_text(text)
    with pytest.raises(SignalError) as refused:
        read_touchstone(tmp_path / "x.s2p")
    assert words in str(refused.value) and "x.s2p" in str(refused.value)
