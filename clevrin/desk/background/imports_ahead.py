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
        self._thread: threading.Thread | None = None
        self._closed = False
        self._soon = QTimer(self, singleShot=True, interval=_AFTER_MS)
        self._soon.timeout.connect(self._begin)
        self._soon.start()

    def close(self) -> None:
        """Begins nothing more. Nobody waits for what is being imported: that cannot be stopped, and leaves nothing."""
        self._soon.stop()
        self._closed = True

    def _begin(self) -> None:
        if any(name not in sys.modules for name in _WANTED):
            self._thread = threading.Thread(target=self._run, name="imports", daemon=True)
            self._thread.start()

    def _run(self) -> None:
        give_way()
        for name in _WANTED:
            if not self._closed:
                with importing:
                    importlib.import_module(name)
