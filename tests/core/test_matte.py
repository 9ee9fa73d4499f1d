"""Areas as coverage: drawn to a part of a pixel, of colours under uneven light, carried, combined, softened."""

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from clevrin.core.document import Area, AreaPart, Coloured, Drawn, Other, Outline, Pick
from clevrin.core.document.areas import Seen, made_of
from clevrin.core.matte import Matte, coverage, matte_at
from clevrin.core.matte.areas import drawn_at, quad_to_quad
from clevrin.core.matte.colours import colour_at, lab_of, without_spill
from clevrin.core.matte.matte import MattePart, OfColour, Painted
from clevrin.core.matte.painting import smooth_curve
from clevrin.core.media.picture import picture_from_rgb, shrunk
from clevrin.core.motion.geometry.models import apply
from clevrin.core.motion.tracks.both_ways import Followed
from tests.films import shift, texture

SIZE = (320, 180)


def painted(shape: str, *places, size=SIZE, source=SIZE, **fields):
    part = MattePart(of=Painted(shape=shape, places=places))
    return coverage(Matte(parts=(part,), **fields), source, size)


def box(left: float, top: float, right: float, bottom: float):
    return (left, top), (right, top), (right, bottom), (left, bottom)


def test_a_shape_covers_as_much_as_it_is_large():
    # Edges in pixels: the middle of the first pixel is 0, its left edge -0.5.
    assert painted("box", *box(-0.5, -0.5, 9.5, 4.5)).sum() == pytest.approx(50, abs=0.3)
    assert painted("box", *box(20.25, 30.5, 40.75, 50.5)).sum() == pytest.approx(20.5 * 20, rel=0.01)
    disc = painted("disc", (100.3, 90.2), (140.3, 90.2), (100.3, 120.2))
    assert disc.sum() == pytest.approx(np.pi * 40 * 30, rel=0.004)
    rows, columns = np.mgrid[: SIZE[1], : SIZE[0]]
    middle = (disc * columns).sum() / disc.sum(), (disc * rows).sum() / disc.sum()
    assert middle == pytest.approx((100.3, 90.2), abs=0.03)
    assert painted("box", *box(-500, -500, 900, 900)).min() == 1  # everything
    assert painted("box", *box(500, 500, 900, 900)).max() == 0  # all of it beyond the picture


def test_an_edge_has_the_area_on_its_right_and_a_band_both_sides_of_its_line():
    edge = painted("half-plane", (100.0, 0.0), (100.0, 10.0))  # down: its right is the picture's left
    assert edge[90, 99] == 1 and edge[90, 100] == 0.5 and edge[90, 101] == 0
    slanted = painted("half-plane", (0.0, 0.0), (10.0, 10.0))
    assert slanted[100, 50] == 1 and slanted[50, 100] == 0
    band = painted("band", (0.0, 60.0), (10.0, 60.0), (4.0, 64.5))
    assert band[:, 200].sum() == pytest.approx(9, abs=0.01) and band[60, 0] == 1


def test_a_curve_is_smooth_but_at_its_corners():
    circle = np.stack([np.cos(np.arange(8) * np.pi / 4), np.sin(np.arange(8) * np.pi / 4)], axis=1) * 50 + 90
    made = smooth_curve(circle, ())
    assert np.abs(np.hypot(*(made - 90).T) - 50).max() < 0.6
    square = np.array(box(10, 10, 60, 60), np.float64)
    sharp = smooth_curve(square, (0, 1, 2, 3))
    assert sharp.min() == 10 and sharp.max() == 60
    area = painted("curve", *(tuple(each) for each in circle)).sum()
    assert area == pytest.approx(np.pi * 2500, rel=0.02)


@given(st.floats(10, 250), st.floats(10, 130), st.floats(2, 60), st.floats(2, 40))
def test_where_a_picture_stands_in_for_a_larger_one_the_same_is_covered(x, y, w, h):
    whole = painted("box", *box(x, y, x + w, y + h))
    half = painted("box", *box(x, y, x + w, y + h), size=(160, 90))
    assert half.mean() == pytest.approx(whole.mean(), abs=2e-3)
    # An edge lies within an eighth of a pixel of where it belongs, and a corner has two: in the large and in the small.
    averaged = cv2.resize(whole, (160, 90), interpolation=cv2.INTER_AREA)
    assert np.abs(averaged - half).max() < 2 / 8 + 2 / 16


def test_parts_are_added_cut_out_and_turned_about():
    big = MattePart(of=Painted(shape="box", places=box(9.5, 9.5, 109.5, 109.5)))
    small = Painted(shape="box", places=box(49.5, 49.5, 69.5, 69.5))
    aside = Painted(shape="box", places=box(199.5, 9.5, 209.5, 19.5))

    def covered(*parts: MattePart) -> int:
        return round(float(coverage(Matte(parts=parts), SIZE, SIZE).sum()))

    assert covered(big) == 10_000
    assert covered(big, MattePart(of=small, mode="without")) == 9_600
    assert covered(big, MattePart(of=small, mode="common")) == 400
    assert covered(big, MattePart(of=aside)) == 10_100
    assert covered(MattePart(of=big.of, inverted=True)) == SIZE[0] * SIZE[1] - 10_000
    assert covered(big, MattePart(of=small, mode="common", inverted=True)) == 9_600


def test_it_grows_shrinks_and_gets_soft_to_either_side():
    places = box(99.5, 49.5, 199.5, 129.5)
    plain = painted("box", *places)
    grown, shrunken = (painted("box", *places, grow_px=by) for by in (6.0, -6.0))
    assert grown[90].sum() == pytest.approx(112, abs=0.5) and shrunken[90].sum() == pytest.approx(88, abs=0.5)
    soft = painted("box", *places, inside_px=10.0, outside_px=10.0)
    assert soft[90, 99:101].mean() == pytest.approx(0.5, abs=0.06)  # its edge stays where it is
    assert soft[90, 88] == 0 and soft[90, 111] == 1 and (np.diff(soft[90, 85:115]) >= 0).all()
    outward = painted("box", *places, outside_px=12.0)
    assert (outward[plain == 1] > 0.95).all() and outward[90, 94] > 0.3
    half = painted("box", *places, size=(160, 90), inside_px=10.0, outside_px=10.0)
    assert np.abs(half - cv2.resize(soft, (160, 90), interpolation=cv2.INTER_AREA)).max() < 0.12
    assert (painted("box", *places, share=0.4) == np.float32(0.4) * plain).all()


# Carried


def chain_of(steps) -> np.ndarray:
    made = [np.eye(3)]
    for x, y in steps:
        made.append(shift(x, y) @ made[-1])
    return np.array(made)


def test_what_was_drawn_goes_with_the_picture_and_comes_out_where_it_was_drawn_next():
    chain = chain_of([(2.0, -1.0)] * 20)
    drawn = Drawn(shape="box", outlines=(Outline(frame=5, places=box(10, 10, 30, 30)),))
    assert drawn_at(drawn, 10, chain, {})[0] == pytest.approx((20, 5))
    assert drawn_at(drawn, 0, chain, {})[0] == pytest.approx((0, 15))
    assert drawn_at(drawn, 10, None, {})[0] == (10, 10)  # not measured: it stays
    twice = drawn.put(Outline(frame=15, places=box(50, 0, 70, 20)))
    assert drawn_at(twice, 5, chain, {})[0] == pytest.approx((10, 10))
    assert drawn_at(twice, 15, chain, {})[0] == pytest.approx((50, 0))
    assert drawn_at(twice, 10, chain, {})[0] == pytest.approx(((20 + 40) / 2, (5 + 5) / 2))
    still = twice.changed(along="nothing")
    assert drawn_at(still, 10, chain, {})[0] == pytest.approx((30, 5))
    assert drawn_at(still, 19, chain, {})[0] == (50, 0)


def test_what_was_drawn_goes_with_a_point_and_lies_on_a_surface():
    frames = 12
    point = np.array([[[100.0 + 3 * k, 50.0]] for k in range(frames)])
    point[7:] = np.nan
    surface = np.array([np.array(box(0, 0, 100, 50), np.float64) * (1 + 0.1 * k) + k for k in range(frames)])

    def followed(places) -> Followed:
        known = np.isfinite(places).all(axis=(1, 2)).astype(float)
        return Followed(places=places, confidence=known, placed=np.zeros(frames, bool), lost=())

    tracks = {"kite": followed(point), "sign": followed(surface)}
    drawn = Drawn(shape="disc", outlines=(Outline(frame=2, places=((106, 50), (110, 50), (106, 54))),), along="track",
                  track_id="kite")  # fmt: skip
    assert drawn_at(drawn, 4, None, tracks)[0] == pytest.approx((112, 50))
    assert drawn_at(drawn, 11, None, tracks)[0] == pytest.approx((118, 50))  # as far as the kite was seen
    on_sign = Drawn(shape="box", outlines=(Outline(frame=0, places=box(10, 10, 50, 40)),), along="track",
                    track_id="sign")  # fmt: skip
    way = quad_to_quad(surface[0], surface[9])
    assert np.allclose(drawn_at(on_sign, 9, None, tracks), apply(way, np.array(box(10, 10, 50, 40), np.float64)))
    assert drawn_at(on_sign, 9, None, {})[0] == (10, 10)  # a track that is gone


def test_an_area_on_a_frame_is_a_value_with_its_share():
    drawn = Drawn(shape="half-plane", outlines=(Outline(frame=0, places=((0, 0), (0, 10))),))
    area = Area(name="edge", parts=(AreaPart(of=drawn),), seen=(Seen(frame=10, share=0), Seen(frame=20, share=1)))
    assert matte_at(area, 15) == matte_at(area, 15) and matte_at(area, 15).share == 0.5
    assert [matte_at(area, k).share for k in (0, 20, 90)] == [0, 1, 1]
    assert not matte_at(area, 0).of_picture


# Colours


def screen(seed: int = 1) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A green screen under uneven light and a figure: the picture, the true coverage, and the figure alone."""
    rng = np.random.default_rng(seed)
    h, w = 360, 640
    x, y = np.meshgrid(np.linspace(-1, 1, w), np.linspace(-1, 1, h))
    light = 0.75 + 0.2 * x - 0.18 * y**2
    green = np.array([38, 158, 70]) / 255
    figure = texture(seed, 700)[:h, :w] / 255
    figure = 0.15 + 0.7 * figure * np.array([1.0, 0.55, 0.6])
    fine = np.zeros((h * 4, w * 4), np.uint8)
    cv2.ellipse(fine, (1280, 800), (420, 560), 0, 0, 360, 255, -1)
    cv2.circle(fine, (2050, 500), 160, 255, -1)
    over = cv2.GaussianBlur(cv2.resize(fine, (w, h), interpolation=cv2.INTER_AREA), (0, 0), 0.8) / 255
    linear = (1 - over[..., None]) * (green**2.2 * light[..., None]) + over[..., None] * figure**2.2
    code = linear ** (1 / 2.2) * 255 + rng.normal(0, 3.0, (h, w, 3))
    return code.clip(0, 255).astype(np.uint8), 1 - over, (figure * 255).astype(np.uint8)


def test_a_screen_of_one_colour_is_found_under_uneven_light():
    rgb, true, _ = screen()
    picture = picture_from_rgb(rgb)
    labs = tuple(colour_at(picture, at) for at in ((40, 40), (600, 180)))
    matte = Matte(parts=(MattePart(of=OfColour(labs=labs, tolerance=14, softness=16, specks_px=8, holes_px=8)),))
    found = coverage(matte, picture.size, picture.size, picture)
    assert np.abs(found - true).mean() < 0.01
    both = (found > 0.5) & (true > 0.5)
    assert both.sum() / ((found > 0.5) | (true > 0.5)).sum() > 0.98
    small = shrunk(picture, (320, 180))
    half = coverage(matte, picture.size, small.size, small)
    assert np.abs(half - cv2.resize(found, (320, 180), interpolation=cv2.INTER_AREA)).mean() < 0.01


def test_the_colour_of_a_screen_is_taken_from_what_stands_before_it():
    rgb, true, figure = screen(2)
    cast = (rgb * 0.75 + np.array([38, 158, 70]) * 0.25).clip(0, 255).astype(np.uint8)  # light that the screen throws
    inside = true < 0.02
    labs = (colour_at(picture_from_rgb(rgb), (40, 40)),)
    freed = lab_of(without_spill(picture_from_rgb(cast), labs, 1.0))
    way = np.array(labs[0][1:]) / np.hypot(*labs[0][1:])

    def green_of(lab: np.ndarray) -> float:
        """The cast that is seen: how far colours go the screen's way, where the figure alone does not go it."""
        greener = np.maximum(lab[..., 1:] @ way, 0) - np.maximum(lab_of(picture_from_rgb(figure))[..., 1:] @ way, 0)
        return float(np.abs(greener)[inside].mean())

    left, was = green_of(freed), green_of(lab_of(picture_from_rgb(cast)))
    assert was > 8 and left < 3
    lightness = lab_of(picture_from_rgb(cast))[..., 0]
    assert np.abs(freed[..., 0] - lightness)[inside].mean() < 1.5


def test_specks_are_left_out_and_holes_filled():
    rgb = np.full((180, 320, 3), (40, 160, 70), np.uint8)
    rgb[:, 160:] = (200, 120, 110)
    rgb[38:46, 58:66] = (200, 120, 110)  # a hole in the screen
    rgb[88:96, 247:255] = (40, 160, 70)  # a speck of it on what stands before
    picture = picture_from_rgb(rgb)
    lab = colour_at(picture, (20, 90))

    def found(holes: float, specks: float):
        of = OfColour(labs=(lab,), tolerance=14, softness=10, holes_px=holes, specks_px=specks)
        return coverage(Matte(parts=(MattePart(of=of),)), SIZE, SIZE, picture)

    assert found(0, 0)[41, 62] < 0.5 < found(0, 0)[92, 251]
    assert found(12, 12)[41, 62] > 0.5 > found(12, 12)[92, 251]
    assert found(12, 12)[20, 20] == 1 and found(12, 12)[20, 300] == 0


def test_what_cannot_be_is_refused():
    with pytest.raises(ValueError, match="as many points"):
        Drawn(shape="box", outlines=(Outline(frame=0, places=((0, 0), (1, 1))),))
    with pytest.raises(ValueError, match="order of their frames"):
        Drawn(shape="curve", outlines=tuple(Outline(frame=3, places=((0, 0), (9, 0), (0, 9))) for _ in range(2)))
    with pytest.raises(ValueError, match="names it"):
        Drawn(shape="half-plane", outlines=(Outline(frame=0, places=((0, 0), (1, 1))),), along="track")
    picked = Pick(frame=3, place=(1, 1), lab=(50, 0, 0))
    assert Area(name="sky", parts=(AreaPart(of=Coloured(picks=(picked,))),)).last_frame == 3


def boxed(id: str, left: float, right: float, *others: AreaPart) -> Area:
    drawn = Drawn(shape="box", outlines=(Outline(frame=0, places=box(left, 10, right, 50)),), along="nothing")
    return Area(id=id, name=id, parts=(AreaPart(of=drawn), *others))


def test_an_area_is_made_of_others_as_they_are_now():
    post, far = boxed("post", 40, 60), boxed("far", 0, 30)
    wall = boxed("wall", 20, 80, AreaPart(of=Other(area_id="post"), mode="without"))
    both = boxed("both", 0, 100, AreaPart(of=Other(area_id="wall"), mode="common"))

    def covers(area: Area, *areas: Area) -> list[bool]:
        matte = matte_at(area, 0, others={each.id: each for each in made_of(area, areas)})
        return [bool(coverage(matte, SIZE, SIZE)[30, x] > 0.5) for x in (10, 25, 50, 70)]

    areas = post, far, wall, both
    assert covers(wall, *areas) == [False, True, False, True] == covers(both, *areas)
    assert covers(wall, boxed("post", 60, 80), wall) == [False, True, True, False]
    assert {each.id for each in made_of(both, areas)} == {"both", "wall", "post"}
    assert covers(wall, wall) == [False, True, True, True]  # what is gone takes nothing away
    # Two that are made of each other end there.
    this = boxed("this", 20, 80, AreaPart(of=Other(area_id="that"), mode="without"))
    that = boxed("that", 40, 60, AreaPart(of=Other(area_id="this")))
    assert covers(this, this, that) == [False, True, False, True]
