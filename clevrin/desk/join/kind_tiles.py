"""Kinds of joins as small moving pictures, in the order in which they fit."""

from dataclasses import dataclass

from PySide6.QtCore import QEvent, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QHideEvent, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QShowEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from clevrin.desk.widgets import theme

PICTURE = 144, 81
"""Pixels of a tile's picture, at the usual size of text."""
_GAP_PX, _CAPTION_PX = 8, 20
_MOVES_EVERY_MS = 80
_ARROWS = Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down


@dataclass(frozen=True, kw_only=True)
class Tile:
    """A kind, how well it fits (0 to 100), and why."""

    id: str
    score: float
    why: str


class KindTiles(QWidget):
    """A grid of tiles. A click chooses one; arrow keys go from one to the next."""

    kind_chosen = Signal(str)
    pointed_at = Signal(str)
    """The tile under the mouse, or that the keys went to; "" for none."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._tiles: tuple[Tile, ...] = ()
        self._pictures: dict[str, list[QImage]] = {}
        self._chosen, self._pointed = "", ""
        self._beat = 0
        self._ticks = QTimer(self, interval=_MOVES_EVERY_MS)
        self._ticks.timeout.connect(self._on_ticks_timeout)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.setAccessibleName("Kinds")

    @property
    def tiles(self) -> tuple[Tile, ...]:
        return self._tiles

    def pictures_of(self, kind: str) -> list[QImage]:
        """What its tile shows, one after the other; none while they are being made."""
        return self._pictures.get(kind, [])

    def show_tiles(self, tiles: tuple[Tile, ...], chosen: str) -> None:
        """Shows these kinds; pictures that are there stay until others come."""
        self._tiles, self._chosen = tiles, chosen
        self.updateGeometry()
        self.update()

    def show_pictures(self, kind: str, pictures: list[QImage]) -> None:
        self._pictures[kind] = pictures
        self.update()

    def drop_pictures(self) -> None:
        self._pictures.clear()
        self.update()

    # Where what is

    def _columns(self, width: int) -> int:
        return max(1, int((width + _GAP_PX) // (self._wide + _GAP_PX)))

    @property
    def _wide(self) -> int:
        return theme.scaled(PICTURE[0])

    @property
    def _high(self) -> int:
        return theme.scaled(PICTURE[1]) + theme.scaled(_CAPTION_PX)

    def place_of(self, kind: str) -> QRectF:
        """Where a kind's tile is."""
        number = next(n for n, tile in enumerate(self._tiles) if tile.id == kind)
        row, column = divmod(number, self._columns(self.width()))
        x, y = column * (self._wide + _GAP_PX), row * (self._high + _GAP_PX)
        return QRectF(x, y, self._wide, self._high)

    def _kind_at(self, x: float, y: float) -> str:
        return next((tile.id for tile in self._tiles if self.place_of(tile.id).contains(x, y)), "")

    def sizeHint(self) -> QSize:
        return QSize(5 * (self._wide + _GAP_PX), self.heightForWidth(self.width()))

    def minimumSizeHint(self) -> QSize:
        return QSize(self._wide, self._high)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        rows = -(-max(1, len(self._tiles)) // self._columns(width))
        return rows * (self._high + _GAP_PX) - _GAP_PX

    # What it looks like

    def paintEvent(self, event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            for tile in self._tiles:
                self._paint_tile(painter, tile, self.place_of(tile.id))

    def _paint_tile(self, painter: QPainter, tile: Tile, place: QRectF) -> None:
        box = QRectF(place.left(), place.top(), place.width(), theme.scaled(PICTURE[1]))
        painter.fillRect(box, theme.colour("surround"))
        pictures = self.pictures_of(tile.id)
        if pictures:
            painter.drawImage(box, pictures[self._beat % len(pictures)])
        caption = QRectF(place.left(), box.bottom(), place.width(), theme.scaled(_CAPTION_PX))
        chosen, pointed = tile.id == self._chosen, tile.id == self._pointed
        painter.setPen(theme.colour("text" if chosen or pointed else "quiet"))
        painter.setFont(theme.font(12, strong=chosen))
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.drawText(caption, Qt.AlignmentFlag.AlignLeft | middle, tile.id)
        painter.drawText(caption, Qt.AlignmentFlag.AlignRight | middle, f"{tile.score:.0f}")
        if chosen or pointed:
            painter.setPen(QPen(theme.colour("ember" if chosen else "quiet"), 2))
            painter.drawRect(box.adjusted(1, 1, -1, -1))

    # What the user does

    def _point_at(self, kind: str) -> None:
        if kind != self._pointed:
            self._pointed = kind
            self.pointed_at.emit(kind)
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._point_at(self._kind_at(event.position().x(), event.position().y()))

    def leaveEvent(self, event: QEvent) -> None:
        self._point_at("")

    def mousePressEvent(self, event: QMouseEvent) -> None:
        kind = self._kind_at(event.position().x(), event.position().y())
        if kind and event.button() == Qt.MouseButton.LeftButton:
            self.kind_chosen.emit(kind)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        columns = self._columns(self.width())
        ways = dict(zip(_ARROWS, (-1, 1, -columns, columns), strict=True))
        names = [tile.id for tile in self._tiles]
        way = ways.get(Qt.Key(event.key()))
        if way is None or not names:
            super().keyPressEvent(event)
            return
        now = self._pointed or self._chosen
        at = names.index(now) + way if now in names else 0
        self._point_at(names[min(max(at, 0), len(names) - 1)])

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and event.key() in _ARROWS:
            event.accept()  # else they would go through the frames
            return True
        return super().event(event)

    @property
    def pointed(self) -> str:
        """The kind that is pointed at; "" for none."""
        return self._pointed

    def hold_still(self, at: int) -> None:
        """Shows one moment of all tiles until they are shown anew."""
        self._ticks.stop()
        self._beat = at
        self.update()

    def showEvent(self, event: QShowEvent) -> None:
        self._ticks.start()

    def hideEvent(self, event: QHideEvent) -> None:
        self._ticks.stop()

    def _on_ticks_timeout(self) -> None:
        self._beat += 1
        self.update()
