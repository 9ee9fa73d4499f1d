"""Areas over a take's picture: drawn and dragged there, colours clicked, and how they cover it."""

from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QPointF, QRect, QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPen, QPolygonF

from clevrin.core.document import Area, CutOut, Drawn, Take
from clevrin.core.document.areas import Shape, made_of
from clevrin.core.matte import coverage, matte_at
from clevrin.core.matte.areas import drawn_at
from clevrin.core.matte.clinging_areas import points_at
from clevrin.core.matte.colours import colour_at
from clevrin.core.matte.painting import smooth_curve
from clevrin.core.media.picture import Picture, picture_from_rgb
from clevrin.core.motion.tracks.both_ways import Followed
from clevrin.desk.areas.edits import AreaEdits, cut_part, drawn_part
from clevrin.desk.bench.context import Context
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.pixels import image_of
from clevrin.desk.widgets.viewer import Viewer

Places = NDArray[np.float64]
Tool = Literal["look", "half-plane", "box", "disc", "curve", "colour", "cut-out", "belongs", "apart"]

_NEAR_PX = 12.0
_LEAST_DRAG_PX = 8.0
_WIDEST = 640
"""How finely an area is shown over the picture."""
_FAR = 4000.0
_STROKE_PX = 9.0
_STROKES = ("belongs", "apart")
_TINT = 0.5


class AreaDrawing(QObject):
    """The overlay of a viewer while areas are worked on."""

    changed = Signal()
    moved_on = Signal()
    """Another frame is looked at."""

    def __init__(self, context: Context, viewer: Viewer, edits: AreaEdits) -> None:
        super().__init__(viewer)
        self._measurements, self._track_jobs = context.measurements, context.track_jobs
        self._mask_jobs = context.mask_jobs
        self._viewer, self._edits = viewer, edits
        self._frame = 0
        self._active, self._tool, self._see = False, "look", "tint"
        self._points: list[QPointF] = []
        self._start: QPointF | None = None
        self._now = QPointF()
        self._grip: int | None = None
        self._known: tuple[object, NDArray[np.uint8]] | None = None
        edits.chosen_changed.append(self._tell)
        self._mask_jobs.changed.connect(self._on_mask_jobs_changed)

    # What is shown

    @property
    def active(self) -> bool:
        """Whether it is drawn in the picture's place of other marks."""
        return self._active

    def set_active(self, active: bool) -> None:
        self._active = active
        self._drop()
        self._tell()

    def show(self, frame: int) -> None:
        """The frame of the take that the viewer shows."""
        moved, self._frame = frame != self._frame, frame
        if self._active:
            self._viewer.set_overlay(self)
            if moved:
                self.moved_on.emit()

    @property
    def frame(self) -> int:
        """The frame of the take that is looked at."""
        return self._frame

    @property
    def tool(self) -> str:
        """What the next click or drag in the picture makes; "look": it drags what is there."""
        return self._tool

    def set_tool(self, tool: str) -> None:
        self._drop()
        self._tool = tool
        self._tell()

    @property
    def see(self) -> str:
        return self._see

    def set_see(self, see: str) -> None:
        """How the chosen area is seen: as a tint, as grey, or alone on a plain ground."""
        self._see = see
        self._tell()

    def put_back(self) -> bool:
        """Drops what is being drawn or dragged, or the wish to draw; whether there was any."""
        if not self._active or (self._tool == "look" and self._start is None):
            return False
        if self._points or self._start is not None:
            self._drop()
        else:
            self._tool = "look"
        self._tell()
        return True

    def _drop(self) -> None:
        self._points, self._start, self._grip = [], None, None

    # Overlay

    def paint(self, painter: QPainter, rect: QRect) -> None:
        take, area = self._edits.take, self._edits.chosen
        if take is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setClipRect(rect)
        if area is not None:
            self._paint_cover(painter, rect, take, area)
            part = drawn_part(area)
            if part is not None and self._tool == "look":
                self._paint_outline(painter, part, self._to_view(self._dragged(part, rect), rect, take))
            cut = cut_part(area)
            if cut is not None:
                self._paint_said(painter, rect, take, cut)
        self._paint_new(painter)

    def _paint_cover(self, painter: QPainter, rect: QRect, take: Take, area: Area) -> None:
        shown = self._shown()
        if shown is None or (self._grip is not None and self._start is not None):
            return
        known = self._mask_jobs.cuts(take)
        parts = made_of(area, take.areas)
        clung = self._mask_jobs.clung(take)
        cuts = tuple(id(known.get(cut)) for each in parts for cut in each.cut_outs)
        cuts += tuple(id(clung.get(curve)) for each in parts for curve in each.clinging)
        key = parts, self._frame, self._see, id(self._viewer.pixels[0]), theme.scale(), cuts
        if self._known is None or self._known[0] != key:
            self._known = key, self._drawn_cover(take, area, shown)
        painter.drawImage(QRectF(rect), image_of(self._known[1], clear=True))

    def _drawn_cover(self, take: Take, area: Area, shown: NDArray[np.uint8]) -> NDArray[np.uint8]:
        """BGRA: how the area is seen over the picture."""
        height, width = shown.shape[:2]
        others = {each.id: each for each in made_of(area, take.areas)}
        cuts, clung = self._mask_jobs.cuts(take), self._mask_jobs.clung(take)
        matte = matte_at(area, self._frame, self._chain(take), self._tracks(take), cuts, others, clung)
        picture = self._as_picture(shown) if matte.of_picture else None
        cover = coverage(matte, (take.facts.width, take.facts.height), (width, height), picture)
        made = np.empty((height, width, 4), np.uint8)
        if self._see == "tint":
            made[..., :3] = theme.bgra("ember")[:3]
            made[..., 3] = cover * (255 * _TINT)
            made[..., :3] = made[..., :3] * (made[..., 3:].astype(np.float32) / 255)
        elif self._see == "grey":
            made[..., :3] = (cover * 255)[..., None]
            made[..., 3] = 255
        else:
            ground = np.array(theme.bgra("plum")[:3], np.float32)
            made[..., :3] = shown[..., :3] * cover[..., None] + ground * (1 - cover[..., None])
            made[..., 3] = 255
        return made

    def _shown(self) -> NDArray[np.uint8] | None:
        """What the viewer shows, no wider than an area is shown."""
        if not self._viewer.pixels:
            return None
        pixels = self._viewer.pixels[0]
        height, width = pixels.shape[:2]
        if width <= _WIDEST:
            return pixels
        size = _WIDEST, max(2, round(_WIDEST * height / width / 2) * 2)
        return np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA))

    @staticmethod
    def _as_picture(shown: NDArray[np.uint8]) -> Picture:
        height, width = (side // 2 * 2 for side in shown.shape[:2])
        whole = picture_from_rgb(np.ascontiguousarray(shown[:height, :width, 2::-1]))
        return whole

    def _paint_outline(self, painter: QPainter, part: Drawn, view: Places) -> None:
        line = view
        if part.shape == "curve":
            line = smooth_curve(view, part.sharp)
        elif part.shape == "disc":
            angle = np.linspace(0, 2 * np.pi, 64)[:, None]
            line = view[0] + np.cos(angle) * (view[1] - view[0]) + np.sin(angle) * (view[2] - view[0])
        elif part.shape == "half-plane":
            way = (view[1] - view[0]) / max(1.0, float(np.hypot(*(view[1] - view[0]))))
            line = np.array([view[0] - way * _FAR, view[1] + way * _FAR])
        for pen in (QPen(theme.colour("sunk"), 4), QPen(theme.colour("ember"), 1.8)):
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            polygon = QPolygonF([QPointF(float(x), float(y)) for x, y in line])
            if part.shape == "half-plane":
                painter.drawPolyline(polygon)
            else:
                painter.drawPolygon(polygon)
        set_here = any(each.frame == self._frame for each in part.outlines)
        for x, y in view:
            _paint_grip(painter, QPointF(float(x), float(y)), filled=set_here)

    def _paint_said(self, painter: QPainter, rect: QRect, take: Take, cut: CutOut) -> None:
        """What was said of the subject on this frame: the box about it, and strokes."""
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for each in cut.around:
            if each.frame == self._frame:
                first, second = (QPointF(*at) for at in self._to_view(np.array(each.box).reshape(2, 2), rect, take))
                painter.setPen(QPen(theme.colour("ember"), 1.4, Qt.PenStyle.DashLine))
                painter.drawRect(QRectF(first, second))
        for stroke in cut.strokes:
            if stroke.frame == self._frame:
                places = self._to_view(np.array(stroke.places, np.float64), rect, take)
                width = stroke.width_px * rect.width() / take.facts.width
                _paint_stroke(painter, [QPointF(*at) for at in places], width, belongs=stroke.belongs)

    def _paint_new(self, painter: QPainter) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self._tool in _STROKES and self._points:
            _paint_stroke(painter, self._points, _STROKE_PX, belongs=self._tool == "belongs")
            return
        painter.setPen(QPen(theme.colour("text"), 1.4, Qt.PenStyle.DashLine))
        if self._points:
            painter.drawPolyline(QPolygonF([*self._points, self._now]))
            for each in self._points:
                _paint_grip(painter, each, filled=False)
        elif self._start is not None and self._tool in ("box", "cut-out"):
            painter.drawRect(QRectF(self._start, self._now).normalized())
        elif self._start is not None and self._tool == "half-plane":
            painter.drawLine(self._start, self._now)
        elif self._start is not None and self._tool == "disc":
            reach = float(np.hypot(self._now.x() - self._start.x(), self._now.y() - self._start.y()))
            painter.drawEllipse(self._start, reach, reach)

    def cursor(self, at: QPointF, rect: QRect) -> Qt.CursorShape:
        if self._tool != "look":
            return Qt.CursorShape.CrossCursor
        return Qt.CursorShape.SizeAllCursor if self._under(at, rect) is not None else Qt.CursorShape.ArrowCursor

    def press(self, at: QPointF, rect: QRect) -> bool:
        if self._edits.take is None or not rect.contains(at.toPoint()):
            return False
        self._now = at
        if self._tool == "look":
            self._grip = self._under(at, rect)
            if self._grip is None:
                return False
        self._start = at
        self._viewer.update()
        return True

    def drag(self, at: QPointF, rect: QRect) -> None:
        self._now = at
        if self._tool in _STROKES and self._start is not None:
            self._points = [*(self._points or [self._start]), at]
        self._viewer.update()

    def release(self, at: QPointF, rect: QRect) -> None:
        start, self._now = self._start, at
        if start is None:
            return
        if self._tool == "look":
            self._moved(start, at, rect)
        elif self._tool == "curve":
            self._point_of_curve(at, rect)
        elif self._tool == "colour":
            self._picked(at, rect)
        elif self._tool in _STROKES:
            self._painted_over(start, rect)
        elif (at - start).manhattanLength() >= _LEAST_DRAG_PX:
            self._drew(start, at, rect)
        self._start, self._grip = None, None
        self._tell()

    # What is done

    def _moved(self, start: QPointF, at: QPointF, rect: QRect) -> None:
        area = self._edits.chosen
        part = None if area is None else drawn_part(area)
        if part is not None and (at - start).manhattanLength() >= 1:
            self._edits.move(self._frame, self._dragged(part, rect))

    def _painted_over(self, start: QPointF, rect: QRect) -> None:
        """A stroke over the chosen cut-out; the next one may follow at once."""
        take = self._edits.take
        assert take is not None
        places = self._to_px(np.array([[each.x(), each.y()] for each in self._points or [start]]), rect)
        width = _STROKE_PX * take.facts.width / rect.width()
        self._points = []
        self._edits.stroke(self._frame, places, width, belongs=self._tool == "belongs")

    def _drew(self, start: QPointF, at: QPointF, rect: QRect) -> None:
        shape: Shape
        if self._tool == "cut-out":
            self._tool = "look"
            self._edits.cut_out(self._frame, self._to_px(np.array([[p.x(), p.y()] for p in (start, at)]), rect))
            return
        if self._tool == "box":
            shape, box = "box", QRectF(start, at).normalized()
            view = [box.topLeft(), box.topRight(), box.bottomRight(), box.bottomLeft()]
        elif self._tool == "half-plane":
            shape, view = "half-plane", [start, at]
        else:
            shape, reach = "disc", float(np.hypot(at.x() - start.x(), at.y() - start.y()))
            view = [start, start + QPointF(reach, 0), start + QPointF(0, reach)]
        self._make(shape, view, rect)

    def _point_of_curve(self, at: QPointF, rect: QRect) -> None:
        """Another point of the curve; near its first one it is closed."""
        closes = len(self._points) > 2 and (at - self._points[0]).manhattanLength() < _NEAR_PX
        if closes:
            self._make("curve", self._points, rect)
        else:
            self._points = [*self._points, at]

    def _make(self, shape: Shape, view: list[QPointF], rect: QRect) -> None:
        places = self._to_px(np.array([[each.x(), each.y()] for each in view]), rect)
        self._tool, self._points = "look", []
        self._edits.draw(shape, self._frame, places)

    def _picked(self, at: QPointF, rect: QRect) -> None:
        shown = self._shown()
        if shown is None:
            return
        x, y = (at.x() - rect.left()) / rect.width(), (at.y() - rect.top()) / rect.height()
        picture = self._as_picture(shown)
        lab = colour_at(picture, (x * picture.size[0] - 0.5, y * picture.size[1] - 0.5))
        (place,) = self._to_px(np.array([[at.x(), at.y()]]), rect)
        self._edits.pick(self._frame, (float(place[0]), float(place[1])), lab)

    # Where things are

    def _dragged(self, part: Drawn, rect: QRect) -> Places:
        """Where the points of the chosen area are on the frame, one or all of them where they are being dragged to."""
        take = self._edits.take
        assert take is not None
        places = self.places_of(part, take)
        if self._start is None or self._grip is None:
            return places
        before, now = self._to_px(np.array([[self._start.x(), self._start.y()], [self._now.x(), self._now.y()]]), rect)
        one = (
            slice(None)
            if self._grip < 0 or (part.shape == "disc" and self._grip == 0)
            else slice(self._grip, self._grip + 1)
        )
        places[one] += now - before
        return places

    def places_of(self, part: Drawn, take: Take) -> Places:
        """Where the points of a drawn part are on the frame."""
        curve = self._mask_jobs.clung(take).get(part)
        clung = None if curve is None else points_at(part, curve, self._frame)
        if clung is not None:
            return clung
        return np.array(drawn_at(part, self._frame, self._chain(take), self._tracks(take)), np.float64)

    def _under(self, at: QPointF, rect: QRect) -> int | None:
        """The number of the point under the mouse; -1 for all of the area; None for nothing."""
        take, area = self._edits.take, self._edits.chosen
        part = None if area is None else drawn_part(area)
        if take is None or part is None:
            return None
        places = self.places_of(part, take)
        view = self._to_view(places, rect, take)
        away = np.hypot(*(view - (at.x(), at.y())).T)
        if away.min() < _NEAR_PX:
            return int(np.argmin(away))
        shape = np.array(view, np.float32).reshape(-1, 1, 2)
        inside = len(view) > 3 and cv2.pointPolygonTest(shape, (at.x(), at.y()), False) >= 0
        return -1 if inside else None

    def _chain(self, take: Take) -> Places | None:
        trace = self._measurements.trace(take)
        return None if trace is None else self._measurements.store.chain(take, trace)

    def _tracks(self, take: Take) -> dict[str, Followed]:
        found = {track.id: self._track_jobs.of(track) for track in take.tracks}
        return {id: each for id, each in found.items() if each is not None}

    def _to_view(self, places: Places, rect: QRect, take: Take) -> Places:
        size = np.array([take.facts.width, take.facts.height])
        return np.asarray((places + 0.5) / size * (rect.width(), rect.height()) + (rect.left(), rect.top()))

    def _to_px(self, view: Places, rect: QRect) -> Places:
        take = self._edits.take
        assert take is not None
        size = np.array([take.facts.width, take.facts.height])
        return np.asarray((view - (rect.left(), rect.top())) / (rect.width(), rect.height()) * size - 0.5)

    def _on_mask_jobs_changed(self, take_id: str, area_id: str) -> None:
        if self._active:
            self._tell()

    def _tell(self) -> None:
        self._viewer.update()
        self.changed.emit()


def _paint_stroke(painter: QPainter, points: list[QPointF], width: float, *, belongs: bool) -> None:
    """What was painted over: filled where it belongs, its outline alone where it does not."""
    along = points if len(points) > 1 else [points[0], points[0] + QPointF(0.1, 0)]
    cap, join = Qt.PenCapStyle.RoundCap, Qt.PenJoinStyle.RoundJoin
    painter.setPen(QPen(theme.colour("ember"), width, Qt.PenStyle.SolidLine, cap, join))
    painter.drawPolyline(QPolygonF(along))
    if not belongs:
        painter.setPen(QPen(theme.colour("sunk"), max(1.0, width - 3), Qt.PenStyle.SolidLine, cap, join))
        painter.drawPolyline(QPolygonF(along))


def _paint_grip(painter: QPainter, at: QPointF, *, filled: bool) -> None:
    """A point that can be dragged: a small sail, filled where the area was set on this very frame."""
    sail = QPolygonF([at + QPointF(-5, 5), at + QPointF(5, 5), at + QPointF(-5, -6)])
    painter.setPen(QPen(theme.colour("sunk"), 3))
    painter.drawPolygon(sail)
    painter.setBrush(theme.colour("ember") if filled else theme.colour("sunk"))
    painter.setPen(QPen(theme.colour("ember"), 1.4))
    painter.drawPolygon(sail)
    painter.setBrush(Qt.BrushStyle.NoBrush)
