"""Areas that another film shows: as they were written, found again with the project, and told where they cannot be."""

from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from clevrin.core.document import Area, AreaPart, Filmed, Project
from clevrin.core.document.files import load, save
from clevrin.core.document.packing import pack
from clevrin.core.errors import MediaError
from clevrin.core.matte import coverage, matte_at
from clevrin.core.matte.film_areas import read_filmed
from clevrin.core.media.grey_writing import GreyWriter
from clevrin.core.media.probe import fingerprint
from clevrin.core.media.taking_in import take_in
from clevrin.core.progress import Silent
from clevrin.core.render.measured.measurement_needs import CutNeed
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.core.shelf import Shelf
from tests.films import numbered_film

SIZE = (192, 108)


def grey(frame: int) -> np.ndarray:
    """A ramp that comes in from the left."""
    x = np.arange(SIZE[0], dtype=np.float32)[None] / SIZE[0]
    return np.broadcast_to(np.clip(x * 2 - frame / 10, 0, 1), SIZE[::-1]).astype(np.float32)


@pytest.fixture
def filmed(tmp_path: Path) -> Filmed:
    path = tmp_path / "area.mkv"
    with GreyWriter(path, rate=Fraction(25), size=SIZE) as writer:
        for frame in range(6):
            writer.write(grey(frame))
    return Filmed(name=path.name, path=str(path), fingerprint=fingerprint(path))


def test_a_film_of_grey_is_the_area_that_it_was_written_of(filmed):
    found = read_filmed(filmed, 8, SIZE, Silent())
    area = Area(name="ramp", parts=(AreaPart(of=filmed),))
    for frame in (0, 5):
        cover = coverage(matte_at(area, frame, cuts={filmed: found.covers}), SIZE, SIZE)
        assert np.abs(cover - grey(frame)).max() < 1.2 / 255
    assert not coverage(matte_at(area, 7, cuts={filmed: found.covers}), SIZE, SIZE).any()  # it has ended
    half = read_filmed(filmed, 1, (96, 54), Silent())
    cover = coverage(matte_at(area, 0, cuts={filmed: half.covers}), (96, 54), (96, 54))
    assert cover.mean() == pytest.approx(grey(0).mean(), abs=0.01)


def test_a_film_of_another_shape_or_another_one_is_told(filmed):
    with pytest.raises(MediaError, match="192x108: the take's are 100x100"):
        read_filmed(filmed, 2, (100, 100), Silent())
    Path(filmed.path).write_bytes(Path(filmed.path).read_bytes() + b"more")
    with pytest.raises(MediaError, match="no longer the film"):
        read_filmed(filmed, 2, SIZE, Silent())
    Path(filmed.path).unlink()
    with pytest.raises(MediaError, match="is not there"):
        read_filmed(filmed, 2, SIZE, Silent())


def test_a_film_of_an_area_goes_along_with_its_project(filmed, tmp_path):
    numbered_film(tmp_path / "take.mp4", frames=6, size=SIZE)
    take = take_in(tmp_path / "take.mp4").changed(areas=(Area(name="ramp", parts=(AreaPart(of=filmed),)),))
    project = Project(takes=(take,))
    save(project, tmp_path / "kite.clevrin")
    assert '"area.mkv"' in (tmp_path / "kite.clevrin").read_text()
    assert load(tmp_path / "kite.clevrin") == project and Path(filmed.path) in project.media
    packed = load(pack(project, tmp_path / "away", Silent()))
    (there,) = packed.takes[0].areas[0].filmed
    assert Path(there.path).parent == tmp_path / "away" / "media"
    store = MeasurementStore(Shelf(tmp_path / "shelf"))
    need = CutNeed(take=packed.takes[0], cut=there)
    assert store.cut_out(need) is None
    assert len(store.cut(need, Silent()).covers) == 6 and store.cut_out(need) is not None
