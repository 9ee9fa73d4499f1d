"""How loud music is along its time, for drawing: read once in the background, and kept for the last few."""

from collections import OrderedDict
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from clevrin.core.document import Music
from clevrin.core.sound.bed import outline
from clevrin.desk.jobs import Job, JobRunner

Outline = NDArray[np.float32]

_MOST_KEPT = 4
_Key = tuple[str, str]


class Outlines(QObject):
    """Gives the outline of music where it is there already, and has it read where it is not."""

    arrived = Signal()

    def __init__(self, jobs: JobRunner, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._jobs = jobs
        self._made: OrderedDict[_Key, Outline | None] = OrderedDict()
        self.troubles: dict[_Key, str] = {}

    def of(self, music: Music) -> Outline | None:
        """50 values a second, 0 to 1; None while they are not there."""
        key = music.path, music.fingerprint
        if key in self._made:
            self._made.move_to_end(key)
            return self._made[key]
        self._made[key] = None
        while len(self._made) > _MOST_KEPT:
            self._made.popitem(last=False)

        def done(found: Outline) -> None:
            if key in self._made:
                self._made[key] = found
                self.arrived.emit()

        def failed(sentence: str) -> None:
            self.troubles[key] = sentence
            self.arrived.emit()

        self._jobs.start(
            Job(
                key=("outline", *key),
                what=f"Reading {music.name}",
                work=lambda progress: outline(Path(music.path), music.seconds, progress),
                done=done,
                failed=failed,
                quiet=True,
            )
        )
        return None

    def trouble(self, music: Music) -> str | None:
        """Why music cannot be read; None where it can, as far as is known."""
        return self.troubles.get((music.path, music.fingerprint))

    def look_again(self) -> None:
        """Reads all of them once more: a file may be gone, or be there again."""
        self._made.clear()
        self.troubles.clear()
        self.arrived.emit()
