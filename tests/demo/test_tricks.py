"""The second demo project: a word behind walkers, a flier past the lens, a window, a kite and its sign."""

import numpy as np

from clevrin.core.document.files import load, save
from clevrin.core.join.between import made_join, what_is_short
from clevrin.core.pace import placed_shots
from clevrin.core.progress import Silent
from clevrin.core.render.picture import picture
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import complete
from clevrin.core.render.sources import Sources
from clevrin.demo.footage_maker import FILMED
from clevrin.demo.judging import true_coverage
from clevrin.demo.tricks import NAME, tricks_project
from tests.marks import long

SIZE = (1280, 720)


def test_every_join_of_it_has_what_it_goes_by(tmp_path):
    project = tricks_project()
    save(project, tmp_path / "tricks.clevrin")
    assert load(tmp_path / "tricks.clevrin") == project and project.name == NAME
    row = placed_shots(project)
    kinds = [placed.shot.leave.kind for placed in row]
    assert kinds == ["plain cut", "passing edge", "doorway", "match cut", "plain cut"]
    for number in (1, 2, 3):
        made = made_join(row, number, SIZE[1] / SIZE[0], lambda _: None)
        assert made is not None and what_is_short(row, number, made) == []
    for shot in project.reel.shots:
        request = HoldRequest.of(project, shot)
        named = shot.leave.given
        assert request.surface is not None or "surface" not in named
        assert request.area is not None or "area" not in named
        areas = {area.id for area in request.take.areas}
        assert all(areas.issuperset(each.behind) for each in shot.pinned)


@long
def test_it_is_seen_as_it_was_drawn(measured_demo, tmp_path):
    """Rendered: who stands before the word hides it, and behind the flier there is nothing of the meadow."""
    project = tricks_project()
    save(project, tmp_path / "tricks.clevrin")
    reopened = load(tmp_path / "tricks.clevrin")
    bare = project.changed(reel=project.reel.changed(shots=tuple(s.changed(pinned=()) for s in project.reel.shots)))
    with Sources.of() as sources:
        for shot in project.reel.shots:
            complete(HoldRequest.of(project, shot), sources.measured, Silent())
        for frame in (30, 40):
            seen, without = (picture(each, frame, SIZE, sources).astype(int) for each in (project, bare))
            lit = np.abs(seen - without).max(axis=2) > 40
            before = true_coverage(FILMED["tripod"], (10, 11), frame + 10)
            assert lit.sum() > 5000 and lit[before > 0.9].mean() < 0.02
        row = placed_shots(project)
        for frame in (30, row[1].end - 4, row[2].end - 6, row[3].end + 3):  # a word, an edge, a door, a match
            again = picture(reopened, frame, SIZE, sources)
            assert np.array_equal(again, picture(project, frame, SIZE, sources))
        for frame in range(row[1].end - 12, row[1].end):
            seen = picture(project, frame, SIZE, sources).astype(int)
            flier = true_coverage(FILMED["flier"], (9,), row[1].shot.span.first + frame - row[1].start)
            right = np.flatnonzero((flier > 0.5).any(axis=0)).max() + 8
            if right < SIZE[0] - 40:
                house = seen[300:600, right:]
                assert not ((house[..., 1] > house[..., 0] + 8) & (house[..., 1] > house[..., 2] + 8)).mean() > 0.25
