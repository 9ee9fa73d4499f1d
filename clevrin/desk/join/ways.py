"""The ways of looking at joins: the chosen cut, or one of the pages."""

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QVBoxLayout

from clevrin.desk.background.known_moves import KnownMoves
from clevrin.desk.bench.context import Context
from clevrin.desk.join.all_cuts import AllCuts
from clevrin.desk.join.followers import Followers
from clevrin.desk.join.kinds_page import KindsPage
from clevrin.desk.join.one_move_page import OneMovePage
from clevrin.desk.join.page import JoinPage
from clevrin.desk.widgets.sheet import OwnChoice, Sheet

CUT = "cut"


class Ways(QObject):
    """A row of buttons, and the pages among which they choose."""

    changing = Signal()
    """Another way is about to be shown: what makes room for it is hidden now, or the window would have to grow."""
    changed = Signal()
    tried_changed = Signal()
    take_changed = Signal()
    line_chosen = Signal()

    def __init__(self, context: Context, known: KnownMoves, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.pages: dict[str, JoinPage] = {
            "kinds": KindsPage(context, known),
            "all": AllCuts(context, known),
            "next": Followers(context, known),
            "move": OneMovePage(context, known),
        }
        self.page: JoinPage | None = None
        """The one that is looked at; None: the chosen cut."""
        self.buttons = OwnChoice(
            "Look at",
            "What the bench is about",
            [
                (CUT, "this cut", "How the chosen shot meets the next one"),
                ("kinds", "kinds", "Each kind of join as a small moving picture of these two shots, best fit first"),
                ("all", "all cuts", "Every cut of the reel, how it is joined, and what fits better"),
                ("next", "what follows", "Every take of the log behind the chosen shot, best first"),
                ("move", "one move", "A reel of all takes, cut and joined by what fits, as a proposal"),
            ],
            columns=5,
            default=CUT,
        )
        self.buttons.name.hide()
        self.buttons.chosen.connect(self.look_at)
        for page in self.pages.values():
            page.hide()
            page.tried_changed.connect(self._on_page_tried_changed)
            page.take_changed.connect(self._on_page_take_changed)
            page.line_chosen.connect(self.line_chosen)

    def add_to(self, column: QVBoxLayout) -> None:
        """Puts the pages into the middle of the bench."""
        for page in self.pages.values():
            column.addWidget(page, 4)

    def add_controls_to(self, sheet: Sheet) -> None:
        for page in self.pages.values():
            sheet.add(*page.controls)
        self.show_controls()

    def show_controls(self) -> None:
        """In the sheet stands what belongs to the page that is looked at."""
        for page in self.pages.values():
            for control in page.controls:
                control.setVisible(page is self.page)

    @property
    def about_the_cut(self) -> bool:
        """Whether the settings of the chosen cut are of interest."""
        return self.page is None or self.page.about_cuts_of_the_reel

    def look_at(self, name: str) -> None:
        """Shows another way of looking, by its name."""
        self.buttons.keep(name)
        self.page = self.pages.get(name)
        for each in self.pages.values():
            each.hide()
        self.changing.emit()
        if self.page is not None:
            self.page.show()
        self.show_controls()
        self.changed.emit()

    def look_on(self) -> None:
        """Goes to the next way of looking."""
        names = list(self.buttons.buttons)
        self.look_at(names[(names.index(self.buttons.key) + 1) % len(names)])

    def _on_page_tried_changed(self) -> None:
        if self.sender() is self.page:
            self.tried_changed.emit()

    def _on_page_take_changed(self) -> None:
        if self.sender() is self.page:
            self.take_changed.emit()
