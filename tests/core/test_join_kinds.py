"""Joins that were not shot: what each kind does to either side, by its plan and by its pixels."""

from dataclasses import replace
from fractions import Fraction
from itertools import pairwise

import cv2
import numpy as np
import pytest

from clevrin.core.document import Gate, Hold, Join, Pace, PacePoint, Pose, Project, Reel, Shot, Span
from clevrin.core.document.files import load, save
from clevrin.core.errors import ClevrinError
from clevrin.core.join.balancing import balance
from clevrin.core.join.between import made_join, on_screen, seen_mirrored, what_is_short
from clevrin.core.join.kinds import KINDS, kind_of
from clevrin.core.join.kinds.kind import AUTO, Broken, Course, Sides
from clevrin.core.media.picture import picture_from_rgb
from clevrin.core.media.taking_in import take_in
from clevrin.core.media.writing import FilmWriter
from clevrin.core.motion.geometry.models import apply
from clevrin.core.pace import placed_shots
from clevrin.core.progress import Silent
from clevrin.core.render import picture
from clevrin.core.render.picture import plan_at
from clevrin.core.render.pixels.compositing import beyond
from clevrin.core.render.pixels.executor import execute
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import complete
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from tests.films import mean_error, moving_film, shift, texture

SIZE = (320, 180)
LONG = [name for name, kind in KINDS.items() if kind.long]
MOVING = ["thrown whip", "push-through", "roll-over", "slide"]


def pictured(path, rgb: np.ndarray, frames: int = 40):
    """A take that shows one picture."""
    with FilmWriter(path, rate=Fraction(30), size=SIZE, quality=10) as writer:
        for _ in range(frames):
            writer.write(picture_from_rgb(rgb))
    return take_in(path)


@pytest.fixture(scope="module")
def stills(tmp_path_factory):
    """Two takes that stand still, with one line through both at the same height."""
    folder, takes = tmp_path_factory.mktemp("stills"), []
    for seed in (1, 2):
        rgb = texture(seed, 400)[: SIZE[1], : SIZE[0]].copy() // 2 + 20
        rgb[86:94] = 250
        takes.append(pictured(folder / f"{seed}.mp4", rgb))
    return tuple(takes)


def joined(takes, kind: str, frames: tuple[int, int] = (30, 30), dissolve: int = 0, **settings) -> Project:
    leave = Join(kind=kind, dissolve_frames=dissolve, settings=settings)
    shots = (
        Shot(take_id=takes[0].id, span=Span(first=0, end=frames[0]), leave=leave),
        Shot(take_id=takes[1].id, span=Span(first=40 - frames[1], end=40)),
    )
    return Project(takes=takes, reel=Reel(width=SIZE[0], height=SIZE[1], shots=shots))


@pytest.fixture
def sources(tmp_path):
    with Sources.of(Shelf(tmp_path / "shelf")) as made:
        yield made


def plan(project: Project, frame: int, sources: Sources):
    for shot in project.reel.shots:
        complete(HoldRequest.of(project, shot), sources.measured, Silent())
    return plan_at(project, frame, SIZE, sources.measured)


def sides(**fields) -> Sides:
    return Sides(**{"before": 100, "after": 100, "aspect": 9 / 16, **fields})


@pytest.mark.parametrize("kind", LONG)
def test_outside_of_its_length_a_join_touches_nothing(stills, sources, kind):
    project, plain = joined(stills, kind), joined(stills, "plain cut")
    made = made_join(placed_shots(project), 0, 9 / 16, lambda _: None)
    for frame in (30 - made.before - 1, 30 + made.after):
        assert np.array_equal(picture(project, frame, SIZE, sources), picture(plain, frame, SIZE, sources))
    if kind in ("doorway", "passing edge", "match cut"):  # without what it goes by it is a cut
        return
    assert any(
        not np.array_equal(picture(project, frame, SIZE, sources), picture(plain, frame, SIZE, sources))
        for frame in (29, 30)
    )


@pytest.mark.parametrize("kind", MOVING)
def test_a_made_move_begins_and_ends_at_rest_and_goes_on_across_the_cut(kind):
    made = KINDS[kind].made(Join(kind=kind, settings={"direction": 30.0}), sides())
    corner, step = np.array([[0.4, 0.2]]), 0.01

    def speed(at: float, *, leaving: bool) -> float:
        move = made.part(at, leaving=leaving).move
        places = [apply(np.linalg.inv(move(each)) @ move(at), corner)[0] for each in (at - step, at + step)]
        return float(np.hypot(*(places[1] - places[0])) / (2 * step))

    peak = max(speed(at, leaving=at < 0) for at in np.arange(-made.before, made.after, 0.25))
    assert speed(-made.before, leaving=True) < 0.02 * peak and speed(made.after, leaving=False) < 0.02 * peak
    assert speed(-step, leaving=True) == pytest.approx(speed(step, leaving=False), abs=0.02 * peak)
    for at, leaving in ((-made.before, True), (made.after, False)):
        assert np.allclose(made.part(at, leaving=leaving).move(at), np.eye(3), atol=1e-9)


def test_a_course_is_as_far_and_as_fast_as_it_says():
    for before, after, ease in ((5, 5, 1.0), (3, 9, 0.0), (8, 2, 0.5)):
        course = Course(before=before, after=after, ease=ease)
        at = np.linspace(-before, after, 4001)
        gone = np.array([course.gone(each) for each in at])
        assert gone[0] == 0 and gone[-1] == 1 and (np.diff(gone) >= -1e-12).all()
        speeds = np.array([course.speed(each) for each in at])
        assert np.allclose(np.gradient(gone, at)[5:-5], speeds[5:-5], atol=2e-3)
        assert speeds.argmax() == pytest.approx(np.argmin(np.abs(at)), abs=2)


@pytest.mark.parametrize("kind", [kind.id for kind in KINDS.values() if kind.long])
def test_a_join_without_any_room_shows_its_sides_as_they_are(kind):
    made = replace(KINDS[kind].made(Join(kind=kind), sides()), before=0, after=0)
    for at, leaving in ((-1e-6, True), (1e-6, False)):
        part = made.part(at, leaving=leaving)
        assert part.move is None or np.isfinite(part.move(at)).all()


@pytest.mark.parametrize("kind", MOVING)
def test_the_speed_on_the_screen_is_one_curve_across_the_cut(stills, kind):
    row = placed_shots(joined(stills, kind, length=20.0))
    made = made_join(row, 0, 9 / 16, lambda _: None)
    seen = on_screen(row, 0, made, lambda _: None)
    before = seen.times_s <= 0
    before[np.flatnonzero(before)[-1]] = False  # the cut is the last of one side, and the first of the other
    assert np.all(np.diff(seen.times_s) >= 0) and (seen.times_s == 0).sum() == 2
    last, first = seen.widths_per_s[before][-1], seen.widths_per_s[~before][0]
    peak = seen.widths_per_s.max()
    assert last == pytest.approx(first, rel=0.02) and last == pytest.approx(peak, rel=0.001)
    assert seen.widths_per_s[0] == 0 and seen.widths_per_s[-1] == 0
    if kind == "thrown whip":
        gone = np.trapezoid(seen.widths_per_s, seen.times_s)
        assert gone == pytest.approx(made.number("distance"), rel=0.02)


def test_what_is_made_is_added_to_how_the_cameras_go(tmp_path, sources):
    moving_film(tmp_path / "a.mp4", lambda t: shift(300 + 4.0 * t, 300), frames=40, size=SIZE, seed=3)
    take, other = take_in(tmp_path / "a.mp4"), take_in(tmp_path / "a.mp4")
    trace = sources.measured.measure(take, Silent())
    slow = 4.0 * 30 / SIZE[0]
    for direction, share in ((0.0, 1), (180.0, -1)):
        settings = {"direction": direction, "length": 20.0, "distance": 1.0}
        row = placed_shots(joined((take, other), "thrown whip", **settings))
        seen = on_screen(row, 0, made_join(row, 0, 9 / 16, lambda _: trace), lambda _: trace)
        still = on_screen(row, 0, made_join(row, 0, 9 / 16, lambda _: trace), lambda _: None)
        peak = seen.widths_per_s.argmax()
        assert seen.widths_per_s[peak] - still.widths_per_s[peak] == pytest.approx(share * slow, rel=0.03)
        assert seen.widths_per_s[0] == pytest.approx(slow, rel=0.03)


def test_what_is_mirrored_is_told_where_it_goes_by_slowly():
    def noticed(kind: str, **settings) -> int:
        return seen_mirrored(KINDS[kind].made(Join(kind=kind, settings=settings), sides()))

    for kind in ("thrown whip", "push-through", "roll-over"):
        usual = float(next(each for each in KINDS[kind].settings if each.id == "length").default)
        assert noticed(kind, length=usual) == 0 < noticed(kind, length=60.0, reach="whole")
    assert noticed("thrown whip", length=60.0, reach="whole") > noticed(
        "thrown whip", length=60.0, reach="whole", distance=4.0
    )
    assert noticed("thrown whip", length=10.0, shutter=0.0) > 0  # nothing is blurred
    assert noticed("flash", length=60.0) == 0


def test_it_is_said_beside_a_join(stills):
    row = placed_shots(joined(stills, "thrown whip", length=50.0, reach="whole"))
    made = made_join(row, 0, 9 / 16, lambda _: None)
    assert any("mirrored beyond the edge" in words for words in what_is_short(row, 0, made))
    short = placed_shots(joined(stills, "thrown whip"))
    assert what_is_short(short, 0, made_join(short, 0, 9 / 16, lambda _: None)) == []


def test_a_long_whip_waits_until_it_is_fast_enough_that_nothing_mirrored_is_seen(stills):
    def made(**settings):
        row = placed_shots(joined(stills, "thrown whip", **settings))
        return made_join(row, 0, 9 / 16, lambda _: None), row

    long, row = made(length=50.0)
    assert long.gave_way and long.before + long.after + long.gave_way == 50
    assert seen_mirrored(long) == 0
    (words,) = what_is_short(row, 0, long)
    assert words.startswith(f"The thrown whip moves for {long.before + long.after} of its frames")
    farther, _ = made(length=50.0, distance=4.0)
    assert farther.gave_way < long.gave_way  # the farther it goes, the faster it is
    early, _ = made(length=50.0, peak=0.2)
    assert early.before < early.after and seen_mirrored(early) == 0
    for settings in ({"length": 10.0}, {"length": 50.0, "reach": "whole"}, {"length": 50.0, "shutter": 0.0}):
        assert made(**settings)[0].gave_way == 0, settings


def test_a_thrown_whip_goes_where_the_camera_was_going(tmp_path, sources):
    takes = []
    for seed, way in ((3, 5.0), (4, 0.0)):
        moving_film(
            tmp_path / f"{seed}.mp4", lambda t, way=way: shift(300 - way * t, 300), frames=40, size=SIZE, seed=seed
        )
        takes.append(take_in(tmp_path / f"{seed}.mp4"))
    project = joined(tuple(takes), "thrown whip")
    wanted = plan(project, 28, sources)
    left = wanted.layers[0].middle.matrix @ (160, 90, 1)
    assert left[0] < 140  # the camera panned to the left: so it is thrown
    arriving = plan(joined(tuple(reversed(takes)), "thrown whip"), 28, sources)  # the first one stands still
    assert (arriving.layers[0].middle.matrix @ (160, 90, 1))[0] < 140  # so it goes as the next one's camera
    turned = plan(joined(tuple(takes), "thrown whip", direction=90.0), 28, sources)
    assert (turned.layers[0].middle.matrix @ (160, 90, 1))[1] < 60  # up
    assert kind_of(project.reel.shots[0].leave).values(project.reel.shots[0].leave)["direction"] == AUTO


@pytest.mark.parametrize(("kind", "settings"), [("thrown whip", {"direction": 0.0}), ("slide", {"direction": 180.0})])
def test_a_line_through_both_sides_stays_in_one_piece(stills, sources, kind, settings):
    project = joined(stills, kind, **settings)
    for frame in range(22, 38):
        seen = picture(project, frame, SIZE, sources).astype(float).mean(axis=2)
        assert seen[88:92].min() > 200, frame  # whole, from edge to edge: nothing is torn, and nothing is empty
        assert seen[:80].min() > 5 and seen[100:].min() > 5


def test_beyond_its_edge_a_picture_goes_on_without_a_seam(stills, sources):
    project = joined(stills, "push-through", times=6.0, shutter=0.0)
    for frame in range(30, 35):  # it comes from small: most of what is seen is mirrored
        seen = picture(project, frame, SIZE, sources).astype(float).mean(axis=2)
        where = np.linalg.inv(plan(project, frame, sources).layers[0].matrix)
        edge = round(float((where @ (0.0, 90, 1))[0]))
        if not 4 <= edge < 150:
            continue
        across = np.abs(np.diff(seen[8:80], axis=1)).mean(axis=0)
        assert across[edge - 1 : edge + 1].max() < 1.6 * np.percentile(across[edge - 4 : 300], 90)


@pytest.mark.parametrize("kind", MOVING)
def test_made_blur_is_the_mean_of_its_own_path(stills, sources, kind):
    project = joined(stills, kind, direction=20.0) if kind != "slide" else joined(stills, kind, direction=0.0)
    seen = plan(project, 28, sources)
    layer = seen.layers[0]
    assert len(layer.samples) > 4 and sum(each.weight for each in layer.samples) == pytest.approx(1)
    assert layer.edge == "mirror"

    def read(of, frame):
        return sources.films.read(project.take(of.take_id), frame)

    alone = replace(seen, layers=(replace(layer, behind=None, weight=1.0),))
    made = execute(alone, read).y.astype(float)
    first, last = layer.samples[0].matrix, layer.samples[-1].matrix
    many = 256
    # The same path, as finely as it can be: between neighbours the maps go on evenly.
    at = (np.arange(many) + 0.5) / many * len(layer.samples) - 0.5
    total = np.zeros(made.shape)
    for each in at:
        k = int(np.clip(np.floor(each), 0, len(layer.samples) - 2))
        share = each - k
        matrix = (1 - share) * layer.samples[k].matrix + share * layer.samples[k + 1].matrix
        one = layer.laid(tuple((matrix / matrix[2, 2]).reshape(-1)), behind=None, weight=1.0)
        total += _light(execute(replace(seen, layers=(one,)), read).y)
    true = _coded(total / many)
    assert not np.allclose(first, last)
    assert 10 * np.log10(255**2 / ((made - true) ** 2).mean()) > 40


def _light(y: np.ndarray) -> np.ndarray:
    return np.clip((y.astype(float) - 16) / 219, 0, 1) ** 2.4


def _coded(light: np.ndarray) -> np.ndarray:
    return 16 + 219 * light ** (1 / 2.4)


def test_hold_gate_pace_and_join_are_one_map(tmp_path, sources):
    takes = []
    for seed in (5, 6):
        moving_film(
            tmp_path / f"{seed}.mp4", lambda t: shift(200 + 2 * t, 200 + np.sin(t)), frames=40, size=SIZE, seed=seed
        )
        takes.append(take_in(tmp_path / f"{seed}.mp4"))
    project = joined(tuple(takes), "roll-over")
    gate = Gate(poses=(Pose(frame=0, x=150, y=90, width=200),))
    pace = Pace(points=(PacePoint(frame=10, speed=0.5),))
    shot = project.reel.shots[0].changed(hold=Hold(how="float"), pace=pace, mirror="horizontal").with_gate(gate)
    project = project.changed(reel=project.reel.changed(shots=(shot, project.reel.shots[1])))
    cut = placed_shots(project)[0].end
    unjoined = project.changed(reel=project.reel.changed(shots=(shot.changed(leave=Join()), project.reel.shots[1])))
    frame = cut - 2
    (layer,), (plain,) = plan(project, frame, sources).layers, plan(unjoined, frame, sources).layers
    made = made_join(placed_shots(project), 0, 9 / 16, lambda _: None)
    move = made.part(frame + 0.5 - cut, leaving=True).move(frame + 0.5 - cut)
    unit = np.array([[1 / 320, 0, -159.5 / 320], [0, 1 / 320, -89.5 / 320], [0, 0, 1]])
    whole = plain.middle.matrix @ np.linalg.inv(unit) @ move @ unit
    assert np.allclose(layer.middle.matrix, whole / whole[2, 2], atol=1e-6)
    assert execute(
        replace(plan(project, frame, sources)), lambda of, k: sources.films.read(project.take(of.take_id), k)
    )


def test_an_edge_that_passes_leaves_no_gap(stills, sources):
    project = joined(stills, "slide", direction=0.0, shutter=0.0)
    for frame in range(25, 35):
        seen = plan(project, frame, sources)
        assert len(seen.layers) == 2
        shares = sum(beyond(layer.behind, SIZE) * layer.weight for layer in seen.layers)
        assert np.allclose(shares, 1, atol=1e-4)


def test_a_flash_is_light_at_the_cut_and_a_dip_its_colour(stills, sources):
    flash = joined(stills, "flash", length=6.0)
    assert picture(flash, 29, SIZE, sources).mean() > 225
    means = [picture(flash, frame, SIZE, sources).mean() for frame in range(26, 31)]
    assert means[:4] == sorted(means[:4])
    dip = picture(joined(stills, "dip", colour="#20a040"), 29, SIZE, sources).reshape(-1, 3).mean(axis=0)
    assert np.abs(dip - (0x20, 0xA0, 0x40)).max() < 12


def test_the_same_seed_breaks_the_same_way(stills, sources):
    first, same, other = (picture(joined(stills, "fracture", seed=seed), 29, SIZE, sources) for seed in (1.0, 1.0, 2.0))
    plain = picture(joined(stills, "plain cut"), 29, SIZE, sources)
    assert np.array_equal(first, same) and not np.array_equal(first, other)
    assert mean_error(first, plain) > 3
    effect = plan(joined(stills, "fracture"), 29, sources).effects[0]
    assert isinstance(effect, Broken) and 0.5 < effect.strength <= 0.7


def test_a_soft_dissolve_of_any_length_shows_both_going_on(stills, sources):
    project = joined(stills, "soft dissolve", length=20.0)
    shares = [[layer.weight for layer in plan(project, frame, sources).layers] for frame in range(20, 40)]
    arrived = [each[-1] if len(each) == 2 else float(frame >= 10) for frame, each in enumerate(shares)]
    assert arrived == sorted(arrived) and all(sum(each) == pytest.approx(1) for each in shares)
    assert arrived[9] == pytest.approx(0.45, abs=0.1)


def test_a_dissolve_is_laid_over_a_made_join(stills, sources):
    layers = plan(joined(stills, "thrown whip", dissolve=2, direction=0.0), 30, sources).layers
    assert len(layers) == 2 and {layer.edge for layer in layers} == {"mirror"}
    assert sum(layer.weight for layer in layers) == pytest.approx(1)


@pytest.mark.parametrize("kind", LONG)
def test_without_room_a_join_shortens_itself(stills, sources, kind):
    project = joined(stills, kind, frames=(3, 3))
    made = made_join(placed_shots(project), 0, 9 / 16, lambda _: None)
    assert (made.before, made.after) == ((2, 0) if kind == "doorway" else (2, 2))
    for frame in range(6):
        assert picture(project, frame, SIZE, sources).shape == (180, 320, 3)
    middle = project.reel.shots[0].changed(id="middle")
    three = project.changed(reel=project.reel.changed(shots=(project.reel.shots[0], middle, project.reel.shots[1])))
    row = placed_shots(three)
    first, second = (made_join(row, number, 9 / 16, lambda _: None) for number in (0, 1))
    assert first.after + second.before <= row[1].frames  # they do not overlap
    one = joined(stills, kind, frames=(1, 1))
    assert [picture(one, frame, SIZE, sources).shape for frame in range(2)]


def test_a_kind_that_is_not_known_is_kept_and_shown_as_a_cut(stills, sources, tmp_path):
    project = joined(stills, "paper crane", folds=7.0, colour="red")
    save(project, tmp_path / "p.clevrin")
    back = load(tmp_path / "p.clevrin")
    assert back.reel == project.reel and back.reel.shots[0].leave.given == {"folds": 7.0, "colour": "red"}
    plain = joined(stills, "plain cut")
    for frame in (29, 30):
        assert np.array_equal(picture(project, frame, SIZE, sources), picture(plain, frame, SIZE, sources))


@pytest.mark.parametrize("kind", KINDS)
def test_a_project_with_each_kind_is_saved_and_opened(stills, tmp_path, kind):
    settings = {each.id: each.default for each in KINDS[kind].settings}
    project = joined(stills, kind, **settings)
    save(project, tmp_path / "p.clevrin")
    assert load(tmp_path / "p.clevrin").reel == project.reel


def test_a_file_from_before_kinds_had_settings_is_opened(stills, tmp_path):
    project = joined(stills, "whip cut", dissolve=2)
    save(project, tmp_path / "p.clevrin")
    text = (tmp_path / "p.clevrin").read_text()
    assert '"leave": {"kind": "whip cut", "dissolve_frames": 2}' in text  # as it always was
    assert load(tmp_path / "p.clevrin").reel == project.reel


@pytest.mark.parametrize("kind", KINDS)
def test_settings_say_what_they_can_be_and_others_are_as_usual(kind):
    for each in KINDS[kind].settings:
        assert each.checked(each.default) == each.default
        for wrong in (1e9, -1e9, True, *(() if each.names else ("nonsense",))):  # whom a name names is not known here
            with pytest.raises(ClevrinError):
                each.checked(wrong)
            odd = Join(kind=kind, settings={each.id: wrong})
            assert KINDS[kind].values(odd)[each.id] == each.default


def test_pictures_are_as_large_whatever_the_shutter(stills, sources):
    none = picture(joined(stills, "thrown whip", shutter=0.0, direction=0.0), 28, SIZE, sources)
    much = picture(joined(stills, "thrown whip", shutter=360.0, direction=0.0), 28, SIZE, sources)
    fine = [np.abs(cv2.Laplacian(each.astype(np.float32), cv2.CV_32F)).mean() for each in (none, much)]
    assert fine[1] < 0.9 * fine[0]


def tinted(path, tint: tuple[float, float, float]):
    """A texture seen by a camera with another exposure and white balance."""
    light = (texture(9, 400)[: SIZE[1], : SIZE[0]].astype(float) / 255) ** 2.2 * tint
    return pictured(path, (np.clip(light, 0, 1) ** (1 / 2.2) * 255).astype(np.uint8), frames=160)


def test_the_incoming_side_is_brought_near_and_comes_back_unseen(tmp_path, sources):
    takes = tinted(tmp_path / "a.mp4", (0.6, 0.6, 0.6)), tinted(tmp_path / "b.mp4", (0.75, 0.6, 0.45))
    readers = [sources.films.reader(take) for take in takes]
    found = balance((readers[0], 29), (readers[1], 0))
    assert found.after_de < 0.5 * found.before_de and found.gains == pytest.approx((0.8, 1.0, 1.33), abs=0.03)
    for kind in ("plain cut", "soft dissolve"):
        project = joined(takes, kind)
        shots = project.reel.shots
        first = shots[0].changed(leave=found.on(shots[0].leave))
        second = shots[1].changed(span=Span(first=0, end=160))
        project = project.changed(reel=project.reel.changed(shots=(first, second)))
        cut = placed_shots(project)[0].end
        means = [_lab(picture(project, frame, SIZE, sources)) for frame in range(cut - 25, cut + found.frames + 12)]
        steps = [float(np.linalg.norm(b - a)) for a, b in pairwise(means)]
        assert max(steps[:24] + steps[26:]) < 1.0, kind  # nothing is seen to change
        if kind == "plain cut":
            assert steps[24] < 0.5 * found.before_de
            own = joined(takes, kind)
            own = own.changed(reel=own.reel.changed(shots=(shots[0], second)))
            after = cut + found.frames
            assert np.array_equal(picture(project, after, SIZE, sources), picture(own, after, SIZE, sources))


def test_sides_that_agree_are_left_alone(tmp_path, sources):
    take = tinted(tmp_path / "a.mp4", (0.6, 0.6, 0.6))
    found = balance((sources.films.reader(take), 3), (sources.films.reader(take), 3))
    assert found.gains == pytest.approx((1, 1, 1), abs=1e-6) and found.after_de <= found.before_de < 0.2


def _lab(rgb: np.ndarray) -> np.ndarray:
    mean = rgb.reshape(-1, 3).mean(axis=0).astype(np.float32)[None, None] / 255
    return cv2.cvtColor(mean, cv2.COLOR_RGB2LAB)[0, 0]


@pytest.mark.parametrize("kind", LONG)
def test_every_kind_can_be_shaken_by_a_rig_while_it_lasts(kind):
    plain, hand = (
        KINDS[kind].made(Join(kind=kind, settings={"length": 20.0, "shaken_by": rig, "shaken": 3.0}), sides())
        for rig in ("nothing", "running")
    )
    middle = np.array([[0.0, 0.0]])

    def off(made, at: float, *, leaving: bool) -> np.ndarray:
        """By how much the middle of the screen is shaken."""
        still, moved = (each.part(at, leaving=leaving).move for each in (plain, made))
        lies = np.eye(3) if still is None else still(at)
        return middle[0] if moved is None else apply(np.linalg.inv(lies) @ moved(at), middle)[0]

    for leaving, first, last in ((True, -plain.before, -0.01), (False, 0.01, plain.after)):
        if not (plain.before if leaving else plain.after):
            continue
        far = [np.hypot(*off(hand, at, leaving=leaving)) for at in np.linspace(first, last, 41)]
        assert max(far) > 0.01 and (far[0] if leaving else far[-1]) < 1e-6
    assert np.allclose(*(off(hand, at, leaving=at < 0) for at in (-1e-4, 1e-4)), atol=1e-4)  # both sides alike
    again = KINDS[kind].made(shaken := Join(kind=kind, settings=dict(hand.values)), sides())
    other = KINDS[kind].made(shaken.having(seed=9.0), sides())
    at = 3.3 if plain.after else -3.3
    here, alike, there = (off(each, at, leaving=at < 0) for each in (hand, again, other))
    assert np.allclose(here, alike) and not np.allclose(here, there)
