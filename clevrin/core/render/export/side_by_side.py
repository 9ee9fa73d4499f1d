"""Pictures of a row made side by side: read in the order in which they are shown, made on several threads."""

import os
from collections import deque
from collections.abc import Callable, Generator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor

from clevrin.core.document import Take
from clevrin.core.media.picture import Picture
from clevrin.core.render.picture import Given, carried_out, frames_read
from clevrin.core.render.pixels.films import Films
from clevrin.core.render.plan import Plan

_MOST = 4
"""More threads than that wait for each other: what is short is done in Python, one thread at a time."""
_LARGE_PX, _MOST_OF_LARGE = 3_000_000, 2
"""What is made of pictures of so many pixels takes half a gigabyte a thread."""


def threads_for(size: tuple[int, int]) -> int:
    """On how many threads pictures of a size are made on this machine."""
    most = _MOST_OF_LARGE if size[0] * size[1] >= _LARGE_PX else _MOST
    return max(1, min(most, len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1))


def made_in_order(
    plans: Sequence[Plan], take_of: Callable[[str], Take], films: Films, threads: int
) -> Generator[Picture]:
    """The pictures of plans at final quality, one after the other; `threads` of them, and one more, are under way.

    The films are read on the caller's thread alone, but for what is borrowed. Raises `MediaError`.
    """
    if threads < 2:
        for plan in plans:
            yield carried_out(plan, take_of, films, "final")
        return
    with ThreadPoolExecutor(threads, thread_name_prefix="making") as pool:
        coming: deque[Future[Picture]] = deque()
        given: Given = {}
        try:
            for plan in plans:
                given = frames_read(plan, take_of, films, given)
                coming.append(pool.submit(carried_out, plan, take_of, films, "final", given))
                if len(coming) > threads:
                    yield coming.popleft().result()
            while coming:
                yield coming.popleft().result()
        finally:
            for each in coming:
                each.cancel()
