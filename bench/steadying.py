"""How well shots are held, on the demo's true camera: every row of the target table."""

from dataclasses import replace

import cv2
import numpy as np

from bench.rows import Row
from clevrin.core.document import Anchor, Hold, Placement, Project, Reel, Shot, Span, Track
from clevrin.core.hold import HeldPath, held_path
from clevrin.core.hold.report import course, measures
from clevrin.core.media.picture import Picture, picture_from_rgb
from clevrin.core.media.taking_in import take_in
from clevrin.core.motion import Trace
from clevrin.core.progress import Silent
from clevrin.core.render import Sources
from clevrin.core.render.picture import carried_out
from clevrin.core.render.pixels.executor import execute, window_pixels
from clevrin.core.render.pixels.resampling import bent_map
from clevrin.core.render.plan import Layer, Plan, row9
from clevrin.core.render.planning.layers import plan_shot
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import Held, complete, resolve
from clevrin.core.shelf import Shelf
from clevrin.demo.camera import Lens
from clevrin.demo.cast import CLOTH
from clevrin.demo.film import developed, frame_light
from clevrin.demo.footage_maker import FILMED, FOOTAGE
from clevrin.demo.judging import (
    held_places,
    lock_off_errors,
    quick_rms,
    true_course,
    true_motions,
    true_places,
    wander,
)

_STRETCHES = {"walk-past": (3, 116), "hill": (30, 148), "picnic": (3, 207), "bunting": (32, 118)}
_LOCKED = {
    "picnic": ((30, 180), 0.06, 0.12),
    "hill": ((30, 148), 0.06, 0.12),
    "bunting": ((32, 118), 0.06, 0.12),
    "tripod": ((0, 110), 0.06, 0.12),
    "parade": ((10, 95), 0.12, 0.25),
}
_ON_CLOTH = np.array([[240.0, 150.0]])
_WIDER = 1.5


def steadying_rows(traces: dict[str, Trace], shelf: Shelf) -> list[Row]:
    rows: list[Row] = []
    with Sources.of(shelf) as sources:
        for name, (span, centre, corner) in _LOCKED.items():
            rows.append(_lock_off_row(name, Span(first=span[0], end=span[1]), centre, corner, sources))
        rows.append(_zoomed_row(sources))
        rows.extend(_float_row(name, traces[name]) for name in _STRETCHES)
        rows.extend(_course_rows(traces["walk-past"]))
        rows.append(_edge_row(sources))
        rows.extend(_anchor_rows(sources))
        rows.append(_bend_row(sources))
        rows.extend(_borrow_rows(sources))
        rows.extend(_sharpness_rows())
        rows.extend(_field_rows(traces))
    return rows


def shot_of(name: str, hold: Hold, span: Span | None = None, tracks: tuple[Track, ...] = ()) -> HoldRequest:
    """A shot of a demo take on a reel of its own."""
    take = take_in(FOOTAGE / f"{name}.mp4").changed(tracks=tracks)
    shot = Shot(take_id=take.id, span=span or take.whole, hold=hold)
    return HoldRequest.of(Project(takes=(take,), reel=Reel(shots=(shot,))), shot)


def path_of(request: HoldRequest, sources: Sources) -> HeldPath:
    state = complete(request, sources.measured, Silent()).state
    assert isinstance(state, Held)
    return state.path


def _rms(values: np.ndarray) -> float:
    return float(np.sqrt(np.nanmean(values**2)))


def _points(share: float = 1.0) -> tuple[np.ndarray, np.ndarray]:
    """The held picture's centre, and its corners."""
    centre = np.array([[639.5, 359.5]])
    return centre, centre + np.array([[-639.5, -359.5], [639.5, -359.5], [-639.5, 359.5], [639.5, 359.5]]) * share


def _lock_off_row(name: str, span: Span, centre: float, corner: float, sources: Sources) -> Row:
    path = path_of(shot_of(name, Hold(how="lock-off", keep=0.5), span), sources)
    true = true_motions(FOOTAGE / f"{name}.truth.json")
    at_centre, at_corners = (_rms(lock_off_errors(true, path, span, points)) for points in _points())
    return Row(
        f"lock-off {name}: residual at the centre / corners",
        f"{centre} / {corner} px",
        f"{at_centre:.3f} / {at_corners:.3f} px RMS, keeps {path.least_kept_in(span) * 100:.0f} %",
        at_centre <= centre and at_corners <= corner,
    )


def _zoomed_row(sources: Sources) -> Row:
    span = Span(first=5, end=75)
    path = path_of(shot_of("burst", Hold(how="lock-off", keep=0.3), span), sources)
    true = true_motions(FOOTAGE / "burst.truth.json")
    at_centre, at_corners = (_rms(lock_off_errors(true, path, span, points)) for points in _points())
    return Row(
        "lock-off burst, a zoom of 1.9 taken out: centre / corners",
        "",
        f"{at_centre:.3f} / {at_corners:.3f} px RMS, keeps {path.least_kept_in(span) * 100:.0f} %",
    )


def _float_row(name: str, trace: Trace) -> Row:
    path = held_path(trace, Span(first=0, end=trace.frames), Hold(how="float", keep=0.85))
    assert path is not None
    span = Span(first=_STRETCHES[name][0], end=_STRETCHES[name][1])
    centre = (float(trace.centre[0]), float(trace.centre[1]))
    courses = true_course(true_motions(FOOTAGE / f"{name}.truth.json"), centre, path, span)
    before, after = (quick_rms(course, float(trace.rate)) for course in courses)
    gone = 1 - after / before
    return Row(
        f"float {name}, keep 0.85: shake over 1 Hz gone",
        "97 %",
        f"{gone * 100:.1f} % ({before:.1f} to {after:.2f} px), keeps {path.least_kept * 100:.0f} %",
        gone >= 0.97,
    )


def _course_rows(trace: Trace) -> list[Row]:
    """The length of a pan that was shot, and of a pan and a push that are known because they were made up."""
    rows = []
    span = Span(first=3, end=116)
    path = held_path(trace, Span(first=0, end=trace.frames), Hold(how="float"))
    assert path is not None
    as_shot, as_held = true_course(true_motions(FOOTAGE / "walk-past.truth.json"), (639.5, 359.5), path, span)
    share = float((as_held[-1, 0] - as_held[0, 0]) / (as_shot[-1, 0] - as_shot[0, 0]))
    rows.append(Row("course kept: pan of walk-past", "98 to 102 %", f"{share * 100:.1f} %", 0.98 <= share <= 1.02))
    frames, rng = 240, np.random.default_rng(4)
    t = np.arange(frames)
    push = np.interp(t, [60, 180], [0.0, np.log(1.25)])
    pan = np.interp(t, [60, 180], [0.0, 420.0])
    shaky = sum(
        rng.uniform(1, 3, 3)[:, None] * np.sin(2 * np.pi * hz * t / 30 + rng.uniform(0, 6.3, 3)[:, None])
        for hz in (0.7, 1.6, 2.9, 4.4)
    )
    motions = np.repeat(np.eye(3)[None], frames, axis=0)
    for k in range(1, frames):
        growth = np.exp(push[k] - push[k - 1])
        motions[k, :2, :2] *= growth
        move = -np.array([pan[k] - pan[k - 1], 0]) + shaky[:2, k] - shaky[:2, k - 1]
        motions[k, :2, 2] = move + (1 - growth) * trace.centre
    made = replace(
        trace, motions=motions, times_s=t / 30, confidence=np.ones(frames), mesh=None, seen_blur_px=None, sigma_px=None
    )
    whole = Span(first=0, end=frames)
    path = held_path(made, whole, Hold(how="float"))
    shot, held = course(made, whole), course(made, whole, path)
    for what, axis in (("pan", "pan"), ("push", "zoom")):
        ways = [float(c.axes[axis][-20:].mean() - c.axes[axis][:20].mean()) for c in (shot, held)]
        share = ways[1] / ways[0]
        words = f"course kept: a {what} of 4 s under shake"
        rows.append(Row(words, "98 to 102 %", f"{share * 100:.1f} %", 0.98 <= share <= 1.02))
    return rows


def empty_pixels(request: HoldRequest, sources: Sources, frames: range) -> int:
    """Pixels that show anything but the source, in a film that is white all over before a black beyond."""
    grey = np.full((360, 640), 128, np.uint8)
    white = Picture(y=np.full((720, 1280), 255, np.uint8), u=grey, v=grey)
    empty = 0
    resolved = resolve(request, sources.measured)
    for frame in frames:
        layer = plan_shot(resolved, frame, (1280, 720), (1280, 720))
        bare = replace(layer, edge="bare")
        seen = execute(Plan(width=1280, height=720, layers=(bare,)), lambda *_: white).y
        if layer.window is not None:
            left, top, right, bottom = window_pixels(layer.window)
            seen = seen[top:bottom, left:right]
        empty += int((seen < 255).sum())
    return empty


def _edge_row(sources: Sources) -> Row:
    """All frames of the picnic in every way of holding and every edge that hides."""
    track = Track(name="Tree", kind="point", placed=(Placement(frame=60, places=((560.0, 250.0),)),))
    anchor = Anchor(track_id=track.id)
    empty, films = 0, 0
    for hold in (
        Hold(how="float"),
        Hold(how="float", settle_s=8, keep=0.95, returned=0.3),
        Hold(how="float", enlargement="varying", keep=0.7),
        Hold(how="lock-off"),
        Hold(how="lock-off", enlargement="varying", keep=0.6),
        Hold(how="anchor", anchor=anchor),
        Hold(how="anchor", anchor=anchor.changed(place=(1 / 3, 1 / 3)), keep=0.6),
        Hold(how="float", mesh=True),
    ):
        for edge in ("fill", "trim"):
            request = shot_of("picnic", hold.changed(edge=edge), tracks=(track,))
            path_of(request, sources)
            empty += empty_pixels(request, sources, range(request.take.facts.frames))
            films += 1
    return Row(f"empty edge pixels, all frames, {films} holds with fill and trim", "none", str(empty), empty == 0)


def _anchor_rows(sources: Sources) -> list[Row]:
    rows = []
    span = Span(first=12, end=70)
    true = true_places(FILMED["parade"], CLOTH, _ON_CLOTH)
    placed = Placement(frame=30, places=(tuple(float(v) for v in true[30, 0]),))
    track = Track(name="Cloth", kind="point", placed=(placed,))
    for words, anchor in (
        ("where it is", Anchor(track_id=track.id)),
        ("in the middle", Anchor(track_id=track.id, place=(0.5, 0.5))),
    ):
        hold = Hold(how="anchor", anchor=anchor, edge="smear")
        path = path_of(shot_of("parade", hold, span, (track,)), sources)
        off = _rms(wander(held_places(true, path, span)))
        rows.append(Row(f"anchor on the cloth, {words}: residual", "0.3 px", f"{off:.3f} px RMS", off <= 0.3))
    return rows


def _bend_row(sources: Sources) -> Row:
    """Lines of 300 px across the whole picture, as the mesh of the walk down the hill draws them."""
    path = path_of(shot_of("downhill", Hold(how="float", mesh=True)), sources)
    assert path.bend is not None
    worst = 0.0
    for bend in path.bend:
        across, down = bent_map(np.eye(3), bend, (1280, 720), (1280, 720))
        shift = np.stack([across, down], axis=-1) - np.stack(np.meshgrid(np.arange(1280), np.arange(720)), axis=-1)
        for axis, length in ((1, 1280), (0, 720)):
            at = np.arange(0, length - 300, 20)
            ends = (np.take(shift, at, axis) + np.take(shift, at + 300, axis)) / 2
            middle = np.take(shift, at + 150, axis) - ends
            worst = max(worst, float(np.hypot(middle[..., 0], middle[..., 1]).max()))
    largest = float(np.abs(path.bend).max())
    measured = f"{worst:.2f} px, takes out up to {largest:.1f} px"
    return Row("mesh: bend of a straight line of 300 px", "0.5 px", measured, worst < 0.5)


def wide_truth(name: str, frame: int) -> np.ndarray:
    """What a lens 1.5 times as wide would have seen, luma (1080, 1920): the source's pixel (0, 0) is at (320, 180)."""
    scene = FILMED[name]
    lens = Lens(width=1920, height=1080, focal_px=scene.lens.focal_px)
    return developed(frame_light(replace(scene, lens=lens), frame), seed=frame).y


def _borrow_rows(sources: Sources) -> list[Row]:
    """What was borrowed for a shaky stretch that nothing enlarges, against a wider lens that saw it."""
    rows = []
    for name, frames in (("mist", (30, 60)), ("hill", (50, 90, 130))):
        request = shot_of(name, Hold(how="float", edge="borrow", settle_s=3.0))
        path = path_of(request, sources)
        errors, filled, missing = [], 0, 0
        for frame in frames:
            seen = borrowed_error(request, path, frame, sources)
            errors.append(seen[0])
            filled += len(seen[0])
            missing += seen[1]
        mse = float((np.concatenate(errors) ** 2).mean())
        psnr = 10 * np.log10(255**2 / mse)
        rows.append(
            Row(
                f"borrow {name}: filled parts against a wider lens",
                "30 dB",
                f"{psnr:.1f} dB over {filled / len(frames):.0f} px a frame, {missing} px unseen",
                psnr >= 30,
            )
        )
    return rows


def borrowed_error(request: HoldRequest, path: HeldPath, frame: int, sources: Sources) -> tuple[np.ndarray, int]:
    """Errors of the luma of pixels that were borrowed, and how many could not be."""
    size = (1280, 720)
    layer = plan_shot(resolve(request, sources.measured), frame, size, size)
    plan = Plan(width=1280, height=720, layers=(layer,))
    picture = carried_out(plan, lambda _: request.take, sources.films, "final").y.astype(float)
    wide = wide_truth(request.take.name, frame)
    shift = np.array([[1, 0, 320], [0, 1, 180], [0, 0, 1.0]])
    flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    true = cv2.warpPerspective(wide, shift @ layer.matrix, size, flags=flags).astype(float)

    def seen(matrix: np.ndarray) -> np.ndarray:
        whole = np.full((720, 1280), 255, np.uint8)
        return cv2.warpPerspective(whole, matrix, size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP) == 255

    holes = ~seen(layer.matrix)
    lent = np.zeros_like(holes)
    for each in layer.borrowed:
        lent |= seen(each.matrix)
    return (picture - true)[holes & lent], int((holes & ~lent).sum())


def mtf50(luma: np.ndarray) -> float:
    """Cycles per pixel at which a slanted edge, dark left and light right, keeps half of its contrast (ISO 12233)."""
    rows = luma.astype(float)
    slope = np.gradient(rows, axis=1)
    weight = np.abs(slope)
    x = np.arange(rows.shape[1])
    places = (weight * x).sum(axis=1) / weight.sum(axis=1)
    line = np.polyfit(np.arange(len(rows)), places, 1)
    distance = (x[None] - np.polyval(line, np.arange(len(rows)))[:, None]).ravel()
    near = np.abs(distance) < 16
    bins = np.round(distance[near] * 4).astype(int) + 64
    sums = np.bincount(bins, rows.ravel()[near], 129)
    edge = sums / np.maximum(1, np.bincount(bins, minlength=129))
    spread = np.diff(edge[1:-1]) * np.hanning(len(edge) - 3)
    response = np.abs(np.fft.rfft(spread, 1024))
    response /= response[0]
    hz = np.fft.rfftfreq(1024, 0.25)
    below = int(np.argmax(response < 0.5))
    part = (response[below - 1] - 0.5) / (response[below - 1] - response[below])
    return float(hz[below - 1] + part * (hz[below] - hz[below - 1]))


def slanted_edge(width: int = 1280, height: int = 720) -> Picture:
    """An edge as a good lens draws it: through the middle, leaning by 5 degrees, and a little soft."""
    y, x = np.mgrid[0:height, 0:width].astype(float)
    distance = (x - width / 2) * np.cos(np.radians(5)) + (y - height / 2) * np.sin(np.radians(5))
    luma = 128 + 80 * np.tanh(distance / 0.75)
    return picture_from_rgb(np.repeat(luma.round().astype(np.uint8)[..., None], 3, axis=2))


def sharpness_share(hold: Hold) -> float:
    """How much of the edge's MTF50 is left after moves by parts of a pixel, nothing enlarged: the mean of many."""
    chart = slanted_edge()
    crop = np.s_[310:410, 590:690]
    before = mtf50(chart.y[crop])
    left = []
    for x, y in ((0.5, 0.5), (0.25, 0.0), (0.5, 0.0), (0.1, 0.7), (0.33, 0.66)):
        matrix = np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]])
        layer = Layer.of(
            take_id="t",
            path="p",
            frame=0,
            source_size=(1280, 720),
            src_from_out=row9(matrix),
            kernel=hold.kernel,
            crispness=hold.crispness,
        )
        left.append(mtf50(execute(Plan(width=1280, height=720, layers=(layer,)), lambda *_: chart).y[crop]) / before)
    return float(np.mean(left))


def _sharpness_rows() -> list[Row]:
    rows = []
    for words, hold in (
        ("bicubic", Hold()),
        ("lanczos", Hold(kernel="lanczos")),
        ("bicubic, crispness 30 %", Hold(crispness=0.3)),
    ):
        share = sharpness_share(hold)
        rows.append(Row(f"sharpness kept (MTF50), {words}", "90 %", f"{share * 100:.0f} %", share >= 0.9))
    return rows


def _field_rows(traces: dict[str, Trace]) -> list[Row]:
    """The measures in use in the field, without targets."""
    rows = []
    for name in _STRETCHES:
        trace = traces[name]
        span = Span(first=0, end=trace.frames)
        path = held_path(trace, span, Hold(how="float"))
        assert path is not None
        found = measures(trace, span, path)
        rows.append(
            Row(
                f"float {name}: cropping, distortion, stability (Liu et al. 2013)",
                "",
                f"{found.cropping:.3f}, {found.distortion:.3f}, {found.stability:.3f}",
            )
        )
    return rows
