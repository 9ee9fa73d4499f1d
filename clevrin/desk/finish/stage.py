"""The middle of the Finish bench: the reel large, its outputs beside it, its scopes, or all of a screen."""

from PySide6.QtCore import Signal
from PySide6.QtGui import QGuiApplication, QScreen
from PySide6.QtWidgets import QHBoxLayout, QWidget

from clevrin.core.document import Project
from clevrin.desk.finish.scopes import Scopes
from clevrin.desk.finish.watching import BigScreen, OutputViewer, SafeAreas, other_screen
from clevrin.desk.widgets.viewer import Viewer

_MOST_BESIDE = 3
"""So many outputs are shown beside the one that is looked at."""


class Stage(QWidget):
    """Shows what the player brings: the chosen output first, then those beside it."""

    sizes_changed = Signal()
    """Pictures are wanted in other sizes, or of other outputs."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.scopes = Scopes()
        self.main = OutputViewer()
        self.others = [OutputViewer() for _ in range(_MOST_BESIDE)]
        self.viewer.wanted_size_changed.connect(self.sizes_changed)
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(0, 0, 0, 0)
        self._row.setSpacing(8)
        self._row.addWidget(self.scopes)
        self._row.addWidget(self.main, 3)
        for each in self.others:
            each.viewer.wanted_size_changed.connect(self.sizes_changed)
            each.hide()
            self._row.addWidget(each, 1)
        self.main.label.hide()
        self._big: BigScreen | None = None

    @property
    def viewer(self) -> Viewer:
        """The one that shows what is delivered."""
        return self.main.viewer

    @property
    def viewers(self) -> tuple[Viewer, ...]:
        """All that show what the player brings."""
        return (self.viewer, *(each.viewer for each in self.others))

    @property
    def wanted_size(self) -> tuple[int, int]:
        """How large the first picture is to be: as large as where it is seen the largest."""
        return self.big.viewer.wanted_size if self.big is not None else self.viewer.wanted_size

    @property
    def big(self) -> BigScreen | None:
        """The window that fills a screen, while it does."""
        return self._big if self._big is not None and self._big.isVisible() else None

    def show_outputs(self, project: Project, chosen: str | None, *, beside: bool) -> tuple[str | None, ...]:
        """Makes room for outputs beside the chosen one (None: the reel); returns which these are."""
        ids: list[str | None] = [None, *(each.id for each in project.outputs)]
        shown = [each for each in ids if each != chosen][:_MOST_BESIDE] if beside else []
        self.main.label.setVisible(bool(shown))
        self.main.label.setText(_words(project, chosen))
        for number, each in enumerate(self.others):
            there = number < len(shown)
            each.setVisible(there)
            if there:
                each.label.setText(_words(project, shown[number]))
                width, height = project.size_of(shown[number])
                self._row.setStretch(2 + number, max(1, round(3 * width / height)))
        width, height = project.size_of(chosen)
        self._row.setStretch(1, max(1, round(3 * width / height)))
        return tuple(shown)

    def show_pixels(self, pictures: tuple) -> None:
        """Shows a frame of each."""
        first, *rest = pictures
        for viewer in (self.viewer, *([self.big.viewer] if self.big is not None else [])):
            viewer.show_pixels(first)
        for each, picture in zip(self.others, rest, strict=False):
            each.viewer.show_pixels(picture)
        self.scopes.show_pixels(first)

    def show_safe_areas(self, on: bool) -> None:
        for viewer in (*self.viewers, *([self._big.viewer] if self._big is not None else [])):
            viewer.set_overlay(SafeAreas() if on else None)

    def fill_screen(self, name: str = "") -> None:
        """Fills a screen with the picture, or no longer: that of a name, else one on which this is not."""
        if self._big is None:
            self._big = BigScreen(self.sizes_changed.emit, self.window())
            self._big.addActions(self.window().actions())  # its keys are those of the main window
            self._big.viewer.wanted_size_changed.connect(self.sizes_changed)
            self._big.viewer.set_overlay(self.viewer.overlay)
        if self._big.isVisible():
            self._big.close()
            return
        if self.viewer.pixels:
            self._big.viewer.show_pixels(*self.viewer.pixels)
        self._big.fill(_screen(name) or other_screen(self))

    def close_screen(self) -> bool:
        """Gives the screen back; whether it was filled."""
        if self.big is None:
            return False
        self.big.close()
        return True


def _screen(name: str) -> QScreen | None:
    return next((each for each in QGuiApplication.screens() if each.name() == name), None)


def _words(project: Project, output_id: str | None) -> str:
    width, height = project.size_of(output_id)
    output = project.output(output_id)
    return f"{'the reel' if output is None else output.name} · {width}×{height}"
