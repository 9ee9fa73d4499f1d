"""Frames that take too long to be made while they are played: made in the background around the playhead, and kept.

They are kept as small files in memory (JPEG): a second of them takes some 3 MB, and unpacking one takes 4 ms.
"""

import threading
from collections import OrderedDict
from collections.abc import Hashable
from itertools import count

import cv2
import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QTimer, Signal

from clevrin.core.document import Project
from clevrin.core.media.colouring import shown
from clevrin.core.media.picture import bgra_from_picture
from clevrin.core.pace import Placed, placed_shot
from clevrin.core.progress import Progress, step
from clevrin.core.render.hold_request import HoldRequest
from clevrin.core.render.picture import carried_out, trust_of
from clevrin.core.render.plan import Layer, Plan
from clevrin.core.render.planner import plan_shown
from clevrin.core.render.reel_colour import reel_colour
from clevrin.core.render.remembered import Remembered
from clevrin.core.render.resolving import Lacking, Shown, resolve
from clevrin.core.render.sources import Sources
from clevrin.desk.context import Context
from clevrin.desk.jobs import CHARTING, Job

Pixels = NDArray[np.uint8]
Size = tuple[int, int]

_MOST_BYTES = 32 * 1024 * 1024
_QUALITY = 93
_MOST_ROLLS = 32
_TELL_EVERY_MS = 120


class Prepared:
    """Pictures of shots by what they depend on; threads share it, and the last used ones stay."""

    def __init__(self) -> None:
        self._kept = Remembered(_MOST_BYTES, lambda value: len(value[0]))
        self._rolls: OrderedDict[Hashable, int] = OrderedDict()
        self._numbers = count()
        self._lock = threading.Lock()

    def roll(self, project: Project, shot_id: str, size: Size) -> int:
        """A number for the pictures of a shot as it is now, of a size; its pictures are named by it and their frame."""
        key = _what_pictures_depend_on(project, shot_id, size)
        with self._lock:
            found = self._rolls.pop(key, None)
            number = next(self._numbers) if found is None else found
            self._rolls[key] = number
            while len(self._rolls) > _MOST_ROLLS:
                self._rolls.popitem(last=False)
        return number

    def get(self, key: Hashable) -> Pixels | None:
        found = self._kept.get(key)
        return None if found is None else _unpacked(found[0])  # type: ignore[index]

    def trust(self, key: Hashable) -> float | None:
        """How much of a picture could be followed; None for one that is not there."""
        found = self._kept.get(key)
        return None if found is None else found[1]  # type: ignore[index]

    def has(self, key: Hashable) -> bool:
        return self._kept.get(key) is not None

    def put(self, key: Hashable, pixels: Pixels, trust: float) -> None:
        self._kept.put(key, (_packed(pixels), trust))

    def clear(self) -> None:
        self._kept.clear()


def _packed(pixels: Pixels) -> bytes:
    _, packed = cv2.imencode(".jpg", pixels[..., :3], [cv2.IMWRITE_JPEG_QUALITY, _QUALITY])
    return packed.tobytes()


def _unpacked(packed: bytes) -> Pixels:
    found = cv2.imdecode(np.frombuffer(packed, np.uint8), cv2.IMREAD_COLOR)
    return np.asarray(cv2.cvtColor(found, cv2.COLOR_BGR2BGRA), np.uint8)


def _what_pictures_depend_on(project: Project, shot_id: str, size: Size) -> Hashable:
    """What the pictures of a shot by itself depend on, beside their frame."""
    request = HoldRequest.of(project, project.shot(shot_id))
    shot, reel = request.shot, project.reel
    laid = shot.mirror, shot.turns, request.fit, request.bars, shot.hold, reel.width, reel.height, reel.rate
    return request.key, laid, shot.reverse, shot.pace, request.take.conform, size


def heavy(layer: Layer) -> bool:
    """Whether a picture takes longer to make than it is shown."""
    return len(layer.samples) > 1 or layer.middle.between is not None


def planned(sources: Sources, project: Project, placed: Placed, at: int, size: Size) -> tuple[Layer, Plan, bool]:
    """How a shot alone is shown at a frame counted from its first one, and whether all that takes is measured."""
    resolved = resolve(HoldRequest.of(project, placed.shot, placed.take), sources.measured)
    one = Shown(resolved=resolved, placed=placed, at=placed.start + at, weight=1.0)
    layer = plan_shown(one, (project.reel.width, project.reel.height), size)
    plan = Plan(width=size[0], height=size[1], layers=(layer,), colour=reel_colour(project))
    return layer, plan, not isinstance(resolved.state, Lacking)


def made(sources: Sources, plan: Plan, placed: Placed) -> Pixels:
    """The pixels of a plan of a shot alone, as BGRA."""
    return bgra_from_picture(shown(carried_out(plan, lambda _: placed.take, sources.films, "draft")))


class Preparing(QObject):
    """Prepares the frames of one shot at a time, from the playhead on and round again."""

    changed = Signal()

    def __init__(self, context: Context, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._context = context
        self.prepared = Prepared()
        self._wanted: tuple[Project, str, Size] | None = None
        self._around = 0
        self._tell = QTimer(self, interval=_TELL_EVERY_MS)
        self._tell.timeout.connect(self.changed)
        context.session.opened.connect(self.prepared.clear)

    def want(self, project: Project, shot_id: str, size: Size, around: int) -> None:
        """Prepares a shot for pictures of a size; frames behind `around` come first."""
        self._around = around
        if self._wanted is not None and self._wanted[0] is project and self._wanted[1:] == (shot_id, size):
            return
        self._wanted = project, shot_id, size
        placed = placed_shot(project, shot_id)
        assert placed is not None, "a shot of the reel is prepared"
        store, prepared = self._context.measurements.store, self.prepared
        roll = prepared.roll(project, shot_id, size)

        def work(progress: Progress) -> bool:
            with Sources.of(store, light=True) as sources:
                for number in range(placed.frames):
                    at = (self._around + number) % placed.frames
                    step(progress, number, placed.frames)
                    key = roll, at
                    if prepared.has(key):
                        continue
                    layer, plan, measured = planned(sources, project, placed, at, size)
                    if not measured:
                        return False
                    if heavy(layer):
                        pixels = made(sources, plan, placed)
                        trust = trust_of(layer, placed.take, sources.films)
                        prepared.put(key, pixels, 1.0 if trust is None else trust)
            return True

        def ended(all_measured: bool) -> None:
            if not all_measured:
                self._wanted = None  # asked for again once it is
            self._tell.stop()
            self.changed.emit()

        self._tell.start()
        self._context.jobs.restart(
            Job(
                key=("prepare",),
                what=f"Preparing {placed.take.name}",
                work=work,
                done=ended,
                failed=lambda _: self._tell.stop(),
                background=True,
                quiet=True,
                turn=CHARTING,
            )
        )

    def stop(self) -> None:
        """Leaves off; what is prepared is kept."""
        self._wanted = None
        self._tell.stop()
        self._context.jobs.stop(("prepare",))
