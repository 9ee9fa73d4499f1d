"""Areas that do not count when a take's motion is measured: drawn, of colours, cut out, filmed, of other areas."""

from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest

from clevrin.core.document import (
    Area,
    AreaPart,
    Around,
    Coloured,
    CutOut,
    Drawn,
    Filmed,
    Other,
    Outline,
    Pick,
    Project,
    Take,
)
from clevrin.core.document.edits import AddTakes, PutArea
from clevrin.core.document.files import load, save
from clevrin.core.document.history import History
from clevrin.core.matte.colours import colour_at
from clevrin.core.media.grey_writing import GreyWriter
from clevrin.core.media.picture import picture_from_rgb
from clevrin.core.media.probe import fingerprint
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.taking_in import take_in
from clevrin.core.media.writing import FilmWriter
from clevrin.core.progress import Silent
from clevrin.core.render.measured.measurement_needs import CutNeed, RegistrationNeed
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.core.shelf import Shelf
from tests.films import texture

FRAMES, SIZE = 14, (480, 270)
CAMERA, KITE = np.array([2.0, 1.0]), np.array([-3.0, 0.0])
"""Pixels a frame: of the meadow behind, and of a red kite that fills most of the picture."""
LEFT, TOP, WIDE, HIGH = 130.0, -5.0, 330, 280


@pytest.fixture(scope="module")
def film(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("kite") / "kite.mp4"
    meadow, cloth = texture(5, 700), texture(6, 400).copy()
    meadow = meadow // 2 + np.array([20, 90, 20], np.uint8)
    cloth[..., 1:] //= 5
    cloth[..., 0] = 150 + cloth[..., 0] // 3
    with FilmWriter(path, rate=Fraction(25), size=SIZE, quality=12) as writer:
        for k in range(FRAMES):
            shift = np.array([[1, 0, -150 + CAMERA[0] * k], [0, 1, -150 + CAMERA[1] * k]])
            rgb = cv2.warpAffine(meadow, shift, SIZE)
            x, y = np.array([LEFT, TOP]) + KITE * k
            kite = cv2.warpAffine(cloth, np.array([[1, 0, x], [0, 1, y]]), SIZE)
            inside = np.zeros(SIZE[::-1], bool)
            inside[:, max(0, round(x)) : round(x) + WIDE] = True
            rgb[inside] = kite[inside]
            writer.write(picture_from_rgb(rgb))
    return path


def about(frame: int) -> np.ndarray:
    x, y = np.array([LEFT, TOP]) + KITE * frame
    return np.array([[x, y], [x + WIDE, y], [x + WIDE, y + HIGH], [x, y + HIGH]])


def drawn(_: Path) -> Drawn:
    outlines = tuple(Outline(frame=k, places=tuple(map(tuple, about(k).tolist()))) for k in (0, FRAMES - 1))
    return Drawn(shape="box", outlines=outlines, along="nothing")


def coloured(film: Path) -> Coloured:
    with FilmReader(film) as reader:
        picks = tuple(Pick(frame=0, place=at, lab=colour_at(reader.read(0), at)) for at in ((200, 100), (330, 200)))
    return Coloured(picks=picks, tolerance=45, holes_px=20)


def cut(_: Path) -> CutOut:
    return CutOut(around=(Around(frame=0, box=(LEFT - 4, 0, LEFT + WIDE + 4, SIZE[1] - 1)),))


def shown(film: Path) -> Filmed:
    path = film.with_name("area.mkv")
    with GreyWriter(path, rate=Fraction(25), size=SIZE) as writer:
        for k in range(FRAMES):
            grey = np.zeros(SIZE[::-1], np.float32)
            (x, _), (right, _) = about(k)[:2]
            grey[:, max(0, round(x)) : round(right)] = 1
            writer.write(grey)
    return Filmed(name=path.name, path=str(path), fingerprint=fingerprint(path))


def off_px(trace) -> float:
    """By how much the measured motion misses the camera's, RMS."""
    return float(np.sqrt(((trace.displacement_px[1:] - CAMERA) ** 2).sum(axis=1).mean()))


def take_of(film: Path, *areas: Area) -> Take:
    return take_in(film).changed(areas=areas)


def test_without_an_area_the_larger_thing_is_followed(film, tmp_path):
    trace = MeasurementStore(Shelf(tmp_path)).measure(take_of(film), Silent())
    assert off_px(trace) > 3


@pytest.mark.parametrize("part", [drawn, coloured, cut, shown])
def test_what_any_area_holds_does_not_count(film, tmp_path, part):
    area = Area(id="kite", name="kite", parts=(AreaPart(of=part(film)),), left_out=True)
    take, store = take_of(film, area), MeasurementStore(Shelf(tmp_path))
    trace = store.measure(take, Silent())
    assert off_px(trace) < 0.15
    again = MeasurementStore(Shelf(tmp_path)).trace(take)
    assert again is not None and np.array_equal(again.motions, trace.motions)


def test_an_area_of_areas_counts_as_all_of_them_do(film, tmp_path):
    """What it is made of need not be left out itself, and what of that is changed is measured anew."""
    box = Area(id="box", name="box", parts=(AreaPart(of=drawn(film)),))
    whole = Area(id="all", name="all", parts=(AreaPart(of=Other(area_id="box")),), left_out=True)
    take, store = take_of(film, box, whole), MeasurementStore(Shelf(tmp_path))
    assert off_px(store.measure(take, Silent())) < 0.15
    smaller = take.changed(areas=(box.changed(grow_px=-40), whole))
    assert smaller.measured_as != take.measured_as and store.trace(smaller) is None
    renamed = take.changed(areas=(box.changed(name="kite"), whole))
    assert renamed.measured_as == take.measured_as


def test_what_is_cut_out_and_left_out_is_cut_out_once(film, tmp_path):
    area = Area(id="kite", name="kite", parts=(AreaPart(of=cut(film)),))
    counts, apart = take_of(film, area), take_of(film, area.changed(left_out=True))
    store = MeasurementStore(Shelf(tmp_path))
    found = store.cut(CutNeed(take=counts, cut=area.cut_outs[0]), Silent())
    assert store.cut_out(CutNeed(take=apart, cut=area.cut_outs[0])) is found


def test_a_lock_off_stands_on_what_counts(film, tmp_path):
    area = Area(id="kite", name="kite", parts=(AreaPart(of=drawn(film)),), left_out=True)
    take, store = take_of(film, area), MeasurementStore(Shelf(tmp_path))
    found = store.register(RegistrationNeed(take=take, span=take.whole, reference=0), Silent())
    moved = found.motions[:, :2, 2] / found.motions[:, 2:, 2]
    assert np.abs(moved - CAMERA * np.arange(FRAMES)[:, None]).max() < 0.4


def test_it_is_undone_and_saved_with_the_project(film, tmp_path):
    history = History(Project())
    take = take_in(film)
    history.do(AddTakes(takes=(take,)))
    area = Area(id="kite", name="kite", parts=(AreaPart(of=drawn(film)),))
    history.do(PutArea(take_id=take.id, area=area))
    before = history.project
    history.do(PutArea(take_id=take.id, area=area.changed(left_out=True)))
    path = tmp_path / "day.clevrin"
    save(history.project, path)
    (loaded,) = load(path).takes
    assert loaded.areas_left_out == (area.changed(left_out=True),)
    history.undo()
    assert history.project == before and not history.project.takes[0].areas_left_out
