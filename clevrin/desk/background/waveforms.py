"""How loud music and takes are along their time, for drawing: read in the background, the last used ones kept."""

from pathlib import Path

from PySide6.QtCore import QObject, Signal

from clevrin.core.byte_cache import ByteCache
from clevrin.core.document import Music, Take
from clevrin.core.shelf import Shelf
from clevrin.core.sound.music_track import kept_outline
from clevrin.desk.background.jobs import Job, JobRunner
from clevrin.desk.widgets.waveform import Outline

_Key = tuple[str, str]


class Waveforms(QObject):
    """Gives the outline of a sound where it is there already, and has it read where it is not."""

    arrived = Signal()

    def __init__(self, jobs: JobRunner, shelf: Shelf, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._jobs, self._shelf = jobs, shelf
        self._made = ByteCache()
        self._coming: set[_Key] = set()
        self.troubles: dict[_Key, str] = {}

    def of(self, heard: Music | Take) -> Outline | None:
        """50 values a second, 0 to 1; None while they are not there."""
        key = heard.path, heard.fingerprint
        found = self._made.get(key)
        if found is not None or key in self._coming or key in self.troubles:
            return found
        self._coming.add(key)
        seconds = heard.seconds if isinstance(heard, Music) else heard.facts.seconds

        def done(found: Outline) -> None:
            if key in self._coming:
                self._coming.discard(key)
                self._made.put(key, found)
                self.arrived.emit()

        def failed(sentence: str) -> None:
            self._coming.discard(key)
            self.troubles[key] = sentence
            self.arrived.emit()

        self._jobs.start(
            Job(
                key=("outline", *key),
                what=f"Reading {heard.name}",
                work=lambda progress: kept_outline(Path(heard.path), heard.fingerprint, seconds, self._shelf, progress),
                done=done,
                failed=failed,
                quiet=True,
                gives_way=True,
            )
        )
        return None

    def trouble(self, heard: Music | Take) -> str | None:
        """Why a sound cannot be read; None where it can, as far as is known."""
        return self.troubles.get((heard.path, heard.fingerprint))

    def look_again(self) -> None:
        """Reads all of them once more: a file may be gone, or be there again."""
        self._made.clear()
        self._coming.clear()
        self.troubles.clear()
        self.arrived.emit()
