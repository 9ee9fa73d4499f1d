"""What is measured of the demo's takes ships with them, and is what measuring them gives."""

from pathlib import Path

import numpy as np
import pytest

from clevrin.core.digest import digest
from clevrin.core.document import Project
from clevrin.core.hold.verdict import _VERSION, judge, kept_verdict
from clevrin.core.motion.geometry.models import apply_each, pixel_corners
from clevrin.core.motion.measuring.measure import TraceRequest, stored_trace, trace_take
from clevrin.core.motion.whips import find_whips
from clevrin.core.progress import Silent
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import Lacking, resolve
from clevrin.core.shelf import Shelf
from clevrin.demo.footage_maker import FILMED, FOOTAGE
from clevrin.demo.measured import MEASURED, lay_out
from clevrin.demo.project import demo_project, tricks_project
from tests.marks import later

FEW = ("skyward", "tripod")
"""Still, and out of a scene into the sky: the others are measured anew where it may take long."""


@pytest.fixture
def shipped(tmp_path: Path) -> Shelf:
    shelf = Shelf(tmp_path / "clevrin")
    lay_out(shelf)
    return shelf


@pytest.mark.parametrize("name", FILMED)
def test_every_take_is_known_without_measuring(name, shipped):
    """Where this fails, a film or a method's version has changed: `make demo-measured` measures them again."""
    trace = stored_trace(TraceRequest(path=FOOTAGE / f"{name}.mp4"), shipped)
    assert trace is not None and trace.frames == FILMED[name].frames
    whips = find_whips(trace)
    assert shipped.get("verdict", _VERSION, digest(trace)) is not None
    assert kept_verdict(trace, whips, shipped) == judge(trace, whips)


@pytest.mark.parametrize("name", [name if name in FEW else later(name) for name in FILMED])
def test_it_is_what_measuring_gives(name, shipped, tmp_path):
    request = TraceRequest(path=FOOTAGE / f"{name}.mp4")
    known, made = stored_trace(request, shipped), trace_take(request, Shelf(tmp_path / "anew"), Silent())
    assert known is not None and known.model == made.model
    places = np.array(pixel_corners(known.width, known.height), float)
    off = apply_each(known.motions, places) - apply_each(made.motions, places)
    assert np.sqrt((off**2).sum(axis=2)).max() < 0.02  # px; other processors round otherwise
    assert np.allclose(known.confidence, made.confidence, atol=0.02)


@pytest.mark.parametrize("made", [demo_project, tricks_project])
def test_the_demos_projects_lack_nothing(made, shipped):
    project: Project = made()
    store = MeasurementStore(shipped)
    lacking = [
        shot.take_id
        for shot in project.reel.shots
        if isinstance(resolve(HoldRequest.of(project, shot), store).state, Lacking)
    ]
    assert lacking == []


def test_what_is_there_already_stays_and_a_folder_that_cannot_be_written_is_left(shipped, tmp_path):
    first = next(shipped.folder.glob("trace/*.npz"))
    first.write_bytes(b"of another version")
    lay_out(shipped)
    assert first.read_bytes() == b"of another version"
    (tmp_path / "file").write_text("in the way")
    lay_out(Shelf(tmp_path / "file" / "clevrin"))
    assert (tmp_path / "file").read_text() == "in the way"


def test_nothing_is_shipped_that_nobody_asks_for():
    """Every kind is one of the shelf's own, and all of it together is small."""
    files = list(MEASURED.glob("*/*.npz"))
    assert {each.parent.name for each in files} <= {"trace", "track", "moves", "cut-out", "cut-out-piece", "verdict"}
    assert sum(each.stat().st_size for each in files) < 10_000_000
