"""A recording as a meter of the bench: what the loudspeaker gave, or a receiver's I/Q, taken elsewhere and read at the step at hand."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from unitone.bench.drivers.live import clips
from unitone.bench.drivers.recording import SIGMF_ENDINGS, Kind, SigMfFile, SoundFile, open_source
from unitone.bench.drivers.sound_figures import AGAINST, FROM_AUDIO, FROM_IQ, LEAST_S, SoundFigures
from unitone.bench.ports import Measured
from unitone.errors import BenchError, SignalError
from unitone.quantities.registry import quantity
from unitone.sheet.model.sheet import Conditions
from unitone.words import tr

#: The longest that is one reading (seconds): a recording of more is of more than one adjustment.
LONGEST_S = 60.0


def read_from_recordings(quantity_id: str) -> bool:
    """Can some recording tell this quantity? What needs a scale, or a second stretch to be held against, none can."""
    return quantity_id in (*FROM_AUDIO, *FROM_IQ) and quantity_id not in (*AGAINST, "rx.af_voltage")


class RecordedMeter:
    """Reads from one file what a ``SoundMeter`` reads live, by the same code; all of it is one reading.

    What needs a scale (AF voltage) or a second stretch to be held against (quieting, hum and
    noise) is not read. It has no needle. Raises SignalError for a file that is no recording.
    """

    source = "file"

    def __init__(self, path: Path) -> None:
        self._path = path
        if path.suffix.lower() in SIGMF_ENDINGS:
            self._kinds: tuple[Kind, ...] = (SigMfFile(path).kind,)
            self._channels = 1
        else:
            audio = open_source(path)
            assert isinstance(audio, SoundFile)
            self._channels = audio.channels
            self._kinds = ("audio", "iq") if audio.channels == 2 else ("audio",)

    @property
    def name(self) -> str:
        """What it is called beside a figure."""
        return self._path.name

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        return self._kind_for(quantity_id) is not None

    def seconds_for(self, quantity_id: str) -> float:
        """See ``Meter``: it is there already."""
        del quantity_id
        return 0.0

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        """See ``Meter``: no needle."""
        del quantity_id, conditions
        return None

    def cancel(self) -> None:
        """See ``Meter``: a minute of sound is read in less time than a hand takes."""

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """What the whole recording says. Raises BenchError: not read from it, too short or too long, overloaded, nothing in it."""
        kind = self._kind_for(quantity_id)
        if kind is None:
            raise BenchError(self._not_read(quantity_id))
        try:
            x, rate, side, damage = self._loudest(kind)
            found = SoundFigures(rate, kind, self.name).read(quantity_id, x, conditions, lambda: x)
        except SignalError as error:
            words = str(error)
            raise BenchError(words if self.name in words else f"{self.name}: {words}") from None
        if found.value is None:
            raise BenchError(f"{self.name}: {found.warning}")
        name = tr("{name}, channel {side}", name=self.name, side=side) if side > 1 else self.name
        return Measured(
            found.value, name, found.std, source=self.source, warning=found.warning or next(iter(damage), "")
        )

    def _loudest(self, kind: Kind) -> tuple[NDArray[Any], float, int, tuple[str, ...]]:
        """Its samples, shape (n,), their rate, the channel they come from, and what is missing of them. Of several channels of audio
        the louder is the one with the lead in it. Raises SignalError, BenchError."""
        sides = range(1, self._channels + 1) if kind == "audio" else (1,)
        best: tuple[NDArray[Any], float, int, tuple[str, ...]] | None = None
        for side in sides:
            source = open_source(self._path, kind, side)
            assert isinstance(source, SoundFile | SigMfFile)
            x = self._whole(source.blocks(), source.rate)
            if best is None or np.var(x) > np.var(best[0]):
                best = (x, source.rate, side, source.damage)
        assert best is not None
        return best

    def _kind_for(self, quantity_id: str) -> Kind | None:
        if not read_from_recordings(quantity_id):
            return None
        if "iq" in self._kinds and quantity_id in FROM_IQ:
            return "iq"
        return "audio" if "audio" in self._kinds and quantity_id in FROM_AUDIO else None

    def _not_read(self, quantity_id: str) -> str:
        title = tr(quantity(quantity_id).title)
        if quantity_id in AGAINST:
            return tr(
                "{title} is held against a second stretch: one recording does not tell it. Compare two in Meters, or type it.",
                title=title,
            )
        if quantity_id in FROM_IQ:
            return tr(
                "{name} is audio of one channel: {title} is read from I/Q, as SigMF or stereo WAV. Record it from a receiver’s I/Q, or type it.",
                name=self.name,
                title=title,
            )
        if read_from_recordings(quantity_id):
            return tr(
                "{name} is I/Q: {title} is read from audio. Record the loudspeaker, or type it.",
                name=self.name,
                title=title,
            )
        return tr("{title} is not read from a recording: type it.", title=title)

    def _whole(self, blocks: Any, rate: float) -> NDArray[Any]:
        """All samples, shape (n,). Raises BenchError for too few or too many, and where full scale was reached."""
        held: list[NDArray[Any]] = []
        count = 0
        for block in blocks:
            held.append(block)
            count += block.size
            if count > LONGEST_S * rate:
                raise BenchError(
                    tr(
                        "{name} is longer than {most} s: which part is the reading? Cut that part out, or open the file in Meters.",
                        name=self.name,
                        most=f"{LONGEST_S:g}",
                    )
                )
        if count < LEAST_S * rate:
            raise BenchError(
                tr("{name} is shorter than {least} s. Record some seconds.", name=self.name, least=f"{LEAST_S:g}")
            )
        x = np.concatenate(held)
        if clips(x):
            raise BenchError(
                tr(
                    "{name} reaches full scale: nothing is logged. Record it again with the level turned down.",
                    name=self.name,
                )
            )
        return x
