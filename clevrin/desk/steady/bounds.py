"""How far the gate of a float may go along each axis: four numbers to type, empty where it goes freely."""

import re

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QLineEdit

from clevrin.core.document import Bounds
from clevrin.core.document.holding import AXES, Axis
from clevrin.desk.widgets.sheet import Setting, quiet_label

_UNITS: dict[Axis, tuple[str, float, float]] = {
    # What is shown, what a typed 1 means, and the most of it.
    "pan": ("%", 0.01, 100),
    "tilt": ("%", 0.01, 100),
    "roll": ("°", 1.0, 90),
    "zoom": ("%", 0.01, 100),
}


class BoundsSetting(Setting):
    """The bounds of a hold; `refused` carries a sentence when what was typed is out of range."""

    bounds_changed = Signal(object)
    refused = Signal(str)

    def __init__(self) -> None:
        super().__init__("Goes at most", "How far the gate may leave its middle: shares of the width, and degrees")
        self._bounds = Bounds()
        self.entries: dict[Axis, QLineEdit] = {}
        grid = QGridLayout()
        grid.setSpacing(4)
        for column, axis in enumerate(AXES):
            entry = QLineEdit()
            entry.setPlaceholderText("free")
            entry.setAlignment(Qt.AlignmentFlag.AlignRight)
            entry.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
            entry.setAccessibleName(f"{axis} at most")
            entry.returnPressed.connect(lambda axis=axis: self._on_entry_return_pressed(axis))
            entry.editingFinished.connect(lambda: self.show_bounds(self._bounds))
            grid.addWidget(quiet_label(axis), 0, column)
            grid.addWidget(entry, 1, column)
            self.entries[axis] = entry
        self.rows.addLayout(grid)
        self.finish()
        self.default_requested.connect(lambda: self.bounds_changed.emit(Bounds()))

    def show_bounds(self, bounds: Bounds) -> None:
        """Shows bounds without saying that they changed."""
        self._bounds = bounds
        for axis, entry in self.entries.items():
            unit, one, _ = _UNITS[axis]
            value = getattr(bounds, axis)
            if not entry.hasFocus():
                entry.setText("" if value is None else f"{value / one:g} {unit}")

    def _on_entry_return_pressed(self, axis: Axis) -> None:
        unit, one, most = _UNITS[axis]
        text = self.entries[axis].text().strip()
        found = re.match(r"(\d+(?:[.,]\d*)?)", text)
        self.entries[axis].clearFocus()
        if not text or text == "free":
            self.bounds_changed.emit(self._bounds.changed(**{axis: None}))
        elif found is None or float(found[1].replace(",", ".")) > most:
            self.show_bounds(self._bounds)
            self.refused.emit(f"How far {axis} goes is a number from 0 to {most:g} {unit}; empty, it is free.")
        else:
            number = float(found[1].replace(",", ".")) * one
            self.bounds_changed.emit(self._bounds.changed(**{axis: round(number, 6)}))
