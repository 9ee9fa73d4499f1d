"""A reel handed on in a folder, and reported on a page: what is in them is what the reel is."""

import csv
import re
from dataclasses import replace
from fractions import Fraction

import av
import cv2
import numpy as np
import opentimelineio as otio
import pytest

from clevrin.core.delivery.handing_on import HandOnRequest, check_handed_on, hand_on
from clevrin.core.delivery.report import write_report
from clevrin.core.document import Area, AreaPart, Drawn, Marker, Outline, Project, Reel, Shot, Span
from clevrin.core.errors import MediaError
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.taking_in import take_in
from clevrin.core.progress import Silent
from clevrin.core.render.reports.quality_checks import look_over
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from tests.films import moving_film, numbered_film, read_number, shift

RATE = Fraction(25)


@pytest.fixture(scope="module")
def project(tmp_path_factory):
    """A numbered take, mirrored on the reel, and one whose camera pans, faster than it was shot."""
    folder = tmp_path_factory.mktemp("day")
    numbered_film(folder / "kite day.mp4", frames=40, size=(192, 108), rate=RATE, sound=True)
    moving_film(folder / "pan.mp4", lambda t: shift(300 + 6.0 * t, 400), frames=50, size=(192, 108), rate=RATE)
    places = ((20.0, 20.0), (80.0, 20.0), (80.0, 60.0), (20.0, 60.0))
    box = Drawn(shape="box", outlines=(Outline(frame=0, places=places),), along="nothing")
    takes = (
        take_in(folder / "kite day.mp4").changed(areas=(Area(id="box", name="box", parts=(AreaPart(of=box),)),)),
        take_in(folder / "pan.mp4"),
    )
    shots = (
        Shot(id="a", take_id=takes[0].id, span=Span(first=10, end=30), mirror="horizontal"),
        Shot(id="b", take_id=takes[1].id, span=Span(first=5, end=45)),
    )
    markers = (Marker(frame=30, name="the turn"), Marker(frame=4, kind="beat"))
    reel = Reel(width=192, height=108, rate=RATE, shots=shots, markers=markers)
    return Project(name="Kite day", takes=takes, reel=reel)


@pytest.fixture
def sources(tmp_path):
    with Sources.of(Shelf(tmp_path / "shelf")) as made:
        yield made


def test_everything_is_in_the_folder_and_its_checksums_say_so(project, sources, tmp_path):
    folder = tmp_path / "handed"
    request = HandOnRequest(project=project, folder=folder, shots=True, handles=4, kind="ffv1", motion=True, areas=True)
    hand_on(replace(request, stills=True), sources, Silent())
    found = {each.relative_to(folder).as_posix() for each in folder.rglob("*") if each.is_file()}
    assert {"reel.otio", "not-carried.txt", "markers.csv", "verdicts.srt", "sha256sums.txt"} <= found
    assert {"shots/001-kite-day.mkv", "shots/002-pan.mkv", "areas/001-kite-day-box.mkv"} <= found
    assert {each for each in found if each.startswith("stills/")} == {"stills/001-kite-day.png", "stills/002-pan.png"}
    still = cv2.imread(str(folder / "stills/001-kite-day.png"), cv2.IMREAD_UNCHANGED)
    assert still.dtype == np.uint16 and still.shape[:2] == (project.reel.height, project.reel.width)
    assert check_handed_on(folder) == ()
    (folder / "markers.csv").write_text("other")
    (folder / "reel.otio").unlink()
    assert check_handed_on(folder) == ("markers.csv", "reel.otio")
    with pytest.raises(MediaError, match="is there already"):
        hand_on(request, sources, Silent())


def test_takes_and_areas_of_one_name_and_of_any_letters_have_files_of_their_own(project, sources, tmp_path):
    odd = "=kite\nday/<b>"
    takes = tuple(
        take.changed(name=odd, areas=tuple(area.changed(id=f"{k}{n}", name="x" * 200) for n in (1, 2)))
        for k, take in enumerate(project.takes)
        for area in project.takes[0].areas
    )
    marker = Marker(frame=3, name="=cmd()")
    named = project.changed(takes=takes, reel=project.reel.changed(markers=(marker,)))
    folder = tmp_path / "handed"
    hand_on(HandOnRequest(project=named, folder=folder, motion=True, areas=True), sources, Silent())
    plain = "-kite-day--b-"
    assert sorted(each.name for each in (folder / "motion").iterdir()) == [f"00{k}-{plain}.csv" for k in (1, 2)]
    assert sorted(each.name for each in (folder / "areas").iterdir()) == [
        f"00{k}-{plain}-{'x' * 25}.mkv" for k in (1, 2, 3, 4)
    ]
    assert next(csv.DictReader((folder / "markers.csv").read_text().splitlines()))["name"] == "'=cmd()"
    captions = (folder / "verdicts.srt").read_text().splitlines()
    assert [line for line in captions if "kite" in line and "=kite day/\u2039b\u203a: " not in line] == []
    camera = (folder / "cameras" / f"001-{plain}.txt").read_text().splitlines()
    assert camera[1] == "# take =kite day/<b>" and camera[2].startswith("# source ")


def test_shots_have_their_handles_as_far_as_the_takes_go(project, sources, tmp_path):
    for held, mirrored in ((True, True), (False, False)):
        folder = tmp_path / f"shots {held}"
        request = HandOnRequest(project=project, folder=folder, shots=True, handles=12, held=held, kind="ffv1")
        hand_on(request, sources, Silent())
        with FilmReader(folder / "shots" / "001-kite-day.mkv") as film:
            assert film.frames == 40  # 10 to 29, and twelve, or ten that there are, at either end
            y = film.read(0).y
            assert read_number(y[:, ::-1] if mirrored else y) == 0
            assert film.index.rate == RATE
        with av.open(str(folder / "shots" / "001-kite-day.mkv")) as film:
            assert film.streams.audio


def test_a_camera_table_leads_from_the_reel_to_the_take(project, sources, tmp_path):
    folder = tmp_path / "motion"
    hand_on(HandOnRequest(project=project, folder=folder, motion=True), sources, Silent())
    lines = (folder / "cameras" / "001-kite-day.txt").read_text().splitlines()
    rows = np.array([[float(each) for each in line.split()] for line in lines if not line.startswith("#")])
    assert lines[0] == "# clevrin-camera 1" and rows.shape == (20, 11)
    assert rows[:, 0].tolist() == list(range(20)) and rows[:, 1] == pytest.approx(np.arange(10, 30))
    way = rows[7, 2:].reshape(3, 3)
    assert way @ (0, 50, 1) == pytest.approx((191, 50, 1), abs=1e-6)  # it is mirrored
    (table,) = (folder / "motion").glob("002-pan.csv")
    rows = list(csv.DictReader(line for line in table.read_text().splitlines() if not line.startswith("#")))
    assert len(rows) == 50 and float(rows[20]["dx_px"]) == pytest.approx(-6, abs=0.3)


def test_the_timeline_the_markers_and_the_captions_are_read_by_others(project, sources, tmp_path):
    folder = tmp_path / "texts"
    hand_on(HandOnRequest(project=project, folder=folder), sources, Silent())
    timeline = otio.adapters.read_from_file(str(folder / "reel.otio"))
    assert [clip.name for clip in timeline.find_clips()] == ["kite day", "pan"]
    rows = list(csv.DictReader((folder / "markers.csv").read_text().splitlines()))
    assert [(row["frame"], row["kind"], row["name"]) for row in rows][-1] == ("30", "marker", "the turn")
    assert float(rows[0]["time_s"]) == pytest.approx(4 / 25)
    captions = (folder / "verdicts.srt").read_text()
    assert "00:00:00,000 --> 00:00:00,800" in captions and "pan: " in captions


def test_what_fails_leaves_no_folder(project, sources, tmp_path):
    gone = project.changed(takes=(project.takes[0].changed(path=str(tmp_path / "gone.mp4")), project.takes[1]))
    with pytest.raises(MediaError):
        hand_on(HandOnRequest(project=gone, folder=tmp_path / "handed", shots=True), sources, Silent())
    assert [each.name for each in tmp_path.iterdir()] in ([], ["shelf"])


def test_the_report_shows_every_shot_every_join_and_every_mark(project, sources, tmp_path):
    path = tmp_path / "report.html"
    fast = project.reel.shots[1].changed(span=Span(first=20, end=45))
    paced = project.changed(reel=project.reel.changed(rate=Fraction(5), shots=(project.reel.shots[0], fast)))
    found = write_report(paced, path, sources, Silent())
    page = path.read_text()
    assert found == look_over(paced, sources, Silent()).marks and found
    assert all(each.sentence.split(":")[0] in page for each in found)
    assert page.count("<svg") == 2 and page.count("data:image/jpeg;base64,") == 2 + 2
    assert "kite day to pan" in page and "LUFS" in page and "http" not in re.sub(r'src="data:[^"]*"', "", page)
    assert "<script" not in page
    with pytest.raises(MediaError, match="The reel is empty"):
        write_report(project.changed(reel=Reel()), path, sources, Silent())
