"""Drawing the reel: ruler, markers, shots as ridges over thumbnails, the playhead, and what a drag does."""

from dataclasses import replace

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF

from clevrin.core.document import Hold, Marker, Over, Shot
from clevrin.core.document.model import mirror_signs
from clevrin.core.pace import Placed
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.desk.background.ridge_store import RidgeStore
from clevrin.desk.bench.context import Context
from clevrin.desk.reel.layout import LEFT, RULER, SHOT_TOP, ReelLayout
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.ridge import Budget, RidgeData, RidgeView, paint_ridge, paint_ridge_small

_THUMB_SHARE = 0.58
_TILE_PX, _PIECE_PX = 320, 20
_BEAT_PX = 2.2
_WAVE_PX = 2.5
_NARROW_PX = 40
"""Narrower shots are drawn without thumbnails and names."""


def paint_ruler(painter: QPainter, layout: ReelLayout) -> None:
    painter.setFont(theme.font(10))
    px_per_s = layout.px_per_frame * float(layout.rate) if layout.row else 90.0
    steps = (1, 2, 5, 10, 20, 30, 60, 120, 300, 600, 1800)
    step = next((s for s in steps if s * px_per_s > 64), steps[-1])
    second = int(layout.scroll / px_per_s) // step * step
    while (x := LEFT + second * px_per_s - layout.scroll) < layout.width:
        if x >= LEFT - 1:
            painter.setPen(theme.colour("line"))
            painter.drawLine(int(x), 6, int(x), RULER - 4)
            painter.setPen(theme.colour("quiet"))
            painter.drawText(QPointF(x + 6, 16), f"{second} s" if second < 120 else f"{second // 60}:{second % 60:02d}")
        second += step


def paint_markers(painter: QPainter, layout: ReelLayout, markers: tuple[Marker, ...]) -> None:
    """Markers as pennants on the ruler, beats as dots; both as thin lines through the shots."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for marker in markers:
        x = layout.x_of(marker.frame + 0.5)
        if not LEFT - 2 <= x <= layout.width:
            continue
        tint = theme.colour("sky" if marker.kind == "marker" else "plum")
        line = theme.colour("sky" if marker.kind == "marker" else "plum")
        line.setAlpha(150)
        painter.setPen(QPen(line, 1))
        painter.drawLine(QPointF(x, RULER - 2), QPointF(x, layout.height - 12))
        if marker.kind == "beat":  # there are many: they leave the ruler's figures to be read
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(tint)
            painter.drawEllipse(QPointF(x, RULER - 3), _BEAT_PX, _BEAT_PX)
            continue
        painter.setPen(QPen(theme.colour("sunk"), 1))
        painter.setBrush(tint)
        painter.drawPolygon(QPolygonF([QPointF(x - 1, 9), QPointF(x + 7, 13), QPointF(x - 1, 17)]))
        painter.setPen(QPen(tint, 1.5))
        painter.drawLine(QPointF(x, 9), QPointF(x, RULER))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def paint_over(painter: QPainter, layout: ReelLayout, over: tuple[Over, ...]) -> None:
    """Motion over the reel as a wave along the top of the shots that it lies over, from its first frame to its end."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for each in over:
        left, right = max(LEFT - 2.0, layout.x_of(each.first)), min(float(layout.width), layout.x_of(each.end))
        if right <= left:
            continue
        x = np.arange(left, right, 1.5)
        y = SHOT_TOP - 1 + _WAVE_PX * np.sin((x - layout.x_of(each.first)) / _WAVE_PX)
        points = QPolygonF([QPointF(*place) for place in zip(x.tolist(), y.tolist(), strict=True)])
        for token, wide in (("sunk", 4.0), ("ember", 1.6)):
            painter.setPen(QPen(theme.colour(token), wide))
            painter.drawPolyline(points)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def paint_shot(
    painter: QPainter,
    layout: ReelLayout,
    index: int,
    context: Context,
    ridges: RidgeStore,
    *,
    budget: Budget,
    chosen: bool,
    main: bool,
) -> None:
    """One shot. `chosen` shots have a frame; of several the `main` one a stronger one."""
    placed = layout.row[index]
    box = QRectF(*layout.shot_box(index))
    data = ridges.of(placed.take)
    foot = QRectF(box.left(), box.top() + 14, box.width(), box.height() - 14)
    if box.width() < _NARROW_PX:
        painter.fillRect(box, theme.colour("surround"))
        if data is not None:
            paint_ridge_small(painter, foot, data, shot_view(placed.shot, flags=False))
    else:
        seen = box.intersected(QRectF(LEFT - 2, 0, layout.width - LEFT + 2, layout.height))
        painter.save()
        painter.setClipRect(seen)
        painter.fillRect(seen, theme.colour("surround"))
        _paint_thumbnails(painter, box, seen, placed, context)
        if data is not None:
            _paint_ridge(painter, foot, seen, data, placed, budget)
        _paint_words(painter, box, seen, placed, layout, context, strong=main)
        painter.restore()
    if chosen:
        painter.setPen(QPen(theme.colour("ember"), 2 if main else 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box.adjusted(1, 1, -1, -1) if box.width() > 4 else box)


def _paint_ridge(
    painter: QPainter, foot: QRectF, seen: QRectF, data: RidgeData, placed: Placed, budget: Budget
) -> None:
    """The ridge of a wide shot in tiles that stay the same while the reel is scrolled or the shot is trimmed."""
    span, shot = placed.shot.span, placed.shot
    if not placed.even:
        _paint_paced_ridge(painter, foot, seen, data, placed, budget)
        return
    per_px = span.frames / foot.width()
    seen_from, seen_to = max(0.0, seen.left() - foot.left()), seen.right() - foot.left()
    for number in range(int(seen_from // _TILE_PX), int(seen_to // _TILE_PX) + 1):
        left, right = number * _TILE_PX, min((number + 1) * _TILE_PX, foot.width())
        if right <= left:
            continue
        a, b = left * per_px, right * per_px
        first, end = (span.end - b, span.end - a) if shot.reverse else (span.first + a, span.first + b)
        view = shot_view(shot, flags=foot.width() > 60, first=round(first, 3), end=round(end, 3))
        box = QRectF(foot.left() + left, foot.top(), right - left, foot.height())
        paint_ridge(painter, box, data, view, budget)


def _paint_paced_ridge(
    painter: QPainter, foot: QRectF, seen: QRectF, data: RidgeData, placed: Placed, budget: Budget
) -> None:
    """The ridge of a shot with speeds of its own, as it is seen on the reel: stretched, and as high as it is fast."""
    span, shot, course = placed.shot.span, placed.shot, placed.course
    pieces = max(1, round(foot.width() / _PIECE_PX))
    marks = np.linspace(0, placed.frames, pieces + 1)
    gone = np.interp(marks, np.arange(len(course)), course)
    for k in range(pieces):
        left, right = (foot.left() + foot.width() * at / pieces for at in (k, k + 1))
        if right < seen.left() or left > seen.right():
            continue
        a, b = sorted((float(gone[k]), float(gone[k + 1])))
        b = max(b, a + 1e-3)
        first, end = (span.end - b, span.end - a) if shot.reverse else (span.first + a, span.first + b)
        per_reel_frame = (b - a) / (marks[1] - marks[0])
        pace = round(per_reel_frame * float(placed.reel_rate / placed.take.facts.rate), 2)
        backward = shot.reverse != bool(gone[k + 1] < gone[k])
        view = replace(shot_view(shot, first=round(first, 3), end=round(end, 3)), pace=pace, backward=backward)
        paint_ridge(painter, QRectF(left, foot.top(), right - left + 0.5, foot.height()), data, view, budget)


def _paint_words(
    painter: QPainter,
    box: QRectF,
    seen: QRectF,
    placed: Placed,
    layout: ReelLayout,
    context: Context,
    *,
    strong: bool,
) -> None:
    shade = theme.colour("sunk")
    shade.setAlpha(150)
    left = max(box.left(), seen.left())
    room = box.right() - left
    painter.setFont(theme.font(theme.SMALL_PX, strong=strong))
    words = painter.fontMetrics().elidedText(placed.take.name, Qt.TextElideMode.ElideRight, int(room) - 10)
    name_box = QRectF(left, box.top(), painter.fontMetrics().horizontalAdvance(words) + 12, theme.scaled(17))
    painter.fillRect(name_box, shade)
    missing = context.measurements.missing(placed.take)
    painter.setPen(theme.colour("brick" if missing else "text"))
    painter.drawText(name_box, Qt.AlignmentFlag.AlignCenter, words)
    text = " · ".join(_marks(placed, context))
    if missing:
        text = "take is missing"
    painter.setFont(theme.font(10))
    width = painter.fontMetrics().horizontalAdvance(text) + 16
    if text and room > name_box.width() + width + 12:
        mark_box = QRectF(box.right() - width - 2, box.top(), width, theme.scaled(17))
        painter.fillRect(mark_box, shade)
        painter.setPen(theme.colour("brick" if missing else "text"))
        painter.drawText(mark_box, Qt.AlignmentFlag.AlignCenter, text)


def _marks(placed: Placed, context: Context) -> list[str]:
    shot, pace = placed.shot, pace_words(placed)
    marks = {
        hold_words(shot, context): shot.hold.how != "none",
        "lent motion": shot.loan is not None,
        "mirrored": bool(shot.mirror),
        "backward": shot.reverse,
        f"{pace} speed": pace != "1×",
    }
    return [words for words, on in marks.items() if on]


def pace_words(placed: Placed) -> str:
    """How fast a shot plays: one speed, or the least and the most."""
    if placed.even:
        return f"{float(placed.speed_at(placed.start)):.3g}×"
    some = np.arange(0.0, placed.frames, max(1, placed.frames // 48))
    speeds = placed.time.seen(some).speed * float(placed.reel_rate / placed.take.facts.rate)
    low, high = float(speeds.min()), float(speeds.max())
    return f"{low:.3g}×" if high - low < 0.01 * abs(high) else f"{low:.2g}–{high:.2g}×"


def hold_words(shot: Shot, context: Context) -> str:
    """How a shot is held, and how much of the picture that leaves, once it is known."""
    path = context.measurements.held_before(shot) if shot.hold.how != "none" else None
    if path is None or not shot.hold.stays_inside:
        return shot.hold.how
    return f"{shot.hold.how} {path.least_kept_in(shot.span) * 100:.0f} %"


def _paint_thumbnails(painter: QPainter, box: QRectF, seen: QRectF, placed: Placed, context: Context) -> None:
    project = context.session.project
    height = int(box.height() * _THUMB_SHARE)
    width = max(12, int(height / project.reel.aspect))
    # As shot: a thumbnail does not wait for a hold, nor change with it.
    shot = placed.shot.changed(span=placed.take.whole, hold=Hold(), loan=None, gates=())
    plain = HoldRequest.of(project, shot, placed.take)
    ratio = painter.device().devicePixelRatioF()
    size = (max(2, int(width * ratio) // 2 * 2), max(2, int(height * ratio) // 2 * 2))
    span = placed.shot.span
    marks = np.arange(placed.frames + 1)
    first = max(0, int((seen.left() - box.left()) // width))
    last = int((seen.right() - box.left()) // width) + 1
    for k in range(first, last):
        share = min(0.999, (k * width + width / 2) / box.width())
        step = int(share * span.frames if placed.even else np.interp(share * placed.frames, marks, placed.course))
        frame = span.end - 1 - step if placed.shot.reverse else span.first + step
        # A small trim does not ask for all of them anew.
        frame = min(max(0, frame // 4 * 4), placed.take.facts.frames - 1)
        reel_size = project.reel.size
        image = context.thumbnails.of_shot(plain, frame, reel_size, size, ready=True)
        if image is not None:
            painter.drawImage(QRectF(box.left() + k * width, box.top(), width, height), image)


def paint_playhead(painter: QPainter, layout: ReelLayout, frame: int) -> None:
    x = layout.x_of(frame + 0.5)
    if x < LEFT - 1:
        return
    painter.setPen(QPen(theme.colour("text"), 1.5))
    painter.drawLine(QPointF(x, 2), QPointF(x, layout.height - 4))
    painter.setBrush(theme.colour("text"))
    painter.drawEllipse(QPointF(x, 5), 3, 3)


def paint_insertion(painter: QPainter, layout: ReelLayout, moved: frozenset[int], at: int) -> None:
    """Where shots that are dragged would be put: a line, and the shots themselves dimmed."""
    others = [placed for index, placed in enumerate(layout.row) if index not in moved]
    frame = others[at - 1].end if at else others[0].start if others else 0
    shade = theme.colour("sunk")
    shade.setAlpha(150)
    for index in moved:
        painter.fillRect(QRectF(*layout.shot_box(index)), shade)
    painter.setPen(QPen(theme.colour("ember"), 3))
    x = layout.x_of(frame)
    painter.drawLine(QPointF(x, SHOT_TOP - 4), QPointF(x, layout.height - 10))


def paint_readout(painter: QPainter, layout: ReelLayout, x: float, words: str, snapped: str | None) -> None:
    """What a drag does, beside the pointer."""
    painter.setFont(theme.font(theme.SMALL_PX, strong=True))
    text = f"{words} · at {snapped}" if snapped else words
    width = painter.fontMetrics().horizontalAdvance(text) + 16
    left = min(max(8.0, x - width / 2), layout.width - width - 8)
    box = QRectF(left, 2, width, RULER - 1)
    painter.fillRect(box, theme.colour("chosen"))
    painter.setPen(theme.colour("ember" if snapped else "line"))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(box)
    painter.setPen(theme.colour("text"))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def shot_view(shot: Shot, *, flags: bool = True, first: float | None = None, end: float | None = None) -> RidgeView:
    """A shot's ridge as the reel shows it, or a part of it."""
    across, down = mirror_signs(shot.mirror)
    return RidgeView(
        first=shot.span.first if first is None else first,
        end=shot.span.end if end is None else end,
        backward=shot.reverse,
        mirror_x=across < 0,
        mirror_y=down < 0,
        turns=shot.turns,
        flags=flags,
    )
