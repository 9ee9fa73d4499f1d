"""Digits that belong to a number: a field may be gone before it is typed to its end, and its keys are others' keys."""

import time
from collections.abc import Callable

from PySide6.QtWidgets import QLineEdit

_STILL_S = 2.0
"""So soon after a digit what is typed next still belongs to the same number."""


class _Number:
    """What was typed last into a number, and whether it was said to be done."""

    def __init__(self, now: Callable[[], float] = time.monotonic) -> None:
        self._now = now
        self._last = -1e9

    def typed(self, *_: object) -> None:
        self._last = self._now()

    def done(self) -> None:
        self._last = -1e9

    @property
    def under_way(self) -> bool:
        """Whether somebody is in the middle of a number, wherever the keys go now."""
        return self._now() - self._last < _STILL_S


number = _Number()


def watch_number(field: QLineEdit) -> None:
    """What is typed into this field is a number, until Enter."""
    field.textEdited.connect(number.typed)
    field.returnPressed.connect(number.done)
