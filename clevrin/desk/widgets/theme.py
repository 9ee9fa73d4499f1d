"""Colours, type and spacing as named tokens; the style sheet and all own drawing are made from them."""

import itertools
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from PySide6.QtCore import QByteArray, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPainter, QPalette, QPixmap
from PySide6.QtWidgets import QApplication

from clevrin.core.elements.letters import FONTS

ASSETS = Path(__file__).parents[1] / "assets"
FAMILY = "Atkinson Hyperlegible Next"


@dataclass(frozen=True)
class Tokens:
    """The colours of the design; each has one use."""

    bench: str = "#242220"
    sheet: str = "#2E2B28"
    sunk: str = "#1C1B19"
    line: str = "#45413C"
    text: str = "#EFE8DC"
    quiet: str = "#A79E91"
    surround: str = "#1E1E1E"
    ember: str = "#E39A3B"
    kelp: str = "#4FB3A0"
    plum: str = "#B07CC6"
    sky: str = "#6FA8DC"
    brick: str = "#D9604C"
    on_accent: str = "#241A0C"
    chosen: str = "#3A3128"


COLOURS = Tokens()
CORNER = 4
RAIL_WIDTH = 64
HEADER_HEIGHT = 40
REEL_HEIGHT = 150
LEAST_REEL_HEIGHT = 104
SHEET_WIDTH = 280
BODY_PX = 13
SMALL_PX = 11
TITLE_PX = 15


def colour(name: str) -> QColor:
    """The colour of a token, by its name."""
    return QColor(getattr(COLOURS, name))


def bgra(name: str) -> tuple[int, int, int, int]:
    """The colour of a token as OpenCV takes it."""
    shade = colour(name)
    return shade.blue(), shade.green(), shade.red(), 255


_HUES = ((0.0, "ember"), (90.0, "sky"), (180.0, "kelp"), (270.0, "plum"), (360.0, "ember"))


def direction_rgb(angle_deg: float) -> tuple[int, int, int]:
    """The hue for a direction of the camera (right 0, up 90): ember, sky, kelp, plum, blended between."""
    angle = angle_deg % 360
    for (start, first), (end, second) in itertools.pairwise(_HUES):
        if angle <= end:
            share = (angle - start) / (end - start)
            a, b = colour(first), colour(second)
            return tuple(  # type: ignore[return-value]
                round(x + share * (y - x))
                for x, y in ((a.red(), b.red()), (a.green(), b.green()), (a.blue(), b.blue()))
            )
    return colour("ember").red(), colour("ember").green(), colour("ember").blue()


def direction_colour(angle_deg: float) -> QColor:
    return QColor(*direction_rgb(angle_deg))


def direction_arrow(angle_deg: float) -> str:
    """An arrow beside a hue, for those who do not tell hues apart."""
    return "→↗↑↖←↙↓↘"[round(angle_deg / 45) % 8]


@cache
def load_fonts() -> None:
    """Makes the application's typeface known to Qt: a machine may have none of its own."""
    for file in sorted(FONTS.glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(file))


def font(px: float = BODY_PX, *, strong: bool = False) -> QFont:
    """The application's typeface with tabular figures, scaled with the user's own font size."""
    made = QFont(FAMILY)
    made.setPixelSize(max(9, scaled(px)))
    made.setWeight(QFont.Weight.DemiBold if strong else QFont.Weight.Normal)
    made.setFeature(QFont.Tag("tnum"), 1)
    return made


_chosen_scale = 1.0


def scale() -> float:
    """How much larger text is than in the design."""
    return _chosen_scale


def scaled(px: float) -> int:
    """A length that goes with the size of text: heights of what holds a line, sizes of what is drawn around words."""
    return round(px * _chosen_scale)


def widened(px: float) -> int:
    """A width that goes with the size of text, but not as fast: words wrap, and pictures need the room more."""
    return round(px * (1 + 0.5 * (_chosen_scale - 1)))


@cache
def swatch(colour: str, size: int = 14) -> QIcon:
    """A patch of a colour (#rrggbb), for a button by which it is chosen."""
    pixmap = QPixmap(size, size)
    pixmap.fill(QColor(COLOURS.line))
    painter = QPainter(pixmap)
    painter.fillRect(1, 1, size - 2, size - 2, QColor(colour))
    painter.end()
    return QIcon(pixmap)


def icon(name: str, tint: str = "text", size: int = 20) -> QIcon:
    """An icon of the shipped set, drawn in the colour of a token."""
    from PySide6.QtSvg import QSvgRenderer

    svg = (ASSETS / "icons" / f"{name}.svg").read_text().replace("currentColor", getattr(COLOURS, tint))
    made = QIcon()
    for mode, opacity in ((QIcon.Mode.Normal, 1.0), (QIcon.Mode.Disabled, 0.3)):
        pixmap = QPixmap(size * 2, size * 2)
        pixmap.fill(Qt.GlobalColor.transparent)
        painter = QPainter(pixmap)
        painter.setOpacity(opacity)
        QSvgRenderer(QByteArray(svg.encode())).render(painter, QRectF(0, 0, size * 2, size * 2))
        painter.end()
        pixmap.setDevicePixelRatio(2)
        made.addPixmap(pixmap, mode)
    return made


@cache
def _system_font_px(application: QApplication) -> float:
    """How large the system's own font is, before this module puts its own in its place."""
    font = application.font()
    if font.pixelSize() > 0:
        return float(font.pixelSize())
    return font.pointSizeF() * 96 / 72 if font.pointSizeF() > 0 else 12.0


def apply(application: QApplication, scale: float = 1.0) -> None:
    """Gives an application Clevrin's face. A larger system font makes all text larger, and so does `scale`."""
    global _chosen_scale
    _chosen_scale = min(2.0, max(1.0, _system_font_px(application) / 13)) * scale
    load_fonts()
    application.setStyle("Fusion")
    application.setFont(font())
    palette = QPalette()
    for role, name in (
        (QPalette.ColorRole.Window, "bench"),
        (QPalette.ColorRole.Base, "sunk"),
        (QPalette.ColorRole.AlternateBase, "sheet"),
        (QPalette.ColorRole.Button, "sheet"),
        (QPalette.ColorRole.WindowText, "text"),
        (QPalette.ColorRole.Text, "text"),
        (QPalette.ColorRole.ButtonText, "text"),
        (QPalette.ColorRole.ToolTipBase, "sheet"),
        (QPalette.ColorRole.ToolTipText, "text"),
        (QPalette.ColorRole.PlaceholderText, "quiet"),
        (QPalette.ColorRole.Highlight, "ember"),
        (QPalette.ColorRole.HighlightedText, "on_accent"),
    ):
        palette.setColor(role, colour(name))
    application.setPalette(palette)


def style_sheet() -> str:
    """What a window puts on once all of it is put together: put on sooner, or by the application, each part would be
    dressed again with all that is in it whenever it is put into another one, which takes as long as all the rest.
    """
    c = COLOURS
    return f"""
    * {{ font-family: "{FAMILY}"; }}
    QWidget {{ color: {c.text}; }}
    QMainWindow, #bench {{ background: {c.bench}; }}
    #header, #rail, #sheet, #cards {{ background: {c.sheet}; }}
    #header {{ border-bottom: 1px solid {c.line}; }}
    #sheet {{ border-left: 1px solid {c.line}; }}
    #quiet {{ color: {c.quiet}; }}
    #say {{ background: {c.sheet}; border: 1px solid {c.ember}; border-radius: {CORNER}px; }}
    #say QLabel {{ padding: 3px 6px; }}
    #say QLabel[chosen="true"] {{ background: {c.chosen}; }}
    #messages {{ background: {c.bench}; }}
    #offer {{ background: {c.chosen}; border: 1px solid {c.ember}; border-radius: {CORNER}px; }}
    #instant {{ background: transparent; border: 1px solid transparent; padding: 1px 4px; }}
    #instant:hover {{ border-color: {c.line}; }}
    #instant:focus {{ background: {c.sunk}; border-color: {c.ember}; }}
    #figure {{ background: transparent; border: 1px solid transparent; padding: 0; }}
    #figure:hover {{ border-color: {c.line}; }}
    #figure:focus {{ background: {c.sunk}; border-color: {c.ember}; }}
    #figure:disabled {{ color: #7d766c; }}
    QPushButton#page {{ background: transparent; border: none; border-bottom: 2px solid {c.line}; border-radius: 0;
        padding: 3px 4px; color: {c.quiet}; }}
    QPushButton#page:hover {{ color: {c.text}; }}
    QPushButton#page:checked {{ color: {c.text}; border-bottom: 2px solid {c.ember}; }}
    QDialog {{ background: {c.sheet}; }}
    QPlainTextEdit, QSpinBox, QComboBox {{ background: {c.sunk}; border: 1px solid {c.line};
        border-radius: {CORNER}px; padding: 3px; selection-background-color: {c.ember};
        selection-color: {c.on_accent}; }}
    QPlainTextEdit:focus, QSpinBox:focus, QComboBox:focus, QLineEdit:focus {{ border-color: {c.ember}; }}
    QSpinBox {{ padding: 3px 6px; }}
    QSpinBox::up-button, QSpinBox::down-button {{ width: 0; border: none; }}
    QSpinBox QLineEdit, QComboBox QLineEdit {{ border: none; padding: 0; background: transparent; }}
    QComboBox QAbstractItemView {{ background: {c.sheet}; border: 1px solid {c.line}; }}
    QListView#clear {{ background: transparent; border: none; padding: 0; }}
    #trouble {{ color: {c.text}; background: #3A2320; border: 1px solid {c.brick}; border-radius: {CORNER}px;
        padding: 6px 8px; }}
    QPushButton {{ background: {c.bench}; border: 1px solid {c.line}; border-radius: {CORNER}px; padding: 5px 10px; }}
    QPushButton[tight="true"] {{ padding: 5px 2px; }}
    QPushButton:hover {{ border-color: {c.quiet}; }}
    QPushButton:focus {{ border-color: {c.ember}; }}
    QPushButton:checked {{ background: {c.chosen}; border-color: {c.ember}; }}
    QPushButton:disabled {{ color: #7d766c; border-color: #38342f; }}
    QPushButton#main {{ background: {c.ember}; color: {c.on_accent}; border: none; padding: 8px 10px;
        font-weight: 600; }}
    QPushButton#main:hover {{ background: #EDAA52; }}
    QPushButton#main:disabled {{ background: #4a4036; color: {c.quiet}; }}
    QToolButton {{ background: transparent; border: 1px solid transparent; border-radius: {CORNER}px; padding: 3px; }}
    QToolButton:hover {{ background: {c.bench}; }}
    QToolButton:focus {{ border-color: {c.ember}; }}
    QToolButton::menu-indicator {{ image: none; }}
    QSlider::groove:horizontal {{ height: 4px; background: {c.line}; border-radius: 2px; }}
    QSlider::sub-page:horizontal {{ background: {c.ember}; border-radius: 2px; }}
    QSlider::handle:horizontal {{ background: {c.text}; width: 12px; height: 12px; margin: -4px 0;
        border-radius: 6px; }}
    QSlider::handle:horizontal:focus {{ background: {c.ember}; }}
    QSlider::groove:horizontal:disabled, QSlider::sub-page:horizontal:disabled {{ background: #38342f; }}
    QMenu {{ background: {c.sheet}; border: 1px solid {c.line}; padding: 4px; }}
    QMenu::item {{ padding: 5px 24px 5px 12px; border-radius: {CORNER}px; }}
    QMenu::item:selected {{ background: {c.chosen}; }}
    QMenu::item:disabled {{ color: #7d766c; }}
    QMenu::separator {{ height: 1px; background: {c.line}; margin: 4px; }}
    QToolTip {{ background: {c.sheet}; color: {c.text}; border: 1px solid {c.line}; padding: 4px; }}
    QTableWidget {{ background: {c.bench}; border: none; gridline-color: transparent; outline: none; }}
    QTableWidget::item {{ padding: 2px 6px; border: none; }}
    QTableWidget::item:selected {{ background: {c.chosen}; color: {c.text}; }}
    QHeaderView::section {{ background: {c.bench}; color: {c.quiet}; border: none; border-bottom: 1px solid {c.line};
        padding: 2px 6px; }}
    QScrollArea, #clear {{ border: none; background: transparent; }}
    QScrollBar:vertical {{ background: transparent; width: 8px; }}
    QScrollBar::handle:vertical {{ background: {c.line}; border-radius: 4px; min-height: 24px; }}
    QScrollBar:horizontal {{ background: transparent; height: 8px; }}
    QScrollBar::handle:horizontal {{ background: {c.line}; border-radius: 4px; min-width: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{
        background: none; border: none; width: 0; height: 0; }}
    QLineEdit, QListView, QTreeView {{ background: {c.sunk}; border: 1px solid {c.line}; border-radius: {CORNER}px;
        padding: 3px; selection-background-color: {c.ember}; selection-color: {c.on_accent}; }}
    QProgressBar {{ background: {c.line}; border: none; border-radius: 2px; }}
    QProgressBar::chunk {{ background: {c.kelp}; border-radius: 2px; }}
    """
