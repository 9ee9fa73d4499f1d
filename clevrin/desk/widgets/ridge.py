"""The motion ridge: how the camera moves, drawn in the same way everywhere.

Height is speed in picture widths per second on a square-root scale, colour is direction (none where the picture
turns or grows more than it moves), the dark thread is the length of the blur, and a hatched band is low confidence.
Whips carry a small flag: an arrow, a twisted double line for a roll, chevrons for a zoom.
"""

import time
from dataclasses import dataclass, replace
from functools import cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QImage, QPainter, QPen, QPolygonF

from clevrin.core.byte_cache import ByteCache
from clevrin.core.document.model import Turns, turned
from clevrin.core.motion import Trace, Whip
from clevrin.core.motion.trace.trace import LOW_CONFIDENCE
from clevrin.desk.widgets import theme

FULL_WIDTHS_PER_S = 5.0
"""The speed that fills the height; the same everywhere, so that ridges compare."""
_HEADROOM = 0.92
_TURNS = 0.7
"""Share of the speed under which a picture turns or grows rather than moves."""
_STRIP_PX = 600


@dataclass(frozen=True, kw_only=True, eq=False)
class RidgeData:
    """What a ridge shows of a row of frames; arrays (frames,). `shifting`: the share of the speed that is no turn."""

    speed: NDArray[np.float64]
    heading_deg: NDArray[np.float64]
    blur: NDArray[np.float64]
    confidence: NDArray[np.float64]
    shifting: NDArray[np.float64]
    whips: tuple[Whip, ...] = ()

    @staticmethod
    def of(trace: Trace, whips: tuple[Whip, ...]) -> "RidgeData":
        per_s = float(trace.rate) / trace.width
        whole = np.maximum(trace.whole_speed_px * per_s, 1e-9)
        shift = np.minimum(trace.widths_per_s / whole, 1)
        # A lens moves the sides of a panned picture faster than its middle, where the speed is told: that is no turn.
        turns = shift < _TURNS
        speed = np.where(turns, whole, trace.widths_per_s)
        return RidgeData(
            speed=speed,
            heading_deg=trace.heading_deg,
            blur=speed * trace.open_share,
            confidence=trace.confidence,
            shifting=np.where(turns, shift, 1.0),
            whips=whips,
        )

    @property
    def frames(self) -> int:
        return len(self.speed)


@dataclass(frozen=True, kw_only=True)
class RidgeView:
    """Which frames are drawn (`first` to `end`, may reach beyond the take), and how.

    `backward` plays them the other way; `pace`: how many times as fast they are played as they were shot; `mirror_x`
    and `mirror_y` turn the directions about, after so many quarter `turns`; `hanging` draws the ridge from the top
    down; `dim` frames (from, to) are drawn quietly, as what is not used.
    """

    first: float
    end: float
    backward: bool = False
    pace: float = 1.0
    mirror_x: bool = False
    mirror_y: bool = False
    turns: Turns = 0
    hanging: bool = False
    dim: tuple[tuple[float, float], ...] = ()
    flags: bool = True

    def seen(self, x: Any, y: Any) -> tuple[Any, Any]:
        """A direction of the camera (x right, y up; numbers, or arrays of them) as it is seen."""
        x, y = turned((x, y), self.turns)
        way = -1 if self.backward else 1
        return x * (-way if self.mirror_x else way), y * (-way if self.mirror_y else way)


_UNTURNED = RidgeView(first=0, end=0, flags=False)


def height_share(widths_per_s: NDArray[np.float64] | float) -> NDArray[np.float64]:
    """How much of the ridge's height a speed takes."""
    return np.sqrt(np.clip(np.asarray(widths_per_s) / FULL_WIDTHS_PER_S, 0, 1)) * _HEADROOM


@dataclass
class Budget:
    """How long drawing ridges may take in one go; what is beyond it is drawn coarsely, and anew a moment later."""

    left_s: float
    exceeded: bool = False


def paint_ridge(
    painter: QPainter, rect: QRectF, data: RidgeData, view: RidgeView, budget: Budget | None = None
) -> None:
    """Draws a ridge into a rectangle; costs about 2 ms for 900 x 120 pixels, next to nothing when drawn again."""
    ratio = painter.device().devicePixelRatioF()
    width, height = max(1, round(rect.width() * ratio)), max(1, round(rect.height() * ratio))
    key = _Keyed(data), view, width, height
    image = _bodies.get(key)
    if image is None and budget is not None and budget.left_s <= 0:
        budget.exceeded = True
        paint_ridge_small(painter, rect, data, view)
    else:
        if image is None:
            begun = time.perf_counter()
            image = _body(*key)
            _bodies.put(key, image)
            if budget is not None:
                budget.left_s -= time.perf_counter() - begun
        painter.drawImage(rect, image)
    if view.flags:
        for whip in data.whips:
            _paint_flag(painter, rect, data, view, whip)


def paint_ridge_small(painter: QPainter, rect: QRectF, data: RidgeData, view: RidgeView) -> None:
    """Draws a ridge into a narrow rectangle, from one picture of the whole take: 300 of them cost a few ms."""
    keyed = _Keyed(data)
    lies = _lying(view.backward, view.mirror_x, view.mirror_y, view.turns)
    strip = _strip(keyed, lies, max(1, round(rect.height())))
    scale = strip.width() / data.frames
    left = data.frames - view.end if view.backward else view.first
    source = QRectF(left * scale, 0, max(1e-3, (view.end - view.first) * scale), strip.height())
    painter.drawImage(rect, strip, source)


@cache
def _lying(backward: bool, mirror_x: bool, mirror_y: bool, turns: Turns) -> RidgeView:
    """How a whole take lies; made once, for hundreds of shots lie alike."""
    return replace(_UNTURNED, backward=backward, mirror_x=mirror_x, mirror_y=mirror_y, turns=turns)


def _strip(keyed: "_Keyed", lies: RidgeView, height: int) -> QImage:
    """The ridge of a whole take, that is laid so."""
    frames = keyed.data.frames
    return _strips.once(
        (keyed, lies, height), lambda: _body(keyed, replace(lies, end=frames), min(frames, _STRIP_PX), height)
    )


def x_of(frame: float, rect: QRectF, view: RidgeView) -> float:
    """Where the middle of a frame lies in a rectangle."""
    share = (frame + 0.5 - view.first) / (view.end - view.first)
    return rect.left() + rect.width() * ((1 - share) if view.backward else share)


class _Keyed:
    """Lets the cache tell data apart by identity, and keeps them alive while it does."""

    def __init__(self, data: RidgeData) -> None:
        self.data = data

    def __hash__(self) -> int:
        return id(self.data)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Keyed) and other.data is self.data


_BODIES_BYTES, _STRIPS_BYTES = 6 * 1024 * 1024, 2 * 1024 * 1024
_bodies, _strips = (ByteCache(most, QImage.sizeInBytes) for most in (_BODIES_BYTES, _STRIPS_BYTES))
"""The last ridges that were drawn, and those of whole takes."""


def _body(keyed: _Keyed, view: RidgeView, width: int, height: int) -> QImage:
    data = keyed.data
    share = (np.arange(width) + 0.5) / width
    if view.backward:
        share = 1 - share
    at = view.first + share * (view.end - view.first) - 0.5
    inside = (at >= -0.5) & (at <= data.frames - 0.5)
    frames = np.arange(data.frames)
    speed, blur = (_at_columns(values, at, frames, view, width) for values in (data.speed, data.blur))
    top = height_share(speed * view.pace) * height * inside
    thread = height_share(blur) * height
    colours = _direction_columns(data, at, view)
    rows = np.arange(height)[:, None] + 0.5
    level = rows if view.hanging else height - rows
    cover = np.clip(top - level + 0.5, 0, 1)
    fade = 0.74 + 0.26 * np.clip(level / np.maximum(top, 1), 0, 1)
    picture = np.zeros((height, width, 4), np.float32)
    picture[..., :3] = colours[None] * fade[..., None]
    crest = np.clip(1.4 - np.abs(top - level - 0.7), 0, 1)[..., None] * (top > 1)[None, :, None]
    picture[..., :3] += (np.array([220, 232, 239]) - picture[..., :3]) * 0.55 * crest
    line = np.clip(1.3 - np.abs(level - thread), 0, 1) * (thread > 1.5) * (thread < top)
    picture[..., :3] *= 1 - 0.8 * line[..., None]
    low = np.interp(at, frames, data.confidence) < LOW_CONFIDENCE
    hatch = ((np.arange(width)[None] + np.arange(height)[:, None]) % 7 < 2) & low[None]
    picture[..., :3][hatch] *= 0.45
    alpha = cover
    for first, end in view.dim:
        dim = (at >= first - 0.5) & (at < end - 0.5)
        alpha = np.where(dim[None], alpha * 0.38, alpha)
    picture[..., :3] *= alpha[..., None]
    picture[..., 3] = alpha * 255
    pixels = np.ascontiguousarray(picture.clip(0, 255).astype(np.uint8))
    return QImage(pixels.data, width, height, width * 4, QImage.Format.Format_ARGB32_Premultiplied).copy()


def _at_columns(
    values: NDArray[np.float64],
    at: NDArray[np.float64],
    frames: NDArray[np.int64],
    view: RidgeView,
    width: int,
) -> NDArray[np.float64]:
    """Values at columns; where several frames share a column, the largest, so that no peak is lost."""
    per_column = (view.end - view.first) / width
    if per_column > 1:
        size = int(np.ceil(per_column))
        values = cv2.dilate(values.astype(np.float32)[None], np.ones((1, size), np.uint8))[0].astype(np.float64)
    return np.interp(at, frames, values)


def _direction_columns(data: RidgeData, at: NDArray[np.float64], view: RidgeView) -> NDArray[np.float32]:
    """(columns, 3) BGR. Where the camera hardly moves the direction is noise: neighbours decide."""
    angle = np.radians(data.heading_deg)
    weight = data.speed**2 + 1e-6
    heading = np.stack([np.cos(angle) * weight, np.sin(angle) * weight])
    heading = cv2.GaussianBlur(heading.astype(np.float32), (0, 0), 2.0, sigmaY=1e-6)
    across, up = view.seen(heading[0], heading[1])
    degrees = np.degrees(np.arctan2(up, across)).round().astype(int) % 360
    nearest = np.clip(at.round().astype(int), 0, data.frames - 1)
    plain = theme.colour("quiet")
    turning = np.array([plain.blue(), plain.green(), plain.red()], np.float32)
    # Only where it is fast: hands at rest always turn a little.
    moving = np.where(data.speed > 0.3, np.clip((data.shifting - 0.35) / (_TURNS - 0.35), 0, 1), 1.0)[nearest, None]
    colours: NDArray[np.float32] = (turning + (_hues()[degrees[nearest]] - turning) * moving).astype(np.float32)
    return colours


@cache
def _hues() -> NDArray[np.float32]:
    """BGR of every whole degree of direction."""
    return np.array([theme.direction_rgb(a)[::-1] for a in range(360)], np.float32)


def shown_angle(angle_deg: float, view: RidgeView) -> float:
    """A direction of the camera as it is seen in a view: turned, mirrored, or played the other way."""
    across, up = view.seen(np.cos(np.radians(angle_deg)), np.sin(np.radians(angle_deg)))
    return float(np.degrees(np.arctan2(up, across)))


def _paint_flag(painter: QPainter, rect: QRectF, data: RidgeData, view: RidgeView, whip: Whip) -> None:
    x = x_of(whip.peak, rect, view)
    if not rect.left() + 1 <= x <= rect.right() - 1:
        return
    share = float(height_share(data.speed[whip.peak]))
    tip = rect.top() + rect.height() * (share if view.hanging else 1 - share)
    size = 9.0 if rect.height() > 48 else 6.0
    side = -1 if x + 2.2 * size > rect.right() else 1
    angle = shown_angle(whip.angle_deg, view)
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    base = min(max(tip, rect.top() + size * 0.7 + 1), rect.bottom() - size * 0.7 - 1)
    painter.setPen(theme.colour("text"))
    painter.drawLine(QPointF(x, base - size * 0.7), QPointF(x, base + size * 0.7))
    painter.translate(x + side * size, base)
    if whip.kind == "roll":
        _paint_twist(painter, size)
        painter.restore()
        return
    if whip.kind == "zoom":
        _paint_chevrons(painter, size, opening=(whip.growth > 1) != view.backward)
        painter.restore()
        return
    painter.rotate(-angle)
    painter.setPen(theme.colour("sunk"))
    painter.setBrush(theme.direction_colour(angle).lighter(115))
    s = size * 0.75
    arrow = [(-s, -0.55 * s), (0.1 * s, -0.55 * s), (s, 0), (0.1 * s, 0.55 * s), (-s, 0.55 * s)]
    painter.drawPolygon(QPolygonF([QPointF(*p) for p in arrow]))
    painter.restore()


def _paint_twist(painter: QPainter, size: float) -> None:
    """Two strands wound around each other: a roll."""
    along = np.linspace(-size * 0.8, size * 0.8, 17)
    for side, hue in ((1, "text"), (-1, "quiet")):
        across = side * size * 0.4 * np.sin(along / size * np.pi * 1.25)
        painter.setPen(QPen(theme.colour(hue), 1.6))
        painter.drawPolyline(QPolygonF([QPointF(float(x), float(y)) for x, y in zip(along, across, strict=True)]))


def _paint_chevrons(painter: QPainter, size: float, *, opening: bool) -> None:
    """Two angles that open (the picture grows: in) or close (out): a zoom."""
    painter.setPen(QPen(theme.colour("text"), 1.6))
    for side in (-1, 1):
        tip, ends = (0.75, 0.25) if opening else (0.2, 0.7)
        shape = [(side * size * ends, -size * 0.5), (side * size * tip, 0.0), (side * size * ends, size * 0.5)]
        painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in shape]))


def paint_waiting(painter: QPainter, rect: QRectF, words: str) -> None:
    """What stands where a ridge will be."""
    painter.setPen(theme.colour("quiet"))
    painter.setFont(theme.font(theme.SMALL_PX))
    painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, words)
