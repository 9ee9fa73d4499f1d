"""Frames that take too long to be made while they are played: made in the background around the playhead, and kept.

They are kept as small files in memory (JPEG): a second of them takes some 3 MB, and unpacking one takes 4 ms. A picture
is known by its plan, which says all that it depends on, so that whoever shows the same thing finds it.
"""

from collections.abc import Callable, Hashable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QTimer, Signal

from clevrin.core.byte_cache import ByteCache
from clevrin.core.document import Project, Take
from clevrin.core.media.colouring import shown
from clevrin.core.media.picture import bgra_from_picture
from clevrin.core.progress import Progress, step
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.core.render.picture import carried_out, trust_of
from clevrin.core.render.plan import Layer, Plan
from clevrin.core.render.sources import Sources
from clevrin.desk.background.jobs import Job, JobRunner

Pixels = NDArray[np.uint8]
Size = tuple[int, int]

_MOST_BYTES = 32 * 1024 * 1024
_QUALITY = 93
_TELL_EVERY_MS = 120


@dataclass(frozen=True, kw_only=True, eq=False)
class Plans:
    """Pictures in a row: how each of the frames `first` up to `end` is made, and the takes that their plans name."""

    first: int
    end: int
    plan: Callable[[MeasurementStore, int], Plan]
    take_of: Callable[[str], Take]

    def pixels(self, sources: Sources, frame: int, prepared: "Prepared | None" = None) -> Pixels:
        """BGRA of a frame, made unless it is prepared."""
        plan = self.plan(sources.measured, frame)
        found = None if prepared is None else prepared.get(self.key(plan))
        return self.made(sources, plan) if found is None else found

    def made(self, sources: Sources, plan: Plan) -> Pixels:
        return bgra_from_picture(shown(carried_out(plan, self.take_of, sources.films, "draft")))

    def trust(self, sources: Sources, plan: Plan) -> float:
        """How much of a picture that was made just now could be followed."""
        found = [trust_of(layer, self.take_of(layer.take_id), sources.films) for layer in plan.layers]
        return min((each for each in found if each is not None), default=1.0)

    def key(self, plan: Plan) -> Hashable:
        """What the pixels of a plan depend on."""
        return plan, tuple(self.take_of(layer.take_id).fingerprint for layer in plan.layers)


class Prepared:
    """Pictures by what they depend on; threads share it, and the last used ones stay."""

    def __init__(self) -> None:
        self._kept = ByteCache(_MOST_BYTES, lambda value: len(value[0]))

    def get(self, key: Hashable) -> Pixels | None:
        found = self._kept.get(key)
        return None if found is None else _unpacked(found[0])

    def trust(self, key: Hashable) -> float | None:
        """How much of a picture could be followed; None for one that is not there."""
        found = self._kept.get(key)
        return None if found is None else found[1]

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


def heavy(plan: Plan) -> bool:
    """Whether a picture takes longer to make than it is shown."""
    return len(plan.layers) > 1 or any(_is_heavy(layer) for layer in plan.layers)


def _is_heavy(layer: Layer) -> bool:
    return len(layer.samples) > 1 or layer.middle.between is not None


class Preparing(QObject):
    """Prepares one row of pictures at a time, from the playhead on and round again."""

    changed = Signal()

    def __init__(self, jobs: JobRunner, store: MeasurementStore, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._jobs, self._store = jobs, store
        self.prepared = Prepared()
        self.trusts: dict[int, float] = {}
        """The frames of the wanted row that are prepared, and how much of each could be followed."""
        self._wanted: tuple[object, ...] | None = None
        self._around = 0
        self._tell = QTimer(self, interval=_TELL_EVERY_MS)
        self._tell.timeout.connect(self.changed)

    def want(self, plans: Plans, subject: tuple[object, ...], around: int) -> None:
        """Prepares a row; frames behind `around` come first. While the `subject` is the same, it goes on as it is."""
        self._around = around
        if self._wanted is not None and _same(self._wanted, subject):
            return
        self._wanted = subject
        trusts: dict[int, float] = {}
        self.trusts = trusts

        def work(progress: Progress) -> bool:
            return self._prepare(plans, trusts, progress)

        def ended(all_measured: bool) -> None:
            if not all_measured:
                self._wanted = None  # asked for again once it is
            self._tell.stop()
            self.changed.emit()

        self._tell.start()
        self._jobs.restart(
            Job(
                key=("prepare",),
                what="Preparing pictures",
                work=work,
                done=ended,
                failed=lambda _: self._tell.stop(),
                quiet=True,  # and not in the background: a player that is late waits for nothing but this
            )
        )

    def _prepare(self, plans: Plans, trusts: dict[int, float], progress: Progress) -> bool:
        """Makes what takes long, on a worker; whether all that takes is measured."""
        count = plans.end - plans.first
        with Sources.of(self._store, light=True) as sources:
            for number in range(count):
                frame = plans.first + (self._around - plans.first + number) % count
                step(progress, number, count)
                plan = plans.plan(self._store, frame)
                if plan.unmeasured:
                    return False
                if not heavy(plan):
                    continue
                key = plans.key(plan)
                trust = self.prepared.trust(key)
                if trust is None:
                    pixels = plans.made(sources, plan)
                    trust = plans.trust(sources, plan)
                    self.prepared.put(key, pixels, trust)
                trusts[frame] = trust
        return True

    def stop(self) -> None:
        """Leaves off; what is prepared is kept."""
        self._wanted = None
        self._tell.stop()
        self._jobs.stop(("prepare",))


def _same(one: tuple[object, ...], other: tuple[object, ...]) -> bool:
    """Whether two subjects are the same; projects are, when they are one: comparing large ones takes long."""
    if len(one) != len(other):
        return False
    return all(a is b or (not isinstance(a, Project) and a == b) for a, b in zip(one, other, strict=True))
