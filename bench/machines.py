"""Segments on several machines: what four workers of this one make of a render, and what four machines would."""

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from distributed import Client

from bench.finishing import full_hd
from bench.rows import Row
from clevrin.core.document import Hold, Project, Reel, Shot, Span
from clevrin.core.progress import Progress, Silent
from clevrin.core.render.export.export import ExportRequest, export_reel
from clevrin.core.render.export.remote import Machines
from clevrin.core.render.export.segment_maker import MadeHere, Maker, SegmentTask
from clevrin.core.render.pixels.films import Films
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from tests.cluster import Cluster

_SHOTS, _LONG = 6, 80
_MACHINES, _MANY = 4, 100


def machines_rows() -> list[Row]:
    """A 1080p reel of eight held shots, made here, by one worker, and by four."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        project = _reel(folder)
        with Sources.of(Shelf(folder / "shelf")) as sources:
            sources.measured.measure(project.takes[0], Silent())
            made: list[tuple[SegmentTask, bytes]] = []
            here = [_seconds(project, folder, sources, _Keeping(sources.films, made))]
            own = _seconds(project, folder, sources, _Known(made))
            cluster = Cluster(folder)
            try:
                cluster.add(1)
                by_one = _on(cluster, project, folder, sources)
                here.append(_seconds(project, folder, sources, MadeHere(sources.films)))
                sent = _sending(cluster, made)
                cluster.add(_MACHINES - 1)
                by_four = _on(cluster, project, folder, sources)
                here.append(_seconds(project, folder, sources, MadeHere(sources.films)))
            finally:
                cluster.close()
    one = min(here)
    pictures = one - own
    # The machine itself is now slower, now quicker: each is compared with what was made here before and after it.
    by_one, by_four = (by / (here[at] + here[at + 1]) * 2 for at, by in enumerate((by_one, by_four)))
    # What is sent goes through this machine, one segment after the other: so it is counted in full.
    several = {count: one / (own + sent + pictures / count) for count in (_MACHINES, _MANY)}
    per = _SHOTS * _LONG / 1000
    return [
        Row("four workers of this machine against one process", "1x at most", f"{by_four:.2f}x", by_four <= 1),
        Row("one worker against one process", "", f"{by_one:.2f}x"),
        Row(
            f"{_MACHINES} machines like this one, estimated from measured parts",
            "3.6x",
            f"{several[_MACHINES]:.1f}x",
            several[_MACHINES] >= 3.6,
        ),
        Row("of 1000 frames at 1080p: pictures", "", f"{pictures / per:.1f} s"),
        Row("... planning, sound and binding here", "", f"{own / per:.2f} s"),
        Row("... sending plans and segments", "", f"{sent / per:.2f} s"),
        Row(f"{_MANY} machines, estimated", "", f"{several[_MANY]:.0f}x, {one / (own + sent):.0f}x at most"),
    ]


class _Keeping(MadeHere):
    """Makes segments here, and keeps what they were made from and came to."""

    def __init__(self, films: Films, made: list[tuple[SegmentTask, bytes]]) -> None:
        super().__init__(films)
        self._made = made

    def make(self, task: SegmentTask, place: Path, told: Callable[[int], None]) -> None:
        super().make(task, place, told)
        self._made.append((task, place.read_bytes()))


class _Known:
    """Has all segments already."""

    def __init__(self, made: list[tuple[SegmentTask, bytes]]) -> None:
        self._coming = iter(made)

    def prepare(self, project: Project, progress: Progress) -> None: ...

    def make(self, task: SegmentTask, place: Path, told: Callable[[int], None]) -> None:
        place.write_bytes(next(self._coming)[1])

    def finish(self) -> None: ...


def _sending(cluster: Cluster, made: list[tuple[SegmentTask, bytes]]) -> float:
    """Seconds that plans take to a worker, and as many bytes as segments have back."""
    with Client(cluster.address, set_as_default=False) as client:
        client.submit(_answered, made[0][0], 1, pure=False).result()
        began = time.perf_counter()
        for task, segment in made:
            client.submit(_answered, task, len(segment), pure=False).result()
        return time.perf_counter() - began


def _answered(task: SegmentTask, size: int) -> bytes:
    return bytes(size)


def _reel(folder: Path) -> Project:
    take = full_hd(folder)
    spans = (Span(first=10 * k, end=10 * k + _LONG) for k in range(_SHOTS))
    shots = tuple(Shot(take_id=take.id, span=span, hold=Hold(how="float")) for span in spans)
    return Project(takes=(take,), reel=Reel(width=1920, height=1080, rate=take.facts.rate, shots=shots))


def _seconds(project: Project, folder: Path, sources: Sources, maker: Maker) -> float:
    began = time.perf_counter()
    export_reel(ExportRequest(project=project, path=folder / "reel.mp4"), sources, Silent(), None, maker)
    return time.perf_counter() - began


def _on(cluster: Cluster, project: Project, folder: Path, sources: Sources) -> float:
    with Machines(cluster.address) as machines:
        return _seconds(project, folder, sources, machines)
