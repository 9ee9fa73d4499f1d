"""Project files of all versions, and files that were damaged in any way."""

import json
import shutil
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from clevrin.core.document import Hold, Join, Marker, NamedSpan, Project, Span
from clevrin.core.document.earlier_versions import keep_copy, last_good_copy
from clevrin.core.document.files import load, save
from clevrin.core.document.model import SCHEMA_VERSION
from clevrin.core.errors import DocumentError
from tests.core.test_document import three_shots

SAMPLES = Path(__file__).parent.parent / "samples"


def sample(version: int) -> Project:
    return load(SAMPLES / f"version-{version}.clevrin")


def test_there_is_a_sample_of_every_version():
    assert len(list(SAMPLES.glob("*.clevrin"))) == SCHEMA_VERSION


@pytest.mark.parametrize("version", range(1, SCHEMA_VERSION + 1))
def test_every_version_is_read_and_written_as_the_newest(version, tmp_path):
    project = sample(version)
    walk, hill = project.takes
    assert walk.facts.rate == Fraction(30000, 1001) and hill.facts.variable and hill.facts.rotation == 90
    assert walk.path == str(SAMPLES / "media" / "walk-past.mp4")
    first, second = project.reel.shots
    assert first.hold == Hold(how="float", settle_s=2.2, keep=0.8, axes=("pan", "tilt"), edge="mirror", crispness=0.25)
    assert first.leave == Join(kind="whip cut", dissolve_frames=3) and second.mirror == "horizontal" and second.reverse
    assert (project.reel.width, project.reel.height, project.reel.rate) == (1080, 1920, 25)
    save(project, tmp_path / "p.clevrin")
    data = json.loads((tmp_path / "p.clevrin").read_text())
    assert data["schema_version"] == SCHEMA_VERSION and data["weather"] == "windy"
    assert load(tmp_path / "p.clevrin") == project


def test_the_one_span_of_version_1_is_the_first_of_several():
    walk, hill = sample(1).takes
    assert [(s.name, s.span) for s in walk.spans] == [("1", Span(first=12, end=140))] and hill.spans == ()


def test_version_2_keeps_spans_notes_marks_and_markers():
    project = sample(2)
    walk, hill = project.takes
    assert walk.spans[1] == NamedSpan(id="span00000002", name="the good one", span=Span(first=62, end=140))
    assert walk.worth == "keep" and walk.note.endswith("second half.") and hill.conform == "every frame"
    assert project.reel.markers[1] == Marker(id="mark00000002", frame=50, kind="beat")


def test_reading_a_file_of_an_earlier_version_leaves_it_as_it_is(tmp_path):
    path = tmp_path / "old.clevrin"
    shutil.copy(SAMPLES / "version-1.clevrin", path)
    before = path.read_bytes()
    load(path)
    assert path.read_bytes() == before


DAMAGE = dict(suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)


def _survives(path: Path, data: bytes, whole: Project) -> None:
    """What is read is what was saved, or a sentence; the file is never touched."""
    path.write_bytes(data)
    try:
        read = load(path)
        # A damaged name of the checksum makes it a field that nobody knows; all that is known is as it was.
        extra = {name: None for name in read.model_extra or {} if name not in (whole.model_extra or {})}
        assert {k: v for k, v in dict(read).items() if k not in extra} == dict(whole)
    except DocumentError as error:
        assert "\n" not in str(error) and len(str(error)) < 500
    assert path.read_bytes() == data


@settings(max_examples=150, **DAMAGE)
@given(st.integers(0, 100_000), st.integers(1, 400), st.binary(max_size=8))
def test_a_byte_range_that_is_missing_or_replaced_is_noticed(tmp_path, at, length, instead):
    path = tmp_path / "p.clevrin"
    whole = sample(2)
    save(whole, path)
    data = path.read_bytes()
    at %= len(data)
    _survives(path, data[:at] + instead + data[at + length :], whole.changed(takes=load(path).takes))


@settings(max_examples=200, **DAMAGE)
@given(st.integers(0, 100_000), st.integers(1, 255))
def test_a_byte_that_is_flipped_is_noticed(tmp_path, at, flip):
    path = tmp_path / "p.clevrin"
    save(three_shots(), path)
    whole = load(path)
    data = bytearray(path.read_bytes())
    data[at % len(data)] ^= flip
    _survives(path, bytes(data), whole)


@pytest.mark.parametrize(
    "change",
    [
        {"takes": {"t1": 3}},
        {"takes": [None, 7, "x"]},
        {"reel": []},
        {"reel": {"shots": [{"take_id": "nobody", "span": {"first": 0, "end": 4}}]}},
        {"reel": {"rate": "1e999999999"}},
        {"reel": {"rate": "1/0"}},
        {"reel": {"width": 10**400}},
        {"reel": {"markers": [{"id": "a", "frame": 1e308}, {"id": "a", "frame": 3}]}},
        {"id": ["a list", {"with": "a dict"}]},
        {"name": "x" * 100_000},
        {"schema_version": True},
        {"schema_version": -1},
        {"schema_version": 2.5},
        {"schema_version": 10**30},
    ],
)
def test_wrong_types_and_absurd_numbers_get_a_sentence(tmp_path, change):
    path = tmp_path / "p.clevrin"
    path.write_text(json.dumps({"schema_version": 2, **change}))
    before = path.read_bytes()
    with pytest.raises(DocumentError) as caught:
        load(path)
    assert "\n" not in str(caught.value) and len(str(caught.value)) < 500
    assert path.read_bytes() == before


def test_a_hundred_megabytes_of_nonsense_are_not_even_read(tmp_path):
    path = tmp_path / "p.clevrin"
    with path.open("wb") as file:
        file.truncate(100_000_000)
    with pytest.raises(DocumentError, match="too large"):
        load(path)


def test_the_last_good_copy_is_the_newest_one_that_can_be_read(tmp_path):
    path = tmp_path / "day.clevrin"
    for name in ("one", "two", "three"):
        if path.exists():
            keep_copy(path)
        save(three_shots().changed(name=name), path)
    assert last_good_copy(path)[1].name == "two"
    (tmp_path / "day.earlier-1.clevrin").write_text("{")
    assert last_good_copy(path)[1].name == "one"
    path.write_text("damaged")
    keep_copy(path)  # what cannot be read pushes nothing out
    assert last_good_copy(path)[1].name == "one"


def test_takes_of_a_copy_are_where_those_of_the_file_are(tmp_path):
    path = tmp_path / "day.clevrin"
    project = three_shots()
    project = project.changed(takes=tuple(t.changed(path=str(tmp_path / f"{t.id}.mp4")) for t in project.takes))
    save(project, path)
    keep_copy(path)
    assert last_good_copy(path)[1] == project
