"""A plugin for the run that proves the core free of Qt: whatever imports it fails."""

from __future__ import annotations

import sys
from typing import Any


class NoQt:
    """Refuses every Qt module."""

    def find_spec(self, name: str, path: Any = None, target: Any = None) -> None:
        """See ``importlib.abc.MetaPathFinder``."""
        if name.split(".", maxsplit=1)[0] in ("PyQt6", "pyqtgraph"):
            raise ModuleNotFoundError(f"no {name} in this run", name=name)


sys.meta_path.insert(0, NoQt())
