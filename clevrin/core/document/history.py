"""One history for all edits: undo, redo, gestures that end as one step, and the state that was saved."""

from collections import deque
from dataclasses import dataclass, replace

from clevrin.core.document.edits import Edit
from clevrin.core.document.model import Project

MOST_STEPS = 4000
"""Steps that can be undone; the oldest are forgotten. Each costs some 10 kB with 500 takes and 300 shots."""


@dataclass(frozen=True, kw_only=True)
class _Step:
    label: str
    project: Project  # what undo, or redo, brings back
    gesture: str | None = None
    undone: tuple["_Step", ...] = ()  # what could be redone before the gesture, for putting it back


class History:
    """The present project, and the steps that led to it and away from it.

    Projects are values that share their unchanged parts, so keeping one per step is cheap.
    """

    def __init__(self, project: Project, *, saved: bool = True, most_steps: int = MOST_STEPS) -> None:
        self._present = project
        self._done: deque[_Step] = deque(maxlen=most_steps)
        self._undone: list[_Step] = []
        self._saved = project if saved else None

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

    @property
    def at_save_point(self) -> bool:
        """Whether the present project is the one that was saved last."""
        return self._present is self._saved

    def mark_saved(self, project: Project) -> None:
        """Notes which state was saved; it need not be the present one any more."""
        self._saved = project

    def do(self, edit: Edit, *, gesture: str | None = None) -> bool:
        """Applies an edit; steps in a row with the same `gesture` become one. False: it changed nothing."""
        after = edit.apply(self._present)
        if after == self._present:
            return False
        if gesture is None or not self._done or self._done[-1].gesture != gesture:
            undone = tuple(self._undone) if gesture is not None else ()
            self._done.append(_Step(label=edit.label, project=self._present, gesture=gesture, undone=undone))
        self._undone.clear()
        self._present = after
        return True

    def end_gesture(self, label: str = "") -> None:
        """The next edit starts a step of its own; a gesture that ended where it began is no step.

        `label`: words for what was done in it, instead of those of its first edit.
        """
        if not self._done or self._done[-1].gesture is None:
            return
        last = self._done[-1]
        if last.project == self._present:
            self.cancel_gesture(last.gesture)
        else:
            self._done[-1] = replace(last, gesture=None, undone=(), label=label or last.label)

    def cancel_gesture(self, gesture: str | None) -> bool:
        """Puts back what a gesture under way has changed, and what could be redone before it."""
        if gesture is None or not self._done or self._done[-1].gesture != gesture:
            return False
        step = self._done.pop()
        self._present, self._undone = step.project, list(step.undone)
        return True

    def undo(self) -> bool:
        """Takes the last step back; False when there is none."""
        self.end_gesture()
        if not self._done:
            return False
        step = self._done.pop()
        self._undone.append(_Step(label=step.label, project=self._present))
        self._present = step.project
        return True

    def redo(self) -> bool:
        if not self._undone:
            return False
        step = self._undone.pop()
        self._done.append(_Step(label=step.label, project=self._present))
        self._present = step.project
        return True
