"""From what a frame of the reel shows to its plan: which source frames, under which map, in which mix. Pure."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Take
from clevrin.core.document.model import Fit, Mirror, Turns, mirror_signs
from clevrin.core.render.measured.carried import AreaKnown
from clevrin.core.render.plan import Borrowed, Layer, Plan, bend_rows, row9
from clevrin.core.render.planning.borrowing import borrowed_frames
from clevrin.core.render.planning.doorway import opened
from clevrin.core.render.planning.join_motion import moved, units
from clevrin.core.render.planning.pinning import pinned_still, pinned_to
from clevrin.core.render.planning.shutter_samples import Moments
from clevrin.core.render.planning.synthetic_blur import rushed
from clevrin.core.render.resolving.resolving import Held, Lacking, Lenders, ResolvedFrame, ResolvedShot, Shown

Matrix = NDArray[np.float64]


def plan_frame(resolved: ResolvedFrame, size: tuple[int, int]) -> Plan:
    """The plan of a frame of the reel at a size in pixels. Reads nothing, waits for nothing, decodes nothing."""
    shown = resolved.shown
    shown = tuple(each for each in shown if not _lacks_area(each, shown))
    if any(each.door is not None for each in shown):
        reel_size = resolved.reel_size
        shown = opened(shown, size[1] / size[0], lambda each: _screen_map(each, reel_size, size))
    layers = tuple(plan_shown(each, resolved.reel_size, size) for each in shown)
    shots = [each.resolved for each in shown]
    unmeasured = tuple(shot.take.name for shot in shots if isinstance(shot.state, Lacking))
    return Plan(
        width=size[0],
        height=size[1],
        layers=layers,
        unmeasured=unmeasured,
        colour=resolved.colour,
        effects=resolved.effects,
    )


def plan_take(take: Take, frame: int, size: tuple[int, int]) -> Plan:
    """The plan of a frame of a take as shot, as large as fits into a size."""
    width, height = take.facts.width, take.facts.height
    fitted = fitted_size((width, height), size)
    matrix = _fit((width, height), fitted)
    source = width, height
    layer = Layer.of(take_id=take.id, path=take.path, frame=frame, source_size=source, src_from_out=row9(matrix))
    return Plan(width=fitted[0], height=fitted[1], layers=(layer,))


def plan_shot(
    resolved: ResolvedShot, frame: int, reel_size: tuple[int, int], size: tuple[int, int], *, weight: float = 1.0
) -> Layer:
    """The layer that shows a frame of a shot's take on the reel: with its hold, its mirroring and what is pinned."""
    layer = _plan_bare(resolved, frame, reel_size, size, weight)
    if isinstance(resolved.state, Lacking) or not resolved.pinned:
        return layer
    return replace(layer, pins=pinned_still(resolved, frame, _held_from_out(resolved, reel_size, size)))


def _plan_bare(
    resolved: ResolvedShot, frame: int, reel_size: tuple[int, int], size: tuple[int, int], weight: float = 1.0
) -> Layer:
    """The same without what is pinned."""
    shot, take, state = resolved.shot, resolved.take, resolved.state
    source = take.facts.width, take.facts.height
    held_from_out = _held_from_out(resolved, reel_size, size)
    path_window = state.path.window if isinstance(state, Held) else 1.0
    cut = path_window < 1 or (resolved.fit != "fill" and not _fills(held_from_out, source, size))
    plain = Layer.of(
        take_id=take.id,
        path=take.path,
        frame=frame,
        source_size=source,
        src_from_out=row9(held_from_out),
        window=_window(path_window, held_from_out, source) if cut else None,
        around="blurred" if resolved.fit == "blurred" else resolved.bars if resolved.fit == "bars" else "#000000",
        weight=weight,
    )
    if not isinstance(state, Held):
        return plain
    hold, path = shot.hold, state.path
    src_from_out = path.at(frame) @ held_from_out
    bend = path.bend_at(frame)
    return plain.laid(
        row9(src_from_out),
        bend=None if bend is None else bend_rows(bend),
        edge=hold.edge,
        colour=hold.colour,
        borrowed=_borrowed(state.lenders, frame, src_from_out, size, resolved.kept_out),
        kernel=hold.kernel,
        crispness=hold.crispness,
    )


def _lacks_area(shown: Shown, others: tuple[Shown, ...]) -> bool:
    """Whether a shot would be seen by an area that is gone: then only one of both is, up to the cut and from there."""
    owner = next((each for each in others if each.area is not None), None)
    if owner is None or owner.resolved.area is not None:
        return False
    leaves = shown.placed.start == min(each.placed.start for each in others)
    return len(others) > 1 and leaves == (shown.from_cut > 0)


def _screen_map(shown: Shown, reel_size: tuple[int, int], size: tuple[int, int]) -> Matrix:
    """From places on the screen, in widths from the middle, to pixels of a shot's take."""
    return np.asarray(_plan_bare(shown.resolved, shown.frame, reel_size, size).matrix @ units(size)[1])


def plan_shown(shown: Shown, reel_size: tuple[int, int], size: tuple[int, int]) -> Layer:
    """The layer of a shot at a frame of the reel: of one frame of its take, or of the moments that it shows.

    A join moves it on top of all that, and it is seen through the join's shutter.
    """
    return moved(_plan_unmoved(shown, reel_size, size), shown, size)


def _plan_unmoved(shown: Shown, reel_size: tuple[int, int], size: tuple[int, int]) -> Layer:
    resolved = shown.resolved
    if resolved.course is None or isinstance(resolved.state, Lacking):
        return plan_shot(resolved, shown.frame, reel_size, size, weight=shown.weight)
    layer = _plan_bare(resolved, shown.frame, reel_size, size, shown.weight)
    held_from_out = _held_from_out(resolved, reel_size, size)
    moments = Moments(shown=shown, course=resolved.course, held_from_out=held_from_out, size=size)
    samples = moments.samples
    made = replace(
        layer,
        samples=samples,
        borrowed=layer.borrowed if all(each.between is None for each in samples) else (),
        spared=moments.spared,
        added_blur_px=moments.added_blur_px,
    )
    if resolved.pinned:
        made = replace(made, pins=pinned_to(made, moments))
    return rushed(made, moments)


def _borrowed(
    lenders: Lenders | None, frame: int, src_from_out: Matrix, size: tuple[int, int], kept_out: AreaKnown | None
) -> tuple[Borrowed, ...]:
    if lenders is None:
        return ()
    found = borrowed_frames(lenders.trace, lenders.chain, frame, src_from_out, size)
    return found if kept_out is None else tuple(replace(each, without=kept_out.at(each.frame)) for each in found)


def _held_from_out(resolved: ResolvedShot, reel_size: tuple[int, int], size: tuple[int, int]) -> Matrix:
    """Pixels of the reel's picture at a size to those of a shot's held picture."""
    shot, facts = resolved.shot, resolved.take.facts
    return reel_map((facts.width, facts.height), reel_size, size, shot.mirror, shot.turns, resolved.fit)


def reel_map(
    source: tuple[int, int],
    reel_size: tuple[int, int],
    size: tuple[int, int],
    mirror: Mirror = None,
    turns: Turns = 0,
    fit: Fit = "fill",
) -> Matrix:
    """Pixels of the reel's picture at a size to pixels of a (held) picture as large as the source."""
    turned = source[::-1] if turns % 2 else source
    fitted = _fit(turned, reel_size, whole=fit != "fill")
    return _quarter_turns(source, turns) @ fitted @ _flip(mirror, reel_size) @ _fit(reel_size, size)


def _quarter_turns(source: tuple[int, int], turns: Turns) -> Matrix:
    """Pixels of a picture that was turned anticlockwise, so many times a quarter, to those of the picture itself."""
    w, h = source
    return {
        0: np.eye(3),
        1: np.array([[0.0, -1, w - 1], [1, 0, 0], [0, 0, 1]]),
        2: np.array([[-1.0, 0, w - 1], [0, -1, h - 1], [0, 0, 1]]),
        3: np.array([[0.0, 1, 0], [-1, 0, h - 1], [0, 0, 1]]),
    }[turns]


def _fills(held_from_out: Matrix, source: tuple[int, int], size: tuple[int, int]) -> bool:
    """Whether a picture reaches the edges of an output all around."""
    left, top, right, bottom = _window(1.0, held_from_out, source)
    return left <= 0 and top <= 0 and right >= size[0] - 1 and bottom >= size[1] - 1


def _window(share: float, held_from_out: Matrix, source: tuple[int, int]) -> tuple[float, float, float, float]:
    """The outer edges, in output pixels, of a share of the held picture about its middle."""
    centre = (np.array(source) - 1) / 2
    half = np.array(source) * share / 2
    out_from_held = np.linalg.inv(held_from_out)
    corners = np.array([[*(centre - half), 1.0], [*(centre + half), 1.0]]) @ out_from_held.T
    (left, top), (right, bottom) = np.sort(corners[:, :2] / corners[:, 2:], axis=0)
    return float(left), float(top), float(right), float(bottom)


def fitted_size(source: tuple[int, int], within: tuple[int, int]) -> tuple[int, int]:
    """The largest even size of the source's shape that fits into another, at least 2x2."""
    scale = min(within[0] / source[0], within[1] / source[1])
    width, height = (max(2, int(side * scale / 2 + 1e-6) * 2) for side in source)
    return width, height


def _fit(source: tuple[int, int], out: tuple[int, int], *, whole: bool = False) -> Matrix:
    """Output pixels to source pixels: the source covers the output, or is `whole` in it, centred, its shape kept."""
    scale = (max if whole else min)(source[0] / out[0], source[1] / out[1])
    x, y = ((s - 1) / 2 - scale * (o - 1) / 2 for s, o in zip(source, out, strict=True))
    return np.array([[scale, 0, x], [0, scale, y], [0, 0, 1]])


def _flip(mirror: Mirror, size: tuple[int, int]) -> Matrix:
    matrix = np.eye(3)
    for axis, (sign, side) in enumerate(zip(mirror_signs(mirror), size, strict=True)):
        if sign < 0:
            matrix[axis, axis], matrix[axis, 2] = -1, side - 1
    return matrix
