"""Motion over the reel: across joins, in the same map, without an edge, and at rest at both ends."""

from fractions import Fraction

import cv2
import numpy as np
import pytest

from clevrin.core.document import Hold, Loan, Motion, Over, Project, Reel, Shot, Span
from clevrin.core.document.edits import LayOver, SetReel
from clevrin.core.document.files import load, save
from clevrin.core.document.joining import Join
from clevrin.core.hold.reel_motion import course_over
from clevrin.core.media.picture import picture_from_rgb
from clevrin.core.media.taking_in import take_in
from clevrin.core.media.writing import FilmWriter
from clevrin.core.motion.geometry.models import apply, pixel_corners
from clevrin.core.progress import Silent
from clevrin.core.render.picture import picture, plan_at
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import complete
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from tests.films import mean_error, texture

SIZE = (320, 180)


@pytest.fixture(scope="module")
def stills(tmp_path_factory):
    folder, takes = tmp_path_factory.mktemp("over"), []
    for seed in (1, 2):
        rgb = cv2.GaussianBlur(texture(seed, 400)[: SIZE[1], : SIZE[0]], None, 1.5)
        with FilmWriter(folder / f"{seed}.mp4", rate=Fraction(30), size=SIZE, quality=8, threads=1) as writer:
            for _ in range(40):
                writer.write(picture_from_rgb(rgb))
        takes.append(take_in(folder / f"{seed}.mp4"))
    return tuple(takes)


@pytest.fixture
def sources(tmp_path):
    with Sources.of(Shelf(tmp_path / "shelf")) as made:
        yield made


def joined(stills, over: Over | None, kind: str = "plain cut", **settings) -> Project:
    shots = (
        Shot(take_id=stills[0].id, span=Span(first=0, end=30), leave=Join(kind=kind, settings=settings)),
        Shot(take_id=stills[1].id, span=Span(first=5, end=35)),
    )
    reel = Reel(width=SIZE[0], height=SIZE[1], shots=shots, over=() if over is None else (over,))
    return Project(takes=stills, reel=reel)


def shaken(**fields) -> Over:
    loan = Loan(lender="rig", rig="running", seed=3, amount=1.0)
    return Over(**{"first": 10, "frames": 40, "ease": 10, "loan": loan, **fields})


def to_pixels(gate: np.ndarray) -> np.ndarray:
    """From widths about the middle to pixels."""
    width, height = SIZE
    unit = np.array([[1 / width, 0, -(width - 1) / 2 / width], [0, 1 / width, -(height - 1) / 2 / width], [0, 0, 1]])
    return np.linalg.inv(unit) @ gate @ unit


def test_it_is_on_top_of_everything_and_the_same_on_both_sides_of_a_cut(stills, sources):
    over = shaken()
    laid, plain = joined(stills, over), joined(stills, None)
    course = course_over(laid, over)
    for frame in (29, 30):
        moved, still = (plan_at(each, frame, SIZE, sources.measured).layers[0].matrix for each in (laid, plain))
        assert np.allclose(moved, still @ to_pixels(course.at(frame - over.first)))
    gates = [course.at(at) for at in (19.0, 20.0)]  # of the frames before and behind the cut
    assert 0.001 < np.hypot(*(gates[1] - gates[0])[:2, 2]) < 0.06
    seen, there = picture(laid, 30, SIZE, sources), picture(plain, 30, SIZE, sources)
    warped = cv2.warpPerspective(there, to_pixels(course.at(20.0)), SIZE, flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP)
    assert mean_error(seen, warped) < 2 < mean_error(seen, there)


def test_it_begins_and_ends_at_rest_and_shows_no_edge(stills, sources):
    for rig in ("running", "walking", "long lens"):
        over = shaken(loan=Loan(lender="rig", rig=rig, seed=5, amount=2.0))
        project = joined(stills, over)
        for frame in (0, 10, 49, 50):
            assert np.array_equal(
                picture(project, frame, SIZE, sources), picture(joined(stills, None), frame, SIZE, sources)
            )
        corners = np.array(pixel_corners(*SIZE))
        maps = [plan_at(project, frame, SIZE, sources.measured).layers[0].matrix for frame in range(10, 50)]
        places = np.array([apply(each, corners) for each in maps])
        assert (places >= -0.51).all() and (places <= np.array(SIZE) - 0.49).all()
        kept = course_over(project, over).least_kept
        assert 0.5 < kept < 0.99 and kept == pytest.approx(
            min(np.sqrt(np.linalg.det(m[:2, :2])) for m in maps), rel=0.1
        )


@pytest.mark.parametrize("kind", ["thrown whip", "push-through", "slide", "soft dissolve"])
def test_a_made_join_lies_under_it(stills, sources, kind):
    over, settings = shaken(), {"length": 12.0, "shutter": 0.0} if kind != "soft dissolve" else {"length": 12.0}
    laid, plain = (joined(stills, each, kind, **settings) for each in (over, None))
    course = course_over(laid, over)
    for frame in (27, 32):
        gate = to_pixels(course.at(frame - over.first))
        seen, there = (picture(each, frame, SIZE, sources) for each in (laid, plain))
        warped = cv2.warpPerspective(there, gate, SIZE, flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP)
        inside = np.s_[10:-10, 10:-10]
        assert mean_error(seen[inside], warped[inside]) < 2.5 < mean_error(seen[inside], there[inside])


def test_a_kept_motion_is_laid_as_it_was_performed(stills, sources):
    rows = tuple((0.002 * k, 0.0, 0.0, 0.0) for k in range(30))
    motion = Motion(name="by hand", rate=Fraction(30), course=rows)
    over = Over(first=10, frames=30, ease=0, loan=Loan(lender="motion", lender_id=motion.id))
    project = LayOver(over=(over,), motion=motion).apply(joined(stills, None))
    assert project.motions == (motion,) and project.reel.over == (over,)
    course = course_over(project, over)
    for at in (0, 11, 29):
        assert course.at(at)[0, 2] == pytest.approx(0.002 * at)
    gone = LayOver(over=()).apply(project)
    assert gone.reel.over == () and gone.motions == (motion,)
    lost = project.changed(motions=())
    assert np.allclose(course_over(lost, over).course, 0)  # nobody lends: nothing moves


def test_it_is_saved_scaled_with_the_rate_and_never_lies_over_another(stills, tmp_path):
    project = joined(stills, shaken())
    save(project, tmp_path / "day.clevrin")
    assert load(tmp_path / "day.clevrin") == project
    plain = joined(stills, None)
    save(plain, tmp_path / "plain.clevrin")
    assert '"over"' not in (tmp_path / "plain.clevrin").read_text()
    faster = SetReel(rate=Fraction(60), width=SIZE[0], height=SIZE[1]).apply(project).reel.over[0]
    assert (faster.first, faster.frames, faster.ease) == (20, 80, 20)
    with pytest.raises(ValueError, match="none over another"):
        LayOver(over=(shaken(), shaken(first=49))).apply(plain)
    with pytest.raises(ValueError, match="kept as a motion"):
        shaken(loan=Loan(lender="take", lender_id=stills[0].id))
    assert LayOver(over=(shaken(), shaken(first=50))).apply(plain).reel.over[1].first == 50


def test_a_held_shot_is_held_under_it(stills, sources):
    over = shaken()
    laid, plain = joined(stills, over), joined(stills, None)
    shots = tuple(shot.changed(hold=Hold(how="lock-off")) for shot in laid.reel.shots)
    laid, plain = (each.changed(reel=each.reel.changed(shots=shots)) for each in (laid, plain))
    for shot in shots:
        complete(HoldRequest.of(laid, shot), sources.measured, Silent())
    moved, still = (plan_at(each, 25, SIZE, sources.measured).layers[0] for each in (laid, plain))
    assert moved.edge == still.edge == "fill"  # as the hold has it
    assert np.allclose(moved.matrix, still.matrix @ to_pixels(course_over(laid, over).at(15.0)))
