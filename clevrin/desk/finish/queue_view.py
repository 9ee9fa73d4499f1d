"""The queue of renders as a list, with what can be done with the chosen one."""

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from clevrin.desk.finish.queue import Render, RenderQueue
from clevrin.desk.widgets.plain_table import PlainRow, PlainTable
from clevrin.desk.widgets.sheet import plain_button, quiet_label

_MOST_ROWS = 5
_WORDS = {"waiting": "waits", "paused": "paused", "done": "done", "failed": "failed"}


class QueueView(QWidget):
    """Hidden while nothing was rendered."""

    def __init__(self, queue: RenderQueue, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._queue, self._chosen = queue, ""
        self._known: set[str] = set()
        self.table = PlainTable("Renders", "A click chooses one", columns=3, most_rows=_MOST_ROWS)
        self.table.row_chosen.connect(self._on_table_row_chosen)
        self.pause_button = plain_button("Pause", "Stops it; what is finished stays, and it can go on")
        self.resume_button = plain_button("Resume", "Goes on where it was")
        self.sooner_button = plain_button("Sooner", "Before the one above it")
        self.remove_button = plain_button("Remove", "Off the queue; what is half made is thrown away")
        self.note = quiet_label("")
        self.note.setWordWrap(True)
        column, row = QVBoxLayout(self), QHBoxLayout()
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        for button, run in (
            (self.pause_button, queue.pause),
            (self.resume_button, queue.resume),
            (self.sooner_button, queue.sooner),
            (self.remove_button, queue.remove),
        ):
            button.clicked.connect(lambda _=False, run=run: run(self._chosen))
            row.addWidget(button)
        row.addStretch(1)
        column.addWidget(self.table)
        column.addLayout(row)
        column.addWidget(self.note)
        queue.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Shows the queue as it is now."""
        renders = self._queue.renders
        self.setVisible(bool(renders))
        if not renders:
            return
        ids = {each.id for each in renders}
        if self._chosen not in ids or renders[-1].id not in self._known:  # a new one is what is looked at
            self._chosen = renders[-1].id
        self._known = ids
        self.table.show_rows(
            (
                PlainRow(id=each.id, words=(each.request.path.name, each.words, words_of(each)), named=False)
                for each in renders
            ),
            self._chosen,
        )
        chosen = next(each for each in renders if each.id == self._chosen)
        self.pause_button.setVisible(chosen.state in ("waiting", "rendering"))
        self.resume_button.setVisible(chosen.state in ("paused", "failed"))
        self.sooner_button.setEnabled(renders[0].id != self._chosen)
        self.note.setText(chosen.sentence)
        self.note.setVisible(bool(chosen.sentence))

    def _on_table_row_chosen(self, render_id: str, _: int) -> None:
        self._chosen = render_id
        self.refresh()


def words_of(render: Render) -> str:
    """How a render stands, in a few words."""
    if render.state != "rendering":
        return _WORDS[render.state]
    if render.doing or not render.total:
        return render.doing or "begins"
    share = f"{render.done / render.total:.0%}"
    return share if render.left_s is None else f"{share}, {_time(render.left_s)} left"


def _time(seconds: float) -> str:
    if seconds < 90:
        return f"{max(1, round(seconds))} s"
    return f"{seconds / 60:.0f} min" if seconds < 5400 else f"{seconds / 3600:.1f} h"
