"""A user who tries everything: random edits through the window's own actions, its reel and its sheets."""

import random

from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QApplication

from clevrin.core.pace import reel_frames
from clevrin.desk.shell.window import MainWindow

_WORDS = """
split remove-before remove-after duplicate remove mirror reverse copy-settings paste-settings marker beat
remove-marker in out span keep maybe drop take-it insert put-all
"""
_ACTIONS = tuple(_WORDS.split())
_MOST_SHOTS = 14


class Wanderer:
    """Makes one random edit after another; the same seed makes the same ones."""

    def __init__(self, window: MainWindow, seed: int) -> None:
        self._window = window
        self._random = random.Random(seed)

    def edit(self) -> str:
        """Tries something; returns what, in words. It may turn out to change nothing."""
        window, session, chance = self._window, self._window.session, self._random
        self._look_about()
        kind = chance.choices(("action", "drag", "hold", "note", "name"), (60, 25, 8, 5, 2))[0]
        if kind == "drag" and session.project.reel.shots:
            return self._drag()
        if kind == "hold" and session.shot is not None:
            settle = window.steady.sheet.controls["settle"]
            settle.value_changing.emit(chance.choice((0.4, 1.1, 2.5)))
            settle.value_changed.emit(settle.number)
            return "settle"
        if kind == "note" and session.take is not None:
            window.log.sheet.note.setPlainText(f"kites {chance.randrange(10_000)}")
            window.log.edits.end_note()
            return "note"
        if kind == "name" and session.take is not None:
            window.log.edits.rename(f"take {chance.randrange(1000)}")
            return "rename"
        action = chance.choice(_ACTIONS)
        if action in ("duplicate", "put-all", "insert", "take-it", "split"):
            if len(session.project.reel.shots) > _MOST_SHOTS:
                action = "remove"
        elif action == "remove" and len(session.project.reel.shots) < 3:
            action = "take-it"
        window.actions_by_id[action].trigger()
        return action

    def _look_about(self) -> None:
        """Chooses takes and shots, and moves the playhead: none of it is an edit."""
        session, chance = self._window.session, self._random
        if session.project.takes:
            session.choose_take(chance.choice(session.project.takes).id)
        if session.project.reel.shots:
            ids = [shot.id for shot in session.project.reel.shots]
            session.choose_shots(chance.sample(ids, min(len(ids), chance.choice((1, 1, 1, 2, 3)))))
            session.move_playhead(chance.randrange(reel_frames(session.project)))
        self._window.player.seek(chance.randrange(100))

    def _drag(self) -> str:
        """Drags something on the reel, with or without Alt and Shift."""
        reel, chance = self._window.reel, self._random
        if chance.random() < 0.3:
            reel.zoom(chance.choice((-3, 2, 4)))
        layout = reel.layout_now
        index = chance.choice(list(layout.seen()) or [0])
        x, y, w, h = layout.shot_box(index)
        start = chance.choice(
            ((x + 2, y + h - 6), (x + w - 2, y + h - 6), (x + w / 2, y + h - 6), (x + w + 1, y + h / 2))
        )
        end = (start[0] + chance.uniform(-300, 300), start[1])
        modifier = chance.choice(
            (
                Qt.KeyboardModifier.NoModifier,
                Qt.KeyboardModifier.AltModifier,
                Qt.KeyboardModifier.ShiftModifier,
            )
        )
        held = Qt.MouseButton.LeftButton
        self._mouse(QEvent.Type.MouseButtonPress, start, held, held, modifier)
        for share in (0.5, 1.0):
            at = (start[0] + share * (end[0] - start[0]), start[1])
            self._mouse(QEvent.Type.MouseMove, at, Qt.MouseButton.NoButton, held, modifier)
        if chance.random() < 0.1:
            self._window.actions_by_id["put-back"].trigger()
        self._mouse(QEvent.Type.MouseButtonRelease, end, held, Qt.MouseButton.NoButton, modifier)
        return "drag"

    def _mouse(
        self,
        kind: QEvent.Type,
        at: tuple[float, float],
        button: Qt.MouseButton,
        buttons: Qt.MouseButton,
        modifier: Qt.KeyboardModifier,
    ) -> None:
        reel = self._window.reel
        place = QPoint(round(at[0]), round(at[1]))
        event = QMouseEvent(kind, QPointF(place), QPointF(reel.mapToGlobal(place)), button, buttons, modifier)
        QApplication.sendEvent(reel, event)
