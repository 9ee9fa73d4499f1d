"""Large libraries that a bench needs are imported while nobody waits for them.

Entering Steady for the first time took 0.9 s of an idle machine, all of it the import of SciPy's filters.
"""

import importlib
import sys
import threading

from PySide6.QtCore import QObject, QTimer

from clevrin.core.importing import importing
from clevrin.desk.background.priority import give_way

_AFTER_MS = 400
"""The window is drawn first."""
_WANTED = ("scipy.signal",)


class ImportsAhead(QObject):
    """Begins soon after it was made, on a thread of its own; whoever needs one sooner waits for that one alone."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._soon = QTimer(self, singleShot=True, interval=_AFTER_MS)
        self._soon.timeout.connect(self._begin)
        self._soon.start()

    def close(self) -> None:
        """Begins nothing more. Nobody waits for what is being imported: that cannot be stopped, and leaves nothing."""
        self._soon.stop()

    def _begin(self) -> None:
        if any(name not in sys.modules for name in _WANTED):
            threading.Thread(target=_import, name="imports", daemon=True).start()


def _import() -> None:
    give_way()
    for name in _WANTED:
        with importing:
            importlib.import_module(name)
