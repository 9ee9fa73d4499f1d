"""Timelines and take lists: what is written here comes back the same, of others what is left out is listed."""

import json
from fractions import Fraction

import opentimelineio as otio
import pytest
from hypothesis import given
from hypothesis import strategies as st

from clevrin.core.document import Hold, Join, Loan, Marker, Motion, Music, NamedSpan, Output, Over, Project, Span, edits
from clevrin.core.document.pinned import Pinned, Words
from clevrin.core.errors import DocumentError
from clevrin.core.exchange.take_list import take_list_csv, with_take_list
from clevrin.core.exchange.timeline_reading import read_timeline
from clevrin.core.exchange.timeline_writing import not_carried, timeline_text
from tests.core.test_document import EDITS, facts, shot, take, three_shots
from tests.films import numbered_film


def rich_project() -> Project:
    """Something of everything that a reel can have."""
    walk = take("walk").changed(
        facts=facts(147, rate=Fraction(30000, 1001)),
        spans=(NamedSpan(id="a", name="first try", span=Span(first=3, end=20)),),
        note="Wind, from frame 12.",
        worth="keep",
    )
    hill = take("hill").changed(facts=facts(300, rate=Fraction(60)), conform="every frame")
    spare = take("spare").changed(worth="drop")
    project = Project(id="kite", name="Kite day", takes=(spare, walk, hill))
    shots = (
        shot("s1", "walk", 10, 138, hold=Hold(how="float", keep=0.8), leave=Join(kind="whip cut", dissolve_frames=3)),
        shot("s2", "hill", 9, 250, mirror="horizontal", reverse=True, leave=Join(kind="whip cut")),
        shot("s3", "walk", 0, 40),
    )
    markers = (Marker(id="m1", frame=12, name="kites go up"), Marker(id="m2", frame=80, kind="beat"))
    reel = project.reel.changed(rate=Fraction(25), width=1080, height=1920, shots=shots, markers=markers)
    nod = Motion(id="nod", name="nod", rate=Fraction(25), course=((0.0, 0.0, 0.0, 0.0), (0.01, 0.02, 0.5, 0.0)))
    over = Over(id="o", first=4, frames=30, loan=Loan(lender="motion", lender_id="nod"))
    return project.changed(
        reel=reel.changed(over=(over,)),
        motions=(nod,),
        outputs=(Output(id="upright", name="upright", width=540, height=960),),
        music=Music(name="wind", path="/music/wind.ogg", fingerprint="f", seconds=10.0, start_s=0.5),
    )


def test_what_other_programmes_do_not_show_is_said():
    said = not_carried(rich_project())
    assert "Motion over the reel" in said[0] and all(each.endswith(("elsewhere.", "films.", "still.")) for each in said)
    held = three_shots()
    corners = ((0.0, 0.0), (90.0, 0.0), (90.0, 30.0), (0.0, 30.0))
    words = Pinned(name="words", of=Words(text="Kite day"), frame=0, corners=corners)
    shot = held.reel.shots[0].changed(hold=Hold(how="float"), pinned=(words,))
    held = held.changed(reel=held.reel.changed(shots=(shot, *held.reel.shots[1:])))
    assert not_carried(held) == (
        "1 held shot is not seen elsewhere: hand on films.",
        "1 pinned element is left out elsewhere.",
    )
    thrown = three_shots()
    thrown = edits.SetLeaves(leaves=((thrown.reel.shots[0].id, Join(kind="thrown whip")),)).apply(thrown)
    (words,) = not_carried(thrown)
    assert words.startswith("1 made join is a transition")
    assert not_carried(three_shots()) == ()


def test_the_timeline_package_reads_spans_and_rates_as_in_the_document():
    project = rich_project()
    timeline = otio.adapters.read_from_string(timeline_text(project), "otio_json")
    assert timeline.name == "Kite day" and timeline.global_start_time.rate == 25
    clips = list(timeline.find_clips())
    for clip, made in zip(clips, project.reel.shots, strict=True):
        rate = float(project.take(made.take_id).facts.rate)
        assert clip.source_range.start_time == otio.opentime.RationalTime(made.span.first, rate)
        assert clip.source_range.duration == otio.opentime.RationalTime(made.span.frames, rate)
        assert clip.media_reference.target_url == project.take(made.take_id).path
    assert [e.time_scalar for e in clips[1].effects] == pytest.approx([-25 / 60])
    joins = [item for item in timeline.tracks[0] if isinstance(item, otio.schema.Transition)]
    assert [(j.name, j.in_offset.value + j.out_offset.value) for j in joins] == [("whip cut", 3), ("whip cut", 0)]
    assert joins[0].transition_type == otio.schema.TransitionTypes.SMPTE_Dissolve
    assert [(m.name, m.marked_range.start_time.value) for m in timeline.tracks[0].markers] == [
        ("kites go up", 12),
        ("beat", 80),
    ]


def round_trip(project: Project, folder) -> Project:
    path = folder / "reel.otio"
    path.write_text(timeline_text(project), encoding="utf-8")
    imported = read_timeline(path)
    assert imported.left_out == ()
    return imported.project


def test_what_is_written_here_comes_back_the_same(tmp_path):
    assert round_trip(rich_project(), tmp_path) == rich_project()


@given(st.lists(EDITS, max_size=8))
def test_any_reel_comes_back_the_same(tmp_path_factory, row):
    project = three_shots()
    for edit in row:
        project = edit.apply(project)
    # The join by which the last shot leaves leads nowhere, and is not handed on.
    last = project.reel.shots[-1]
    project = edits.SetLeaves(leaves=((last.id, Join()),)).apply(project)
    project = project.changed(name=project.name or "unnamed")
    assert round_trip(project, tmp_path_factory.mktemp("otio")) == project


def elsewhere(tmp_path) -> otio.schema.Timeline:
    """A timeline as other tools write them."""
    film = numbered_film(tmp_path / "their film.mp4", frames=60, rate=Fraction(25), sound=True)
    time = lambda frame: otio.opentime.RationalTime(frame, 25)  # noqa: E731
    span = lambda first, count: otio.opentime.TimeRange(time(first), time(count))  # noqa: E731
    timeline = otio.schema.Timeline("their edit", global_start_time=time(90_000))
    track = otio.schema.Track("V1", kind="Video")
    reference = otio.schema.ExternalReference(
        target_url=f"file://{str(film).replace(' ', '%20')}", available_range=span(0, 60)
    )
    clip = lambda name, first, count: otio.schema.Clip(name, reference.clone(), span(first, count))  # noqa: E731
    track.append(clip("one", 5, 20))
    track.append(otio.schema.Transition("cross", otio.schema.TransitionTypes.SMPTE_Dissolve, time(10), time(10)))
    fast = clip("two", 30, 20)
    fast.effects.append(otio.schema.LinearTimeWarp(time_scalar=2.0))
    fast.effects.append(otio.schema.Effect(name="glow", effect_name="glow"))
    fast.markers.append(otio.schema.Marker("look here", span(31, 1)))
    track.append(fast)
    track.append(otio.schema.Gap(source_range=span(0, 50)))
    track.append(otio.schema.Clip("gone", otio.schema.ExternalReference("/nowhere/gone.mov"), span(0, 10)))
    track.append(otio.schema.Clip("title", otio.schema.GeneratorReference("text", "t", span(0, 5)), span(0, 5)))
    nested = otio.schema.Stack("group", [otio.schema.Track("inner", [clip("deep", 0, 5)])])
    track.append(nested)
    track.append(clip("three", 50, 40))
    timeline.tracks.append(track)
    timeline.tracks.append(otio.schema.Track("A1", kind="Audio", children=[clip("sound", 0, 20)]))
    timeline.tracks.append(otio.schema.Track("V2", kind="Video", children=[clip("overlay", 0, 20)]))
    return timeline


def test_of_a_timeline_from_elsewhere_what_is_left_out_is_listed(tmp_path):
    path = tmp_path / "theirs.otio"
    otio.adapters.write_to_file(elsewhere(tmp_path), str(path), "otio_json")
    imported = read_timeline(path)
    project = imported.project
    assert project.name == "their edit" and project.reel.rate == 25
    assert [s.span for s in project.reel.shots] == [
        Span(first=5, end=25),
        Span(first=30, end=50),
        Span(first=50, end=60),  # cut to what the film has
    ]
    assert len(project.takes) == 1 and project.takes[0].facts.frames == 60
    assert project.reel.shots[0].leave.dissolve_frames == 6
    listed = "\n".join(imported.left_out)
    for words in (
        "dissolve of 20 frames was shortened to 6",
        "“two” plays at 2 of its speed",
        "effect “glow” on “two”",
        "marker “look here”",
        "gap of 2.00 s",
        "“gone” was left out",
        "“title” was left out: it names no film",
        "“group” is a nested stack",
        "Track 2 “A1” (sound, 1 clips)",
        "Track 3 “V2” (picture, 1 clips)",
    ):
        assert words in listed, words
    assert all("\n" not in sentence for sentence in imported.left_out)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "not an OTIO timeline"),
        ("{", "not an OTIO timeline"),
        ("[1, 2]", "not an OTIO timeline"),
        ("[" * 200_000, "not an OTIO timeline"),
        (json.dumps({"OTIO_SCHEMA": "Timeline.1", "tracks": 7}), "not an OTIO timeline|no track"),
        (json.dumps({"OTIO_SCHEMA": "Clip.1", "name": "x"}), "holds no timeline"),
        (json.dumps({"OTIO_SCHEMA": "NoSuchThing.9", "name": "x"}), "holds no timeline"),
        (otio.schema.Timeline("empty").to_json_string(), "no track with pictures"),
    ],
)
def test_what_is_no_timeline_gets_a_sentence(tmp_path, text, says):
    path = tmp_path / "bad.otio"
    path.write_text(text)
    with pytest.raises(DocumentError, match=says):
        read_timeline(path)
    assert path.read_text() == text


@given(st.integers(0, 100_000), st.integers(1, 60), st.binary(max_size=6))
def test_a_damaged_timeline_gives_a_project_or_a_sentence(tmp_path_factory, at, length, instead):
    path = tmp_path_factory.mktemp("otio") / "p.otio"
    data = timeline_text(rich_project()).encode()
    at %= len(data)
    path.write_bytes(data[:at] + instead + data[at + length :])
    try:
        assert isinstance(read_timeline(path).project, Project)
    except DocumentError as error:
        assert "\n" not in str(error)


def test_a_take_list_gives_marks_notes_and_spans_back():
    project = rich_project()
    text = take_list_csv(project.takes)
    assert text.splitlines()[0].startswith("take,file,fingerprint,rate,frames")
    assert 'walk,/films/walk.mp4,print of walk,30000/1001,147,1280,720,keep,"Wind, from frame 12."' in text
    bare = project.changed(
        takes=tuple(take.changed(spans=(), worth=None, note="") for take in project.takes),
    )
    again = with_take_list(bare, text)
    assert [(t.worth, t.note, [(s.name, s.span) for s in t.spans]) for t in again.takes] == [
        (t.worth, t.note, [(s.name, s.span) for s in t.spans]) for t in project.takes
    ]
    assert with_take_list(project, text) == project  # spans that are known by name keep their ids


def test_a_log_that_was_kept_elsewhere_is_read_by_names():
    project = with_take_list(
        three_shots(), "take,worth,note,span,first,last\nt1,keep,calm,good,3,9\nt1,keep,calm,,20,29\n"
    )
    take = project.take("t1")
    assert take.worth == "keep" and [(s.name, s.span.first, s.span.end) for s in take.spans] == [
        ("good", 3, 10),
        ("20", 20, 30),
    ]
    assert project.take("t2") == three_shots().take("t2")


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "no column"),
        ("kite,wind\n1,2\n", "no column"),
        ("take\nnobody\n", "none of the takes"),
        ("take,worth\nt1,splendid\n", "Row 2, column worth: “splendid”"),
        ("take,first,last\nt1,3,x\n", "Row 2: “first” and “last”"),
        ("take,first,last\nt1,3,5\nt1,90,200\n", "Row 3: frames 90 to 200"),
        ('take,note\nt1,"never closed\n', "cannot be read as CSV"),
    ],
)
def test_a_list_that_makes_no_sense_names_its_row(text, says):
    with pytest.raises(DocumentError, match=says):
        with_take_list(three_shots(), text)


def test_a_take_that_is_turned_by_what_is_no_angle_is_refused():
    facts = three_shots().takes[0].facts
    with pytest.raises(ValueError, match="less than or equal to 360"):
        facts.changed(rotation=2**63)
