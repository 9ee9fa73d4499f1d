"""A rush: blur that no camera made, about what stays sharp, always, with the camera's speed, or as it was set."""

import cv2
import numpy as np
import pytest

from clevrin.core.document import (
    Area,
    AreaPart,
    Drawn,
    Outline,
    Pace,
    Project,
    Reel,
    Rush,
    RushPoint,
    Shot,
    Shutter,
    Span,
)
from clevrin.core.document.files import load, save
from clevrin.core.document.pacing import Sharp
from clevrin.core.media.taking_in import take_in
from clevrin.core.progress import Silent
from clevrin.core.render.picture import picture, plan_at
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import complete
from clevrin.core.render.sources import Sources
from tests.films import moving_film, shift

SIZE = (320, 180)
FRAMES = 20


@pytest.fixture(scope="module")
def take(tmp_path_factory):
    """Still at first, then a pan that gets faster."""
    path = tmp_path_factory.mktemp("rush") / "pan.mp4"
    moving_film(path, lambda t: shift(300 + max(0.0, t - 8) ** 2, 400), frames=FRAMES, size=SIZE, seed=6)
    middle = ((140.0, 70.0), (180.0, 70.0), (180.0, 110.0), (140.0, 110.0))
    drawn = Drawn(shape="box", outlines=(Outline(frame=0, places=middle),), along="nothing")
    return take_in(path).changed(areas=(Area(id="kite", name="kite", parts=(AreaPart(of=drawn),)),))


@pytest.fixture
def seen(take, warm_store):
    opened = Sources.of(warm_store)

    def of(rush: Rush | None, frame: int, **shutter: object) -> tuple[np.ndarray, object]:
        pace = Pace(shutter=Shutter(rush=rush, **shutter))
        shot = Shot(take_id=take.id, span=Span(first=0, end=FRAMES), pace=pace)
        project = Project(takes=(take,), reel=Reel(rate=take.facts.rate, width=320, height=180, shots=(shot,)))
        complete(HoldRequest.of(project, shot), warm_store, Silent())
        (layer,) = plan_at(project, frame, SIZE, warm_store).layers
        return picture(project, frame, SIZE, opened).astype(np.float32), layer

    yield of
    opened.close()


def detail(rgb: np.ndarray, x: int, y: int, along: int) -> float:
    """How much changes from pixel to pixel about a place, across (1) or down (0)."""
    return float(np.abs(np.diff(rgb[y - 8 : y + 9, x - 8 : x + 9].mean(axis=2), axis=along)).mean())


def test_outward_it_is_sharp_in_the_middle_and_blurred_about_it(seen):
    bare, plain = seen(None, 4)
    rush, layer = seen(Rush(how="out", amount=0.15), 4)
    assert plain.samples[0].weight == 1 and len(layer.samples) > 9 and layer.edge == "mirror"
    assert sum(each.weight for each in layer.samples) == pytest.approx(1)
    assert detail(rush, 20, 90, 1) < 0.55 * detail(bare, 20, 90, 1)  # along the way out
    assert detail(rush, 20, 90, 0) > 1.2 * detail(rush, 20, 90, 1)  # and not across it
    assert detail(rush, 160, 90, 1) > 0.6 * detail(bare, 160, 90, 1)
    assert np.abs(rush[0] - rush[1]).mean() < 12 and rush.min() > 2  # nothing dark comes in from beyond the edge


def test_along_a_direction_it_blurs_that_way(seen):
    bare, _ = seen(None, 4)
    rush, layer = seen(Rush(how="along", amount=0.1, direction_deg=90.0), 4)
    assert detail(rush, 60, 60, 0) < 0.4 * detail(bare, 60, 60, 0)
    first, last = (
        cv2.perspectiveTransform(np.array([[[160.0, 90.0]]]), layer.samples[k].matrix)[0, 0] for k in (0, -1)
    )
    assert abs(first[0] - last[0]) < 0.1 and abs(abs(first[1] - last[1]) - 32) < 2


def test_what_stays_sharp_is_spared_and_is_its_middle(seen, take):
    bare, _ = seen(None, 4)
    rush, layer = seen(Rush(how="out", amount=0.3), 4, sharp=Sharp(area="kite"))
    assert layer.spared is not None
    assert np.abs(rush - bare)[80:101, 150:171].mean() < 2.5
    assert detail(rush, 20, 90, 1) < 0.5 * detail(bare, 20, 90, 1)


@pytest.mark.parametrize(("by", "still", "fast"), [("always", True, True), ("speed", False, True)])
def test_it_is_there_always_or_with_the_cameras_speed(seen, by, still, fast):
    for frame, there in ((3, still), (17, fast)):
        _, layer = seen(Rush(how="along", amount=0.1, by=by), frame)
        assert (layer.added_blur_px > 10) == there


def test_it_is_as_much_as_was_set_on_frames(seen, tmp_path, take):
    rush = (
        Rush(amount=0.2, how="along", by="points").put(RushPoint(frame=10, share=1.0)).put(RushPoint(frame=2, share=0))
    )
    assert [rush.share_at(k) for k in (0, 2, 6, 10, 15)] == [0, 0, 0.5, 1, 1]
    lengths = [seen(rush, frame)[1].added_blur_px for frame in (1, 6, 12)]
    assert lengths == pytest.approx([0, 32, 64], abs=1)
    with pytest.raises(ValueError, match="order"):
        Rush(points=(RushPoint(frame=4, share=1), RushPoint(frame=2, share=1)))
    shot = Shot(take_id=take.id, span=Span(first=0, end=9), pace=Pace(shutter=Shutter(rush=rush)))
    project = Project(takes=(take,), reel=Reel(shots=(shot,)))
    save(project, tmp_path / "kite.clevrin")
    assert load(tmp_path / "kite.clevrin") == project
    bare = project.changed(reel=project.reel.changed(shots=(shot.changed(pace=Pace()),)))
    save(bare, tmp_path / "bare.clevrin")
    assert '"rush"' not in (tmp_path / "bare.clevrin").read_text()
