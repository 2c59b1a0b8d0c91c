"""Files that go out of the house are written whole or not at all."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from unitone.errors import UnitoneError


def write_whole(content: bytes, path: Path, kind: type[UnitoneError] = UnitoneError) -> None:
    """Write ``content`` to ``path``: the file that was there stays until the new one is whole.

    Raises ``kind`` naming the file when that fails.
    """
    try:
        handle, temporary = tempfile.mkstemp(dir=path.parent, prefix=".unitone-", suffix=".part")
        with os.fdopen(handle, "wb") as file:
            file.write(content)
        os.chmod(temporary, 0o644)
        os.replace(temporary, path)
    except OSError as error:
        raise kind(f"{path}: cannot be written ({error.strerror}). Choose another place.") from None
