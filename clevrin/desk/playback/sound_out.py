"""Sound while the reel plays: made ahead on a thread, played by Qt's audio sink, whose count of samples is the clock.

Without a device, or when one goes away, there is no sound and the player falls back to the wall clock.
"""

import logging
import threading
import time
from collections import deque
from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QIODevice, QLoggingCategory, QObject, QTimer

from clevrin.core.errors import ClevrinError
from clevrin.core.media.writing import SOUND_RATE

if TYPE_CHECKING:
    from PySide6.QtMultimedia import QAudioSink

log = logging.getLogger(__name__)

Sound = NDArray[np.float32]
MakeSound = Callable[[int, int], Sound]
"""Some samples of what is played: (count, 2) float32 from a sample on, counted from where playing began."""

_BUFFER_S = 0.5  # no gap even when the interface stalls for 400 ms
_BLOCK = SOUND_RATE // 4
_AHEAD_BLOCKS = 6
_FEED_MS = 20
_LATE_S, _STUCK_S = 3.0, 0.6
"""How long a device may take to begin, and how long it may stand still afterwards, before it counts as gone."""
_FADE = SOUND_RATE // 200


class SoundOut(QObject):
    """Plays sound from `start` to `stop`.

    A device takes up to half a second to begin. Nobody waits for it: the clock runs at once, and when the device
    begins, as much sound is left out as it is late, so that sound and pictures agree from then on.
    """

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._sink: QAudioSink | None = None
        self._device: QIODevice | None = None
        self._maker: _Maker | None = None
        self._rest = b""
        self._begun = 0.0
        self._lead_s: float | None = None  # how late the device began; None: it has not begun
        self._skip = 0  # bytes to leave out
        self._seen = (0.0, 0.0)  # how much had been played, and when that was first seen
        self._feeder = QTimer(self, interval=_FEED_MS)
        self._feeder.timeout.connect(self._feed)

    @property
    def running(self) -> bool:
        """Whether sound is being played; it ends by itself when the device does."""
        return self._device is not None

    @property
    def clock_s(self) -> float:
        """How far in what is played it is, in seconds: the device's count, until it begins the time since the start."""
        if self._lead_s is None:
            return time.monotonic() - self._begun
        return self._played_s + self._lead_s

    @property
    def _played_s(self) -> float:
        return self._sink.processedUSecs() / 1e6 if self._sink is not None else 0.0

    def start(self, make: MakeSound) -> bool:
        """Plays what `make` gives from its first sample on; False where there is no device."""
        self.stop()
        sink = _open_sink()
        if sink is None:
            return False
        device = sink.start()
        if device is None:
            return False
        self._sink, self._device, self._maker = sink, device, _Maker(make)
        self._rest, self._skip, self._lead_s = b"", 0, None
        self._begun = time.monotonic()
        self._seen = (0.0, self._begun)
        self._feed()
        self._feeder.start()
        return True

    def stop(self) -> None:
        self._feeder.stop()
        if self._maker is not None:
            self._maker.close()
            self._maker = None
        if self._sink is not None:
            self._sink.reset()
            self._sink = self._device = None

    def _feed(self) -> None:
        if self._sink is None or self._device is None or self._maker is None:
            return
        while (room := self._sink.bytesFree() // 8 * 8) > 0:
            block = self._rest or self._skipped(self._maker.take())
            if not block:
                break
            written = self._device.write(block[:room])
            self._rest = block[max(0, written) :]
            if written <= 0:
                break
        self._watch()

    def _skipped(self, block: bytes) -> bytes:
        """A block without what is to be left out; where something was, it is faded in."""
        if not self._skip or not block:
            return block
        left_out = min(self._skip, len(block))
        self._skip -= left_out
        samples = np.frombuffer(block[left_out:], np.float32).reshape(-1, 2).copy()
        ramp = min(_FADE, len(samples))
        samples[:ramp] *= np.linspace(0, 1, ramp, dtype=np.float32)[:, None]
        return samples.tobytes() if len(samples) or self._maker is None else self._skipped(self._maker.take())

    def _watch(self) -> None:
        """Notes when the device begins. A server that was killed leaves the sink active with a count that stands."""
        now, played = time.monotonic(), self._played_s
        if self._lead_s is None and played > 0:
            self._lead_s = max(0.0, now - self._begun - played)
            self._skip = round(self._lead_s * SOUND_RATE) * 8
            self._rest = self._skipped(self._rest)
        if played > self._seen[0]:
            self._seen = (played, now)
        elif now - self._seen[1] > (_LATE_S if self._lead_s is None else _STUCK_S):
            log.warning("the sound device does not go on; playing without sound")
            self.stop()


def _open_sink() -> "QAudioSink | None":
    """A sink on the default device; None where there is none."""
    QLoggingCategory.setFilterRules("qt.multimedia.*=false")
    from PySide6.QtMultimedia import QAudioFormat, QAudioSink, QMediaDevices

    device = QMediaDevices.defaultAudioOutput()
    if device.isNull():
        return None
    form = QAudioFormat()
    form.setSampleRate(SOUND_RATE)
    form.setChannelCount(2)
    form.setSampleFormat(QAudioFormat.SampleFormat.Float)
    if not device.isFormatSupported(form):
        return None
    sink = QAudioSink(device, form)
    sink.setBufferSize(int(_BUFFER_S * SOUND_RATE) * 8)
    return sink


class _Maker:
    """Makes blocks of sound ahead, on a thread of its own."""

    def __init__(self, make: MakeSound) -> None:
        self._make = make
        self._blocks: deque[bytes] = deque()
        self._wake = threading.Condition()
        self._closed = False
        self._thread = threading.Thread(target=self._run, name="sound", daemon=True)
        self._thread.start()

    def take(self) -> bytes:
        """The next block; empty while it is not there yet."""
        with self._wake:
            block = self._blocks.popleft() if self._blocks else b""
            self._wake.notify()
        return block

    def close(self) -> None:
        with self._wake:
            self._closed = True
            self._wake.notify()
        self._thread.join()

    def _run(self) -> None:
        at = 0
        while True:
            with self._wake:
                while not self._closed and len(self._blocks) >= _AHEAD_BLOCKS:
                    self._wake.wait()
                if self._closed:
                    return
            try:
                sound = self._make(at, _BLOCK)
            except ClevrinError:  # the picture says why
                sound = np.zeros((_BLOCK, 2), np.float32)
            at += _BLOCK
            with self._wake:
                self._blocks.append(np.clip(sound, -1, 1).astype(np.float32).tobytes())
