"""One history for all edits: undo, redo, gestures that end as one step."""

from dataclasses import dataclass

from clevrin.core.document.edits import Edit
from clevrin.core.document.model import Project


@dataclass(frozen=True, kw_only=True)
class _Step:
    label: str
    before: Project
    gesture: str | None


class History:
    """The present project, and the steps that led to it and away from it.

    Projects are values that share their unchanged parts, so keeping one per step is cheap.
    """

    def __init__(self, project: Project) -> None:
        self._present = project
        self._done: list[_Step] = []
        self._undone: list[_Step] = []

    @property
    def project(self) -> Project:
        return self._present

    @property
    def undo_label(self) -> str | None:
        """What undo would take back, or None."""
        return self._done[-1].label if self._done else None

    @property
    def redo_label(self) -> str | None:
        return self._undone[-1].label if self._undone else None

    def do(self, edit: Edit, *, gesture: str | None = None) -> bool:
        """Applies an edit; steps in a row with the same `gesture` become one. False: it changed nothing."""
        after = edit.apply(self._present)
        if after == self._present:
            return False
        same = gesture is not None and bool(self._done) and self._done[-1].gesture == gesture
        if not same:
            self._done.append(_Step(label=edit.label, before=self._present, gesture=gesture))
        self._undone.clear()
        self._present = after
        return True

    def end_gesture(self) -> None:
        """The next edit starts a step of its own, whatever its gesture."""
        if self._done and self._done[-1].gesture is not None:
            last = self._done[-1]
            self._done[-1] = _Step(label=last.label, before=last.before, gesture=None)

    def cancel_gesture(self, gesture: str) -> bool:
        """Puts back what a gesture under way has changed, without leaving anything to redo."""
        if not self._done or self._done[-1].gesture != gesture:
            return False
        self._present = self._done.pop().before
        return True

    def undo(self) -> bool:
        """Takes the last step back; False when there is none."""
        return self._shift(self._done, self._undone)

    def redo(self) -> bool:
        return self._shift(self._undone, self._done)

    def _shift(self, source: list[_Step], target: list[_Step]) -> bool:
        if not source:
            return False
        step = source.pop()
        target.append(_Step(label=step.label, before=self._present, gesture=None))
        self._present = step.before
        return True
