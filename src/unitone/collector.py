"""Python's garbage collector, resting while many small things are made at once that all stay.

It counts what is made and then looks through everything there is: for a log of a hundred thousand entries that takes
longer than reading them.
"""

from __future__ import annotations

import gc
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def resting() -> Iterator[None]:
    """No collections inside; as it was before afterwards."""
    on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if on:
            gc.enable()
