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
from clevrin.core.media.door import stopped_by
from clevrin.core.media.writing import SOUND_RATE
from clevrin.core.render.sources import Sources
from clevrin.desk.background.precedence import Precedence
from clevrin.desk.playback.sound_out import MakeSound, Sound, SoundOut

log = logging.getLogger(__name__)

Pixels = NDArray[np.uint8]
Make = Callable[[Sources, int], tuple[Pixels, ...]]
MakeWithin = Callable[[Sources, int, float], tuple[tuple[Pixels, ...], bool]]

_AHEAD = 10
_KEPT_AHEAD = 5
"""So many frames of those made ahead are not given away for a picture that takes long."""
_IN_TIME = 0.85
"""So much of the time that a frame is shown may go by while another is made."""
_RATE_OVER_S = 1.0
_SETTLE_MS = 180
"""How long after the last step of scrubbing the picture of a proxy is replaced by the film's own."""
_LATE_MS = 350
"""A picture that takes longer is said to be on its way: what is seen meanwhile is another one."""
FASTEST = 8


@dataclass(frozen=True, kw_only=True, eq=False)
class Programme:
    """What is played: frames `first` up to `end` of something at a rate, and how a frame's pictures are made.

    `make` runs on the player's thread, with its own sources; `make_within` as well, while it plays: it is told how many
    seconds a frame may take, makes plainer pictures where the right ones would take longer, and says so. `loop`: frames
    that are played over and over, once playing has come to them. `sound` gives samples from an instant of the
    programme, counted from frame 0 at 48,000 per second; it runs on a thread of its own.
    """

    first: int
    end: int
    rate: Fraction
    make: Make
    make_within: MakeWithin | None = None
    loop: tuple[int, int] | None = None
    sound: MakeSound | None = None


@dataclass(frozen=True, kw_only=True)
class PlayFigures:
    """How playback goes: pictures per second over the last second, and how many were dropped since it began."""

    rate: float
    shown: int
    dropped: int


class Player(QObject):
    """Plays one programme; `shown` brings its pictures to the interface thread.

    The clock is the sound device's where there is sound, else the wall's. Pictures that are late are dropped.
    """

    shown = Signal(int, object)
    """Frame number and its pictures, on the interface thread."""
    late = Signal()
    """The picture that is looked for is not there yet; what is seen is another one."""
    playing_changed = Signal(bool)
    failed = Signal(str)
    _made = Signal(object)

    def __init__(
        self,
        make_sources: Callable[[], Sources],
        parent: QObject | None = None,
        *,
        precedence: Precedence | None = None,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        """`make_sources` is called once, on the player's thread; others give way to it as `precedence` says.

        `clock`: seconds, by which pictures are shown where no sound is played.
        """
        super().__init__(parent)
        self._now = clock
        self._make_sources = make_sources
        self._precedence = precedence or Precedence()
        self._wake = threading.Condition()
        self._programme: Programme | None = None
        self._generation = 0
        self._wanted: tuple[int, bool] | None = None  # a single frame to make, and whether it is scrubbed to
        self._next = 0  # the next step to make ahead
        self._ready: deque[_Ready] = deque()
        self._closed = self._forgetting = False
        self._playing = False
        self._frame = 0
        self._speed = 1
        self._start_frame, self._start_time = 0, 0.0
        self._shown_at: deque[float] = deque()
        self._shown_count = self._dropped = 0
        self.shows_proxy = self.shows_plainer = False
        self.sound = SoundOut(self)
        self._sounding = False
        self._heard_s = 0.0
        self._clock = QTimer(self, interval=4, timerType=Qt.TimerType.PreciseTimer)
        self._clock.timeout.connect(self._on_clock_timeout)
        self._settle = QTimer(self, singleShot=True, interval=_SETTLE_MS)
        self._settle.timeout.connect(self._on_settle_timeout)
        self._late = QTimer(self, singleShot=True, interval=_LATE_MS)
        self._late.timeout.connect(self.late)
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
    def speed(self) -> int:
        """How fast it plays, or would: 1 is the programme's own rate, negative is backward."""
        return self._speed

    @property
    def programme(self) -> Programme | None:
        return self._programme

    @property
    def figures(self) -> PlayFigures:
        now = self._now()
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
            if programme is None:
                self._drop_ready()
                self._wanted = None
                self._late.stop()
                self._set_playing(False)
                return
            self._look_for(self._frame if frame is None else frame, programme, scrubbing=False)

    def seek(self, frame: int, *, scrubbing: bool = False) -> None:
        """Shows a frame; the newest wish wins over those that are still being made.

        While `scrubbing`, takes are read from their proxies; the film's own picture follows a moment later.
        """
        with self._wake:
            programme = self._programme
            if programme is None:
                return
            self._look_for(frame, programme, scrubbing=scrubbing)
        self._settle.stop()

    def play(self, speed: int = 1) -> None:
        """Plays from the frame looked at; from the other end when it stands at the last one."""
        with self._wake:
            programme = self._programme
            if programme is None or (self._playing and speed == self._speed):
                return
            frame = self._frame
            if speed > 0 and frame >= programme.end - 1:
                frame = programme.first
            if speed < 0 and frame <= programme.first:
                frame = programme.end - 1
            self._speed = speed
            self.forget_figures()
            self._drop_ready()
            self._begin_at(frame)
            self._set_playing(True)
            self._late.start()
            self._wake.notify()

    def shuttle(self, way: int) -> None:
        """Plays forward (1) or backward (-1); again in the same direction: twice as fast, up to 8 times."""
        same = self._playing and self._speed * way > 0
        self.play(max(-FASTEST, min(FASTEST, self._speed * 2)) if same else way)

    def stop(self) -> None:
        """Stops at the frame looked at; where a plainer picture of it is shown, the right one follows."""
        self._late.stop()
        with self._wake:
            self._set_playing(False)
            self._drop_ready()
        if self.shows_plainer:
            self.seek(self._frame)

    def toggle(self) -> None:
        if self._playing:
            self.stop()
        else:
            self.play()

    def forget_figures(self) -> None:
        """Nothing has been played yet."""
        self._shown_at.clear()
        self._shown_count = self._dropped = 0

    def forget_films(self) -> None:
        """Closes all films and gives back what was kept of them: another project is open."""
        with self._wake:
            self._forgetting = True
            self._wake.notify()

    def close(self) -> None:
        """Ends the thread."""
        self._late.stop()
        with self._wake:
            self._closed = True
            self._set_playing(False)
            self._wake.notify()
        self._thread.join()

    def _set_playing(self, playing: bool) -> None:
        if not playing:
            self._speed = 1
            self._hush()
        if playing == self._playing:
            return
        self._playing = playing
        if playing:
            self._clock.start()
        else:
            self._clock.stop()
        self.playing_changed.emit(playing)

    def _look_for(self, frame: int, programme: Programme, *, scrubbing: bool) -> None:
        """Plays on from a frame, or has it made for itself."""
        self._frame = min(max(frame, programme.first), programme.end - 1)
        self._drop_ready()
        self._wanted = None
        if self._playing:
            self._begin_at(self._frame)
        else:
            self._wanted = self._frame, scrubbing
        if not self._late.isActive():  # somebody who scrubs waits since the first step
            self._late.start()
        self._wake.notify()

    def _drop_ready(self) -> None:
        """Whatever was made, or is being made, is not wanted any more."""
        self._generation += 1
        self._ready.clear()

    def _begin_at(self, frame: int) -> None:
        programme = self._programme
        assert programme is not None
        self._start_frame, self._next = _wrapped(frame, programme), 0
        self._start_time = 0.0  # the clock starts with the first picture
        self._hush()

    def _hush(self) -> None:
        self.sound.stop()
        self._sounding, self._heard_s = False, 0.0

    def _start_clock(self, programme: Programme) -> None:
        self._start_time = self._now()
        if programme.sound is not None and self._speed == 1:
            self._sounding = self.sound.start(_sound_from(programme, self._start_frame))

    def _keep_time(self) -> None:
        """Reads the sound device's clock; where the device has gone away, the wall clock goes on from there."""
        if self._sounding and self.sound.running:
            self._heard_s = self.sound.clock_s
        elif self._sounding:
            self._sounding = False
            self._start_time = self._now() - self._heard_s

    def _due(self) -> int:
        """The step that is due now."""
        if self._start_time == 0.0 or self._programme is None:
            return 0
        seconds = self._heard_s if self._sounding else self._now() - self._start_time
        return int(seconds * self._programme.rate)

    def _frame_of(self, step: int, programme: Programme) -> int | None:
        """Which frame stands at a step; None behind the last one."""
        frame = _wrapped(self._start_frame + step * self._speed, programme, backward=self._speed < 0)
        return frame if programme.first <= frame < programme.end else None

    def _on_clock_timeout(self) -> None:
        with self._wake:
            programme = self._programme
            if programme is None:
                return
            self._keep_time()
            due = self._due()
            chosen = None
            while self._ready and self._ready[0].step <= due:
                if chosen is not None:
                    self._dropped += 1
                chosen = self._ready.popleft()
            self._wake.notify()
            self._precedence.press("player", self._is_pressed())
            frame = self._frame_of(chosen.step, programme) if chosen is not None else None
            if chosen is not None and self._start_time == 0.0:
                self._start_clock(programme)
            ended = self._frame_of(due, programme) is None
            if ended:
                self._set_playing(False)
        if chosen is not None and frame is not None:
            self._show(frame, chosen)
        if ended and self.shows_plainer:
            self.seek(self._frame)

    def _show(self, frame: int, made: "_Ready") -> None:
        self._frame, pictures = frame, made.pictures
        self._late.stop()
        self.shows_proxy, self.shows_plainer = False, made.plainer
        self._shown_count += 1
        self._shown_at.append(self._now())
        self.shown.emit(frame, pictures)

    def _on_frame_made(self, made: "_Made") -> None:
        if made.generation == self._generation and not self._playing:
            self._late.stop()
            self.shows_proxy, self.shows_plainer = made.proxy, False
            self.shown.emit(made.frame, made.pictures)
            if made.proxy:
                self._settle.start()

    def _on_settle_timeout(self) -> None:
        if not self._playing:
            self.seek(self._frame)

    # The worker thread

    def _run(self) -> None:
        with stopped_by(lambda: self._closed), self._make_sources() as sources:
            while (task := self._task(sources)) is not None:
                sources.films.scrubbing, sources.films.used_proxy = task.scrubbing, False
                try:
                    pictures, plainer = _made(sources, task)
                except ClevrinError as error:
                    self._give_up(str(error), task.generation)
                    continue
                except Exception:
                    log.exception("a picture could not be made")
                    self._give_up("This picture could not be made; the log file has the details.", task.generation)
                    continue
                if task.step is not None:
                    with self._wake:
                        if task.generation == self._generation:
                            self._ready.append(_Ready(step=task.step, pictures=pictures, plainer=plainer))
                else:
                    proxy = sources.films.used_proxy
                    made = _Made(frame=task.frame, pictures=pictures, generation=task.generation, proxy=proxy)
                    self._made.emit(made)

    def _task(self, sources: Sources) -> "_Task | None":
        """Waits for something to make."""
        with self._wake:
            while not self._closed:
                if self._forgetting:
                    self._forgetting = False
                    sources.films.close()
                programme = self._programme
                self._precedence.press("player", programme is not None and self._is_pressed())
                if programme is not None and self._wanted is not None:
                    (frame, scrubbing), self._wanted = self._wanted, None
                    return _Task(
                        programme=programme, frame=frame, generation=self._generation, step=None, scrubbing=scrubbing
                    )
                if programme is not None and self._playing and len(self._ready) < _AHEAD:
                    due = self._due()
                    if self._next < due:  # too late for these: they are not even made
                        self._dropped += due - self._next
                        self._next = due
                    ahead = self._frame_of(self._next, programme)
                    if ahead is not None:
                        step, self._next = self._next, self._next + 1
                        within = self._within(step, programme)
                        return _Task(
                            programme=programme, frame=ahead, generation=self._generation, step=step, within_s=within
                        )
                self._wake.wait(0.25)
        self._precedence.press("player", False)
        return None

    def _within(self, step: int, programme: Programme) -> float:
        """How many seconds a frame may take that is made ahead, so that neither it nor the next ones come too late."""
        ahead = (step - self._due() - _KEPT_AHEAD) / float(programme.rate)
        return max(_IN_TIME / float(programme.rate), ahead)

    def _is_pressed(self) -> bool:
        """Whether somebody waits for a picture: one that is looked for, or more ahead of those that are played."""
        return self._wanted is not None or (self._playing and len(self._ready) < _AHEAD // 2)

    def _give_up(self, sentence: str, generation: int) -> None:
        with self._wake:
            if generation != self._generation:
                return
        self.failed.emit(sentence)


@dataclass(frozen=True, kw_only=True, eq=False)
class _Task:
    """A frame to make; `step` None: for itself, else ahead for playing, `within_s` seconds."""

    programme: Programme
    frame: int
    generation: int
    step: int | None
    within_s: float = 0.0
    scrubbing: bool = False


@dataclass(frozen=True, kw_only=True, eq=False)
class _Ready:
    """A frame that was made ahead."""

    step: int
    pictures: tuple[Pixels, ...]
    plainer: bool


@dataclass(frozen=True, kw_only=True, eq=False)
class _Made:
    """A frame that was made for itself."""

    frame: int
    pictures: tuple[Pixels, ...]
    generation: int
    proxy: bool


def _made(sources: Sources, task: _Task) -> tuple[tuple[Pixels, ...], bool]:
    """The pictures of a task, and whether they are plainer than they should be."""
    programme = task.programme
    if task.step is None or programme.make_within is None:
        return programme.make(sources, task.frame), False
    return programme.make_within(sources, task.frame, task.within_s)


def _wrapped(frame: int, programme: Programme, *, backward: bool = False) -> int:
    """A frame counted on through the loop; playing comes into it from before, and backward from behind."""
    if programme.loop is None:
        return frame
    first, end = programme.loop
    outside = frame < first if backward else frame >= end
    return first + (frame - first) % (end - first) if outside else frame


def _sound_from(programme: Programme, start: int) -> MakeSound:
    """The sound of a programme from a frame on, counted on through its loop."""
    make = programme.sound
    assert make is not None
    samples = [round(frame * SOUND_RATE / programme.rate) for frame in (start, *(programme.loop or (0, 0)))]
    zero, first, end = samples

    def from_start(at: int, count: int) -> Sound:
        pieces = []
        while count > 0:
            place = zero + at
            if programme.loop is not None and place >= end:
                place = first + (place - first) % (end - first)
            length = min(count, end - place) if programme.loop is not None and place < end else count
            pieces.append(make(place, length))
            at, count = at + length, count - length
        return np.concatenate(pieces)

    return from_start
