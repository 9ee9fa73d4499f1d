"""An offer under the header: a sentence with what can be done about it, which waits for an answer and stops nobody."""

from collections import deque
from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QWidget

from clevrin.desk.widgets.sheet import plain_button


@dataclass(frozen=True, kw_only=True, eq=False)
class Offer:
    """A sentence, and answers: words on a button with what it does. The first one is the one that is proposed."""

    sentence: str
    answers: tuple[tuple[str, Callable[[], None]], ...]


class OfferBar(QFrame):
    """Shows one offer at a time; the next one comes when it is answered."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("offer")
        self._waiting: deque[Offer] = deque()
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 1, 4, 1)
        row.setSpacing(8)
        self._sentence = QLabel()
        self._sentence.setWordWrap(True)
        row.addWidget(self._sentence, 1)
        self._row = row
        self.buttons: list[QPushButton] = []
        self.hide()

    @property
    def sentence(self) -> str:
        """What is offered now; empty when nothing is."""
        return self._waiting[0].sentence if self._waiting else ""

    def offer(self, offer: Offer) -> None:
        self._waiting.append(offer)
        if len(self._waiting) == 1:
            self._show()

    def _show(self) -> None:
        for button in self.buttons:
            button.deleteLater()
        self.buttons = []
        self.setVisible(bool(self._waiting))
        if not self._waiting:
            return
        offer = self._waiting[0]
        self._sentence.setText(offer.sentence)
        for number, (words, act) in enumerate(offer.answers):
            button = plain_button(words, main=number == 0)
            button.clicked.connect(lambda _=False, act=act: self._answer(act))
            self._row.addWidget(button)
            self.buttons.append(button)

    def _answer(self, act: Callable[[], None]) -> None:
        self._waiting.popleft()
        self._show()
        act()
