"""A reel that is rendered in a process of its own is the same reel, stops as well, and fails in the same words."""

import os
import signal
from pathlib import Path

import pytest

from clevrin.core.document import Project, Reel, Shot
from clevrin.core.errors import CancelledError, MediaError
from clevrin.core.media.taking_in import take_in
from clevrin.core.progress import Silent
from clevrin.core.render.export.child_process import export_apart
from clevrin.core.render.export.export import ExportRequest, export_reel
from clevrin.core.render.sources import Sources
from tests.films import numbered_film


@pytest.fixture
def project(tmp_path) -> Project:
    take = take_in(numbered_film(tmp_path / "film.mp4", frames=60))
    return Project(takes=(take,), reel=Reel(width=160, height=120, shots=(Shot(take_id=take.id, span=take.whole),)))


class StopsAt(Silent):
    """Does something when so many frames are made, and stops."""

    def __init__(self, frame: int, act=lambda: None, stops: bool = True) -> None:
        self.frame, self.act, self.stops, self.reached = frame, act, stops, False

    def report(self, done: int, total: int) -> None:
        if done >= self.frame and not self.reached:
            self.reached = True
            self.act()

    def cancelled(self) -> bool:
        return self.reached and self.stops


def test_what_is_rendered_apart_is_the_same_film(project, tmp_path, capfd):
    here, there = tmp_path / "here.mp4", tmp_path / "there.mp4"
    with Sources.of() as sources:
        export_reel(ExportRequest(project=project, path=here), sources, Silent())
    progress = StopsAt(60, stops=False)
    assert export_apart(ExportRequest(project=project, path=there), tmp_path / "shelf", progress, set()) == there
    assert here.read_bytes() == there.read_bytes()
    assert progress.reached and "Fatal" not in capfd.readouterr().err


def test_it_says_in_the_same_sentence_what_it_cannot(project, tmp_path):
    with pytest.raises(MediaError, match="what this is made from"):
        export_apart(ExportRequest(project=project, path=tmp_path / "film.mp4"), tmp_path, Silent())
    Path(project.takes[0].path).unlink()
    with pytest.raises(MediaError, match=r"film\.mp4 is not there"):
        export_apart(ExportRequest(project=project, path=tmp_path / "out.mp4"), tmp_path, Silent())


def test_stopped_it_leaves_nothing(project, tmp_path):
    with pytest.raises(CancelledError):
        export_apart(ExportRequest(project=project, path=tmp_path / "out.mp4"), tmp_path, StopsAt(5))
    assert sorted(each.name for each in tmp_path.iterdir()) == ["film.mp4"]


def test_when_its_process_is_killed_that_is_told(project, tmp_path):
    def kill() -> None:
        (child,) = Path(f"/proc/self/task/{os.getpid()}/children").read_text().split()
        os.kill(int(child), signal.SIGKILL)

    with pytest.raises(MediaError, match="broke off"):
        export_apart(ExportRequest(project=project, path=tmp_path / "out.mp4"), tmp_path, StopsAt(5, kill, False))
