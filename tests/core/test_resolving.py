"""Resolving and planning: what a plan needs is a value first, and what is lacking is said, and measured."""

import builtins
import threading

import numpy as np
import pytest

from clevrin.core.document import Anchor, Hold, Join, Loan, Placement, Project, Reel, Shot, Span, Track
from clevrin.core.media.taking_in import take_in
from clevrin.core.progress import Silent
from clevrin.core.render import Sources
from clevrin.core.render.export.export import ExportRequest, export_reel
from clevrin.core.render.measured.measurement_needs import RegistrationNeed, TraceNeed, TrackNeed
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.core.render.planning.planner import plan_frame
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import AsShot, Held, Lacking, complete, resolve, resolve_frame
from clevrin.core.shelf import Shelf
from tests.films import moving_film, shift
from tests.marks import later


@pytest.fixture(scope="module")
def swaying(tmp_path_factory):
    """A take that sways."""
    path = tmp_path_factory.mktemp("swaying") / "sway.mp4"
    moving_film(path, lambda k: shift(300 + 6 * np.sin(k / 2.0), 300 + 4 * np.cos(k / 1.7)), frames=24)
    return take_in(path)


POINT = Track(name="Point", kind="point", placed=(Placement(frame=10, places=((320.0, 180.0),)),))


def asked(take, hold: Hold, loan: Loan | None = None, **more) -> HoldRequest:
    take = take.changed(tracks=(POINT,))
    shot = Shot(take_id=take.id, span=take.whole, hold=hold, loan=loan)
    return HoldRequest.of(Project(takes=(take, *more.get("takes", ())), reel=Reel(shots=(shot,))), shot)


@pytest.mark.parametrize(
    ("hold", "needs"),
    [
        (Hold(how="float"), [TraceNeed]),
        (Hold(how="float", mesh=True), [TraceNeed]),
        (Hold(how="float", edge="borrow"), [TraceNeed]),
        (Hold(how="lock-off"), [TraceNeed, RegistrationNeed]),
        (Hold(how="anchor", anchor=Anchor(track_id=POINT.id)), [TraceNeed, TrackNeed]),
    ],
    ids=["float", "mesh", "borrow", "lock-off", "anchor"],
)
def test_what_a_hold_lacks_is_said_and_measured(swaying, tmp_path, hold, needs):
    store = MeasurementStore(Shelf(tmp_path))
    request, lacked = asked(swaying, hold), []
    while isinstance(state := resolve(request, store).state, Lacking):
        lacked.append(type(state.need))
        if isinstance(state.need, TraceNeed):
            store.measure(state.need.take, Silent(), mesh=state.need.mesh)
        elif isinstance(state.need, RegistrationNeed):
            store.register(state.need, Silent())
        else:
            store.follow(state.need, Silent())
    assert lacked == needs and isinstance(state, Held)


def test_a_shot_that_nothing_is_asked_of_lacks_nothing(swaying, tmp_path):
    store = MeasurementStore(Shelf(tmp_path))
    gone = Hold(how="anchor", anchor=Anchor(track_id="gone"))
    for hold in (Hold(), gone):
        assert resolve(asked(swaying, hold), store).state == AsShot()


def test_a_lender_that_is_not_measured_is_what_lacks(swaying, tmp_path):
    moving_film(tmp_path / "lender.mp4", lambda k: shift(300 + 3 * np.sin(k), 300), frames=24)
    lender, store = take_in(tmp_path / "lender.mp4"), MeasurementStore(Shelf(tmp_path))
    request = asked(swaying, Hold(), Loan(lender="take", lender_id=lender.id), takes=(lender,))
    store.measure(request.take, Silent())
    state = resolve(request, store).state
    assert isinstance(state, Lacking) and state.need == TraceNeed(take=lender)
    assert isinstance(complete(request, store, Silent()).state, Held)


@pytest.mark.parametrize(
    "hold",
    [
        later(Hold(how="float", mesh=True), name="mesh"),
        pytest.param(Hold(how="lock-off"), id="lock-off"),
        later(Hold(how="anchor", anchor=Anchor(track_id=POINT.id)), name="anchor"),
    ],
)
def test_a_shelf_that_cannot_be_written_changes_no_render(swaying, tmp_path, hold):
    """As when the disk is full: what is measured is used, though it cannot be kept."""
    (tmp_path / "file").write_text("a file where the shelf's folder should be")
    store = MeasurementStore(Shelf(tmp_path / "file"))
    state = complete(asked(swaying, hold), store, Silent()).state
    kept = MeasurementStore(Shelf(tmp_path / "shelf"))
    again = complete(asked(swaying, hold), kept, Silent()).state
    assert isinstance(state, Held) and isinstance(again, Held)
    assert np.array_equal(state.path.src_from_held, again.path.src_from_held)
    take = swaying.changed(tracks=(POINT,))
    shot = Shot(take_id=take.id, span=take.whole, hold=hold)
    project = Project(takes=(take,), reel=Reel(width=640, height=360, shots=(shot,)))
    films = []
    for number, measured in enumerate((store, kept)):
        with Sources.of(measured) as sources:
            export_reel(ExportRequest(project=project, path=tmp_path / f"{number}.mp4"), sources, Silent())
        films.append((tmp_path / f"{number}.mp4").read_bytes())
    assert films[0] == films[1]


def test_planning_reads_nothing_and_waits_for_nothing(swaying, tmp_path, monkeypatch):
    """No file, no cache, no lock: planning is a function of the resolved frame and the size."""
    take, store = swaying.changed(tracks=(POINT,)), MeasurementStore(Shelf(tmp_path))
    first = Shot(
        take_id=take.id,
        span=Span(first=0, end=12),
        hold=Hold(how="float", edge="borrow"),
        leave=Join(dissolve_frames=4),
    )
    second = Shot(take_id=take.id, span=Span(first=8, end=24), hold=Hold(how="lock-off", mesh=True), mirror="both")
    project = Project(takes=(take,), reel=Reel(width=640, height=360, shots=(first, second)))
    shots = {shot.id: complete(HoldRequest.of(project, shot), store, Silent()) for shot in (first, second)}
    resolved = [resolve_frame(project, frame, lambda shot: shots[shot.id]) for frame in range(20)]

    def forbidden(*_, **__):
        raise AssertionError("planning is pure")

    expected = [plan_frame(each, (320, 180)) for each in resolved]
    with monkeypatch.context() as patch:
        patch.setattr(builtins, "open", forbidden)
        patch.setattr(threading, "Lock", forbidden)
        for name in ("get", "once", "put"):
            patch.setattr(type(store.remembered), name, forbidden)
        for name in ("get", "put"):
            patch.setattr(Shelf, name, forbidden)
        for name in ("trace", "registration", "track", "index", "times_s", "chain"):
            patch.setattr(MeasurementStore, name, forbidden)
        assert [plan_frame(each, (320, 180)) for each in resolved] == expected
    assert any(len(plan.layers) == 2 for plan in expected) and any(plan.layers[0].borrowed for plan in expected)
    assert not any(plan.unmeasured for plan in expected)
