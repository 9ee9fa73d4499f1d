"""Words, drawings and films stand in the scene of a shot: where, behind what, blurred, and from what files."""

import os
import resource
import zlib
from contextlib import suppress
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from PIL import Image

from clevrin.core.document import (
    Area,
    AreaPart,
    Drawing,
    Drawn,
    Film,
    Outline,
    Pace,
    Pinned,
    PinPose,
    Placement,
    Project,
    Reel,
    Shot,
    Shutter,
    Span,
    Take,
    Track,
    Words,
)
from clevrin.core.document.edits import AddTakes, PutPinned, RemovePinned, RemoveTake
from clevrin.core.document.files import load, save
from clevrin.core.document.packing import pack
from clevrin.core.elements import drawings, grain_of, missing_letters, raster_of, read_drawing, set_words
from clevrin.core.elements.drawings import LONGEST_PX
from clevrin.core.elements.letters import FONT
from clevrin.core.elements.raster import WHOLE
from clevrin.core.errors import DocumentError, MediaError
from clevrin.core.media.picture import picture_from_rgb
from clevrin.core.media.probe import fingerprint
from clevrin.core.media.taking_in import take_in
from clevrin.core.motion.geometry.models import apply
from clevrin.core.motion.tracks.both_ways import Followed
from clevrin.core.progress import Silent
from clevrin.core.render.measured.carried import OWN_SQUARE, PinKnown
from clevrin.core.render.picture import picture, plan_at, planes
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import Lacking, complete, resolve
from clevrin.core.render.sources import Sources
from tests.films import moving_film, numbered_film, shift

SIZE = (320, 180)
FRAMES = 24
AT = 10
SPEED = 3
PATCH = ((60.0, 70.0), (100.0, 70.0), (100.0, 110.0), (60.0, 110.0))


@pytest.fixture(scope="module")
def panning(tmp_path_factory) -> Take:
    """What stands in the scene goes three pixels a frame to the left."""
    path = tmp_path_factory.mktemp("panning") / "panning.mp4"
    moving_film(path, lambda t: shift(300 + SPEED * t, 400), frames=FRAMES, size=SIZE, seed=5)
    return take_in(path)


@pytest.fixture
def red(tmp_path: Path) -> Drawing:
    return drawing(tmp_path / "red.png", np.full((32, 32, 4), (230, 20, 20, 255), np.uint8))


def drawing(path: Path, rgba: np.ndarray) -> Drawing:
    Image.fromarray(rgba).save(path)
    return Drawing(name=path.name, path=str(path), fingerprint=fingerprint(path))


def patch(of: Drawing | Words | Film, **fields: object) -> Pinned:
    plain = {"wrap": 0.0, "grain": 0.0, "frame": AT, "corners": PATCH, "name": "patch"}
    return Pinned(of=of, **{**plain, **fields})


def project_of(take: Take, *pinned: Pinned, others: tuple[Take, ...] = (), **fields: object) -> Project:
    shot = Shot(take_id=take.id, span=Span(first=0, end=take.facts.frames), pinned=pinned, **fields)
    facts = take.facts
    reel = Reel(rate=facts.rate, width=facts.width, height=facts.height, shots=(shot,))
    return Project(takes=(take, *others), reel=reel)


@pytest.fixture
def seen(warm_store):
    """Pictures of a project's frames as RGB; what they need is measured first."""
    with_all: list[Sources] = []

    def of(project: Project, frame: int) -> np.ndarray:
        sources = Sources.of(warm_store)
        with_all.append(sources)
        complete(HoldRequest.of(project, project.reel.shots[0]), warm_store, Silent())
        return picture(project, frame, project.reel.size, sources).astype(float)

    yield of
    for sources in with_all:
        sources.close()


def changed(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    return np.abs(luma(a) - luma(b)) > 2


def luma(rgb: np.ndarray) -> np.ndarray:
    """Colours lie twice as coarsely as this, and reach further."""
    return rgb @ (0.2126, 0.7152, 0.0722)


def middle_of(mask: np.ndarray) -> np.ndarray:
    return np.argwhere(mask).mean(axis=0)[::-1]


def test_what_is_pinned_to_the_scene_goes_with_it(panning, red, seen):
    bare, pinned = project_of(panning), project_of(panning, patch(red))
    for frame in (0, AT, FRAMES - 1):
        where = middle_of(changed(seen(pinned, frame), seen(bare, frame)))
        assert where == pytest.approx((80 - SPEED * (frame - AT), 90), abs=0.3)


def test_what_is_not_touched_stays_as_it_was_to_the_last_bit(panning, red, warm_store):
    sources = Sources.of(warm_store)
    pinned, bare = project_of(panning, patch(red, grain=1.0, wrap=1.0)), project_of(panning)
    complete(HoldRequest.of(pinned, pinned.reel.shots[0]), warm_store, Silent())
    with_it, without = (planes(each, AT, SIZE, sources) for each in (pinned, bare))
    sources.close()
    for number, (a, b) in enumerate(zip(with_it.planes, without.planes, strict=True)):
        by = 2 if number else 1
        touched = np.argwhere(a != b)
        assert len(touched) > 100
        (top, left), (bottom, right) = touched.min(axis=0) * by, touched.max(axis=0) * by
        assert left >= 56 and right <= 104 and top >= 66 and bottom <= 114


def test_its_colour_and_edge_are_those_of_its_file(panning, red, seen):
    whole = seen(project_of(panning, patch(red)), AT)
    assert whole[75:105, 65:95].mean(axis=(0, 1)) == pytest.approx((230, 20, 20), abs=4)
    half = seen(project_of(panning, patch(red, opacity=0.5)), AT)
    bare = seen(project_of(panning), AT)
    light = [((each / 255 + 0.055) / 1.055) ** 2.4 for each in (whole, half, bare)]
    inner = (slice(80, 100), slice(70, 90), slice(None))
    assert light[1][inner].mean() == pytest.approx((light[0][inner].mean() + light[2][inner].mean()) / 2, abs=0.02)


def test_an_area_of_the_take_stands_before_it(panning, red, seen):
    box = Drawn(shape="box", outlines=(Outline(frame=AT, places=((60, 70), (80, 70), (80, 110), (60, 110))),))
    area = Area(name="post", parts=(AreaPart(of=box),))
    take = panning.changed(areas=(area,))
    for frame in (AT, AT + 5):
        moved = SPEED * (frame - AT)
        bare = seen(project_of(take), frame)
        found = changed(seen(project_of(take, patch(red, behind=(area.id,))), frame), bare)
        assert not found[75:105, 62 - moved : 78 - moved].any()
        assert found[75:105, 82 - moved : 98 - moved].all()


def test_it_is_blurred_as_long_as_the_shutter_is_open(panning, tmp_path, seen):
    white = drawing(tmp_path / "white.png", np.full((32, 32, 4), 255, np.uint8))

    def edge_px(**fields: object) -> int:
        pace = Pace(shutter=Shutter(angle_deg=360.0, blurs="camera"))
        found = luma(seen(project_of(panning, patch(white, **fields), pace=pace), AT))[90, 40:80]
        bare = luma(seen(project_of(panning, pace=pace), AT))[90, 40:80]
        share = (found - bare) / (255 - bare)
        return int(((share > 0.05) & (share < 0.95)).sum())

    assert edge_px() == pytest.approx(SPEED, abs=1) and edge_px(blurs=False) <= 2


def test_it_comes_and_goes_and_is_posed(panning, red, seen):
    fading = patch(red, first=4, end=20, comes=3, goes=3)
    assert [fading.seen_at(k) for k in (3, 4, 5, 7, 16, 17, 19, 20)] == [0, 0.25, 0.5, 1, 1, 0.75, 0.25, 0]
    poses = (PinPose(frame=AT, x=1.0, size=0.5), PinPose(frame=AT + 8, x=1.0, size=1.0, turn_deg=90, seen=0.0))
    there = changed(seen(project_of(panning, patch(red, poses=poses)), AT), seen(project_of(panning), AT))
    assert middle_of(there) == pytest.approx((120, 90), abs=0.3)
    assert there.sum() == pytest.approx(20 * 20, rel=0.12)
    gone = project_of(panning, patch(red, poses=poses))
    assert not changed(seen(gone, AT + 9), seen(project_of(panning), AT + 9)).any()


def test_on_a_surface_it_lies_in_perspective_and_at_a_point_it_stays_upright(panning, red):
    corners = np.array([[[50, 40], [150, 50], [140, 120], [55, 130]]] * 3, float)
    corners[2] = [[70, 30], [190, 60], [150, 140], [60, 120]]
    known = np.ones(3)
    surface = Followed(places=corners, confidence=known, placed=np.array([True, False, False]), lost=())
    whole = patch(red, frame=0, ground="surface", track_id="t", corners=tuple(map(tuple, corners[0])))
    chain = np.array([np.eye(3)] * 3)
    on = PinKnown(pinned=whole, take=panning, chain=chain, followed=surface)
    assert apply(on.src_from_own(2), OWN_SQUARE) == pytest.approx(corners[2], abs=1e-6)
    point = Followed(places=corners[:, :1], confidence=known, placed=surface.placed, lost=())
    at = PinKnown(pinned=patch(red, frame=0, ground="point", track_id="t"), take=panning, chain=chain, followed=point)
    assert apply(at.src_from_own(2), OWN_SQUARE) == pytest.approx(np.array(PATCH) + np.array([20, -10]), abs=1e-6)


def test_a_track_that_it_goes_with_is_asked_for_before_it_is_shown(panning, red, warm_store):
    track = Track(name="spot", kind="point", placed=(Placement(frame=AT, places=((80, 90),)),))
    take = panning.changed(tracks=(track,))
    project = project_of(take, patch(red, ground="point", track_id=track.id))
    request = HoldRequest.of(project, project.reel.shots[0])
    fresh = type(warm_store)(warm_store.shelf)
    if isinstance(resolve(request, fresh).state, Lacking):
        assert plan_at(project, AT, SIZE, fresh).unmeasured == (take.name,)
    known = complete(request, fresh, Silent())
    assert known.pinned[0].followed is not None
    assert plan_at(project, AT, SIZE, fresh).layers[0].pins


def test_a_film_plays_at_its_own_rate_and_says_what_of_it_is_there(panning, tmp_path, seen):
    path = tmp_path / "wink.mov"
    with av.open(str(path), "w") as out:
        stream = out.add_stream("png", rate=Fraction(15))
        stream.width, stream.height, stream.pix_fmt = 64, 64, "rgba"
        for k in range(8):
            rgba = np.zeros((64, 64, 4), np.uint8)
            rgba[:, :32] = (20, 20, 230, 255) if k % 2 else (20, 230, 20, 255)
            frame = av.VideoFrame.from_ndarray(rgba, format="rgba")
            for packet in (*stream.encode(frame),):
                out.mux(packet)
        for packet in stream.encode(None):
            out.mux(packet)
    film = take_in(path)
    rate = float(panning.facts.rate)
    project = project_of(panning, patch(Film(take_id=film.id), first=AT), others=(film,))
    bare = project_of(panning)
    for frame in (AT, AT + 2, AT + 5):
        shows = int((frame - AT) / rate * 15 + 1e-6) % 8
        found, moved = seen(project, frame), SPEED * (frame - AT)
        left = found[80:100, 64 - moved : 76 - moved].mean(axis=(0, 1))
        assert left == pytest.approx((20, 20, 230) if shows % 2 else (20, 230, 20), abs=8)
        assert not changed(found, seen(bare, frame))[75:105, 84 - moved : 96 - moved].any()
    gone = RemoveTake(take_id=film.id).apply(project)
    assert gone.reel.shots[0].pinned == ()
    with pytest.raises(ValueError, match="pinned"):
        project.changed(takes=(panning,)).checked_together()


def test_elements_are_put_changed_and_taken_off(panning, red):
    project = project_of(panning)
    shot = project.reel.shots[0]
    one = patch(red)
    project = PutPinned(shot_id=shot.id, pinned=one).apply(project)
    project = PutPinned(shot_id=shot.id, pinned=one.changed(opacity=0.5)).apply(project)
    assert [each.opacity for each in project.reel.shots[0].pinned] == [0.5]
    assert RemovePinned(shot_id=shot.id, pinned_id=one.id).apply(project).reel.shots[0].pinned == ()
    with pytest.raises(KeyError):
        RemovePinned(shot_id=shot.id, pinned_id="none").apply(project)
    for wrong in ({"corners": ((0, 0), (9, 9), (9, 0), (0, 9))}, {"ground": "point"}, {"first": 9, "end": 9}):
        with pytest.raises(ValueError):
            patch(red, **wrong)


def test_a_project_finds_its_drawings_and_fonts_again(panning, red, tmp_path):
    font = tmp_path / "own.ttf"
    font.write_bytes(FONT.read_bytes())
    project = project_of(panning, patch(red), patch(Words(text="Kite", font=str(font))))
    save(project, tmp_path / "kite.clevrin")
    assert '"red.png"' in (tmp_path / "kite.clevrin").read_text()
    assert load(tmp_path / "kite.clevrin") == project
    assert {Path(red.path), font} <= set(project.media)
    packed = load(pack(project, tmp_path / "away", Silent()))
    drawn, words = (each.of for each in packed.reel.shots[0].pinned)
    assert Path(drawn.path).parent == tmp_path / "away" / "media" == Path(words.font).parent
    assert Path(drawn.path).read_bytes() == Path(red.path).read_bytes()
    Path(red.path).unlink()
    with pytest.raises(DocumentError, match=r"red\.png"):
        pack(project, tmp_path / "again", Silent())


def test_a_drawing_that_is_gone_or_another_one_is_never_left_out_silently(panning, red, seen):
    project = project_of(panning, patch(red))
    drawing(Path(red.path), np.zeros((8, 8, 4), np.uint8))
    with pytest.raises(MediaError, match="no longer the picture"):
        seen(project, AT)
    Path(red.path).unlink()
    with pytest.raises(MediaError, match="is not there"):
        seen(project, AT)


# What files and fonts may be

SVG = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 40 20">{}</svg>'


@pytest.mark.parametrize(
    ("inside", "says"),
    [
        ('<image href="http://kites.example/a.png" width="9" height="9"/>', "names files"),
        ('<image xlink:href="/etc/passwd" width="9" height="9"/>', "names files"),
        ('<image href="data:text/html,kite" width="9" height="9"/>', "names files"),
        ('<rect width="9" height="9" fill="url(http://kites.example/a#b)"/>', "names files"),
        ('<rect width="9" height="9" style="fill:url( \'kite.svg#b\' )"/>', "names files"),
        ("<style>@import 'kite.css';</style>", "names files"),
        ('<g id="a"><use href="#b"/></g><g id="b"><use href="#a"/></g>', "too often"),
        ("<rect", "cannot be read|can be read"),
    ],
)
def test_a_drawing_that_names_anything_outside_of_itself_is_refused(tmp_path, inside, says):
    path = tmp_path / "drawn.svg"
    path.write_text(SVG.format(inside))
    with pytest.raises(MediaError, match=says):
        read_drawing(path)


def test_drawings_that_repeat_themselves_endlessly_are_refused(tmp_path):
    layers = "".join(f'<g id="g{k}">' + f'<use href="#g{k + 1}"/>' * 10 + "</g>" for k in range(12))
    path = tmp_path / "many.svg"
    path.write_text(SVG.format(layers + '<g id="g12"/>'))
    with pytest.raises(MediaError, match="too often"):
        read_drawing(path)
    path.write_text('<!DOCTYPE svg [<!ENTITY a "b">]>' + SVG.format(""))
    with pytest.raises(MediaError, match="entities"):
        read_drawing(path)


def _nested_patterns(depth: int) -> str:
    inside = "".join(
        f'<pattern id="p{k}" width="0.01" height="0.01"><rect width="9" height="9" fill="url(#p{k + 1})"/></pattern>'
        for k in range(depth)
    )
    return f'{inside}<rect width="40" height="20" fill="url(#p0)"/>'


@pytest.mark.parametrize(
    "made",
    [
        pytest.param(lambda: SVG.replace("<svg", f'<svg width="{"1" * 20_000}%" height="1"'), id="a long width"),
        pytest.param(lambda: SVG.replace("<svg", f'<svg width="{"1" * 20_000}" height="1"'), id="a wide one"),
        pytest.param(lambda: SVG.replace("0 0 40 20", "1" * 20_000 + "x"), id="a long view"),
        pytest.param(lambda: SVG.format(f'<rect fill="url({" " * 2_000_000}x"/>'), id="blanks"),
        pytest.param(lambda: SVG.format(f'<rect fill="{"url(  " * 300_000}"/>'), id="many links"),
        pytest.param(
            lambda: SVG.format(
                '<filter id="f"><feTurbulence baseFrequency="0.1" numOctaves="9000000"/></filter>'
                '<rect width="40" height="20" filter="url(#f)"/>'
            ),
            id="noise",
        ),
        pytest.param(lambda: SVG.format(_nested_patterns(40)), id="patterns"),
    ],
)
def test_a_drawing_without_a_bound_is_refused_in_time_and_in_little_memory(tmp_path, monkeypatch, made):
    path = tmp_path / "drawn.svg"
    path.write_text(made())
    monkeypatch.setattr(drawings, "MOST_S", 2)
    began = os.times()
    with suppress(MediaError):  # some of them the library draws, or leaves out what it cannot do
        read_drawing(path)
    ended = os.times()
    assert ended.user - began.user < 2, "it was looked over in this process"
    assert ended.children_user - began.children_user <= 3
    assert resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss * 1024 <= drawings.MOST_BYTES


@pytest.mark.parametrize("depth", [300, 900, 200_000])
def test_a_drawing_of_parts_within_parts_without_end_is_refused(tmp_path, depth):
    """In this process it would overflow the stack, and take all that is open with it."""
    path = tmp_path / "deep.svg"
    path.write_text(SVG.format("<g>" * depth + '<rect width="9" height="9"/>' + "</g>" * depth))
    with pytest.raises(MediaError, match="can be read"):
        read_drawing(path)


def test_a_drawing_is_drawn_finely_with_its_own_gradients_and_letters(tmp_path):
    path = tmp_path / "sign.svg"
    inside = '<defs><linearGradient id="g"><stop stop-color="#f00"/></linearGradient></defs>'
    inside += '<rect x="10" width="20" height="20" fill="url(#g)"/><text x="14" y="15" font-size="12">K</text>'
    path.write_text(SVG.format(inside))
    rgba = read_drawing(path)
    height, width = rgba.shape[:2]
    assert width == 2 * height == 2 * LONGEST_PX // 3
    assert tuple(rgba[5, width // 2]) == (255, 0, 0, 255) and rgba[height // 2, width // 8, 3] == 0
    assert (rgba[..., :3].sum(axis=2) == 0)[:, width // 4 : 3 * width // 4].sum() > 1000, "no letter was drawn"


def test_pictures_are_read_with_what_is_clear_and_absurd_ones_are_refused(tmp_path):
    deep = (np.arange(64 * 32, dtype=np.uint16).reshape(32, 64) * 31).astype(np.uint16)
    Image.fromarray(deep).save(tmp_path / "deep.png")
    grey = read_drawing(tmp_path / "deep.png")
    assert np.abs(grey[..., 0] - deep / 257.0).max() <= 1 and (grey[..., 3] == 255).all()
    Image.new("RGB", (5000, 1000), (9, 200, 9)).save(tmp_path / "long.jpg", quality=95)
    assert read_drawing(tmp_path / "long.jpg").shape == (round(1000 * LONGEST_PX / 5000), LONGEST_PX, 4)
    chunks = (b"IHDR" + (60_000).to_bytes(4) * 2 + bytes([8, 6, 0, 0, 0]), b"IDAT" + zlib.compress(bytes(9)))
    written = (b"".join(((len(c) - 4).to_bytes(4), c, zlib.crc32(c).to_bytes(4))) for c in chunks)
    huge = b"\x89PNG\r\n\x1a\n" + b"".join(written)
    for name, data, says in (
        ("huge.png", huge, "60000x60000"),
        ("torn.png", (tmp_path / "deep.png").read_bytes()[:60], "not a picture"),
        ("text.png", b"kite day", "not a picture"),
        ("kite.txt", b"kite day", "cannot be pinned"),
        ("empty.png", b"", "is empty"),
    ):
        (tmp_path / name).write_bytes(data)
        with pytest.raises(MediaError, match=says):
            read_drawing(tmp_path / name)


def test_letters_that_a_font_does_not_have_are_said(tmp_path):
    assert missing_letters(Words(text="Kite day,\n10 o'clock – café")) == ""
    assert missing_letters(Words(text="凧 kite 凧ж")) == "凧ж"
    with pytest.raises(MediaError, match=r"no letters for '凧', 'ж'"):
        set_words(Words(text="凧ж"))
    (tmp_path / "none.ttf").write_bytes(b"no font at all")
    for font, says in ((tmp_path / "none.ttf", "not a font"), (tmp_path / "gone.ttf", "is not there")):
        with pytest.raises(MediaError, match=says):
            set_words(Words(text="Kite", font=str(font)))
    with pytest.raises(ValueError):
        Words(text="  \n ")


def test_outline_and_shadow_lie_behind_the_letters():
    plain, lined, thrown = (
        set_words(Words(text="Kite\nday", colour="#ffffff", outline=outline, outline_colour="#204060", shadow=shadow))
        for outline, shadow in ((0, 0), (0.1, 0), (0, 0.2))
    )
    white = [(each[..., :3].min(axis=2) > 250) & (each[..., 3] > 250) for each in (plain, lined, thrown)]
    shares = [each.sum() / each.size for each in white]
    blue = (np.abs(lined[..., :3].astype(int) - (0x20, 0x40, 0x60)).max(axis=2) < 6) & (lined[..., 3] > 250)
    dark = (thrown[..., :3].max(axis=2) < 6) & (thrown[..., 3] > 60)
    assert blue.sum() > 0.2 * white[1].sum() and dark.sum() > 0.1 * white[2].sum() and min(shares) > 0.1


@pytest.mark.parametrize(("deviation", "blur"), [(2.0, 0.0), (5.0, 0.0), (5.0, 0.8)])
def test_the_grain_of_a_take_is_measured_and_given_to_what_is_pinned(deviation, blur):
    import cv2

    from clevrin.core.elements.grain import grain_tile

    noise = np.random.default_rng(3).standard_normal((360, 640)).astype(np.float32)
    if blur:
        noise = cv2.GaussianBlur(noise, (0, 0), blur)
    noise *= deviation / noise.std()
    grey = (110 + noise + np.linspace(0, 40, 640)).clip(0, 255)
    rgb = np.repeat(np.rint(grey).astype(np.uint8)[..., None], 3, axis=2)
    grain = grain_of(picture_from_rgb(rgb))
    assert grain.luma == pytest.approx(deviation * 219 / 255, rel=0.15)
    assert grain.size_px == pytest.approx(blur, abs=0.25)
    a, b = grain_tile(grain, 1, 0), grain_tile(grain, 2, 0)
    assert a.std() == pytest.approx(1, abs=0.02) and abs((a * b).mean()) < 0.05
    assert grain_of(picture_from_rgb(np.full((360, 640, 3), 120, np.uint8))).luma == 0


def test_an_element_is_laid_from_the_size_that_fits():
    rgba = np.zeros((256, 512, 4), np.uint8)
    rgba[:, 256:] = 255
    raster = raster_of(rgba, plan_colour())
    assert raster.for_width(500).shape[1] == 512 and raster.for_width(100).shape[1] == 128
    assert raster.for_width(9000).shape[1] == 512
    assert raster.for_width(60)[..., 3].mean() == pytest.approx(WHOLE / 2, rel=0.02)


def plan_colour():
    from clevrin.core.document.colour import BT709

    return BT709


def test_a_numbered_take_can_be_pinned_to_another(panning, tmp_path, seen):
    film = take_in(numbered_film(tmp_path / "screen.mp4", frames=6, size=(192, 108)))
    held = patch(Film(take_id=film.id, again=False), first=0)
    project = AddTakes(takes=(film,)).apply(project_of(panning))
    project = PutPinned(shot_id=project.reel.shots[0].id, pinned=held).apply(project)
    last = PinKnown(pinned=held, take=panning, chain=np.array([np.eye(3)] * FRAMES), film=film).film_frame(FRAMES - 1)
    assert last == 5
    assert changed(seen(project, AT), seen(project_of(panning), AT)).sum() == pytest.approx(1600, rel=0.1)
