"""A virtual sound card: a PulseAudio server of the test's own with a null sink, whose monitor is offered as an input."""

from __future__ import annotations

import os
import shutil
import subprocess
import tempfile
from pathlib import Path

#: What has to be installed for it (Debian's names).
PACKAGES = "pulseaudio libpulse0"


class VirtualCard:
    """Started once in a process, before Qt first asks for devices; what is played on ``bench`` is heard on ``linein``."""

    def __init__(self) -> None:
        self.place = Path(tempfile.mkdtemp(prefix="unitone-sound-"))
        self.socket = self.place / "native"
        self.env = {
            **os.environ,
            "XDG_RUNTIME_DIR": str(self.place),
            "HOME": str(self.place),
            "PULSE_SERVER": f"unix:{self.socket}",
        }
        self._process = subprocess.Popen(
            [
                "pulseaudio", "-n", "--exit-idle-time=-1", "--daemonize=no", "--use-pid-file=no",
                "--load", f"module-native-protocol-unix socket={self.socket} auth-anonymous=1",
                "--load", "module-null-sink sink_name=bench rate=48000",
                "--load", "module-remap-source master=bench.monitor source_name=linein",
            ],
            env={k: v for k, v in self.env.items() if k != "PULSE_SERVER"}, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        os.environ["PULSE_SERVER"] = self.env["PULSE_SERVER"]
        self._plugged: list[str] = []
        for _ in range(100):
            if self.socket.exists() and self.control("info").returncode == 0:
                return
            try:
                self._process.wait(0.1)
            except subprocess.TimeoutExpired:
                continue
            break
        self.stop()
        raise RuntimeError("the virtual sound card did not start")

    def control(self, *words: str) -> subprocess.CompletedProcess[str]:
        """``pactl`` on this server."""
        return subprocess.run(["pactl", *words], env=self.env, capture_output=True, text=True, check=False)

    def record(self, file: Path) -> subprocess.Popen[bytes]:
        """What is played on ``bench``, recorded by another program until it is ended: 16 bits, one channel, 48 kHz."""
        words = ["parec", "--device=bench.monitor", "--rate=48000", "--channels=1", "--format=s16le"]
        with file.open("wb") as out:
            return subprocess.Popen(words, env=self.env, stdout=out, stderr=subprocess.DEVNULL)

    def plug(self) -> str:
        """An input more, called ``clip``; returns its module's number."""
        words = ("load-module", "module-remap-source", "master=bench.monitor", "source_name=clip")
        self._plugged.append(self.control(*words).stdout.strip())
        return self._plugged[-1]

    def unplug(self, module: str) -> None:
        """Take an input away while it is in use."""
        self._plugged.remove(module)
        self.control("unload-module", module)

    def settle(self) -> None:
        """Take away what a test that failed left plugged in: the next one would hear it instead of its own."""
        for module in tuple(self._plugged):
            self.unplug(module)

    def stop(self) -> None:
        """End the server."""
        os.environ.pop("PULSE_SERVER", None)
        self._process.terminate()
        self._process.wait(5)
        shutil.rmtree(self.place, ignore_errors=True)


def there_is_one() -> bool:
    """Can one be started on this machine?"""
    return shutil.which("pulseaudio") is not None and shutil.which("pactl") is not None
