"""A file that is opened while the workshop's window is there goes to that window: a socket for this user alone, named by the folder."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtNetwork import QLocalServer, QLocalSocket

#: More than so much is no list of files (bytes); so long the other window is waited for (ms).
_MOST, _WAIT_MS = 64_000, 3_000


def _name(folder: Path) -> str:
    return "unitone-" + hashlib.sha256(str(folder.resolve()).encode()).hexdigest()[:24]


def ring(folder: Path, paths: Sequence[Path]) -> bool:
    """Hand these files to the window that has the workshop open; False where there is none, or it does not answer."""
    socket = QLocalSocket()
    socket.connectToServer(_name(folder))
    if not socket.waitForConnected(_WAIT_MS):
        return False
    socket.write(json.dumps([str(p.resolve()) for p in paths]).encode() + b"\n")
    answered = socket.waitForReadyRead(_WAIT_MS) and bytes(socket.readAll().data()) == b"ok\n"
    socket.disconnectFromServer()
    return answered


class Doorbell(QObject):
    """Listens while the window is there. ``rung`` with the files, in the window's thread."""

    rung = pyqtSignal(list)

    def __init__(self, folder: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._server = QLocalServer(self)
        self._server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        self._server.newConnection.connect(self._arrived)
        # What a sudden end left behind is nobody's: the logbook's own lock says that there is no other window.
        QLocalServer.removeServer(_name(folder))
        self._server.listen(_name(folder))

    def _arrived(self) -> None:
        while (socket := self._server.nextPendingConnection()) is not None:
            socket.readyRead.connect(lambda s=socket: self._read(s))
            socket.disconnected.connect(socket.deleteLater)

    def _read(self, socket: QLocalSocket) -> None:
        if not socket.canReadLine():
            if socket.bytesAvailable() > _MOST:
                socket.abort()
            return
        try:
            said = json.loads(socket.readLine(_MOST))
        except ValueError:
            socket.abort()
            return
        if not isinstance(said, list):
            socket.abort()
            return
        socket.write(b"ok\n")
        socket.flush()
        self.rung.emit([Path(str(p)) for p in said])

    def close(self) -> None:
        """Nobody is here any more."""
        self._server.close()
