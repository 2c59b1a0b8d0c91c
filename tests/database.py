"""A real PostgreSQL of Debian's package for tests: in a folder of its own, on a port of its own, for this machine alone."""

from __future__ import annotations

import glob
import os
import shutil
import socket
import subprocess
import tempfile
import time
from pathlib import Path

import psycopg

#: The server refuses to run as root; Debian's package brings this user.
_USER = "postgres"


def programs() -> Path | None:
    """Where the server's programs lie; None where it is not installed (apt-get install postgresql). On a new machine of CI it is on
    its way while the file is there that the environment names."""
    coming, patience = os.environ.get("UNITONE_TESTS_COMING"), time.monotonic() + 300.0
    while coming and Path(coming).exists() and time.monotonic() < patience:
        time.sleep(0.5)
    found = sorted(glob.glob("/usr/lib/postgresql/*/bin/initdb"), key=lambda p: int(p.split("/")[4]))
    return Path(found[-1]).parent if found else None


def _free_port() -> int:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return int(s.getsockname()[1])


class Database:
    """A server that can be stopped hard and started again. ``fresh()`` gives the address of an empty database on it."""

    def __init__(self) -> None:
        found = programs()
        assert found is not None, "PostgreSQL is not installed: apt-get install postgresql"
        self._programs = found
        self._folder = Path(tempfile.mkdtemp(prefix="unitone-pg-"))
        self._user = {"user": _USER, "group": _USER} if os.geteuid() == 0 else {}
        if self._user:
            shutil.chown(self._folder, _USER, _USER)
        self.port = _free_port()
        self._made = 0
        self._run("initdb", "-D", self._data, "-A", "trust", "-U", "unitone", "-E", "UTF8", "--locale=C.UTF-8", "-N")
        self.start()

    @property
    def _data(self) -> str:
        return str(self._folder / "data")

    def _run(self, program: str, *arguments: str) -> None:
        made = subprocess.run(
            [str(self._programs / program), *arguments],
            cwd=self._folder, capture_output=True, text=True, check=False, **self._user,
        )  # fmt: skip
        assert made.returncode == 0, made.stdout + made.stderr

    def start(self) -> None:
        """Start it; on return it answers."""
        options = f"-p {self.port} -c listen_addresses=127.0.0.1 -k {self._folder} -c max_connections=60 -c shared_buffers=64MB"
        self._run("pg_ctl", "-D", self._data, "-l", str(self._folder / "log"), "-o", options, "-w", "start")

    def kill(self) -> None:
        """As when the plug is pulled: no farewell, nothing is tidied up."""
        self._run("pg_ctl", "-D", self._data, "-m", "immediate", "-w", "stop")

    def fresh(self) -> str:
        """The address of a database with nothing in it."""
        self._made += 1
        with psycopg.connect(f"postgresql://unitone@127.0.0.1:{self.port}/postgres", autocommit=True) as c:
            c.execute(f"CREATE DATABASE d{self._made}")  # type: ignore[arg-type]
        return f"postgresql://unitone@127.0.0.1:{self.port}/d{self._made}"

    def close(self) -> None:
        """Stop it and take its folder away."""
        subprocess.run(
            [str(self._programs / "pg_ctl"), "-D", self._data, "-m", "immediate", "-w", "stop"],
            cwd=self._folder, capture_output=True, check=False, **self._user,
        )  # fmt: skip
        for _ in range(50):
            shutil.rmtree(self._folder, ignore_errors=True)
            if not self._folder.exists():
                return
            time.sleep(0.1)
