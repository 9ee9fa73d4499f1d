"""Drawing the lanes of sound: waveforms as loud as they are heard, levels as lines, fades and crossings as slopes."""

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QPainter, QPen, QPolygonF

from clevrin.core.document import LANES, LaneName
from clevrin.core.document.sounding import gain_of
from clevrin.core.sound.loudness import HIGHEST_PEAK_DB, TENTHS, LoudnessCourse
from clevrin.core.sound.takes import sounds
from clevrin.desk.background.waveforms import Waveforms
from clevrin.desk.reel.layout import LEFT
from clevrin.desk.sound.layout import LANE_HEIGHT, SWISH_PX, LanesLayout
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.waveform import loud_between, paint_outline

_LOWEST_LUFS = -48.0
_HANDLE_PX = 3.0
_FAINT = 70
_CURVE_POINTS = 17
_NARROW_PX = 24
"""What is narrower has no handles drawn."""

Numbers = NDArray[np.float64]


def paint_names(painter: QPainter, layout: LanesLayout, not_heard: frozenset[LaneName]) -> None:
    """What the lanes are called, struck out where they are muted."""
    for lane in LANES:
        muted = lane in not_heard
        font = _name_font()
        font.setStrikeOut(muted)
        painter.setFont(font)
        painter.setPen(theme.colour("brick" if muted else "quiet"))
        box = QRectF(12, layout.top(lane), LEFT - 14, LANE_HEIGHT)
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, lane)
    painter.setFont(_name_font())
    painter.setPen(theme.colour("quiet"))
    _, top, _, height = layout.loud_box()
    painter.drawText(QRectF(12, top, LEFT - 14, height), Qt.AlignmentFlag.AlignVCenter, "loudness")


def paint_takes(
    painter: QPainter, layout: LanesLayout, waveforms: Waveforms, chosen: frozenset[str], *, muted: bool
) -> None:
    """Each shot where it is heard."""
    top, height = layout.top("takes"), LANE_HEIGHT
    for index in layout.reel.seen():
        placed = layout.reel.row[index]
        left, right = layout.heard(index)
        box = QRectF(left, top, right - left, height).intersected(_room(layout, top, height))
        if box.width() < 1:
            continue
        painter.fillRect(box, theme.colour("surround"))
        is_chosen = placed.shot.id in chosen
        if not sounds(placed, layout.project):
            if box.width() > _NARROW_PX:
                _say(painter, box, "silent")
            continue
        outline = waveforms.of(placed.take)
        if waveforms.trouble(placed.take) is not None:
            _say(painter, box, "cannot be read", "brick")
        elif outline is not None:
            columns = np.arange(int(box.left()), int(box.right()) + 1)
            loud = loud_between(outline, _take_seconds(layout, index, columns))
            slopes = _slopes(columns, layout.heard(index), layout.fades(index), _cross_px(layout, index))
            shown = np.minimum(1.0, loud * np.sqrt(gain_of(placed.shot.sound.level_db)) * np.sqrt(slopes[:-1]))
            paint_outline(painter, columns, shown, top + height - 1, height - 4, "line" if muted else "quiet")
        _paint_level(painter, layout, "takes", placed.shot.sound.level_db, layout.heard(index), layout.fades(index),
                     strong=is_chosen)  # fmt: skip
    _paint_crossings(painter, layout)


def paint_music(
    painter: QPainter, layout: LanesLayout, waveforms: Waveforms, course: LoudnessCourse | None, *, muted: bool
) -> None:
    """The music where it lies under the reel, and where it makes room."""
    music, found = layout.project.music, layout.music()
    top, height = layout.top("music"), LANE_HEIGHT
    if music is None or found is None:
        _say(painter, _room(layout, top, height), "no music: lay some in Pace")
        return
    left, comes, goes, right = found
    box = QRectF(left, top, right - left, height).intersected(_room(layout, top, height))
    if box.width() < 1:
        return
    painter.fillRect(box, theme.colour("surround"))
    outline = waveforms.of(music)
    if waveforms.trouble(music) is not None:
        _say(painter, box, "music is missing", "brick")
    elif outline is not None:
        columns = np.arange(int(box.left()), int(box.right()) + 1)
        reel = layout.reel
        seconds = (columns - LEFT + reel.scroll) / reel.px_per_frame / float(reel.rate) - music.start_s
        slopes = _slopes(columns, (left, right), (comes, goes), (0.0, 0.0))
        dips = _dips(layout, columns, course)
        shown = np.minimum(1.0, loud_between(outline, seconds) * np.sqrt(music.gain * slopes[:-1] * dips[:-1]))
        paint_outline(painter, columns, shown, top + height - 1, height - 4, "line" if muted else "quiet")
        if dips.min() < 1:
            _paint_dips(painter, layout, columns, music.level_db + 20 * np.log10(dips))
    _paint_level(painter, layout, "music", music.level_db, (left, right), (comes, goes), strong=True)


def _dips(layout: LanesLayout, columns: NDArray[np.int64], course: LoudnessCourse | None) -> Numbers:
    """What the music is multiplied by where it makes room, for each column; 1 while that is not known."""
    if course is None or course.music_share is None or not len(course.music_share):
        return np.ones(len(columns))
    return course.music_share[_tenths_at(layout, columns, len(course.music_share))].astype(np.float64)


def _tenths_at(layout: LanesLayout, columns: NDArray[np.int64], count: int) -> NDArray[np.int64]:
    """Which of so many tenths of a second of the reel each column shows."""
    per_tenth = layout.reel.px_per_frame * float(layout.reel.rate) / TENTHS
    return np.clip(((columns - LEFT + layout.reel.scroll) / per_tenth).astype(np.int64), 0, count - 1)


def _paint_dips(painter: QPainter, layout: LanesLayout, columns: NDArray[np.int64], levels_db: Numbers) -> None:
    """How loud the music is where it makes room, as a line under that of its level."""
    points = [QPointF(x, layout.y_of("music", level)) for x, level in zip(columns, levels_db, strict=True)]
    painter.save()
    painter.setClipRect(_room(layout, layout.top("music"), LANE_HEIGHT))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(theme.colour("kelp"), 1.2))
    painter.drawPolyline(QPolygonF(points))
    painter.restore()


def paint_swishes(painter: QPainter, layout: LanesLayout, *, muted: bool) -> None:
    """At each cut a hump as high as its swish is loud; a foot where there is none."""
    top, height = layout.top("swishes"), LANE_HEIGHT
    painter.fillRect(_room(layout, top, height).intersected(_reel_box(layout, top, height)), theme.colour("surround"))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for index in layout.reel.seen():
        if index >= len(layout.reel.row) - 1:
            continue
        x, foot = layout.reel.x_of(layout.reel.row[index].end), top + height - 2.0
        if x < LEFT:
            continue
        loud = layout.swish_share(index)
        along = np.linspace(-1, 1, 25)
        rises = foot - (height - 6) * loud * np.cos(along * np.pi / 2) ** 2
        points = [QPointF(x + a * SWISH_PX, y) for a, y in zip(along, rises, strict=True)]
        painter.setPen(QPen(theme.colour("line" if muted or not loud else "kelp"), 1.4))
        painter.setBrush(_faint("line" if muted else "kelp"))
        painter.drawPolygon(QPolygonF(points))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("quiet" if muted else "kelp"))
        painter.drawEllipse(QPointF(x, foot - (height - 6) * loud), _HANDLE_PX, _HANDLE_PX)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def paint_loudness(painter: QPainter, layout: LanesLayout, course: LoudnessCourse | None) -> None:
    """Momentary loudness as a shape, and where true peaks go over the limit in the colour of a warning."""
    left, top, width, height = layout.loud_box()
    painter.fillRect(_room(layout, top, height).intersected(_reel_box(layout, top, height)), theme.colour("surround"))
    if course is None or not len(course.momentary_lufs):
        return
    columns = np.arange(int(left), int(min(left + width, layout.reel.x_of(layout.reel.frames))) + 1)
    inside = _tenths_at(layout, columns, len(course.momentary_lufs))
    share = np.clip(1 - course.momentary_lufs[inside].astype(np.float64) / _LOWEST_LUFS, 0, 1)
    paint_outline(painter, columns, share[:-1], top + height - 1, height - 3, "sky")
    loud = columns[:-1][np.maximum.reduceat(course.peak_db, inside[:-1]) > HIGHEST_PEAK_DB]
    for x in loud:
        painter.fillRect(QRectF(float(x), top, 1.0, 3.0), theme.colour("brick"))


def _paint_level(
    painter: QPainter,
    layout: LanesLayout,
    lane: LaneName,
    level_db: float,
    heard: tuple[float, float],
    fades: tuple[float, float],
    *,
    strong: bool,
) -> None:
    """The level as a line that rises where a sound comes and falls where it goes, with a dot at either knee."""
    (left, right), (comes, goes) = heard, fades
    if right - left < _NARROW_PX:
        return
    line, foot = layout.y_of(lane, level_db), layout.top(lane) + LANE_HEIGHT - 1.0
    painter.save()
    painter.setClipRect(_room(layout, layout.top(lane), LANE_HEIGHT))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(theme.colour("ember" if strong else "text"), 1.6 if strong else 1.0))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    points = [QPointF(comes, line), QPointF(goes, line)]
    if comes > left:
        points.insert(0, QPointF(left, foot))
    if goes < right:
        points.append(QPointF(right, foot))
    painter.drawPolyline(QPolygonF(points))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour("ember" if strong else "text"))
    for x in (max(comes, left + _HANDLE_PX), min(goes, right - _HANDLE_PX)):
        painter.drawEllipse(QPointF(x, line), _HANDLE_PX, _HANDLE_PX)
    painter.restore()


def _paint_crossings(painter: QPainter, layout: LanesLayout) -> None:
    """Where sounds pass over: what goes falls in the hue of its side, what comes rises in that of its own.

    Where they are cut, a line of both hues.
    """
    top, height = layout.top("takes"), LANE_HEIGHT
    painter.save()
    painter.setClipRect(_room(layout, top, height))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for index in layout.reel.seen():
        if index >= len(layout.reel.row) - 1:
            continue
        left, about, right = layout.crossing(index)
        for token, way in (("ember", -1), ("kelp", 1)):
            painter.setPen(QPen(theme.colour(token), 1.2))
            if right - left <= 1:
                middle = top + height / 2
                painter.drawLine(QPointF(about, middle), QPointF(about, middle + way * height / 2))
                continue
            painter.setBrush(_faint(token))
            along = np.linspace(0, 1, _CURVE_POINTS)
            level = np.sin((along if way > 0 else 1 - along) * np.pi / 2)  # as loud together as either alone
            curve = zip(left + along * (right - left), top + height - 1 - level * (height - 3), strict=True)
            foot = top + height - 1.0
            painter.drawPolygon(
                QPolygonF([QPointF(left, foot), *(QPointF(x, y) for x, y in curve), QPointF(right, foot)])
            )
    painter.restore()


def _take_seconds(layout: LanesLayout, index: int, columns: NDArray[np.int64]) -> Numbers:
    """Which instants of its take are heard at columns of pixels, before and behind its picture as it goes on there."""
    placed, reel = layout.reel.row[index], layout.reel
    frames = (columns - LEFT + reel.scroll) / reel.px_per_frame - placed.start
    inside = np.clip(frames, 0, placed.frames)
    course = placed.course
    per_frame = placed.shot.span.frames / placed.frames
    gone = inside * per_frame if placed.even else np.interp(inside, np.arange(len(course)), course)
    gone = gone + (frames - inside) * per_frame
    shot = placed.shot
    place = shot.span.end - gone if shot.reverse else shot.span.first + gone
    return np.asarray(place / float(placed.take.facts.rate))


def _slopes(
    columns: NDArray[np.int64], heard: tuple[float, float], fades: tuple[float, float], crosses: tuple[float, float]
) -> Numbers:
    """How much of a sound is heard at columns: less where it comes and goes, and where it crosses."""
    level = np.ones(len(columns))
    for since, fade, cross in (
        (columns - heard[0], fades[0] - heard[0], crosses[0]),
        (heard[1] - columns, heard[1] - fades[1], crosses[1]),
    ):
        if fade > 0:
            level *= np.sin(np.clip(since / fade, 0, 1) * np.pi / 2) ** 2
        if cross > 0:
            level *= np.sin(np.clip(since / cross, 0, 1) * np.pi / 2)
    return level


def _cross_px(layout: LanesLayout, index: int) -> tuple[float, float]:
    """How wide the crossings at both ends of a shot are."""
    before = layout.crossing(index - 1) if index > 0 else (0.0, 0.0, 0.0)
    after = layout.crossing(index) if index < len(layout.reel.row) - 1 else (0.0, 0.0, 0.0)
    return before[2] - before[0], after[2] - after[0]


def _room(layout: LanesLayout, top: float, height: float) -> QRectF:
    return QRectF(LEFT, top, layout.reel.room, height)


def _reel_box(layout: LanesLayout, top: float, height: float) -> QRectF:
    left, right = layout.reel.x_of(0), layout.reel.x_of(layout.reel.frames)
    return QRectF(left, top, right - left, height)


def _name_font() -> QFont:
    """The room beside the lanes does not grow with the text."""
    return theme.font(theme.SMALL_PX / max(1.0, theme.scale() / 1.25))


def _say(painter: QPainter, box: QRectF, words: str, token: str = "quiet") -> None:
    painter.setFont(theme.font(theme.SMALL_PX))
    painter.setPen(theme.colour(token))
    painter.drawText(box.adjusted(6, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, words)


def _faint(token: str) -> QColor:
    shade = theme.colour(token)
    shade.setAlpha(_FAINT)
    return shade
