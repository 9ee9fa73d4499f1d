"""An area stays sharp while all about it is blurred: by a shutter, by a thrown whip, and without a trail."""

from dataclasses import replace

import numpy as np
import pytest

from clevrin.core.document import Area, AreaPart, Drawn, Join, Outline, Pace, Project, Reel, Shot, Span
from clevrin.core.document.files import load, save
from clevrin.core.document.pacing import Sharp, Shutter
from clevrin.core.matte.matte import Matte, MattePart, Painted
from clevrin.core.media.picture import picture_from_rgb, rgb_from_picture
from clevrin.core.media.taking_in import take_in
from clevrin.core.progress import Silent
from clevrin.core.render.picture import plan_at, planes
from clevrin.core.render.pixels.executor import execute
from clevrin.core.render.plan import Layer, Plan, Sample, row9
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import complete
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from tests.core.test_join_kinds import pictured
from tests.films import moving_film, shift, texture

SIZE = (320, 180)
BOX = ((140.0, 60.0), (180.0, 60.0), (180.0, 120.0), (140.0, 120.0))
INSIDE = np.s_[66:114, 146:174]


def area(along: str = "nothing") -> Area:
    drawn = Drawn(shape="box", outlines=(Outline(frame=0, places=BOX),), along=along)
    return Area(id="kept", name="kept", parts=(AreaPart(of=drawn),))


@pytest.fixture
def sources(tmp_path):
    with Sources.of(Shelf(tmp_path / "shelf")) as made:
        yield made


def rgb_at(project: Project, frame: int, sources: Sources) -> np.ndarray:
    for shot in project.reel.shots:
        complete(HoldRequest.of(project, shot), sources.measured, Silent())
    return rgb_from_picture(planes(project, frame, SIZE, sources)).astype(float)


def test_what_stays_sharp_is_as_shot_and_leaves_no_trail():
    rgb = np.full((180, 320, 3), (40, 70, 160), np.uint8)
    rgb[60:121, 140:181] = (220, 60, 40)
    picture = picture_from_rgb(rgb)
    samples = tuple(
        Sample(frame=0, src_from_out=row9(shift(float(x), 0.0)), weight=1 / 17) for x in np.linspace(-24, 24, 17)
    )
    layer = Layer(take_id="t", path="t", source_size=SIZE, samples=samples)
    matte = Matte(
        parts=(
            MattePart(of=Painted(shape="box", places=((139.5, 59.5), (180.5, 59.5), (180.5, 120.5), (139.5, 120.5)))),
        )
    )
    kept, blurred = (
        rgb_from_picture(execute(Plan(width=320, height=180, layers=(each,)), lambda *_: picture)).astype(float)
        for each in (replace(layer, spared=matte), layer)
    )
    assert np.abs(kept[INSIDE] - rgb[INSIDE]).max() < 4
    beside = np.s_[70:110, 190:200]
    assert blurred[beside][..., 0].mean() > 70  # its trail, where nothing is kept
    assert np.abs(kept[beside] - rgb[beside]).max() < 6
    assert np.abs(kept - rgb).max(axis=2)[:, [100, 250]].max() < 6


def test_a_shutter_on_the_reel_spares_the_area_of_its_take(tmp_path, sources):
    moving_film(tmp_path / "pan.mp4", lambda t: shift(300 + 6.0 * t, 400), frames=24, size=SIZE, seed=4)
    take = take_in(tmp_path / "pan.mp4").changed(areas=(area(),))
    pace = Pace(shutter=Shutter(angle_deg=720, sharp=Sharp(area="kept")))
    shot = Shot(take_id=take.id, span=Span(first=0, end=24), pace=pace)
    project = Project(takes=(take,), reel=Reel(width=SIZE[0], height=SIZE[1], shots=(shot,)))
    plain = shot.changed(pace=Pace())
    kept = rgb_at(project, 12, sources)
    as_shot = rgb_at(project.changed(reel=project.reel.changed(shots=(plain,))), 12, sources)
    inside, outside = (np.abs(kept[at] - as_shot[at]).mean() for at in (INSIDE, np.s_[20:160, 20:110]))
    assert inside < 1 and outside > 3
    save(project, tmp_path / "p.clevrin")
    opened = load(tmp_path / "p.clevrin")
    assert opened == project and np.array_equal(rgb_at(opened, 12, sources), kept)
    gone = project.changed(takes=(take.changed(areas=()),))
    assert np.abs(rgb_at(gone, 12, sources)[INSIDE] - as_shot[INSIDE]).mean() > 3  # without its area all is blurred


def test_a_thrown_whip_blurs_about_the_area(tmp_path, sources):
    takes = []
    for seed in (1, 2):
        rgb = texture(seed, 400)[: SIZE[1], : SIZE[0]].copy()
        takes.append(pictured(tmp_path / f"{seed}.mp4", rgb))
    owner = takes[0].changed(areas=(area(),))
    leave = Join(kind="thrown whip", settings={"length": 12.0, "angle": 0.0})
    shots = tuple(
        Shot(
            take_id=owner.id,
            span=Span(first=0, end=30),
            leave=leave,
            pace=Pace() if sharp is None else Pace(shutter=Shutter(sharp=sharp)),
        )
        for sharp in (None, Sharp(area="kept"))
    )
    plans = []
    for shot in shots:
        after = Shot(take_id=takes[1].id, span=Span(first=0, end=30))
        project = Project(takes=(owner, takes[1]), reel=Reel(width=SIZE[0], height=SIZE[1], shots=(shot, after)))
        for each in project.reel.shots:
            complete(HoldRequest.of(project, each), sources.measured, Silent())
        plans.append(plan_at(project, 26, SIZE, sources.measured).layers[0])
    without, kept = plans
    assert without.spared is None and isinstance(kept.spared, Matte)
    assert kept.samples == without.samples and len(kept.samples) > 4
    picture = sources.films.reader(owner).read(26)
    blurred, sharp = (
        execute(Plan(width=SIZE[0], height=SIZE[1], layers=(each,)), lambda *_: picture).y.astype(float)
        for each in plans
    )
    middle = kept.middle.matrix
    x, y = (np.linalg.inv(middle) @ [160, 90, 1])[:2].round().astype(int)
    about = np.s_[max(0, y - 15) : y + 15, max(0, x - 8) : x + 8]
    assert np.abs(np.diff(sharp[about], axis=1)).mean() > 1.5 * np.abs(np.diff(blurred[about], axis=1)).mean()


def test_it_is_an_area_or_about_a_track():
    for words in ({}, {"area": "a", "track": "b"}):
        with pytest.raises(ValueError, match="area, or about a track"):
            Sharp(**words)
