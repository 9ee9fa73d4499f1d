"""`make strips`: three jobs as pictures for the guide, one for each action of the hand, and what came of it."""

import sys
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter

from clevrin.core.media.picture import rgb_from_picture
from clevrin.core.media.reading import FilmReader
from clevrin.desk.widgets import theme
from tests.jobs import hand, test_jobs

STRIPS = Path(__file__).parent.parent / "docs" / "guide" / "jobs"
JOBS = ("one take", "made joins", "upright")
_COLUMNS, _CELL = 3, (440, 275)
_GAP, _CAPTION_PX = 12, 40
_FROM_FILM = 3


class SeenHand(hand.CountedHand):
    """Keeps a picture of the window and what was done, after each action."""

    def __init__(self, hands, folder: Path) -> None:
        self.seen: list[tuple[QImage, str]] = []
        super().__init__(hands, folder)
        self.window.resize(1280, 800)

    def _see(self, words: str) -> None:
        self.hands.qtbot.wait(400)
        self.seen.append((self.window.grab().toImage(), f"{self.actions}  {words}"))

    def drop(self, *names: str) -> None:
        super().drop(*names)
        self._see(f"drop {', '.join(names)}")

    def key(self, key: Qt.Key, modifier: Qt.KeyboardModifier = hand.NONE) -> None:
        super().key(key, modifier)
        held = {hand.CTRL: "Ctrl+", hand.SHIFT: "Shift+"}.get(modifier, "")
        self._see(f"{held}{Qt.Key(key).name.removeprefix('Key_')}")

    def hold_key(self, key: Qt.Key) -> None:
        super().hold_key(key)
        self._see(f"{Qt.Key(key).name.removeprefix('Key_')}, held down: as it was shot")

    def drag(self, widget, start, end) -> None:
        super().drag(widget, start, end)
        self._see("drag")

    def click(self, widget, at=None) -> None:
        super().click(widget, at)
        words = getattr(widget, "text", lambda: "")()
        self._see(f"click {words}".strip())

    def say(self, words: str) -> None:
        opened = self.actions + 1
        super().say(words)
        self.seen = [each for each in self.seen if int(each[1].split()[0]) < opened]
        self._see(f"Ctrl+T, “{words}”, Enter")

    def rendered(self) -> Path:
        path = super().rendered()
        with FilmReader(next(self.folder.glob("* upright*"), path)) as film:
            for at in range(_FROM_FILM):
                rgb = np.ascontiguousarray(
                    rgb_from_picture(film.read(round((at + 0.5) / _FROM_FILM * (film.frames - 1))))
                )
                height, width = rgb.shape[:2]
                picture = QImage(rgb.data, width, height, width * 3, QImage.Format.Format_RGB888).copy()
                self.seen.append((picture, "the film" if not at else ""))
        return path


def write_strip(seen: list[tuple[QImage, str]], path: Path) -> None:
    """The pictures beside and under each other, each with its words."""
    width, height = _CELL
    rows = -(-len(seen) // _COLUMNS)
    step_x, step_y = width + _GAP, height + _CAPTION_PX + _GAP
    strip = QImage(_COLUMNS * step_x + _GAP, rows * step_y + _GAP, QImage.Format.Format_RGB32)
    strip.fill(QColor(theme.colour("sunk")))
    with QPainter(strip) as painter:
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setFont(theme.font(theme.BODY_PX))
        painter.setPen(theme.colour("text"))
        for number, (picture, words) in enumerate(seen):
            x, y = _GAP + number % _COLUMNS * step_x, _GAP + number // _COLUMNS * step_y
            box = QRectF(x, y + _CAPTION_PX, width, height)
            size = picture.size().scaled(width, height, Qt.AspectRatioMode.KeepAspectRatio)
            shown = picture.scaled(size, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation)
            painter.drawImage(box.topLeft(), shown)
            flags = Qt.AlignmentFlag.AlignBottom | Qt.TextFlag.TextWordWrap
            painter.drawText(QRectF(x, y, width, _CAPTION_PX - 3), flags, words)
    path.parent.mkdir(parents=True, exist_ok=True)
    strip.save(str(path))
    print(path.name)


def main() -> int:
    made: list[SeenHand] = []

    def seen_hand(hands, folder: Path) -> SeenHand:
        made.append(SeenHand(hands, folder))
        return made[-1]

    test_jobs.CountedHand = seen_hand
    for job in JOBS:
        made.clear()
        failed = pytest.main(["-q", "--soak", "-p", "no:cacheprovider", f"tests/jobs/test_jobs.py::{_test}[{job}]"])
        if failed:
            return int(failed)
        write_strip(made[0].seen, STRIPS / f"{job.replace(' ', '-')}.png")
    return 0


_test = test_jobs.test_a_job_takes_no_more_of_the_hand_than_it_did.__name__

if __name__ == "__main__":
    sys.exit(main())
