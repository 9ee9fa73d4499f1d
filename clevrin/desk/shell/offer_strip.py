"""What is offered, in the middle of the header: one offer with its price, and how it is taken."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QWidget

from clevrin.core.offering import Offer
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.sheet import plain_button, quiet_label

_MOST_PX = 640


class OfferStrip(QWidget):
    """Has its room whether anything is offered or not: nothing moves when an offer comes."""

    taken = Signal()
    all_taken = Signal()
    next_wanted = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        self._lead = quiet_label("offered")
        self.take_button = plain_button("", "")
        self.take_button.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)
        self.all_button = plain_button("all", "")
        self.next_button = plain_button("", "Another offer  (Alt+Q)")
        self.take_button.clicked.connect(lambda _=False: self.taken.emit())
        self.all_button.clicked.connect(lambda _=False: self.all_taken.emit())
        self.next_button.clicked.connect(lambda _=False: self.next_wanted.emit())
        for button in self._buttons:
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        for widget in (self._lead, *self._buttons):
            row.addWidget(widget)
        row.addStretch(1)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self._told = ""
        self.show_offer(None, 0, 0)

    @property
    def _buttons(self) -> tuple[QPushButton, ...]:
        return self.take_button, self.all_button, self.next_button

    @property
    def told(self) -> str:
        """What is offered, in full; empty where nothing is."""
        return self._told

    def show_offer(self, offer: Offer | None, alike: int, offers: int) -> None:
        """Tells an offer, of which the reel has so many alike, one of so many."""
        self._told = "" if offer is None else offer.told
        self.take_button.setToolTip(f"{self._told}  (Q)" if offer is not None else "")
        self.all_button.setText(f"all {alike}")
        self.all_button.setToolTip(f"The same wherever the reel is offered it, {alike} at most, as one step  (Shift+Q)")
        self.next_button.setText(f"1 of {offers}")
        for widget in (self._lead, self.take_button):
            widget.setVisible(offer is not None)
        self.all_button.setVisible(offer is not None and alike > 1)
        self.next_button.setVisible(offers > 1)
        self._fit()

    def _fit(self) -> None:
        """As many words as there is room for; the tooltip has all of them."""
        others = [self._lead, *(each for each in self._buttons[1:] if not each.isHidden())]
        taken = sum(each.sizeHint().width() + 6 for each in others) + theme.scaled(28)
        room = max(0, min(self.width() - taken, theme.widened(_MOST_PX)))
        metrics = self.take_button.fontMetrics()
        self.take_button.setText(metrics.elidedText(self._told, Qt.TextElideMode.ElideRight, room))

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._fit()
        super().resizeEvent(event)
