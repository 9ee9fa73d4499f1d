"""An edge borrows nothing of what an area holds: in plans, in the picture, in the document."""

import numpy as np
import pytest

from clevrin.core.document import Area, AreaPart, Drawn, Hold, Outline, Project, Reel, Shot, Span
from clevrin.core.document.files import load, save
from clevrin.core.matte import Matte
from clevrin.core.matte.matte import MattePart, Painted
from clevrin.core.media.picture import picture_from_rgb, rgb_from_picture
from clevrin.core.media.taking_in import take_in
from clevrin.core.progress import Silent
from clevrin.core.render.picture import plan_at
from clevrin.core.render.pixels.executor import execute
from clevrin.core.render.plan import Borrowed, Layer, Plan, row9
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import complete
from tests.films import moving_film, shift

SIZE = (128, 96)


def matte(left: float, right: float) -> Matte:
    places = ((left, -1.0), (right, -1.0), (right, 96.0), (left, 96.0))
    return Matte(parts=(MattePart(of=Painted(shape="box", places=places)),))


@pytest.mark.parametrize(("without", "red"), [(None, True), (matte(-1, 128), False), (matte(-1, 20), True)])
def test_what_an_area_holds_is_not_taken(without, red):
    grey, lent = (np.full((96, 128, 3), colour, np.uint8) for colour in ((120, 120, 120), (230, 30, 30)))
    borrowed = Borrowed(frame=5, src_from_out=row9(shift(0, 0)), without=without)
    layer = Layer.of(
        take_id="t", path="t", frame=0, source_size=SIZE, src_from_out=row9(shift(40, 0)), edge="borrow",
        borrowed=(borrowed,),
    )  # fmt: skip
    plan = Plan(width=128, height=96, layers=(layer,))
    made = rgb_from_picture(execute(plan, lambda _, frame: picture_from_rgb(lent if frame else grey)))
    right = made[20:70, 110:].astype(int).mean(axis=(0, 1))
    assert (right[0] > right[1] + 80) == red
    assert np.abs(made[20:70, 10:60].astype(int) - 120).max() < 6


def test_the_plan_of_a_shot_says_what_may_not_be_borrowed(tmp_path, warm_store):
    path = tmp_path / "shaky.mp4"
    course = [(0, 0), (9, 4), (-7, 6), (8, -8), (-9, 2)]
    moving_film(path, lambda t: shift(300 + 1.5 * t + course[round(t) % 5][0], 300), frames=30, size=(192, 108))
    drawn = Drawn(shape="box", outlines=(Outline(frame=0, places=((90, 40), (120, 40), (120, 70), (90, 70))),))
    take = take_in(path).changed(areas=(Area(id="kite", name="kite", parts=(AreaPart(of=drawn),)),))
    hold = Hold(how="float", keep=1.0, edge="borrow", not_borrowed="kite")
    shot = Shot(take_id=take.id, span=Span(first=0, end=30), hold=hold)
    project = Project(takes=(take,), reel=Reel(rate=take.facts.rate, width=192, height=108, shots=(shot,)))
    complete(HoldRequest.of(project, shot), warm_store, Silent())
    found = [each for k in range(30) for each in plan_at(project, k, (192, 108), warm_store).layers[0].borrowed]
    assert found and all(each.without is not None for each in found)
    gone = project.changed(takes=(take.changed(areas=()),))
    assert all(
        each.without is None for k in range(30) for each in plan_at(gone, k, (192, 108), warm_store).layers[0].borrowed
    )
    save(project, tmp_path / "kite.clevrin")
    assert load(tmp_path / "kite.clevrin") == project
    assert hold.path_part == hold.changed(not_borrowed=None).path_part and hold.for_another_take.not_borrowed is None
