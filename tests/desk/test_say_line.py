"""The line: what is typed is found, says what it will change, and is done by Enter."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from clevrin.core.pace import placed_shots
from clevrin.desk.shell.sayings import Sayable, Saying, meant
from tests.desk.conftest import pixels_of

CTRL = Qt.KeyboardModifier.ControlModifier


def sayable(words: str, place: str = "") -> Sayable:
    return Sayable(
        words=words, place=place, of=lambda number: Saying(words=words, changes=f"{number}", run=lambda: None)
    )


def test_words_are_found_by_how_they_begin_and_a_number_is_a_value():
    known = [
        sayable("Render the reel"),
        sayable("Keep at least", "Steady"),
        sayable("Keep the take"),
        sayable("Shutter"),
    ]
    assert [each.words for each in meant("kee", known, 5)] == ["Keep the take", "Keep at least"]
    assert [each.words for each in meant("keep st 92,5", known, 5)] == ["Keep at least"]
    assert meant("shutter 180°", known, 5)[0].changes == "180.0"
    assert meant("-3 shut", known, 5)[0].changes == "-3.0"
    assert [each.words for each in meant("reel render", known, 5)] == ["Render the reel"]
    assert meant("", known, 5) == meant("42", known, 5) == meant("weather", known, 5) == []
    assert len(meant("e", [sayable(f"e {k}") for k in range(30)], 5)) == 5


@pytest.fixture
def line(demo):
    demo.window.activateWindow()
    demo.until(demo.window.isActiveWindow)
    demo.key(Qt.Key.Key_T, CTRL)
    demo.until(demo.window.said.line.entry.hasFocus)
    return demo.window.said.line


def say(line, text: str, *, enter: bool = True) -> None:
    line.entry.clear()
    QTest.keyClicks(line.entry, text)
    if enter:
        QTest.keyClick(line.entry, Qt.Key.Key_Return)


def test_a_setting_is_set_by_saying_it(demo, line):
    window, session = demo.window, demo.window.session
    shot = session.shot
    say(line, "shutter 180", enter=False)
    assert line.found[0].changes == "Pace: 180°" and session.shot == shot
    QTest.keyClick(line.entry, Qt.Key.Key_Return)
    assert session.shot.pace.shutter.angle_deg == 180 and session.history.undo_label == "Change shutter"
    assert window.pace.isVisible() and not line.isVisible() and not line.entry.hasFocus()
    demo.do("undo")
    assert session.shot == shot


def test_a_value_that_cannot_be_is_told_and_not_set(demo, line):
    before = demo.window.session.project
    say(line, "shutter 9000")
    assert line.isVisible() and "It goes from as shot to" in line.note.text()
    say(line, "shutter")
    assert line.isVisible() and "Type a number" in line.note.text()
    assert demo.window.session.project is before


def test_one_of_several_is_chosen_with_up(demo, line):
    say(line, "hold", enter=False)
    words = [each.words for each in line.found]
    assert len(words) > 2
    QTest.keyClick(line.entry, Qt.Key.Key_Up)
    QTest.keyClick(line.entry, Qt.Key.Key_Up)
    QTest.keyClick(line.entry, Qt.Key.Key_Down)
    (chosen,) = [row.text() for row in line.rows if row.property("chosen")]
    assert chosen == f"{line.found[1].words} · {line.found[1].changes}"


def test_without_a_shot_there_is_nothing_to_set(hands):
    hands.window.say()
    say(hands.window.said.line, "shutter 180")
    assert hands.window.said.line.isVisible() and "no shot" in hands.window.said.line.note.text()


def test_an_action_is_done_by_its_words(demo, line):
    session = demo.window.session
    session.move_playhead(30)
    shots = len(placed_shots(session.project))
    say(line, "split")
    assert len(placed_shots(session.project)) == shots + 1


def test_escape_and_a_click_elsewhere_close_it_and_do_nothing(demo, line):
    before = demo.window.session.project
    say(line, "split", enter=False)
    QTest.keyClick(line.entry, Qt.Key.Key_Escape)
    assert not line.isVisible() and demo.window.session.project is before
    demo.key(Qt.Key.Key_T, CTRL)
    assert line.isVisible() and line.entry.text() == ""
    demo.window.log.cards.search.setFocus()
    assert not line.isVisible()


def test_nothing_moves_when_it_opens(demo):
    window = demo.window
    places = [each.geometry() for each in (window.log, window.reel, window.rail)]
    before = pixels_of(window.log)
    window.say()
    demo.qtbot.wait(50)
    assert [each.geometry() for each in (window.log, window.reel, window.rail)] == places
    assert pixels_of(window.log).shape == before.shape
    assert window.rect().contains(window.said.line.geometry())
    window.resize(900, 600)
    demo.qtbot.wait(50)
    assert window.rect().contains(window.said.line.geometry())


def test_several_things_are_said_at_once_and_undone_as_one(demo, line):
    session = demo.window.session
    before = session.project
    say(line, "hold lock-off, keep 92,5; slow 4, shutter 180", enter=False)
    assert len(line.said) == 4 and line.note.text().endswith("Pace: all of it plays at 0.25×; Pace: 180°")
    QTest.keyClick(line.entry, Qt.Key.Key_Return)
    shot = session.shot
    assert (shot.hold.how, shot.hold.keep) == ("lock-off", 0.925)
    assert [point.speed for point in shot.pace.points] == [0.25] and shot.pace.shutter.angle_deg == 180
    assert session.history.undo_label == "4 things said"
    demo.do("undo")
    assert session.project == before


def test_where_one_of_several_cannot_be_none_is_done(demo, line):
    before = demo.window.session.project
    say(line, "hold lock-off, weather 4, keep 90")
    assert line.isVisible() and line.note.text() == "Nothing is called weather 4." and not line.said
    say(line, "slow 400")
    assert line.note.text() == "How many times: 1 to 16."
    say(line, "keep 90, thrown whip 9000")
    assert line.isVisible() and "Length" in line.note.text()
    assert demo.window.session.project is before


def test_joins_and_outputs_are_said(demo, line):
    session = demo.window.session
    say(line, "thrown whip 14")
    shot = session.project.reel.shots[0]
    assert shot.leave.kind == "thrown whip" and shot.leave.given["length"] == 14
    assert session.history.undo_label == "Make thrown whip", "the kind and its length are one step"
    demo.key(Qt.Key.Key_T, CTRL)
    say(line, "choose all, dip")
    assert {shot.leave.kind for shot in session.project.reel.shots[:-1]} == {"dip"}
    demo.key(Qt.Key.Key_T, CTRL)
    say(line, "render square as")
    assert [(each.name, each.width, each.height) for each in session.project.outputs][-1] == ("square", 1080, 1080)


def test_what_is_set_goes_to_all_chosen_shots_and_tells_where_they_differ(demo, line):
    session, window = demo.window.session, demo.window
    session.choose_shot(session.project.reel.shots[2].id)
    say(line, "hold lock-off")
    demo.key(Qt.Key.Key_T, CTRL)
    say(line, "choose all, settle 2.5, shutter 90")
    shots = session.project.reel.shots
    assert {shot.hold.settle_s for shot in shots} == {2.5} and {s.pace.shutter.angle_deg for s in shots} == {90}
    demo.key(Qt.Key.Key_2)
    sheet = window.steady.sheet
    demo.until(sheet.controls["how"].isVisible)
    assert sheet.controls["how"].differing and not sheet.controls["settle"].differing
    hold = sheet.controls["how"].buttons["float"]
    demo.click(hold)
    assert {shot.hold.how for shot in session.project.reel.shots} == {"float"}
    assert not sheet.controls["how"].differing


def test_a_recipe_is_kept_from_a_shot_and_put_on_others(demo, line):
    window, session = demo.window, demo.window.session
    say(line, "keep 91, settle 3.5")
    shots = session.project.reel.shots
    demo.do("keep-recipe")
    demo.name_file(window.recipes.folder / "like a rail.json")
    demo.until(lambda: (window.recipes.folder / "like a rail.json").exists())
    assert window.header.strip.words.startswith("Kept as like a rail: hold")
    session.choose_shots([shots[1].id, shots[2].id])
    window.activateWindow()
    demo.until(window.isActiveWindow)
    demo.key(Qt.Key.Key_C)
    demo.until(line.entry.hasFocus)
    assert line.entry.text() == "recipe " and line.found
    say(line, "like a rail")
    for shot in (session.project.shot(shots[k].id) for k in (1, 2)):
        assert (shot.hold.keep, shot.hold.settle_s) == (0.91, 3.5)
    assert session.history.undo_label == "Put like a rail on 2 shots"
    say_again(demo, line, "wide to close")
    assert session.shot.pace.shutter.angle_deg == 360 and len(session.shot.gate().poses) == 2


def say_again(hands, line, text: str) -> None:
    hands.key(Qt.Key.Key_T, CTRL)
    say(line, text)


def test_a_button_is_pressed_by_its_words_or_says_why_not(demo, line):
    window, session = demo.window, demo.window.session
    session.choose_shot(session.project.reel.shots[0].id)
    say(line, "freeze here", enter=False)
    assert line.found[0].words == "Freeze here" and line.found[0].changes.startswith("Pace: ")
    assert len(line.found[0].changes) > len("Pace: ") + 10, "what the button does"
    before = session.project
    QTest.keyClick(line.entry, Qt.Key.Key_Return)
    assert window.pace.isVisible() and session.project != before
    # What is set goes before what is pressed.
    demo.key(Qt.Key.Key_T, CTRL)
    say(line, "as shot", enter=False)
    assert line.found[0].words == "Hold: As shot"
    say(line, "follow nothing")  # nothing is followed
    assert "there is nothing in Reframe for it to be done to" in window.trouble.text()


def test_what_moves_is_followed_once_it_is_found_and_the_rest_waits_for_it(demo, line):
    window, session = demo.window, demo.window.session
    shots = session.project.reel.shots[:2]
    session.choose_shots([shot.id for shot in shots])
    say(line, "render upright as well, follow what moves, shutter 180")
    demo.until(lambda: not window.said.waiting)
    output = session.project.outputs[-1]
    assert window.reframe.output == output.id
    for shot in session.project.reel.shots[:2]:
        (follow,) = shot.gate(output.id).follows
        assert follow.tracks[0] in [track.id for track in session.project.take(shot.take_id).tracks]
        assert shot.pace.shutter.angle_deg == 180
    demo.key(Qt.Key.Key_T, CTRL)
    say(line, "hold what moves 40")
    demo.until(lambda: not window.said.waiting)
    assert "So much does not move by itself" in window.trouble.text()
    assert [shot.hold for shot in session.project.reel.shots[:2]] == [shot.hold for shot in shots]


def test_motion_is_laid_over_the_reel_by_saying_whose(demo, line):
    session = demo.window.session
    say(line, "over the reel hill")
    (over,) = session.project.reel.over
    assert session.project.motions[-1].name == "hill" and over.loan.lender_id == session.project.motions[-1].id
    session.undo()
    assert not session.project.reel.over and not session.project.motions
