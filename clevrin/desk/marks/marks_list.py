"""The tracks of a take and its areas left out as a list in the sheet, with what concerns the chosen one."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from clevrin.core.document import Take, Track
from clevrin.core.document.tracks import DEFAULT_LIMIT
from clevrin.desk.bench.context import Context
from clevrin.desk.marks.overlay import POINTED, Marks
from clevrin.desk.marks.painting import track_hue
from clevrin.desk.widgets.plain_table import PlainRow, PlainTable
from clevrin.desk.widgets.sheet import SliderSetting, percent, plain_button

_MOST_ROWS = 3


class MarksList(QWidget):
    """One row a track or area: its name, and how far it is followed. Hidden while there is none."""

    frame_requested = Signal(int)

    def __init__(self, context: Context, marks: Marks, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._context, self._marks = context, marks
        self._take: Take | None = None
        self._running: tuple[bool, ...] = ()
        self.table = PlainTable(
            "tracks and areas left out",
            "What is followed in the take, and what is left out of measuring it. A click on a loss goes there.",
            columns=2,
            most_rows=_MOST_ROWS,
        )
        self.table.row_chosen.connect(self._on_table_row_chosen)
        self.table.row_named.connect(marks.rename)
        self.limit = SliderSetting(
            "Stops under",
            "Below this confidence following stops, and asks where the track is",
            low=0.3,
            high=0.98,
            step=0.01,
            default=DEFAULT_LIMIT,
            words=percent,
        )
        self.limit.value_changed.connect(marks.set_limit)
        self.carry = QCheckBox("goes along with the picture")
        self.carry.setToolTip("The area moves as the picture does, from the frame on which it was drawn")
        self.carry.clicked.connect(marks.carry)
        self.forget_button = plain_button("Forget", "Removes the chosen track or area, or what was pointed at")
        self.forget_button.clicked.connect(marks.forget)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 0)
        column.setSpacing(6)
        row = QHBoxLayout()
        row.addWidget(self.carry, 1)
        row.addStretch(1)
        row.addWidget(self.forget_button)
        for widget in (self.table, self.limit):
            column.addWidget(widget)
        column.addLayout(row)
        marks.changed.connect(self.refresh)

    def show_take(self, take: Take | None) -> None:
        self._take = take
        self.refresh()

    def refresh(self) -> None:
        """Shows the take's marks as they are now."""
        take, chosen = self._take, self._marks.chosen
        rows: list[PlainRow] = []
        if take is not None:
            for number, each in enumerate(take.tracks):
                words = each.name, self._words(each)
                rows.append(PlainRow(id=each.id, words=words, hue=track_hue(number)))
            if take.pointed is not None:
                rows.append(PlainRow(id=POINTED, words=(POINTED, f"pointed at on {take.pointed.frame}"), named=False))
            for area in take.left_out:
                where = f"carried from {area.frame}" if area.carried else "fixed"
                rows.append(PlainRow(id=area.id, words=("area left out", where), named=False))
        self.setVisible(bool(rows))
        self.table.show_rows(rows, chosen)
        track = next((t for t in take.tracks if t.id == chosen), None) if take is not None else None
        left_out = next((a for a in take.left_out if a.id == chosen), None) if take is not None else None
        self.limit.setVisible(track is not None)
        if track is not None:
            self.limit.set_number(track.limit)
        self.carry.setVisible(left_out is not None)
        self.carry.setChecked(left_out is not None and left_out.carried)
        pointed = take is not None and take.pointed is not None and chosen == POINTED
        self.forget_button.setVisible(track is not None or left_out is not None or pointed)

    def refresh_words(self) -> None:
        """A job began or ended: how far tracks are followed may be another."""
        if self._take is not None and self._take.tracks:
            running = tuple(self._context.track_jobs.is_following(track) for track in self._take.tracks)
            if running != self._running:
                self._running = running
                self.refresh()

    def _words(self, track: Track) -> str:
        track_jobs = self._context.track_jobs
        followed = track_jobs.of(track)
        if track_jobs.is_following(track):
            return "being followed"
        if track_jobs.trouble(track) is not None:
            return "cannot be followed"
        if followed is None:
            return "not followed yet"
        if not (followed.known & ~followed.placed).any() and followed.lost:
            return "nothing to hold on to"
        if followed.lost:
            return f"lost at {', '.join(str(frame) for frame in followed.lost[:2])}"
        return "all of the take"

    def _on_table_row_chosen(self, mark_id: str, column: int) -> None:
        self._marks.choose(mark_id)
        track = next((t for t in self._take.tracks if t.id == mark_id), None) if self._take is not None else None
        followed = self._context.track_jobs.of(track) if track is not None else None
        if column == 1 and followed is not None and followed.lost:
            self.frame_requested.emit(followed.lost[0])
