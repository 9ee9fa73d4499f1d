"""The picture of the reel: plans as data, one resample, and the same from every caller."""

from dataclasses import replace
from fractions import Fraction

import numpy as np
import pytest

from clevrin.core.document import Hold, Join, Project, Reel, Shot, Span
from clevrin.core.errors import CancelledError, MediaError
from clevrin.core.media.picture import picture_from_rgb, rgb_from_picture
from clevrin.core.media.probe import probe
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.taking_in import take_in
from clevrin.core.motion import find_whips
from clevrin.core.motion.measuring.measure import TraceRequest, trace_take
from clevrin.core.progress import Silent
from clevrin.core.render import Layer, Plan, Sources, picture, plan_at
from clevrin.core.render.export.export import ExportRequest, export_reel
from clevrin.core.render.pixels.executor import execute
from clevrin.core.render.plan import row9
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import complete, resolve, resolve_frame
from clevrin.core.shelf import Shelf
from tests.core.test_motion import StopAfter
from tests.films import mean_error, moving_film, numbered_film, read_number, shift, texture
from tests.marks import long


@pytest.fixture
def sources():
    made = Sources.of()
    yield made
    made.close()


def reel_of(tmp_path, *shots: dict, rate=Fraction(30), size=(192, 108), **film) -> Project:
    """A project with one numbered take, and shots of it."""
    take = take_in(numbered_film(tmp_path / "film.mp4", size=size, **film))
    made = tuple(Shot(take_id=take.id, **{"span": Span(first=0, end=take.facts.frames), **shot}) for shot in shots)
    return Project(takes=(take,), reel=Reel(rate=rate, width=size[0], height=size[1], shots=made))


def number_at(project: Project, frame: int, sources: Sources) -> int:
    return read_number(picture_from_rgb(picture(project, frame, (192, 108), sources)).y)


def test_the_reel_shows_the_frames_of_its_shots(tmp_path, sources):
    project = reel_of(tmp_path, {"span": Span(first=5, end=15)}, {"span": Span(first=30, end=35), "reverse": True})
    shown = [number_at(project, k, sources) for k in range(15)]
    assert shown == [*range(5, 15), 34, 33, 32, 31, 30]


def test_outside_the_reel_it_is_black(tmp_path, sources):
    project = reel_of(tmp_path, {})
    for frame in (-1, 40):
        assert picture(project, frame, (64, 36), sources).max() <= 1
    assert picture(Project(), 0, (64, 36)).max() <= 1


def test_the_picture_is_pure_and_read_only(tmp_path, sources):
    project = reel_of(tmp_path, {})
    first = picture(project, 7, (192, 108), sources)
    picture(project, 30, (192, 108), sources)
    assert np.array_equal(first, picture(project, 7, (192, 108), sources))
    assert np.array_equal(first, picture(project, 7, (192, 108)))
    with pytest.raises(ValueError):
        first[0, 0] = 0


@pytest.mark.parametrize(
    ("mirror", "turn"),
    [("horizontal", np.s_[:, ::-1]), ("vertical", np.s_[::-1]), ("both", np.s_[::-1, ::-1])],
)
def test_mirroring(tmp_path, sources, mirror, turn):
    plain = picture(reel_of(tmp_path, {}), 21, (192, 108), sources)
    turned = picture(reel_of(tmp_path, {"mirror": mirror}), 21, (192, 108), sources)
    assert mean_error(turned, plain[turn]) < 0.5


def test_other_sizes_show_the_same(tmp_path, sources):
    import cv2

    project = reel_of(tmp_path, {})
    full = picture(project, 21, (192, 108), sources)
    for size in ((96, 54), (384, 216), (48, 26)):
        scaled = cv2.resize(full, size, interpolation=cv2.INTER_AREA)
        assert mean_error(picture(project, 21, size, sources), scaled) < 6


@pytest.mark.parametrize("within", [(912, 267), (960, 540), (313, 999), (3, 3)])
def test_a_fitted_picture_never_overhangs(within):
    from clevrin.core.render.planning.shot_map import fitted_size

    width, height = fitted_size((1280, 720), within)
    assert width <= max(2, within[0]) and height <= max(2, within[1]) and width % 2 == height % 2 == 0
    assert width > within[0] - 3 or height > within[1] - 3


def test_a_reel_of_another_shape_is_filled(tmp_path, sources):
    project = reel_of(tmp_path, {})
    tall = project.changed(reel=project.reel.changed(width=108, height=192))
    seen = picture(tall, 3, (108, 192), sources)[100:]  # the lower half is a grey ramp
    assert seen.min() > 40  # no bar anywhere


def mixed_light(a, b, weight):
    """Two pictures laid on each other as light (IEC 61966-2-1), as floats."""

    def light(code):
        return np.where(code <= 0.04045, code / 12.92, ((code + 0.055) / 1.055) ** 2.4)

    mixed = light(a / 255) * (1 - weight) + light(b / 255) * weight
    return 255 * np.where(mixed <= 0.0031308, 12.92 * mixed, 1.055 * mixed ** (1 / 2.4) - 0.055)


@pytest.mark.parametrize("length", [1, 2, 6])
def test_a_dissolve_mixes_both_sides_around_the_cut(tmp_path, sources, length):
    leave = Join(kind="whip cut", dissolve_frames=length)
    project = reel_of(tmp_path, {"span": Span(first=0, end=15), "leave": leave}, {"span": Span(first=20, end=35)})
    mixed = [k for k in range(30) if len(plan_at(project, k, (192, 108), sources.measured).layers) == 2]
    assert mixed == list(range(15 - length // 2, 15 - length // 2 + length))
    for step, frame in enumerate(mixed):
        plan = plan_at(project, frame, (192, 108), sources.measured)
        assert [layer.frame for layer in plan.layers] == [frame, frame + 5]  # both play on beyond the cut
        assert plan.layers[1].weight == pytest.approx((step + 1) / (length + 1))
        assert sum(layer.weight for layer in plan.layers) == pytest.approx(1)
    frame = mixed[0]
    a, b = (
        picture(
            project.changed(reel=project.reel.changed(shots=(s.changed(leave=Join(), span=Span(first=0, end=40)),))),
            k,
            (192, 108),
            sources,
        )
        for s, k in zip((project.reel.shots[0],) * 2, (frame, frame + 5), strict=True)
    )
    weight = 1 / (length + 1)
    assert mean_error(picture(project, frame, (192, 108), sources), mixed_light(a, b, weight)) < 1.5


def test_a_short_shot_between_two_dissolves_comes_and_goes_without_a_jump(tmp_path, sources):
    """Its dissolves overlap: each goes on evenly, and the weights never jump."""
    leave = Join(kind="whip cut", dissolve_frames=6)
    project = reel_of(
        tmp_path,
        {"span": Span(first=0, end=15), "leave": leave},
        {"span": Span(first=20, end=22), "leave": leave},
        {"span": Span(first=25, end=40)},
    )
    ids = [shot.id for shot in project.reel.shots]
    shares = []
    for frame in range(32):
        shown = resolve_frame(project, frame, lambda s: resolve(HoldRequest.of(project, s), sources.measured)).shown
        shares.append([sum(each.weight for each in shown if each.resolved.shot.id == id) for id in ids])
    shares = np.array(shares)
    assert np.allclose(shares.sum(axis=1), 1)
    assert np.abs(np.diff(shares, axis=0)).max() < 0.3 and 0.2 < shares[:, 1].max() < 1


def test_the_length_of_the_reel_does_not_depend_on_dissolves(tmp_path):
    from clevrin.core.pace import reel_frames

    plain = reel_of(tmp_path, {"span": Span(first=0, end=15)}, {"span": Span(first=20, end=35)})
    leave = Join(dissolve_frames=6)
    soft = reel_of(tmp_path, {"span": Span(first=0, end=15), "leave": leave}, {"span": Span(first=20, end=35)})
    assert reel_frames(plain) == reel_frames(soft) == 30


def test_one_resample_by_a_part_of_a_pixel_is_sharp():
    source = picture_from_rgb(texture(2, 256))
    layer = Layer.of(take_id="t", path="t", frame=0, source_size=(256, 256), src_from_out=row9(shift(0.5, 0.0)))
    moved = execute(Plan(width=256, height=256, layers=(layer,)), lambda *_: source)
    spectrum = np.fft.rfft(source.y[20:-20, 20:-20].astype(float), axis=1)
    share = np.exp(2j * np.pi * 0.5 * np.arange(spectrum.shape[1]) / 216)
    exact = np.fft.irfft(spectrum * share, 216, axis=1)
    assert np.abs(moved.y[20:-20, 20:-20][:, 10:-10] - exact[:, 10:-10]).mean() < 1.0


def test_an_unchanged_picture_is_not_resampled_at_all():
    source = picture_from_rgb(texture(2, 64))
    layer = Layer.of(take_id="t", path="t", frame=0, source_size=(64, 64), src_from_out=row9(np.eye(3)))
    assert execute(Plan(width=64, height=64, layers=(layer,)), lambda *_: source) is source


@pytest.mark.parametrize(("edge", "black"), [("bare", True), ("smear", False), ("mirror", False)])
def test_edges(edge, black):
    source = picture_from_rgb(np.full((64, 64, 3), 180, np.uint8))
    layer = Layer.of(take_id="t", path="t", frame=0, source_size=(64, 64), src_from_out=row9(shift(-20, 0)), edge=edge)
    rgb = rgb_from_picture(execute(Plan(width=64, height=64, layers=(layer,)), lambda *_: source))
    assert (rgb[:, :18].max() < 10) == black and rgb[:, 24:].min() > 170


def test_crispness_sharpens(tmp_path):
    source = picture_from_rgb(texture(2, 128))
    layer = dict(take_id="t", path="t", frame=0, source_size=(128, 128), src_from_out=row9(np.diag([0.8, 0.8, 1.0])))
    soft, crisp = (
        execute(Plan(width=128, height=128, layers=(Layer.of(**layer, crispness=c),)), lambda *_: source).y.astype(
            float
        )
        for c in (0.0, 1.0)
    )
    assert np.abs(np.diff(crisp, axis=1)).mean() > 1.2 * np.abs(np.diff(soft, axis=1)).mean()


def test_a_shot_that_is_not_measured_is_shown_as_shot_and_the_plan_says_so(tmp_path, sources):
    project = reel_of(tmp_path, {"hold": Hold(how="float")})
    plan = plan_at(project, 3, (192, 108), sources.measured)
    assert plan.unmeasured == ("film",)
    plain = reel_of(tmp_path, {})
    assert np.array_equal(picture(project, 3, (192, 108), sources), picture(plain, 3, (192, 108), sources))


def held_project(demo_take, name: str, hold: Hold, **span) -> Project:
    take = demo_take(name)
    shot = Shot(take_id=take.id, span=Span(**span) if span else take.span, hold=hold)
    return Project(takes=(take,), reel=Reel(rate=take.facts.rate, shots=(shot,)))


def test_no_rendered_frame_of_a_held_take_has_an_empty_pixel(demo_take, measured_demo):
    """The same shot over a black surround: were any edge empty, it would be black there and not elsewhere."""
    sources = Sources.of(measured_demo)
    project = held_project(demo_take, "walk-past", Hold(how="float", keep=0.85))
    for frame in range(0, 147, 2):
        plan = plan_at(project, frame, (640, 360), sources.measured)
        assert not plan.unmeasured
        white = picture_from_rgb(np.full((720, 1280, 3), 255, np.uint8))
        bare = replace(plan.layers[0], edge="bare")
        seen = execute(Plan(width=640, height=360, layers=(bare,)), lambda *_, white=white: white, "draft")
        assert seen.y.min() == seen.y.max() > 230
    sources.close()


@long
def test_the_rendered_walk_is_calm_when_it_is_measured_again(demo_take, measured_demo, tmp_path):
    """Not the solver's word but the film's: what was rendered is traced as if it were a new take."""
    sources = Sources.of(measured_demo)
    project = held_project(demo_take, "walk-past", Hold(how="float"), first=5, end=100)
    request = ExportRequest(project=project, path=tmp_path / "held.mp4", size=(480, 270))
    export_reel(request, sources, Silent())
    shaky = ExportRequest(project=project, path=tmp_path / "shaky.mp4", size=(480, 270), held=False)
    export_reel(shaky, sources, Silent())
    sources.close()
    jerk = []
    for name in ("shaky.mp4", "held.mp4"):
        trace = trace_take(TraceRequest(path=tmp_path / name), Shelf(tmp_path), Silent())
        jerk.append(float(np.abs(np.diff(trace.displacement_px[2:], axis=0)).mean()))
    assert jerk[1] < 0.15 * jerk[0]


def test_lock_off_renders_still(demo_take, measured_demo):
    sources = Sources.of(measured_demo)
    project = held_project(demo_take, "picnic", Hold(how="lock-off"), first=40, end=140)
    take, shot = project.takes[0], project.reel.shots[0]
    complete(HoldRequest(shot=shot, take=take), sources.measured, Silent())
    corner = np.s_[10:110, 460:630]  # the far hill, where nobody walks
    held = [picture(project, k, (640, 360), sources)[corner].astype(float) for k in (0, 30, 60, 99)]
    free = held_project(demo_take, "picnic", Hold(), first=40, end=140)
    loose = [picture(free, k, (640, 360), sources)[corner].astype(float) for k in (0, 30, 60, 99)]
    sources.close()
    apart = [max(mean_error(row[0], other) for other in row[1:]) for row in (held, loose)]
    assert apart[0] < 0.5 * apart[1]


def one_fast_stretch(path, tmp_path, angle: float | None = None):
    trace = trace_take(TraceRequest(path=path), Shelf(tmp_path / "again"), Silent())
    whips = find_whips(trace)
    assert len(whips) == 1
    if angle is not None:
        assert abs((whips[0].angle_deg - angle + 180) % 360 - 180) < 6
    inside = trace.velocity_px[whips[0].start + 2 : whips[0].end - 1]
    along = inside @ [-np.cos(np.radians(whips[0].angle_deg)), np.sin(np.radians(whips[0].angle_deg))]
    assert (along > 0).all()
    return trace, whips[0]


@long
def test_two_takes_of_other_footage_become_one_move(tmp_path):
    """The whole core on films that are not the demo's: assembled, rendered, and measured again."""
    from clevrin.core.join.assemble import Measured, assemble

    measured, sources = [], Sources.of(Shelf(tmp_path / "shelf"))
    for name, peak, frames in (("out.mp4", 34, 40), ("in.mp4", 6, 46)):
        moving_film(
            tmp_path / name,
            lambda t, p=peak: shift(380 + 300 * np.tanh((t - p) / 3.0), 520),
            frames=frames,
            shutter=0.5,
            seed=peak,
        )
        take = take_in(tmp_path / name)
        trace = sources.measured.measure(take, Silent())
        measured.append(Measured(take=take, trace=trace, film=sources.films.reader))
    made = assemble(Reel(width=640, height=360), measured)
    reel, (proposal,) = made.reel, made.joins
    assert abs(proposal.out_frame - 34) <= 1 and abs(proposal.in_frame - 6) <= 1
    project = Project(takes=tuple(m.take for m in measured), reel=reel)
    export_reel(ExportRequest(project=project, path=tmp_path / "one.mp4"), sources, Silent())
    sources.close()
    one_fast_stretch(tmp_path / "one.mp4", tmp_path, angle=0)


def test_an_export_is_the_reel_with_its_sound(tmp_path, sources):
    project = reel_of(tmp_path, {"span": Span(first=6, end=36)}, sound=True)
    path = export_reel(ExportRequest(project=project, path=tmp_path / "out.mp4"), sources, Silent())
    facts = probe(path)
    assert facts.frames == 30 and facts.sound and facts.rate == 30
    with FilmReader(path) as reader:
        assert [read_number(reader.read(k).y) for k in range(30)] == list(range(6, 36))
    from clevrin.core.media.sound_reading import read_sound

    assert np.abs(read_sound(path, 0.3, 4800)).max() > 0.2


def test_a_stopped_export_leaves_nothing(tmp_path, sources):
    project = reel_of(tmp_path, {})
    with pytest.raises(CancelledError):
        export_reel(ExportRequest(project=project, path=tmp_path / "out.mp4"), sources, StopAfter(10))
    assert not list(tmp_path.glob("out*"))


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda p, t: ExportRequest(project=p, path=t / "film.mp4"), "is what this is made from"),
        (lambda p, t: ExportRequest(project=Project(), path=t / "out.mp4"), "empty"),
        (lambda p, t: ExportRequest(project=p, path=t / "no" / "out.mp4"), "not there"),
        (lambda p, t: ExportRequest(project=p, path=t), "folder"),
        (lambda p, t: ExportRequest(project=p, path=t / "out.mp4", size=(101, 50)), "even"),
    ],
)
def test_an_export_that_cannot_be_is_told_in_a_sentence(tmp_path, sources, change, says):
    project = reel_of(tmp_path, {})
    before = sorted(p.name for p in tmp_path.iterdir())
    with pytest.raises(MediaError, match=says):
        export_reel(change(project, tmp_path), sources, Silent())
    assert sorted(p.name for p in tmp_path.iterdir()) == before


def test_a_film_that_was_replaced_is_noticed(tmp_path, sources):
    project = reel_of(tmp_path, {})
    numbered_film(tmp_path / "film.mp4", frames=3)
    with pytest.raises(MediaError, match="no longer the film"):
        picture(project, 0, (64, 36), sources)
    (tmp_path / "film.mp4").unlink()
    with pytest.raises(MediaError, match="not there"):
        picture(project, 0, (64, 36))


def test_a_take_of_variable_rate_keeps_its_time(tmp_path, sources):
    stamps = [0, 33, 67, 300, 333, 367, 400, 433, 467, 500]
    project = reel_of(tmp_path, {}, frames=10, stamps=stamps)
    from clevrin.core.pace import reel_frames

    shown = [number_at(project, k, sources) for k in range(reel_frames(project))]
    assert shown == sorted(shown) and shown.count(2) + shown.count(3) >= 7  # the pause lasts, as long for either side


@pytest.mark.parametrize("error", [ValueError("of the library"), MemoryError()])
def test_whatever_goes_wrong_while_writing_ends_the_export_and_hangs_nobody(tmp_path, sources, monkeypatch, error):
    from clevrin.core.media.binding import SegmentWriter

    def fail(self, picture):
        raise error

    monkeypatch.setattr(SegmentWriter, "write", fail)
    project = reel_of(tmp_path, {})
    with pytest.raises(type(error)):
        export_reel(ExportRequest(project=project, path=tmp_path / "out.mp4"), sources, Silent())
    assert not list(tmp_path.glob("out*"))


def test_whatever_goes_wrong_while_reading_ends_the_measuring_and_hangs_nobody(tmp_path, monkeypatch):
    film = numbered_film(tmp_path / "f.mp4", frames=20)

    def fail(self, frame):
        raise ValueError("of the library")

    monkeypatch.setattr(FilmReader, "read_whole_luma", fail)
    with pytest.raises(ValueError, match="of the library"):
        trace_take(TraceRequest(path=film), Shelf(tmp_path / "s"), Silent())
