"""What nobody asked for does not happen: by a wheel, by a digit that comes late, by what another project left."""

from fractions import Fraction

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QScrollArea, QScrollBar, QSlider, QWidget

from clevrin.core.document import Project
from clevrin.core.document.edits import Rename
from clevrin.core.document.files import save
from clevrin.desk.bench.bench import Bench
from clevrin.desk.reel.format_sheet import FormatSheet
from clevrin.desk.widgets.sheet import SliderSetting, Trouble
from clevrin.desk.widgets.typing import number
from tests.films import moving_film, shift

STEPS = ("log", "steady", "reframe", "pace", "join", "finish")


@pytest.fixture(autouse=True)
def no_number_under_way():
    number.done()


def wheel(widget, notches: int = -1) -> None:
    """The wheel as the system sends it, with the pointer over the middle of a widget."""
    window = widget.window()
    QTest.wheelEvent(
        window.windowHandle(), QPointF(widget.mapTo(window, widget.rect().center())), QPoint(0, 120 * notches)
    )
    QApplication.processEvents()


def in_sight(widget) -> bool:
    """Whether its middle can be pointed at: it is not scrolled away."""
    return widget.isVisible() and widget.visibleRegion().contains(widget.rect().center())


def is_slider(widget) -> bool:
    return widget.isVisible() and not isinstance(widget, QScrollBar)


def values(bench: Bench) -> dict:
    sliders = [each for each in bench.findChildren(QSlider) if not isinstance(each, QScrollBar)]
    boxes = bench.findChildren(QComboBox)
    return {id(each): each.value() for each in sliders} | {id(each): each.currentIndex() for each in boxes}


def test_the_wheel_changes_no_value_in_any_step(demo):
    window, tried = demo.window, 0
    before = window.session.project
    for step in STEPS:
        window.enter_step(step)
        demo.until(lambda: not window.bench.reloading)
        demo.qtbot.wait(400)  # what it shows first may set some of them
        known = values(window.bench)
        controls = [*window.bench.findChildren(QSlider), *window.bench.findChildren(QComboBox)]
        for control in (each for each in controls if in_sight(each) and not each.hasFocus()):
            for notches in (-1, 1, 1):
                wheel(control, notches)
            tried += 1
        now = values(window.bench)
        changed = [each for each in window.bench.findChildren(QWidget) if known.get(id(each)) != now.get(id(each))]
        assert [(step, type(each).__name__, each.accessibleName(), each.hasFocus()) for each in changed] == []
    assert tried >= 8 and window.session.project is before


def test_the_wheel_over_a_slider_scrolls_its_sheet(demo):
    demo.window.resize(1280, 640)
    demo.window.enter_step("steady")
    slider = next(each for each in demo.window.steady.sheet.findChildren(QSlider) if is_slider(each))
    area = slider
    while not isinstance(area, QScrollArea):
        area = area.parentWidget()
    bar = area.verticalScrollBar()
    demo.until(lambda: bar.maximum() > 0)
    wheel(slider)
    assert bar.value() > 0


def test_a_slider_that_was_reached_with_tab_takes_the_wheel(demo):
    demo.window.enter_step("steady")
    slider = next(each for each in demo.window.steady.sheet.findChildren(QSlider) if each.isVisible())
    slider.setFocus(Qt.FocusReason.TabFocusReason)
    demo.until(slider.hasFocus)
    before = slider.value()
    wheel(slider, 1)
    assert slider.value() != before


def test_digits_and_enter_that_come_after_their_field_is_gone_do_nothing_else(demo):
    window = demo.window
    window.enter_step("steady")
    before = window.session.project
    setting = next(each for each in window.steady.sheet.findChildren(SliderSetting) if each.isVisible())
    demo.click(setting.entry)
    QTest.keyClick(setting.entry, Qt.Key.Key_0)
    window.bench.take_focus()  # as when a sheet is made anew
    for key in (Qt.Key.Key_5, Qt.Key.Key_1):
        demo.type_key(key)
        assert window.steady.isVisible()
    demo.type_key(Qt.Key.Key_Return)
    assert window.session.project is before and window.steady.isVisible()
    demo.type_key(Qt.Key.Key_5)  # the number is done
    assert window.join.isVisible()


def test_a_step_is_entered_by_its_digit_at_once_after_a_number_was_confirmed(demo):
    window = demo.window
    window.enter_step("steady")
    setting = next(each for each in window.steady.sheet.findChildren(SliderSetting) if each.isVisible())
    demo.click(setting.entry)
    setting.entry.selectAll()
    QTest.keyClicks(setting.entry, "1")
    QTest.keyClick(setting.entry, Qt.Key.Key_Return)
    window.bench.take_focus()
    demo.type_key(Qt.Key.Key_4)
    assert window.pace.isVisible()


def troubles(bench: Bench) -> list[str]:
    return [each.text() for each in bench.findChildren(Trouble) if not each.isHidden()]


@pytest.mark.parametrize("how", ["undone", "left", "another shot"])
def test_a_message_goes_with_what_it_is_about(demo, how):
    window = demo.window
    window.enter_step("steady")
    window.session.do(Rename(name="a day"))
    named = window.session.project
    setting = next(each for each in window.steady.sheet.findChildren(SliderSetting) if each.isVisible())
    setting.entry.setFocus()
    setting.entry.setText("much")
    QTest.keyClick(setting.entry, Qt.Key.Key_Return)
    assert troubles(window.steady)
    if how == "undone":
        demo.do("undo")
        assert window.session.project != named
    elif how == "left":
        window.enter_step("pace")
        assert not troubles(window.pace)
        window.enter_step("steady")
    else:
        window.session.choose_shot(window.session.project.reel.shots[-1].id)
    assert not troubles(window.steady)


def test_another_project_begins_clean(demo, tmp_path):
    window = demo.window
    cards, transport = window.log.cards, window.log.transport
    window.log.look_at(reel=True)
    demo.until(lambda: transport.frame_words)
    cards.search.setText("picnic")
    cards.sort.setCurrentIndex(2)
    window.finish._output = "wide"
    window.enter_step("join")
    window.trouble.tell("The day is open in another window.")
    demo.do("new")
    assert window.log.isVisible() and not window.trouble.isVisible()
    assert cards.search.text() == "" and cards.sort.currentIndex() == 0
    assert transport.frame_words == "" and transport.figures == "" and window.finish._output is None
    assert len(cards.listed) == 0
    save(Project(name="another day"), tmp_path / "day.clevrin")
    window.enter_step("finish")
    window.projects.open(tmp_path / "day.clevrin")
    assert window.log.isVisible() and window.session.project.name == "another day"


def test_saving_in_another_place_ends_what_was_wrong_with_the_first(demo, tmp_path):
    demo.window.trouble.tell("The day is open in another window.")
    demo.window.projects.save_as(tmp_path / "mine.clevrin")
    assert not demo.window.trouble.isVisible()


@pytest.mark.parametrize(("typed", "rate"), [("30", "30"), ("24", "24"), ("60", "60"), ("23.976", "2997/125")])
def test_a_rate_that_is_typed_is_that_rate(demo, typed, rate):
    sheet = FormatSheet(demo.window.session, demo.window)
    sheet.show()
    field = sheet.rate.lineEdit()
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, typed)
    demo.click(sheet.take_button)
    assert demo.window.session.project.reel.rate == Fraction(rate)


def test_a_reel_of_quick_takes_is_one_that_screens_show_and_that_is_said(hands, tmp_path):
    for seed, (name, rate) in enumerate((("a", 120), ("b", 120), ("c", 30))):
        place, course = tmp_path / f"{name}.mp4", lambda t: shift(300 + 2 * t, 300)
        moving_film(place, course, frames=12, size=(160, 90), rate=Fraction(rate), seed=seed)
    hands.drop_files(*(tmp_path / f"{name}.mp4" for name in "abc"))
    hands.until(lambda: len(hands.window.session.project.takes) == 3)
    assert hands.window.session.project.reel.rate == 60
    hands.until(lambda: "a, b: quicker than the reel's 60 frames/s" in hands.window.header.strip.words)
