"""Beyond its edges a picture that is thrown about goes on with what other frames of its take saw."""

import numpy as np
import pytest

from clevrin.core.document import Join, Project, Reel, Shot, Span
from clevrin.core.media.taking_in import take_in
from clevrin.core.pace.conform import arrives_by
from clevrin.core.progress import Silent
from clevrin.core.render import picture
from clevrin.core.render.picture import plan_at
from clevrin.core.render.planning.borrowing import wider_picture
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import complete
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from tests.films import mean_error, moving_film, shift, texture

SIZE = (320, 180)
_PER_FRAME = 6.0


@pytest.fixture(scope="module")
def panned(tmp_path_factory):
    """A take whose camera pans to the right all the time: it sees 354 px more than its first frame shows."""
    path = tmp_path_factory.mktemp("panned") / "pan.mp4"
    moving_film(path, lambda t: shift(300 + _PER_FRAME * t, 400), frames=60, size=SIZE, seed=8, noise=0.0)
    return take_in(path)


@pytest.fixture(scope="module")
def sources(tmp_path_factory):
    with Sources.of(Shelf(tmp_path_factory.mktemp("shelf"))) as made:
        yield made


def thrown(take, sources, *, last: int = 20, **settings) -> Project:
    """The pan's beginning, thrown over to its end."""
    leave = Join(kind="thrown whip", settings={"direction": 0.0, "distance": 1.0, "shutter": 0.0, **settings})
    shots = (
        Shot(take_id=take.id, span=Span(first=0, end=last), leave=leave),
        Shot(take_id=take.id, span=Span(first=40, end=60)),
    )
    project = Project(takes=(take,), reel=Reel(width=SIZE[0], height=SIZE[1], shots=shots))
    for shot in shots:
        complete(HoldRequest.of(project, shot), sources.measured, Silent())
    return project


def test_what_lies_beyond_the_edge_is_what_was_there(panned, sources):
    frame = 18  # seen as it leaves: a fifth of its width lies beyond it
    for beyond, low, high in (("seen", 0.0, 6.0), ("mirrored", 15.0, 255.0)):
        project = thrown(panned, sources, beyond=beyond)
        layer = plan_at(project, frame, SIZE, sources.measured).layers[0]
        off = layer.matrix[0, 2]
        assert 30 < off < 200 and (layer.wider is not None) == (beyond == "seen")
        left = 300 + _PER_FRAME * frame + off
        whole = texture(8)[400 : 400 + SIZE[1]]
        true = whole[:, round(left) : round(left) + SIZE[0]]
        seen = picture(project, frame, SIZE, sources)
        edge = int(SIZE[0] - off)
        assert mean_error(seen[:, 4 : edge - 4], true[:, 4 : edge - 4]) < 6
        assert low <= mean_error(seen[:, edge + 4 : -4], true[:, edge + 4 : -4]) <= high, beyond


def test_it_blurs_with_the_picture_as_if_it_had_been_in_it(panned, sources):
    blurred, sharp = (thrown(panned, sources, shutter=shutter) for shutter in (180.0, 0.0))
    layer = plan_at(blurred, 18, SIZE, sources.measured).layers[0]
    assert layer.wider is not None and len(layer.samples) > 5 and layer.wider.left == 0
    seen, still = (picture(each, 18, SIZE, sources).astype(float) for each in (blurred, sharp))
    along, across = (np.abs(np.diff(each, axis=1)).mean() for each in (seen, still))
    assert along < 0.5 * across  # smeared along, everywhere
    assert np.abs(np.diff(seen, axis=1)).max() < 60  # and no seam stands in it


def test_the_arriving_side_goes_on_as_well(panned, sources):
    project = thrown(panned, sources)
    arriving = plan_at(project, 21, SIZE, sources.measured).layers[0]
    assert arriving.frame >= 40 and arriving.wider is not None and arriving.wider.left > 16
    assert all(each.frame < arriving.frame for each in arriving.wider.lenders)  # the camera came from there
    first, second = project.reel.shots
    assert arrives_by(project, first.id) is None and arrives_by(project, second.id) == first.leave
    assert HoldRequest.of(project, second).goes_on
    plain = project.changed(reel=project.reel.changed(shots=(first.changed(leave=Join()), second)))
    assert not HoldRequest.of(plain, second).goes_on


def test_only_what_some_frame_saw_is_added(panned, sources):
    project = thrown(panned, sources, distance=6.0)
    trace = sources.measured.measure(panned, Silent())
    chain = sources.measured.chain(panned, trace)
    for frame in (10, 30, 50):
        for off in (-200.0, 90.0, 240.0):
            wider = wider_picture(trace, chain, frame, [shift(off, 0)], SIZE, 0.0)
            ahead, behind = (59 - frame) * _PER_FRAME, frame * _PER_FRAME
            if wider is not None:
                assert wider.right <= max(0, min(off, ahead) + 2) and wider.left <= max(0, min(-off, behind) + 2)
                assert wider.top == wider.bottom == 0 and wider.right * wider.left == 0
            reach = min(off, ahead) if off > 0 else min(-off, behind)
            assert (wider is not None) == (reach > 20), (frame, off)
    assert wider_picture(trace, chain, 59, [shift(200.0, 0)], SIZE, 0.0) is None  # nobody saw that
    plan_at(project, 19, SIZE, sources.measured)  # far beyond all that was seen, it is mirrored from there on
    assert picture(project, 19, SIZE, sources).min() > 0
