"""Bringing an old logbook up to date with Alembic. Imported only when there is something to do."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine


def config(engine: Engine) -> Config:
    """Alembic's configuration for this logbook, without an ini file."""
    made = Config()
    made.set_main_option("script_location", str(Path(__file__).resolve().parent / "migrations"))
    made.attributes["engine"] = engine
    return made


def upgrade(engine: Engine) -> None:
    """Run every migration that the logbook lacks."""
    command.upgrade(config(engine), "head")
