"""The reel's own size and rate, in a window beside the main one; they can be changed at any time."""

from fractions import Fraction

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QDialog, QHBoxLayout, QLabel, QSpinBox, QVBoxLayout, QWidget

from clevrin.core.document.edits import SetReel
from clevrin.core.document.model import Light
from clevrin.core.errors import ClevrinError
from clevrin.desk.state.session import Session
from clevrin.desk.widgets.sheet import ChoiceSetting, Setting, Trouble, plain_button, quiet_label
from clevrin.desk.widgets.wheel import keep_from_wheel

_SHAPES = {"16:9": (16, 9), "9:16": (9, 16), "1:1": (1, 1), "4:5": (4, 5), "2.39:1": (239, 100)}
_RATES = ("24000/1001", "24", "25", "30000/1001", "30", "48", "50", "60000/1001", "60")


class FormatSheet(QDialog):
    """Changes hold when the button is pressed, as one step that can be undone."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Size and rate of the reel")
        self.setMinimumWidth(360)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._session = session
        reel = session.project.reel
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(10)
        self.shape = ChoiceSetting(
            "Shape",
            "Width to height of the reel; its shorter side stays",
            [(name, name, f"{name}, the shorter side as it is") for name in _SHAPES],
            columns=5,
        )
        self.shape.chosen.connect(self._on_shape_chosen)
        size = Setting("Size", "Width and height of the reel in pixels, both even")
        self.width_box, self.height_box = _pixels(reel.width, "width"), _pixels(reel.height, "height")
        row = QHBoxLayout()
        for part in (self.width_box, QLabel("×"), self.height_box):
            row.addWidget(part)
        row.addStretch(1)
        size.rows.addLayout(row)
        size.finish()
        rate = Setting("Rate", "Frames per second of the reel, as 25 or 30000/1001")
        self.rate = QComboBox()
        self.rate.setEditable(True)
        self.rate.setCompleter(None)  # type: ignore[arg-type]  # it would make 30000/1001 of 30
        keep_from_wheel(self.rate)
        self.rate.addItems(_RATES)
        self.rate.setCurrentText(str(reel.rate))
        rate.rows.addWidget(self.rate)
        rate.finish()
        self.light = ChoiceSetting(
            "Light",
            "What becomes of takes with a high range of light",
            (
                ("as its takes", "as its takes", "Kept, where all takes on the reel have the same (HLG or PQ)"),
                ("standard", "standard", "Brought into the standard range of BT.709"),
            ),
            columns=2,
            default="as its takes",
        )
        self._on_light_chosen(reel.light)
        self.light.chosen.connect(self._on_light_chosen)
        self.trouble = Trouble()
        self.take_button = plain_button("Take this format", main=True)
        self.take_button.clicked.connect(self._on_take_button_clicked)
        rows: tuple[QWidget, ...] = (self.shape, size, rate, self.light, self.trouble, self.take_button)
        for each in rows:
            column.addWidget(each)
        column.addWidget(quiet_label("Takes cover the reel: what does not fit its shape is cut off evenly."))
        self._show_shape()

    def _on_shape_chosen(self, name: str) -> None:
        across, down = _SHAPES[name]
        short = min(self.width_box.value(), self.height_box.value())
        longer = round(short * max(across, down) / min(across, down) / 2) * 2
        width, height = (longer, short) if across >= down else (short, longer)
        self.width_box.setValue(width)
        self.height_box.setValue(height)
        self._show_shape()

    def _on_light_chosen(self, light: Light) -> None:
        self._light = light
        self.light.set_chosen(light)

    def _show_shape(self) -> None:
        shape = self.width_box.value() / self.height_box.value()
        self.shape.set_chosen(*(name for name, (a, d) in _SHAPES.items() if abs(shape / (a / d) - 1) < 0.01))

    def _on_take_button_clicked(self) -> None:
        try:
            edit = SetReel(
                rate=_rate(self.rate.currentText()),
                width=self.width_box.value() // 2 * 2,
                height=self.height_box.value() // 2 * 2,
                light=self._light,
            )
        except ClevrinError as error:
            self.trouble.tell(str(error))
            return
        self._session.do(edit)
        self.close()


def _rate(text: str) -> Fraction:
    try:
        rate = Fraction(text.strip().replace(",", "."))
    except (ValueError, ZeroDivisionError):
        rate = Fraction(0)
    if not 1 <= rate <= 240 or rate.denominator > 1001:
        raise ClevrinError(f"'{text}' is no rate: 1 to 240 frames/s are possible, as 25, 23.976 or 30000/1001.")
    return rate


def _pixels(value: int, name: str) -> QSpinBox:
    box = QSpinBox()
    keep_from_wheel(box)
    box.setRange(16, 8192)
    box.setSingleStep(2)
    box.setValue(value)
    box.setMinimumWidth(90)
    box.setAccessibleName(name)
    return box
