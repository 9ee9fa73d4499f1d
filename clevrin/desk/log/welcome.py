"""What an empty window shows: what to do first, the demo, and what was open lately."""

from collections.abc import Iterable
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from clevrin.desk.widgets import theme
from clevrin.desk.widgets.sheet import beside, plain_button, quiet_label, rolled

_FIRST = (
    ("Bring takes in", "Drop films anywhere on this window. Each is measured in the background: how its camera moves."),
    ("Put spans on the reel", "Play a take, set its span with I and O, press Enter. The reel is below, always."),
    ("Work from left to right", "Steady, Reframe, Pace and Join change what is on the reel; Finish delivers it."),
)
_WIDE_PX = 520
_MOST_LATELY = 5


class Welcome(QWidget):
    """Stands where pictures do, while there are none."""

    add_requested = Signal()
    demo_requested = Signal()
    open_requested = Signal()
    project_requested = Signal(object)
    """A project that was open lately: its path."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("surround")
        whole, page = QVBoxLayout(self), QWidget()
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(rolled(page))  # large text does not make the window higher
        page.setObjectName("clear")
        outer = QVBoxLayout(page)
        outer.addStretch(1)
        inner = QWidget()
        inner.setObjectName("clear")
        inner.setMaximumWidth(theme.widened(_WIDE_PX))
        self._column = QVBoxLayout(inner)
        self._column.setSpacing(6)
        row = QHBoxLayout()  # as wide as there is room, and no wider than is read with ease
        row.addStretch(1)
        row.addWidget(inner, 100)
        row.addStretch(1)
        outer.addLayout(row)
        outer.addStretch(2)
        self._add(_strong("Begin here", theme.TITLE_PX + 3))
        for number, (what, how) in enumerate(_FIRST, start=1):
            self._column.addSpacing(4)
            self._add(_strong(f"{number}   {what}"))
            words = quiet_label(how)
            words.setWordWrap(True)
            self._add(words)
        self._column.addSpacing(10)
        self.add_button = plain_button("Add takes…", "Films from this machine", main=True)
        self.demo_button = plain_button("Look at the demo", "Kite day on Gable Hill: a reel that is made already")
        self.open_button = plain_button("Open a project…")
        for button, signal in (
            (self.add_button, self.add_requested),
            (self.demo_button, self.demo_requested),
            (self.open_button, self.open_requested),
        ):
            button.clicked.connect(signal)
        self._add(beside(self.add_button, self.demo_button, self.open_button))
        self._column.addSpacing(8)
        self.lately_title = quiet_label("Open lately")
        self._add(self.lately_title)
        self.lately: list[QPushButton] = []
        self.show_lately(())

    def show_lately(self, projects: Iterable[Path]) -> None:
        """The projects that were open lately, the last one first."""
        for button in self.lately:
            button.deleteLater()
        self.lately = []
        for path in list(projects)[:_MOST_LATELY]:
            button = plain_button(path.stem, str(path))
            button.setObjectName("lately")
            button.clicked.connect(lambda _=False, path=path: self.project_requested.emit(path))
            self._add(button)
            self.lately.append(button)
        self.lately_title.setVisible(bool(self.lately))

    def _add(self, widget: QWidget) -> None:
        self._column.addWidget(widget)


def _strong(words: str, px: float = theme.BODY_PX) -> QLabel:
    label = QLabel(words)
    label.setFont(theme.font(px, strong=True))
    return label
