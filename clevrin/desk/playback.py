"""Playback: pictures made ahead on a worker thread, shown by the clock, dropped rather than stretched in time."""

import logging
import threading
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Qt, QTimer, Signal

from clevrin.core.errors import ClevrinError
from clevrin.core.motion.cache import Shelf
from clevrin.core.render.sources import Known, Sources

log = logging.getLogger(__name__)

Pixels = NDArray[np.uint8]
Make = Callable[[Sources, int], tuple[Pixels, ...]]

_AHEAD = 10
_RATE_OVER_S = 1.0


@dataclass(frozen=True, kw_only=True, eq=False)
class Programme:
    """What is played: frames `first` up to `end` of something at a rate, and how a frame's pictures are made.

    `make` runs on the player's thread, with its own sources.
    """

    first: int
    end: int
    rate: Fraction
    make: Make
    loop: bool = False


@dataclass(frozen=True, kw_only=True)
class PlayFigures:
    """How playback goes: pictures per second over the last second, and how many were dropped since it began."""

    rate: float
    shown: int
    dropped: int


class Player(QObject):
    """Plays one programme; `shown` brings its pictures to the interface thread."""

    shown = Signal(int, object)
    """Frame number and its pictures, on the interface thread."""
    playing_changed = Signal(bool)
    failed = Signal(str)
    _made = Signal(int, object, int)

    def __init__(self, shelf: Shelf, known: Known, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._shelf, self._known = shelf, known
        self._wake = threading.Condition()
        self._programme: Programme | None = None
        self._generation = 0
        self._wanted: int | None = None  # a single frame to make, when not playing
        self._next = 0  # the next frame to make ahead, counted without loops
        self._ready: deque[tuple[int, tuple[Pixels, ...]]] = deque()
        self._closed = False
        self._playing = False
        self._frame = 0
        self._start_frame, self._start_time = 0, 0.0
        self._shown_at: deque[float] = deque()
        self._shown_count = self._dropped = 0
        self._clock = QTimer(self, interval=4, timerType=Qt.TimerType.PreciseTimer)
        self._clock.timeout.connect(self._on_clock_timeout)
        self._made.connect(self._on_frame_made, Qt.ConnectionType.QueuedConnection)
        self.failed.connect(self.stop, Qt.ConnectionType.QueuedConnection)
        self._thread = threading.Thread(target=self._run, name="player", daemon=True)
        self._thread.start()

    @property
    def playing(self) -> bool:
        return self._playing

    @property
    def frame(self) -> int:
        """The frame that is looked at."""
        return self._frame

    @property
    def programme(self) -> Programme | None:
        return self._programme

    @property
    def figures(self) -> PlayFigures:
        now = time.monotonic()
        while self._shown_at and now - self._shown_at[0] > _RATE_OVER_S:
            self._shown_at.popleft()
        span = self._shown_at[-1] - self._shown_at[0] if self._shown_at else 0.0
        rate = (len(self._shown_at) - 1) / span if span > 0.2 else 0.0
        return PlayFigures(rate=rate, shown=self._shown_count, dropped=self._dropped)

    def load(self, programme: Programme | None, frame: int | None = None) -> None:
        """Takes another programme and shows its frame (None: the one looked at, as far as it has it).

        Playing goes on with the new programme where the old one was.
        """
        with self._wake:
            self._programme = programme
            self._generation += 1
            self._ready.clear()
            self._wanted = None
            if programme is None:
                self._set_playing(False)
                return
            self._frame = min(max(self._frame if frame is None else frame, programme.first), programme.end - 1)
            if self._playing:
                self._begin_at(self._frame)
            else:
                self._wanted = self._frame
            self._wake.notify()

    def seek(self, frame: int) -> None:
        """Shows a frame; the newest wish wins over those that are still being made."""
        with self._wake:
            programme = self._programme
            if programme is None:
                return
            self._frame = min(max(frame, programme.first), programme.end - 1)
            self._generation += 1
            self._ready.clear()
            if self._playing:
                self._begin_at(self._frame)
            else:
                self._wanted = self._frame
            self._wake.notify()

    def play(self) -> None:
        """Plays from the frame looked at; from the start when that is the last one."""
        with self._wake:
            programme = self._programme
            if programme is None or self._playing:
                return
            frame = self._frame if self._frame < programme.end - 1 else programme.first
            self._shown_at.clear()
            self._shown_count = self._dropped = 0
            self._generation += 1
            self._ready.clear()
            self._begin_at(frame)
            self._set_playing(True)
            self._wake.notify()

    def stop(self) -> None:
        """Stops at the frame looked at."""
        with self._wake:
            self._set_playing(False)
            self._generation += 1
            self._ready.clear()

    def toggle(self) -> None:
        if self._playing:
            self.stop()
        else:
            self.play()

    def close(self) -> None:
        """Ends the thread."""
        with self._wake:
            self._closed = True
            self._set_playing(False)
            self._wake.notify()
        self._thread.join()

    def _set_playing(self, playing: bool) -> None:
        if playing == self._playing:
            return
        self._playing = playing
        if playing:
            self._clock.start()
        else:
            self._clock.stop()
        self.playing_changed.emit(playing)

    def _begin_at(self, frame: int) -> None:
        self._start_frame = self._next = frame
        self._start_time = 0.0  # the clock starts with the first picture

    def _due(self) -> int:
        """The frame that is due now, counted on through loops."""
        assert self._programme is not None
        if self._start_time == 0.0:
            return self._start_frame
        return self._start_frame + int((time.monotonic() - self._start_time) * self._programme.rate)

    def _on_clock_timeout(self) -> None:
        with self._wake:
            programme = self._programme
            if programme is None:
                return
            due = self._due()
            chosen = None
            while self._ready and self._ready[0][0] <= due:
                if chosen is not None:
                    self._dropped += 1
                chosen = self._ready.popleft()
            self._wake.notify()
            ended = not programme.loop and due >= programme.end
            if ended:
                self._set_playing(False)
        if chosen is not None:
            if self._start_time == 0.0:
                self._start_time = time.monotonic()
            self._show(_wrapped(chosen[0], programme), chosen[1])

    def _show(self, frame: int, pictures: tuple[Pixels, ...]) -> None:
        self._frame = frame
        self._shown_count += 1
        self._shown_at.append(time.monotonic())
        self.shown.emit(frame, pictures)

    def _on_frame_made(self, frame: int, pictures: tuple[Pixels, ...], generation: int) -> None:
        if generation == self._generation and not self._playing:
            self.shown.emit(frame, pictures)

    # The worker thread

    def _run(self) -> None:
        with Sources(self._shelf, self._known) as sources:
            while (task := self._task()) is not None:
                programme, number, generation, ahead = task
                try:
                    pictures = programme.make(sources, _wrapped(number, programme))
                except ClevrinError as error:
                    self._give_up(str(error), generation)
                    continue
                except Exception:
                    log.exception("a picture could not be made")
                    self._give_up("This picture could not be made; the log file has the details.", generation)
                    continue
                if ahead:
                    with self._wake:
                        if generation == self._generation:
                            self._ready.append((number, pictures))
                else:
                    self._made.emit(number, pictures, generation)

    def _task(self) -> tuple[Programme, int, int, bool] | None:
        """Waits for something to make: programme, frame, generation, whether it is made ahead."""
        with self._wake:
            while not self._closed:
                programme = self._programme
                if programme is not None and self._wanted is not None:
                    wanted, self._wanted = self._wanted, None
                    return programme, wanted, self._generation, False
                if programme is not None and self._playing and len(self._ready) < _AHEAD:
                    due = self._due()
                    if self._next < due:  # too late for these: they are not even made
                        self._dropped += due - self._next
                        self._next = due
                    if programme.loop or self._next < programme.end:
                        self._next += 1
                        return programme, self._next - 1, self._generation, True
                self._wake.wait(0.25)
        return None

    def _give_up(self, sentence: str, generation: int) -> None:
        with self._wake:
            if generation != self._generation:
                return
        self.failed.emit(sentence)


def _wrapped(number: int, programme: Programme) -> int:
    if not programme.loop or number < programme.end:
        return number
    return programme.first + (number - programme.first) % (programme.end - programme.first)
