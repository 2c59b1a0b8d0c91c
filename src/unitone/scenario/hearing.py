"""A dear moment heard again: what the radio gave its loudspeaker before the move, and after it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from unitone.errors import TapeError
from unitone.scenario.rewind import rewind
from unitone.store.logbook import Logbook
from unitone.store.ports import Store
from unitone.words import tr

#: So much is heard of each, with a silence between them (s).
HEARD_S, SILENCE_S = 2.5, 0.4
_BLOCK_S = 0.1


def hear_again(book: Store, job_id: str, seq: int) -> tuple[NDArray[np.float64], float]:
    """The loudspeaker before entry ``seq`` and after it, shape (n,), as shares of full scale, and the rate (Hz).

    The radio is built anew from the log each time; nothing is written to it. Raises TapeError where nothing could be heard then,
    StoreError.
    """
    before, rate = _stretch(book, job_id, seq)
    after, _ = _stretch(book, job_id, seq + 1)
    return np.concatenate([before, np.zeros(round(SILENCE_S * rate)), after]), rate


def _stretch(book: Store, job_id: str, seq: int) -> tuple[NDArray[np.float64], float]:
    with Logbook(None) as nowhere:
        session = rewind(book, job_id, seq, nowhere)
        wanted = session.state.set_up
        blocks, rate = [], 0.0
        for _ in range(round(HEARD_S / _BLOCK_S)):
            heard = None
            if session.state.hook_up == "receive" and wanted.way != "transmit":
                heard = session.bench.listen(wanted, _BLOCK_S)
            if heard is None or heard.kind != "audio":
                raise TapeError(tr("Nothing came out of the loudspeaker at that moment."))
            blocks.append(np.asarray(heard.samples.real, np.float64))
            rate = heard.rate
        return np.concatenate(blocks), rate
