"""How loud the reel is, at the playhead and in all: loudness and true peak as EBU R 128 has them."""

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from clevrin.core.sound.loudness import HIGHEST_PEAK_DB, SILENT_LUFS, LoudnessCourse
from clevrin.desk.widgets import theme

_ROW, _NAME, _FIGURE = 17, 74, 62
_LOWEST_DB = -48.0
_HELP = (
    "Loudness in LUFS of the last 0.4 s and the last 3 s at the playhead, and the true peak in dB; below, that of all "
    f"of the reel. Peaks stay under {HIGHEST_PEAK_DB:g} dB."
)


class Meters(QWidget):
    """Three bars for the playhead, and the figures of the whole reel in words."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._course: LoudnessCourse | None = None
        self._second = 0.0
        self._words = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(theme.scaled(4 * _ROW + 4))
        self.setToolTip(_HELP)
        self.setAccessibleName("how loud it is")

    def sizeHint(self) -> QSize:
        return QSize(200, theme.scaled(4 * _ROW + 4))

    @property
    def words(self) -> str:
        """What is said of all of the reel."""
        return self._words

    @property
    def figures(self) -> tuple[float, float, float]:
        """Loudness of the last 0.4 s, of the last 3 s, and the true peak, at the instant that is looked at."""
        return self._course.at(self._second) if self._course is not None else (SILENT_LUFS,) * 3

    def show_course(self, course: LoudnessCourse | None, words: str = "") -> None:
        """How loud the reel is as it goes; None: not known, and why."""
        self._course = course
        self._words = words or (_whole_words(course) if course is not None else "")
        self.update()

    def show_instant(self, second: float) -> None:
        self._second = second
        if self.isVisible():
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            row, name, figure = theme.scaled(_ROW), theme.scaled(_NAME), theme.scaled(_FIGURE)
            painter.setFont(theme.font(theme.SMALL_PX))
            rows = zip(("now", "last 3 s", "true peak"), self.figures, ("kelp", "sky", "kelp"), strict=True)
            for number, (words, value, token) in enumerate(rows):
                top = number * row
                peak = number == 2
                over = peak and value > HIGHEST_PEAK_DB
                painter.setPen(theme.colour("quiet"))
                painter.drawText(QRectF(0, top, name, row), Qt.AlignmentFlag.AlignVCenter, words)
                box = QRectF(name, top + 4, self.width() - name - figure, row - 8)
                painter.fillRect(box, theme.colour("sunk"))
                share = min(1.0, max(0.0, 1 - value / _LOWEST_DB))
                lit = QRectF(box.left(), box.top(), box.width() * share, box.height())
                painter.fillRect(lit, theme.colour("brick" if over else token))
                if peak:
                    x = box.left() + box.width() * (1 - HIGHEST_PEAK_DB / _LOWEST_DB)
                    painter.fillRect(QRectF(x, box.top() - 2, 1.5, box.height() + 4), theme.colour("text"))
                painter.setPen(theme.colour("brick" if over else "text"))
                said = "silent" if value <= SILENT_LUFS else f"{value:.1f} {'dB' if peak else 'LUFS'}"
                right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
                painter.drawText(QRectF(self.width() - figure, top, figure, row), right, said)
            painter.setPen(theme.colour("text"))
            box = QRectF(0, 3 * row, self.width(), row)
            words = painter.fontMetrics().elidedText(self._words, Qt.TextElideMode.ElideRight, self.width())
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, words)


def _whole_words(course: LoudnessCourse) -> str:
    whole = course.whole
    if whole.lufs is None or whole.peak_db is None:
        return "all of it: silent"
    return f"all of it: {whole.lufs:.1f} LUFS · {whole.range_lu:.1f} LU · peak {whole.peak_db:.1f} dB"
