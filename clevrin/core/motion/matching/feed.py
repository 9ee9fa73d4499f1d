"""Working pictures read ahead of the one who measures, on a thread of their own."""

import queue
import threading
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from clevrin.core.media.frame_memory import FrameMemory
from clevrin.core.media.index import FrameIndex
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.matching.working_picture import LeftOut, Prepared, prepared

Areas = Callable[[int], tuple[LeftOut, ...]]
"""What of a frame does not count."""
_AHEAD = 8
_KEPT_BYTES = 4 * 1024 * 1024
"""Frames are read once, one after the other."""


class FrameFeed:
    """Reads one film's working pictures; frames that are damaged come as None."""

    def __init__(self, path: Path, index: FrameIndex, areas: Areas) -> None:
        self._path = path
        self._index = index
        self._areas = areas

    @contextmanager
    def pictures(self, wanted: Sequence[int]) -> Iterator[Iterator[Prepared | None]]:
        """These frames in their order, decoded and reduced ahead on a thread of their own."""
        ahead: queue.Queue[tuple[Prepared | None] | BaseException] = queue.Queue(_AHEAD)
        stop = threading.Event()

        def put(item: tuple[Prepared | None] | BaseException) -> bool:
            while not stop.is_set():
                try:
                    ahead.put(item, timeout=0.05)
                    return True
                except queue.Full:
                    continue
            return False

        def run() -> None:
            try:
                with FilmReader(self._path, self._index, FrameMemory(_KEPT_BYTES)) as reader:
                    for frame in wanted:
                        luma = reader.read_whole_luma(frame)
                        picture = None if luma is None else prepared(luma, self._areas(frame))
                        if not put((picture,)):
                            return
            except BaseException as error:  # whatever it is: who waits must hear of it
                put(error)

        def frames() -> Iterator[Prepared | None]:
            for _ in wanted:
                item = ahead.get()
                if isinstance(item, BaseException):
                    raise item
                yield item[0]

        worker = threading.Thread(target=run, name=f"reading {self._path.name}", daemon=True)
        worker.start()
        try:
            yield frames()
        finally:
            stop.set()
            worker.join()
