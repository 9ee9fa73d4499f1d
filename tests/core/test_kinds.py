"""Films of every kind come out with their frames and sound at their own instants, and their colours as they were."""

import av
import numpy as np
import pytest

from bench.colour import worst_difference
from bench.kinds import outcome
from clevrin.core.document import Project, Shot
from clevrin.core.document.colour import BT709, HLG, PQ
from clevrin.core.document.edits import AddTakes
from clevrin.core.media.colouring import converted, light_of, picture_of_light
from clevrin.core.media.picture import CENTRE, LEFT, TOP_LEFT, Picture, picture_from_rgb, risen, sunk
from clevrin.core.media.sound_reading import read_sound
from clevrin.core.media.taking_in import take_in
from clevrin.core.progress import Silent
from clevrin.core.render import Layer, Plan
from clevrin.core.render.export.export import ExportRequest, export_reel
from clevrin.core.render.pixels.executor import execute
from clevrin.core.render.plan import row9
from clevrin.core.render.resolving.reel_colour import reel_colour, reel_deep
from clevrin.core.render.sources import Sources
from clevrin.demo.colour_bars import CODINGS, comparable, expected, film_bars, read_bars
from clevrin.demo.kinds import KINDS, RATE, film_kind
from tests.films import numbered_film, texture

NAMED = {kind.name: kind for kind in KINDS}


@pytest.mark.parametrize(
    ("name", "reel_rate"),
    [
        ("phone: 5 % left out, 10 ms of jitter", None),
        ("phone: 5 % left out, 10 ms of jitter", 30),
        ("sound longer and late", None),
        ("mono", None),
        ("5.1", None),
        ("24 frames/s", 30),
    ],
)
def test_a_kind_of_film_comes_out_right(tmp_path, name, reel_rate):
    found = outcome(NAMED[name], tmp_path, reel_rate)
    assert found.met(NAMED[name]), found


CHOSEN = [
    c
    for c in CODINGS
    if c.codec == "ffv1" or (c.full and c.codec == "libx264") or c.transfer != "sdr" or "12" in c.pixels
]


@pytest.mark.parametrize("coding", CHOSEN, ids=lambda coding: coding.name)
def test_colour_bars_come_out_as_they_went_in(tmp_path, coding):
    worst, depth = worst_difference(coding, tmp_path)
    assert worst <= (1 if depth == 8 else 2)


@pytest.mark.parametrize("transfer", ["hlg", "pq"])
def test_a_high_range_is_kept_alone_and_brought_into_the_standard_one_beside_others(tmp_path, transfer):
    coding = next(c for c in CODINGS if c.transfer == transfer and not c.full)
    values = film_bars(tmp_path / "bars.mp4", coding)
    takes = take_in(tmp_path / "bars.mp4"), take_in(numbered_film(tmp_path / "other.mp4", frames=4))
    project = AddTakes(takes=takes).apply(Project())
    shots = tuple(Shot(take_id=take.id, span=take.whole) for take in takes)
    alone = project.changed(reel=project.reel.changed(shots=shots[:1]))
    assert reel_colour(alone) == {"hlg": HLG, "pq": PQ}[transfer] and reel_deep(alone)
    assert reel_colour(alone.changed(reel=alone.reel.changed(light="standard"))) == BT709
    both = project.changed(reel=project.reel.changed(shots=shots))
    assert reel_colour(both) == BT709
    with Sources.of() as sources:
        export_reel(ExportRequest(project=both, path=tmp_path / "made.mp4"), sources, Silent())
    found, depth = read_bars(tmp_path / "made.mp4", 2)
    counts = comparable(values, coding, high=False)
    should = expected(values, coding, high=False, depth=depth)
    assert counts.sum() > 10 and np.abs(found - should)[counts].max() < 3
    assert (
        found[~counts][:, 0].max() <= 940 and np.diff(found[-9:, 0]).min() >= -1
    )  # brighter greys stay in their order


@pytest.mark.parametrize(
    ("name", "said"), [("a.mp4", (1, 1, 1)), ("a.mov", (1, 1, 1)), ("h.mp4", (9, 9, 18)), ("h.mov", (9, 9, 18))]
)
def test_what_is_written_says_what_its_colours_are(tmp_path, name, said):
    kind = NAMED["HLG" if name.startswith("h") else "30 frames/s"]
    film_kind(tmp_path / f"film{kind.suffix}", kind)
    take = take_in(tmp_path / f"film{kind.suffix}")
    project = AddTakes(takes=(take,)).apply(Project())
    project = project.changed(reel=project.reel.changed(shots=(Shot(take_id=take.id, span=take.whole),)))
    with Sources.of() as sources:
        export_reel(ExportRequest(project=project, path=tmp_path / name), sources, Silent())
    with av.open(str(tmp_path / name)) as film:
        context = film.streams.video[0].codec_context
        assert (context.colorspace, context.color_primaries, context.color_trc) == said
        assert (context.format.components[0].bits > 8) == (name != "a.mp4")


def test_ten_bits_stay_ten_through_a_warp_and_are_not_banded(tmp_path):
    """A ramp over few of the steps of 8 bit has all those of 10 bit behind a warp."""
    ramp = np.tile(np.linspace(100 * 256, 108 * 256, 640).astype(np.uint16), (64, 1))
    grey = np.full((32, 320), 128 * 256, np.uint16)
    source = Picture(y=ramp, u=grey, v=grey)
    move = np.array([[1, 0.01, 2.3], [0, 1, 0.4], [0, 0, 1]])
    layer = Layer.of(take_id="t", path="/t", frame=0, source_size=(640, 64), src_from_out=row9(move))
    made = execute(Plan(width=640, height=64, layers=(layer,)), lambda *_: source)
    assert made.deep and len(np.unique(made.y[32] >> 6)) >= 32  # 8 steps of 4
    light = execute(
        Plan(width=640, height=64, layers=(layer,)),
        lambda *_: Picture(y=(ramp >> 8).astype(np.uint8), u=grey[:, :].astype(np.uint8), v=grey.astype(np.uint8)),
    )
    assert len(np.unique(light.y[32])) < 12


@pytest.mark.parametrize("siting", [LEFT, CENTRE, TOP_LEFT])
@pytest.mark.parametrize("mirrored", [False, True])
def test_chroma_stays_at_its_place_when_a_picture_is_mirrored_or_enlarged(siting, mirrored):
    """An edge in colour alone lies where the same edge in luma lies."""
    width, height = 128, 64
    at = 50.0
    step = lambda x: np.clip((x - at) / 8 + 0.5, 0, 1)  # noqa: E731
    luma = np.tile(60 + 120 * step(np.arange(width)), (height, 1))
    chroma = np.tile(60 + 120 * step(2 * np.arange(width // 2) + siting[0]), (height // 2, 1))
    planes = [np.round(plane).astype(np.uint8) for plane in (luma, chroma, chroma)]
    source = Picture(y=planes[0], u=planes[1], v=planes[2], siting=siting)
    for scale in (1, 2):
        size = width * scale, height * scale
        matrix = np.diag([1 / scale, 1 / scale, 1.0])
        matrix[:2, 2] = (1 / scale - 1) / 2
        if mirrored:
            matrix = np.array([[-1, 0, width - 1], [0, 1, 0], [0, 0, 1.0]]) @ matrix
        layer = Layer.of(take_id="t", path="/t", frame=0, source_size=(width, height), src_from_out=row9(matrix))
        made = execute(Plan(width=size[0], height=size[1], layers=(layer,)), lambda *_: source)
        whole = risen(made.u, made.siting, size)
        row = size[1] // 2
        middle = slice(16 * scale, -16 * scale)
        apart = made.y[row, middle].astype(float) - whole[row, middle]
        assert np.abs(apart).max() < 9 and np.abs(apart.mean()) < 0.2  # a pixel of this slope is 15


def test_planes_sunk_and_risen_stay_where_they_are():
    plane = np.tile(np.linspace(20, 220, 64), (32, 1)).astype(np.uint8)
    back = risen(sunk(plane), LEFT, (64, 32))
    assert np.abs(back[:, 2:-2].astype(int) - plane[:, 2:-2]).max() <= 2


def test_light_and_back_is_the_same_picture():
    source = picture_from_rgb(np.ascontiguousarray(texture(3)[:90, :160]))
    again = picture_of_light(light_of(source), BT709, deep=False)
    assert np.abs(again.y.astype(int) - source.y).max() <= 1
    for colour in (HLG, PQ):
        there = converted(converted(source.deepened(), colour), BT709)
        # Chroma is sunk twice on the way; what it takes along of luma is small on the average.
        assert np.abs(there.y.astype(int) - source.deepened().y).mean() < 256  # a code value of 8 bit


def mixed(a: Picture, b: Picture, weight: float, edge: str = "fill") -> Picture:
    size = a.size
    layers = tuple(
        Layer.of(
            take_id=name, path=f"/{name}", frame=0, source_size=size, src_from_out=row9(matrix), weight=share, edge=edge
        )
        for name, share, matrix in (
            ("a", 1 - weight, np.eye(3)),
            ("b", weight, np.array([[1, 0, 40], [0, 1, 0], [0, 0, 1.0]])),
        )
    )
    return execute(
        Plan(width=size[0], height=size[1], layers=layers), lambda layer, _: a if layer.take_id == "a" else b
    )


def test_white_and_black_mix_as_light():
    white, black = (picture_from_rgb(np.full((32, 64, 3), value, np.uint8)) for value in (255, 0))
    made = mixed(white, black, 0.5)
    assert abs(int(made.y[16, 8]) - (16 + 219 * 188 / 255)) <= 1


def test_what_is_clear_has_no_say_in_the_colour_of_a_mix():
    white = picture_from_rgb(np.full((32, 64, 3), 255, np.uint8))
    made = mixed(white, white, 0.5, edge="clear")
    assert made.alpha is not None and made.alpha[16, 60] == 128 and made.alpha[16, 4] == 255
    assert (made.y[16] >= 234).all() and np.abs(made.u[8].astype(int) - 128).max() <= 1


def damaged_in_its_middle(path) -> None:
    data = bytearray(path.read_bytes())
    with av.open(str(path)) as film:
        sound = film.streams.audio[0]
        places = [(packet.pos, packet.size) for packet in film.demux(sound) if packet.size and packet.pos]
    for at, size in places[len(places) // 3 : len(places) // 2]:
        data[at : at + size] = b"\xff" * size
    path.write_bytes(bytes(data))


def test_damaged_sound_is_silence_there_and_a_sentence_and_what_follows_is_on_time(tmp_path):
    kind = NAMED["30 frames/s"]
    film_kind(tmp_path / "film.mp4", kind)
    true = read_sound(tmp_path / "film.mp4", 0, 4 * RATE)
    damaged_in_its_middle(tmp_path / "film.mp4")
    troubles: set[str] = set()
    found = read_sound(tmp_path / "film.mp4", 0, 4 * RATE, troubles)
    (sentence,) = troubles
    assert "silence" in sentence and sentence.endswith(".")
    around = slice(3 * RATE - 2000, 3 * RATE + 2000)
    clicks = [int(np.argmax(np.abs(sound[around]).max(axis=1) > 0.3)) for sound in (found, true)]
    assert clicks[0] == pytest.approx(clicks[1], abs=50)
    take = take_in(tmp_path / "film.mp4")
    project = AddTakes(takes=(take,)).apply(Project())
    project = project.changed(reel=project.reel.changed(shots=(Shot(take_id=take.id, span=take.whole),)))
    told: set[str] = set()
    with Sources.of() as sources:
        export_reel(ExportRequest(project=project, path=tmp_path / "out.mp4"), sources, Silent(), told)
    assert told == troubles


def test_a_hole_in_the_sound_stays_a_hole(tmp_path):
    """Two seconds of stamps without packets: what follows is not drawn forward."""
    path = tmp_path / "hole.mkv"
    numbered_film(tmp_path / "film.mkv", frames=150, sound=True)
    with av.open(str(tmp_path / "film.mkv")) as film, av.open(str(path), "w") as out:
        streams = {stream.index: out.add_stream_from_template(stream) for stream in film.streams}
        for packet in film.demux():
            if packet.dts is None:
                continue
            seconds = float(packet.pts * packet.time_base)
            if packet.stream.type == "audio" and 1 <= seconds < 3:
                continue
            packet.stream = streams[packet.stream.index]
            out.mux(packet)
    troubles: set[str] = set()
    sound = np.abs(read_sound(path, 0, 5 * RATE, troubles)).max(axis=1)
    # The first picture of such a film stands some frames behind its start.
    assert sound[: round(0.8 * RATE)].max() > 0.3
    assert sound[RATE : round(2.7 * RATE)].max() < 0.02 and sound[round(3.1 * RATE) : round(4.8 * RATE)].max() > 0.3
    assert len(troubles) == 1
