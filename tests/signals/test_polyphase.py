"""The change of sample rate against SciPy's own, sample for sample."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.signal import firwin, upfirdn

from unitone.signals.polyphase import filter_whole


@given(
    up=st.integers(1, 12), down=st.integers(1, 45), taps=st.integers(1, 400), samples=st.integers(1, 3000),
    seed=st.integers(0, 9),
)  # fmt: skip
def test_every_output_under_the_whole_filter_is_scipys(up: int, down: int, taps: int, samples: int, seed: int) -> None:
    made = np.random.default_rng(seed)
    h, x = made.standard_normal(taps), made.standard_normal(samples)
    at = np.arange((samples * up + taps) // down + 1) * down
    whole = (at >= taps - 1) & (at <= (samples - 1) * up)
    full = upfirdn(h, x, up, down)
    np.testing.assert_allclose(filter_whole(x, h, up, down), full[np.flatnonzero(whole)], atol=1e-11)


@pytest.mark.parametrize("down", [1, 5, 41])
def test_a_channel_of_iq_keeps_its_kind(down: int) -> None:
    made = np.random.default_rng(down)
    x = (made.standard_normal(20_000) + 1j * made.standard_normal(20_000)).astype(np.complex64)
    h = firwin(16 * down + 1, 0.8 / down).astype(np.float32) if down > 1 else np.ones(3, np.float32)
    got = filter_whole(x, h, down=down)
    first = -(-(h.size - 1) // down)
    np.testing.assert_allclose(got, upfirdn(h, x, 1, down)[first : first + got.size], atol=1e-5)
    assert got.dtype == np.complex64 and got.size == (x.size - h.size) // down + 1
