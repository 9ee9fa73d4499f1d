"""The window on small screens, with large text, and where it was left."""

import pytest
from PySide6.QtCore import QRect
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QApplication, QLabel, QWidget

from clevrin.desk.shell.rail import STEPS
from clevrin.desk.shell.window import MainWindow
from clevrin.desk.shell.window_place import fit_frame
from clevrin.desk.state.settings import Settings
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.flow import FlowLayout
from tests.desk.test_parts import cut_off
from tests.marks import later

STEP_IDS = [step.id for step in STEPS]
SIZES = (1920, 1080), (1280, 800), (1000, 650)
"""The small one last: what is shown next is to fit into it as it comes."""


def outside(window: MainWindow) -> list[str]:
    """Parts of the window that lie outside it."""
    whole = QRect(0, 0, window.width(), window.height())
    found = []
    for part in (window.header, window.rail, window.bench, window.reel, *window.bench.findChildren(QWidget)):
        if not part.isVisible() or part.visibleRegion().isEmpty():
            continue
        rect = QRect(part.mapTo(window, part.rect().topLeft()), part.size())
        rolled = any(type(p).__name__ == "QScrollArea" for p in parents(part))
        if not rolled and not whole.contains(rect):
            found.append(f"{type(part).__name__} {part.objectName()} {rect.getRect()}")
    return found


def parents(part: QWidget):
    while (part := part.parentWidget()) is not None:
        yield part


def each_way(window: MainWindow, step: str):
    """Every way of looking that a step has, shown one after the other."""
    ways = window.join.ways
    for name in list(ways.buttons.buttons) if step == "join" else [""]:
        if name:
            ways.look_at(name)
        yield name


@pytest.fixture
def scaled(qapp, themed):
    """Text of another size for one test."""
    yield lambda scale: theme.apply(qapp, scale)
    theme.apply(qapp)


# The two whose sheets are the longest are gone through each time.
@pytest.mark.parametrize("step", [each if each in ("steady", "finish") else later(each) for each in STEP_IDS])
def test_the_window_is_whole_on_small_and_large_screens(demo, step):
    window = demo.window
    window.enter_step(step)
    for _ in each_way(window, step):
        demo.until(lambda: not window.jobs.busy)
        for size in SIZES:
            window.resize(*size)
            demo.until(lambda: outside(window) == [] and cut_off(window) == [])
            assert (window.width(), window.height()) == size


@pytest.mark.parametrize("scale", [later(1.5), 2.0])
def test_nothing_is_cut_off_with_large_text(scaled, request, scale):
    scaled(scale)
    demo = request.getfixturevalue("demo")
    window = demo.window
    window.resize(1280, 800)
    for step in STEP_IDS:
        window.enter_step(step)
        demo.until(lambda: not window.jobs.busy)
        demo.qtbot.wait(50)
        for _ in each_way(window, step):
            demo.until(lambda: not window.jobs.busy)
            assert (window.width(), window.height()) == (1280, 800)
            demo.until(lambda: outside(window) == [] and cut_off(window) == [])
    demo.do("settings")
    assert window.settings_sheet.height() <= QGuiApplication.primaryScreen().availableGeometry().height()


def test_the_window_fits_the_free_part_of_the_screen(window):
    free = window.screen().availableGeometry()
    window.resize(free.width() + 400, free.height() + 300)
    fit_frame(window)
    framed = window.frameGeometry()
    assert framed.width() <= free.width() and framed.height() <= free.height() and free.contains(framed)


def test_the_window_remembers_its_size(window, qtbot):
    window.resize(1101, 707)
    window.close()
    again = MainWindow(Settings())
    again.show()
    qtbot.waitExposed(again)
    assert (again.width(), again.height()) == (1101, 707)
    again.close()
    again.deleteLater()


@pytest.mark.parametrize("damage", ["AAAA", "no base64 ?", "", 7])
def test_a_place_that_cannot_be_is_no_place(damage, tmp_path, window):
    import json

    file = tmp_path / "settings.json"
    file.write_text(json.dumps({"values": {}, "keys": {}, "window": damage}))
    again = MainWindow(Settings(file=file))
    assert 0 < again.width() <= 1920 and 0 < again.height() <= 1080
    again.close()
    again.deleteLater()


@pytest.mark.parametrize(("width", "lines"), [(600, 1), (230, 2), (120, 4)])
def test_a_row_goes_on_below_where_there_is_no_room(qapp, width, lines):
    holder = QWidget()
    row = FlowLayout(holder, gap=4)
    labels = []
    for _ in range(4):
        label = QLabel(holder)
        label.setFixedSize(100, 20)
        row.addWidget(label)
        labels.append(label)
    assert row.heightForWidth(width) == lines * 20 + (lines - 1) * 4
    holder.resize(width, row.heightForWidth(width))
    holder.show()
    QApplication.processEvents()
    assert all(holder.rect().contains(label.geometry()) for label in labels)
    assert labels[0].x() == 0 and (lines == 4 or labels[-1].geometry().right() == width - 1)
