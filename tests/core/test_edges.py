"""What stands where the gate leaves the picture, how sharp the rest stays, and that all of it is resampled once."""

from dataclasses import replace
from fractions import Fraction

import av
import cv2
import numpy as np
import pytest

from bench.steadying import borrowed_error, empty_pixels, mtf50, sharpness_share, slanted_edge
from clevrin.core.document import Anchor, Hold, Join, Placement, Project, Reel, Shot, Span, Track
from clevrin.core.media.binding import SegmentWriter
from clevrin.core.media.formats import FORMATS
from clevrin.core.media.picture import Picture, picture_from_rgb, rgb_from_picture
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.taking_in import take_in
from clevrin.core.media.writing import FilmWriter
from clevrin.core.progress import Silent
from clevrin.core.render import Layer, Plan, Sources, plan_at, planes
from clevrin.core.render.export.export import ExportRequest, export_reel
from clevrin.core.render.pixels.executor import execute
from clevrin.core.render.pixels.resampling import bent_map
from clevrin.core.render.pixels.seams import feathered, strips
from clevrin.core.render.plan import Borrowed, bend_rows, row9
from clevrin.demo.footage_maker import FOOTAGE
from tests.core.test_steadying import solved, steadied
from tests.films import shift, still, texture
from tests.marks import later

SIZE = (320, 180)


def crop(seed: int, x: int, y: int) -> Picture:
    """A part of a larger scene, as a film would see it."""
    return picture_from_rgb(np.ascontiguousarray(texture(seed)[y : y + SIZE[1], x : x + SIZE[0]]))


def laid(picture: Picture, x: float, y: float, **fields) -> Picture:
    """A picture moved by (x, y): to the left and up where they are positive."""
    others = fields.pop("others", {})
    layer = Layer.of(take_id="t", path="p", frame=0, source_size=SIZE, src_from_out=row9(shift(x, y)), **fields)
    return execute(Plan(width=SIZE[0], height=SIZE[1], layers=(layer,)), lambda _, frame: others.get(frame, picture))


def test_each_edge_puts_its_own_thing_beyond_the_picture():
    source = crop(3, 100, 100)
    seen = {edge: laid(source, 40, 0, edge=edge, colour="#ff0000") for edge in ("bare", "smear", "mirror", "colour")}
    for picture in seen.values():
        assert (picture.y[:, :270] == source.y[:, 40:310]).mean() > 0.99
    beyond = np.s_[10:-10, 290:]
    assert (seen["bare"].y[beyond] == 16).all()
    assert (seen["smear"].y[beyond] == source.y[10:-10, -1:]).mean() > 0.98
    assert np.abs(seen["mirror"].y[10:-10, 281:] - source.y[10:-10, 317:278:-1].astype(int)).mean() < 1
    red = rgb_from_picture(seen["colour"])[beyond].reshape(-1, 3)
    assert np.abs(red.astype(int) - (255, 0, 0)).max() < 4


def test_clear_says_what_is_not_there_and_trim_shows_a_window():
    source = crop(4, 50, 50)
    clear = laid(source, 30, 10, edge="clear")
    assert clear.alpha is not None
    assert (clear.alpha[2:160, :280] == 255).all() and (clear.alpha[:, 300:] == 0).all()
    trimmed = laid(source, 5, 5, edge="trim", window=(20.3, 10.2, 299.6, 169.7))
    inside = np.zeros(SIZE[::-1], bool)
    inside[12:170, 22:300] = True
    assert (trimmed.y[~inside] == 16).all() and (trimmed.y[inside] != 16).mean() > 0.99


def test_borrowed_parts_come_from_other_frames_without_a_seam():
    """Three views of one scene; the middle one is moved, and its gaps come from the others, lighter ones at that."""
    here, left, right = crop(7, 400, 400), crop(7, 340, 380), crop(7, 470, 420)
    light = picture_from_rgb((rgb_from_picture(right).astype(int) + 12).clip(0, 255).astype(np.uint8))
    x, y = 45.0, 8.0
    others = {5: light, 9: left}
    borrowed = (
        Borrowed(frame=5, src_from_out=row9(shift(x - 70, y - 20))),
        Borrowed(frame=9, src_from_out=row9(shift(x + 60, y + 20))),
    )
    seen = laid(here, x, y, edge="borrow", borrowed=borrowed, others=others)
    true = picture_from_rgb(np.ascontiguousarray(texture(7)[408 : 408 + 180, 445 : 445 + 320]))
    gap = np.s_[:160, 276:]
    error = np.abs(seen.y.astype(int) - true.y)[gap]
    smeared = np.abs(laid(here, x, y, edge="smear").y.astype(int) - true.y)[gap]
    assert error.mean() < 2.5 < 0.2 * smeared.mean()  # the lighter frame was matched
    jump = np.abs(np.diff(seen.y.astype(int), axis=1))[:160]
    assert jump[:, 262:282].mean() < 1.3 * jump[:, 100:250].mean()


def test_what_no_frame_saw_falls_back_to_smearing():
    here = crop(8, 200, 200)
    assert np.array_equal(laid(here, 60, 0, edge="borrow").y, laid(here, 60, 0, edge="smear").y)


def test_strips_cover_all_that_is_missing_and_little_else():
    seen = np.full((180, 320), 255, np.uint8)
    seen[:, 290:] = 0
    seen[:7] = 0
    there = feathered(seen)
    covered = np.zeros(there.shape, bool)
    for strip in strips(there):
        assert not covered[strip.top : strip.bottom, strip.left : strip.right].any()
        covered[strip.top : strip.bottom, strip.left : strip.right] = True
    assert covered[there < 1].all() and covered.mean() < 0.3
    assert strips(np.ones((10, 10), np.float32)) == ()


@pytest.mark.parametrize(("name", "frame"), [later("mist", 60)])
def test_borrowing_is_true_to_what_a_wider_lens_saw(name, frame, measured_demo):
    wanted = steadied(FOOTAGE / f"{name}.mp4", Hold(how="float", edge="borrow", settle_s=3.0))
    path = solved(wanted, measured_demo)
    with Sources.of(measured_demo) as sources:
        errors, missing = borrowed_error(wanted, path, frame, sources)
    assert len(errors) > 2000 and missing < 0.1 * len(errors)
    assert 10 * np.log10(255**2 / (errors**2).mean()) > 30  # dB; measured 45 to 50


TREE = Track(name="Tree", kind="point", placed=(Placement(frame=60, places=((560.0, 250.0),)),))


@pytest.mark.parametrize("edge", ["fill", "trim"])
@pytest.mark.parametrize(
    "hold",
    [
        Hold(how="float", settle_s=8, keep=0.95, returned=0.3),
        Hold(how="float", enlargement="varying", keep=0.7),
        Hold(how="float", mesh=True),
        Hold(how="lock-off", enlargement="varying", keep=0.6),
        Hold(how="anchor", anchor=Anchor(track_id=TREE.id, place=(1 / 3, 1 / 3)), keep=0.6),
    ],
    ids=["returned", "varying", "mesh", "lock-off", "anchor"],
)
def test_no_edge_pixel_is_empty_in_any_hold(hold, edge, measured_demo):
    wanted = steadied(FOOTAGE / "picnic.mp4", hold.changed(edge=edge), tracks=(TREE,))
    solved(wanted, measured_demo)
    with Sources.of(measured_demo) as sources:
        assert empty_pixels(wanted, sources, range(0, 210, 15)) == 0


@pytest.mark.parametrize(("kernel", "least"), [("bicubic", 0.9), ("lanczos", 0.95)])
def test_sharpness_stays(kernel, least):
    assert sharpness_share(Hold(kernel=kernel)) > least


def test_a_larger_take_loses_nothing_until_the_gate_is_under_the_output():
    """A 4K take on an HD reel, with nine tenths of it kept: as sharp as its own edge is at that size."""
    chart = slanted_edge(3840, 2160)
    whole = mtf50(chart.y[1030:1130, 1870:1970])
    for shrinks, least in ((1.8, 0.75), (1.2, 0.9)):
        matrix = shift(1919.8, 1079.6) @ np.diag([shrinks, shrinks, 1]) @ shift(-959.5, -539.5)
        layer = Layer.of(take_id="t", path="p", frame=0, source_size=(3840, 2160), src_from_out=row9(matrix))
        made = execute(Plan(width=1920, height=1080, layers=(layer,)), lambda *_: chart).y
        # In cycles per output pixel the source has more than this can show from a reduction of 1.75 on.
        assert mtf50(made[490:590, 910:1010]) > least * min(0.5, whole * shrinks)


def test_crispness_grows_with_the_enlargement():
    chart = slanted_edge()
    gain = []
    for enlarged in (1.05, 1.5):
        edges = []
        for crispness in (0.0, 0.6):
            matrix = shift(640, 360) @ np.diag([1 / enlarged, 1 / enlarged, 1]) @ shift(-640, -360)
            layer = Layer.of(
                take_id="t",
                path="p",
                frame=0,
                source_size=(1280, 720),
                src_from_out=row9(matrix),
                crispness=crispness,
            )
            y = execute(Plan(width=1280, height=720, layers=(layer,)), lambda *_: chart).y[360]
            edges.append(float(np.abs(np.diff(y.astype(int))).max()) * enlarged)
        gain.append(edges[1] / edges[0])
    assert gain[1] > gain[0] > 1.1


def test_a_bend_moves_pixels_by_what_it_says():
    bend = np.zeros((6, 10, 2))
    bend[..., 0] = 3.0
    source = crop(9, 300, 300)
    bent = laid(source, 0, 0, bend=bend_rows(bend))
    assert np.abs(bent.y[5:-5, 5:-10].astype(int) - source.y[5:-5, 8:-7]).mean() < 0.6
    across, down = bent_map(shift(10, 4), np.zeros((6, 10, 2)), SIZE, SIZE)
    x, y = np.meshgrid(np.arange(SIZE[0]), np.arange(SIZE[1]))
    assert across == pytest.approx(x + 10, abs=0.01) and down == pytest.approx(y + 4, abs=0.01)


def test_a_film_with_what_is_clear_keeps_it(tmp_path):
    rgb = texture(5)[:90, :160]
    alpha = np.zeros((90, 160), np.uint8)
    alpha[20:70, 30:120] = 255
    plain = picture_from_rgb(np.ascontiguousarray(rgb))
    coding = FORMATS["prores-4444"].coding("edit", deep=False, clear=True)
    place = tmp_path / "clear.mov"
    with SegmentWriter(place, coding=coding, rate=Fraction(25), size=(160, 90), colour=plain.colour) as writer:
        for _ in range(3):
            writer.write(replace(plain, alpha=alpha))
    with av.open(str(tmp_path / "clear.mov")) as film:
        frames = [frame.to_ndarray(format="rgba") for frame in film.decode(video=0)]
    assert len(frames) == 3
    assert np.abs(frames[1][..., 3].astype(int) - alpha).max() < 4
    inside = np.s_[24:66, 34:116]
    assert np.abs(frames[1][inside][..., :3].astype(int) - rgb[inside]).mean() < 4
    with FilmReader(tmp_path / "clear.mov") as reader:  # and it can be brought in again
        assert reader.frames == 3


def test_held_slowed_reversed_and_joined_is_planned_and_resampled_once(demo_take, measured_demo):
    """A take of 60 frames/s at half speed, backward and held, dissolves into another held shot."""
    picnic = demo_take("picnic").changed(conform="every frame")
    hill = demo_take("hill")
    slow = Shot(
        take_id=picnic.id,
        span=Span(first=40, end=100),
        reverse=True,
        mirror="horizontal",
        hold=Hold(how="float"),
        leave=Join(dissolve_frames=4),
    )
    after = Shot(take_id=hill.id, span=Span(first=40, end=90), hold=Hold(how="float", kernel="lanczos"))
    project = Project(takes=(picnic, hill), reel=Reel(rate=Fraction(30), shots=(slow, after)))
    size = 1280, 720
    with Sources.of(measured_demo) as sources:
        for frame, shown in ((0, 99), (10, 89), (57, 42)):
            (layer,) = plan_at(project, frame, size, sources.measured).layers
            assert layer.frame == shown
        first, second = plan_at(project, 60, size, sources.measured).layers
        assert first.weight + second.weight == pytest.approx(1)
        (layer,) = plan_at(project, 20, size, sources.measured).layers
        made = planes(project, 20, size, sources)
        source = sources.films.read(picnic, layer.frame)
    assert not layer.borrowed and layer.bend is None
    # One map: hold, mirroring and the fit; what comes out is one bicubic resampling of the decoded frame.
    flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    once = cv2.warpPerspective(source.y, layer.matrix, size, flags=flags, borderMode=cv2.BORDER_REPLICATE)
    assert np.array_equal(made.y, once)
    assert np.linalg.det(layer.matrix[:2, :2]) < 0  # mirrored


def test_a_take_of_one_frame_holds_as_itself(tmp_path, measured_demo):
    with FilmWriter(tmp_path / "one.mp4", rate=Fraction(25), size=(64, 36)) as writer:
        writer.write(still((64, 36), 120))
    take = take_in(tmp_path / "one.mp4")
    shot = Shot(take_id=take.id, span=take.whole, hold=Hold(how="float"))
    project = Project(takes=(take,), reel=Reel(rate=Fraction(25), width=64, height=36, shots=(shot,)))
    with Sources.of(measured_demo) as sources:
        export_reel(ExportRequest(project=project, path=tmp_path / "out.mp4"), sources, Silent())
    grey = int(still((4, 4), 120).y[0, 0])
    with FilmReader(tmp_path / "out.mp4") as reader:
        assert reader.frames == 1 and abs(int(reader.read(0).y.mean()) - grey) < 3
