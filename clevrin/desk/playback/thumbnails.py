"""Small pictures, made on a thread of their own and kept for as long as there is room."""

import logging
import threading
from collections import OrderedDict
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Qt, QTimer, Signal
from PySide6.QtGui import QImage

from clevrin.core.byte_cache import ByteCache
from clevrin.core.document import Take
from clevrin.core.errors import ClevrinError
from clevrin.core.media.door import stopped_by
from clevrin.core.media.thumbnail_shelf import ThumbnailShelf
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import resolve
from clevrin.core.render.sources import Sources
from clevrin.desk.background.precedence import Precedence
from clevrin.desk.background.priority import give_way
from clevrin.desk.playback.programmes import shot_pixels, take_pixels
from clevrin.desk.widgets.pixels import image_of

log = logging.getLogger(__name__)

Pixels = NDArray[np.uint8]
Make = Callable[[Sources], Pixels]
Kept = tuple[str, int, str]
"""By what a picture lies on the shelf: film, frame, look."""
_Key = tuple[Any, ...]
"""A kind, the take's fingerprint, the frame, and whatever else makes a difference."""

_IDLE_S = 2.0
_KEPT_BYTES = 10 * 1024 * 1024
_WAITING = 200


class Thumbnails(QObject):
    """Pictures by key: there at once, or later with `arrived`."""

    arrived = Signal()
    _made = Signal(object, object)

    def __init__(
        self,
        make_sources: Callable[[], Sources],
        parent: QObject | None = None,
        *,
        precedence: Precedence | None = None,
        shelf: ThumbnailShelf | None = None,
    ) -> None:
        """`make_sources` is called once, on the thumbnails' thread; others give way to it as `precedence` says.

        `shelf`: where pictures of takes as shot are kept from one start to the next.
        """
        super().__init__(parent)
        self._make_sources = make_sources
        self._shelf = shelf or ThumbnailShelf()
        self._precedence = precedence or Precedence()
        self._images = ByteCache(_KEPT_BYTES, QImage.sizeInBytes)
        self._waiting: OrderedDict[_Key, tuple[Make, Kept | None]] = OrderedDict()
        self._urgent: _Key = ()
        self._hopeless: set[_Key] = set()
        self._wake = threading.Condition()
        self._closed = self._forgetting = False
        self._told = QTimer(self, singleShot=True, interval=40)
        self._told.timeout.connect(self.arrived)
        self._made.connect(self._on_picture_made, Qt.ConnectionType.QueuedConnection)
        self._thread = threading.Thread(target=self._run, name="thumbnails", daemon=True)
        self._thread.start()

    def of_take(self, take: Take, frame: int, within: tuple[int, int], *, urgent: bool = False) -> QImage | None:
        """A frame of a take as shot; an `urgent` one is made before all others."""
        key = "take", take.fingerprint, frame, within
        kept = take.fingerprint, frame, f"take {within[0]}x{within[1]}"
        return self._get(key, lambda sources: take_pixels(sources, take, frame, within), kept, urgent=urgent)

    def of_shot(
        self,
        request: HoldRequest,
        frame: int,
        reel_size: tuple[int, int],
        size: tuple[int, int],
        *,
        ready: bool,
    ) -> QImage | None:
        """A frame of a shot as the reel shows it; `ready` says whether what its hold needs is measured."""
        shot = request.shot
        laid = shot.mirror, shot.turns, request.fit, request.bars
        key = "shot", request.take.fingerprint, frame, request.key, shot.hold, laid, reel_size, size, ready

        def make(sources: Sources) -> Pixels:
            return shot_pixels(sources, resolve(request, sources.measured), frame, reel_size, size)

        sizes = f"{reel_size[0]}x{reel_size[1]} {size[0]}x{size[1]}"
        look = f"shot {sizes} {shot.mirror} {shot.turns} {request.fit} {request.bars}"
        return self._get(key, make, None if request.moved else (request.take.fingerprint, frame, look))

    @property
    def pictured(self) -> frozenset[str]:
        """The fingerprints of the takes of which there is any picture."""
        return frozenset(key[1] for key in self._images.kept_keys if isinstance(key, tuple))

    def try_again(self) -> None:
        """Has what could not be made asked for once more."""
        self._hopeless.clear()
        self.arrived.emit()

    def forget_films(self) -> None:
        """Closes all films, and lets go of what is still to be made: another project is open."""
        with self._wake:
            self._waiting.clear()
            self._forgetting = True
            self._wake.notify()

    def close(self) -> None:
        with self._wake:
            self._closed = True
            self._wake.notify()
        self._thread.join()

    def _get(self, key: _Key, make: Make, kept: Kept | None, *, urgent: bool = False) -> QImage | None:
        image = self._images.get(key)
        if image is not None:
            return image
        with self._wake:
            if urgent:
                self._urgent = key
            if key in self._waiting:
                self._waiting.move_to_end(key)
            elif key not in self._hopeless:
                self._waiting[key] = make, kept
                while len(self._waiting) > _WAITING:
                    self._waiting.popitem(last=False)
                self._wake.notify()
        return None

    def _on_picture_made(self, key: _Key, pixels: Pixels) -> None:
        self._images.put(key, image_of(pixels).copy())
        if not self._told.isActive():
            self._told.start()

    def _chosen(self) -> _Key:
        """What to make next: what is urgent, else of the take that was asked for last the frames in their order.

        Reading on is cheap, and going back is not.
        """
        if self._urgent in self._waiting:
            return self._urgent
        newest = next(reversed(self._waiting))
        return min((key for key in self._waiting if key[:2] == newest[:2]), key=lambda key: key[2])

    def _found_or_made(self, sources: Sources, make: Make, kept: Kept | None) -> Pixels:
        found = None if kept is None else self._shelf.get(*kept)
        if found is not None:
            return found
        pixels = make(sources)
        if kept is not None:
            self._shelf.put(*kept, pixels)
        return pixels

    def _run(self) -> None:
        give_way()
        with stopped_by(lambda: self._closed), self._make_sources() as sources:
            sources.films.scrubbing = True  # a proxy is good enough for a small picture
            while True:
                with self._wake:
                    while not self._closed and not self._waiting:
                        if self._forgetting:
                            self._forgetting = False
                            sources.films.close()
                        self._precedence.press("thumbnails", False)
                        if not self._wake.wait(_IDLE_S):
                            sources.films.close()  # a decoder has its room, whether it is used or not
                    self._precedence.press("thumbnails", not self._closed)
                    if self._closed:
                        return
                    key = self._chosen()
                    make, kept = self._waiting[key]
                try:
                    pixels = self._found_or_made(sources, make, kept)
                    if not self._closed:
                        self._made.emit(key, pixels)
                except ClevrinError:
                    self._hopeless.add(key)  # the viewer says why; a thumbnail just stays empty
                except Exception:
                    log.exception("a thumbnail could not be made")
                    self._hopeless.add(key)
                with self._wake:
                    self._waiting.pop(key, None)
