"""Which key does what: the table of actions with what the user changed of it, and clashes."""

from collections.abc import Iterable

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QKeySequence

from clevrin.desk.shell.actions import ACTIONS, HELD_KEYS, Action
from clevrin.desk.state.settings import Settings


class Keys(QObject):
    """Keys by action; changes are kept with the settings."""

    changed = Signal()

    def __init__(self, settings: Settings, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._settings = settings
        settings.keys_changed.connect(self.changed)

    def of(self, action: Action) -> tuple[str, ...]:
        return self._settings.keys.get(action.id, action.keys)

    def is_changed(self, action: Action) -> bool:
        return self.of(action) != action.keys

    def owner(self, key: str, besides: str = "") -> str | None:
        """The words of the action that has a key already, other than the one with the id `besides`."""
        wanted = _plain(key)
        for action in ACTIONS:
            if action.id != besides and wanted in map(_plain, self.of(action)):
                return action.words
        return next((words for held, words in HELD_KEYS if _plain(held) == wanted), None)

    def give(self, action: Action, key: str) -> None:
        """Gives an action a key as its only one, and takes it from the action that has it. Raises `ClevrinError`."""
        self._assign({action.id: (key,)})

    def reset(self, actions: Iterable[Action]) -> None:
        """Gives actions the keys of the table, and takes these from those that have them now."""
        self._assign({action.id: action.keys for action in actions})

    def _assign(self, given: dict[str, tuple[str, ...]]) -> None:
        """Gives actions their keys, takes these from all others, and keeps what differs from the table."""
        taken = {_plain(key) for keys in given.values() for key in keys}
        known = {action.id for action in ACTIONS}
        keys = {id: each for id, each in self._settings.keys.items() if id not in known}  # of a later version
        for action in ACTIONS:
            left = tuple(key for key in self.of(action) if _plain(key) not in taken)
            now = given.get(action.id, left)
            if now != action.keys:
                keys[action.id] = now
        self._settings.set_keys(keys)


def key_words(keys: Iterable[str]) -> str:
    """Keys as they are written on screen."""
    return ", ".join(QKeySequence(key).toString(QKeySequence.SequenceFormat.NativeText) for key in keys)


def _plain(key: str) -> str:
    return QKeySequence(key).toString(QKeySequence.SequenceFormat.PortableText)
