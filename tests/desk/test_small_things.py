"""Small things that meet every newcomer: where a file went, why something is grey, what a card is waiting for."""

from pathlib import Path

import pytest
from PySide6.QtCore import QObject, Qt, QUrl, Slot
from PySide6.QtGui import QDesktopServices, QImage
from PySide6.QtWidgets import QFileDialog, QLabel

from clevrin.core.byte_cache import ByteCache
from clevrin.core.document import Hold
from clevrin.core.document.edits import SetHold
from clevrin.demo.footage_maker import FOOTAGE
from clevrin.desk.state.notices import Notices


class Opener(QObject):
    """Stands for the machine's own way of opening folders."""

    def __init__(self) -> None:
        super().__init__()
        self.opened: list[str] = []

    @Slot(QUrl)
    def open(self, url: QUrl) -> None:
        self.opened.append(url.toLocalFile())


@pytest.fixture
def opener():
    made = Opener()
    QDesktopServices.setUrlHandler("file", made, "open")
    yield made
    QDesktopServices.unsetUrlHandler("file")


def test_what_was_written_is_told_with_its_place_and_can_be_shown(demo, tmp_path, opener):
    demo.window.exchanging.write_timeline(tmp_path / "day.otio")
    strip = demo.window.header.strip
    assert strip.words.startswith(f"Wrote day.otio in {tmp_path} ") and strip.show_button.isVisible()
    assert "held shots are not seen elsewhere" in strip.words
    demo.click(strip.show_button)
    assert [Path(each) for each in opener.opened] == [tmp_path]


def test_words_that_are_too_long_for_the_strip_are_shortened_and_whole_in_the_tip(demo):
    words = "Wrote day.otio in /" + "a long folder/" * 20
    demo.window.header.strip.tell(words)
    label = next(each for each in demo.window.header.strip.findChildren(QLabel) if each.toolTip() == words)
    assert "…" in label.text()
    assert demo.window.width() == 1280


def test_notices_go_to_whoever_listens(qapp):
    notices, told, troubled = Notices(), [], []
    notices.told.connect(lambda words, file: told.append((words, file)))
    notices.troubled.connect(troubled.append)
    notices.tell("done", Path("x"))
    notices.trouble("no")
    notices.all_well()
    assert told == [("done", Path("x"))] and troubled == ["no", ""]


def test_a_greyed_control_says_why(demo):
    window, session = demo.window, demo.window.session
    demo.key(Qt.Key.Key_2)
    sheet = window.steady.sheet
    settle = sheet.controls["settle"]
    assert settle.isEnabled() and "Nothing is held" not in settle.toolTip()
    session.do(SetHold(shot_id=session.shot.id, hold=Hold()))
    for name in ("settle", "keep", "axes", "returned", "edge", "mesh"):
        control = sheet.controls[name]
        assert not control.isEnabled() and control.toolTip().startswith("Nothing is held"), name
    for name in ("lent", "amount", "size"):
        assert sheet.controls[name].toolTip().startswith("Nobody lends"), name
    assert "Nothing is held here" in sheet.all_button.toolTip()
    session.undo()
    assert settle.isEnabled() and "Nothing is held" not in settle.toolTip()


def test_the_small_print_of_an_edge_goes_with_its_shot(demo):
    window, session = demo.window, demo.window.session
    demo.key(Qt.Key.Key_2)
    edge = window.steady.sheet.controls["edge"]
    demo.until(lambda: "enlarged" in edge.note.text())
    session.do(SetHold(shot_id=session.shot.id, hold=Hold()))
    assert edge.note.text() == ""


def test_takes_are_asked_for_with_a_filter_for_films_and_one_for_all(hands):
    hands.do("add")
    dialog = hands.window.findChild(QFileDialog, "files")
    films, everything = dialog.nameFilters()
    assert "*.mp4" in films and "*.mov" in films and "(*)" in everything
    dialog.close()


def test_a_card_says_what_it_is_at(hands, qtbot):
    window = hands.window
    window.jobs.precedence.press("test", True)  # measuring is held up at its first step
    hands.drop_files(FOOTAGE / "hill.mp4", FOOTAGE / "picnic.mp4")
    hands.until(lambda: len(window.session.project.takes) == 2)
    ids = [take.id for take in window.session.project.takes]
    words = lambda: [window.log.cards.list.words_of(id) for id in ids]  # noqa: E731
    hands.until(lambda: words()[1] == "waiting")
    window.jobs.precedence.press("test", False)
    hands.until(lambda: words()[0].startswith("measuring, "))
    window.jobs.stop_shown()
    hands.until(lambda: words() == ["stopped", "stopped"])


def test_the_button_that_puts_on_the_reel_stays_where_it_is(hands):
    window = hands.window
    hands.drop_files(FOOTAGE / "hill.mp4")
    hands.until(lambda: len(window.session.project.takes) == 1)
    button = window.log.sheet.put_button
    hands.qtbot.wait(50)
    before = button.mapTo(window, button.rect().topLeft())
    window.jobs.stop_shown()
    hands.until(lambda: window.log.sheet.resume_button.isVisible())
    hands.qtbot.wait(50)
    assert button.mapTo(window, button.rect().topLeft()) == before


def test_steps_are_numbered_by_their_place(window):
    assert [button.step.number for button in window.rail.buttons.values()] == [1, 2, 3, 4, 5, 6]


def test_the_model_of_a_take_is_told_as_it_is_seen(demo):
    words = demo.window.log.sheet.motion_note.text()
    assert "the picture " in words and "homography" not in words and "measured as" not in words


def test_the_settings_fit_a_low_screen(demo):
    demo.do("settings")
    sheet = demo.window.settings_sheet
    assert sheet.minimumSizeHint().height() < 500
    for entry in sheet.controls.values():
        assert entry.height() >= entry.minimumSizeHint().height()
    sheet.close()


def test_images_are_kept_within_a_number_of_bytes(qapp):
    memory = ByteCache(10 * 400, QImage.sizeInBytes)
    for number in range(30):
        memory.put(number, QImage(10, 10, QImage.Format.Format_RGB32))  # 400 bytes each
        memory.get(3)
    assert memory.kept_bytes <= 4000 and set(memory.kept_keys) == {3, *range(21, 30)}
    memory.put("large", QImage(100, 100, QImage.Format.Format_RGB32))
    assert list(memory.kept_keys) == ["large"] and memory.kept_bytes == 40_000


def test_blur_that_cannot_be_let_move_says_why(demo):
    window = demo.window
    demo.key(Qt.Key.Key_2)
    demo.until(lambda: window.steady.sheet.blur.text() == "No blur will show.")
    button = window.steady.sheet.controls["ease_blurred"]
    assert not button.isEnabled() and button.toolTip().startswith("No blur will show")
