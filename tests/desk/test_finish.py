"""The Finish bench: the reel is watched, looked over, and rendered on a queue while editing goes on."""

import shutil
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from clevrin.core.delivery.handing_on import check_handed_on
from clevrin.core.document import Hold, Output, Pace, PacePoint, Span
from clevrin.core.document.edits import AddOutput, PaceShots, RemoveShots, SetHold, SetReel, TrimShot
from clevrin.core.media.probe import probe
from clevrin.core.pace import placed_shots
from clevrin.core.progress import Silent
from clevrin.core.render.reports.quality_checks import look_over
from clevrin.core.render.sources import Sources
from clevrin.desk.finish.queue import Render
from clevrin.desk.finish.queue_view import words_of
from tests.marks import long


@pytest.fixture
def finish(demo):
    """The Finish bench over a reel of two short shots that are not held."""
    window, session = demo.window, demo.window.session
    first, second, *others = session.project.reel.shots
    session.do(RemoveShots(shot_ids=tuple(each.id for each in others)))
    for shot in (first, second):
        session.do(SetHold(shot_id=shot.id, hold=Hold()))
        session.do(TrimShot(shot_id=shot.id, span=Span(first=40, end=60)))
    session.do(SetReel(rate=session.project.reel.rate, width=320, height=180))  # it is rendered often here
    demo.key(Qt.Key.Key_6)
    demo.until(lambda: window.finish.viewer.pixels and not window.finish.reloading)
    return demo


def come_back(hands) -> None:
    """The keys are the window's again after a dialog."""
    hands.window.activateWindow()
    hands.until(lambda: hands.window.isActiveWindow())


def ask(hands, path: Path) -> None:
    """Has it rendered to another place, and types a name."""
    come_back(hands)
    hands.key(Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier)
    dialog = next(each for each in hands.window.findChildren(QFileDialog) if each.isVisible())
    dialog.fileSelected.emit(str(path))
    dialog.close()


def states(hands) -> list[str]:
    return [each.state for each in hands.window.queue.renders]


def choose(hands, kind: str) -> None:
    combo = hands.window.finish.sheet.format
    at = combo.findData(kind)
    combo.setCurrentIndex(at)
    combo.activated.emit(at)


def test_the_reel_is_rendered_in_the_chosen_format_from_the_queue(finish, tmp_path):
    window, sheet = finish.window, finish.window.finish.sheet
    assert not window.finish.queue_view.isVisible()
    choose(finish, "hevc")
    finish.click(sheet.purpose.buttons["look"])
    ask(finish, tmp_path / "day.mp4")
    assert window.finish.queue_view.isVisible() and states(finish) == ["rendering"]
    finish.until(lambda: states(finish) == ["done"])
    facts = probe(tmp_path / "day.mp4")
    assert facts.codec == "hevc" and facts.frames > 20
    table = window.finish.queue_view.table
    assert [table.item(0, k).text() for k in range(3)] == ["day.mp4", "HEVC, to look at", "done"]


def test_a_format_says_what_it_is_good_for_and_takes_its_own_ending(finish, tmp_path):
    sheet = finish.window.finish.sheet
    choose(finish, "ffv1")
    assert sheet.purpose.key == "lossless" and not sheet.purpose.buttons["net"].isEnabled()
    assert sheet.loudness.isVisible()
    choose(finish, "png")
    assert not sheet.loudness.isVisible() and "16 bit" in sheet.format_note.text()
    ask(finish, tmp_path / "pictures")
    finish.until(lambda: states(finish) == ["done"])
    assert len(list((tmp_path / "pictures").iterdir())) > 20
    choose(finish, "wav")
    assert not sheet.purpose.isVisible()
    finish.window.finish.sound.mute("takes", True)
    ask(finish, tmp_path / "sound")
    finish.until(lambda: states(finish) == ["done", "failed"])
    last = finish.window.queue.renders[-1]
    assert last.request.path.name == "sound.wav" and last.sentence == "The reel has no sound: WAV would be empty."


@long
def test_editing_goes_on_while_the_reel_as_it_was_is_rendered(finish, tmp_path):
    window, session = finish.window, finish.window.session
    frames = sum(shot.span.frames for shot in session.project.reel.shots)
    ask(finish, tmp_path / "one.mp4")
    session.do(RemoveShots(shot_ids=(session.project.reel.shots[0].id,)))
    ask(finish, tmp_path / "two.mp4")
    assert states(finish) == ["rendering", "waiting"]
    finish.until(lambda: states(finish) == ["done", "done"])
    assert probe(tmp_path / "one.mp4").frames == pytest.approx(frames, abs=6)
    assert probe(tmp_path / "two.mp4").frames < probe(tmp_path / "one.mp4").frames
    assert window.queue.renders[0].request.project != session.project


def test_enter_renders_to_the_place_of_last_time_under_a_name_of_its_own(finish, tmp_path):
    window, sheet = finish.window, finish.window.finish.sheet
    assert "asked for" in sheet.place_note.text() and not sheet.place_button.isVisible()
    ask(finish, tmp_path / "first.mp4")
    name = window.session.project.name
    assert sheet.place_note.text() == f"320 × 180 · {name}.mp4 in {tmp_path}" and sheet.place_button.isVisible()
    come_back(finish)
    for _ in range(2):
        finish.key(Qt.Key.Key_Return)
    assert not [each for each in window.findChildren(QFileDialog) if each.isVisible()]
    finish.until(lambda: states(finish) == ["done"] * 3)
    assert sorted(each.name for each in tmp_path.glob("*.mp4")) == [f"{name} 2.mp4", f"{name}.mp4", "first.mp4"]
    assert sheet.place_note.text().split(" · ")[1].startswith(f"{name} 3.mp4")


def test_a_name_that_is_given_before_any_place_is_one_says_nothing_of_where(finish):
    window, sheet = finish.window, finish.window.finish.sheet
    sheet.name_given.emit("kites")
    assert window.settings.render_place == ("", "kites") and "asked for" in sheet.place_note.text()


def test_a_render_is_as_large_as_was_chosen(finish, tmp_path):
    sheet = finish.window.finish.sheet
    finish.click(sheet.picture_size.buttons["2"])
    assert sheet.place_note.text().startswith("160 × 90 · ")
    ask(finish, tmp_path / "small.mp4")
    finish.until(lambda: states(finish) == ["done"])
    facts = probe(tmp_path / "small.mp4")
    assert (facts.width, facts.height) == (160, 90)
    choose(finish, "wav")
    assert sheet.place_note.text().startswith("sound · ") and not sheet.picture_size.isVisible()


def test_sound_waits_for_no_film_but_for_other_sound(finish, tmp_path):
    for name in ("film.mp4", "sound.wav", "again.wav", "other.mp4"):
        choose(finish, "wav" if name.endswith("wav") else "h264")
        ask(finish, tmp_path / name)
    assert states(finish) == ["rendering", "rendering", "waiting", "waiting"]
    finish.until(lambda: states(finish) == ["done"] * 4)


def test_the_reel_is_handed_on_with_what_is_chosen(finish, tmp_path):
    window = finish.window
    finish.click(window.finish.sheet.hand_on_button)
    sheet = window.sides.handing_on
    assert sheet.isVisible() and not window.finish.sheet.isVisible()
    options = sheet.sheet.controls["with it"].buttons
    finish.click(options["shots"])
    finish.click(options["stills"])
    assert not sheet.sheet.controls["handles"].isVisible()
    finish.click(sheet.folder_button)
    finish.name_file(tmp_path / "for others")
    finish.until(lambda: "Handed on into for others" in window.header.strip.words)
    folder = tmp_path / "for others"
    assert check_handed_on(folder) == () and list(folder.rglob("*.otio"))
    assert len(list(folder.rglob("*.png"))) == 2 and not list(folder.rglob("*.mov"))
    window.handing_on.write(folder)
    finish.until(lambda: window.trouble.isVisible())
    assert "for others" in window.trouble.text() and check_handed_on(folder) == ()


def test_a_report_is_written_as_a_page_and_never_over_the_project(finish, tmp_path):
    window = finish.window
    window.handing_on.report(tmp_path / "day.html")
    finish.until(lambda: "Wrote day.html" in window.header.strip.words)
    assert "look at" in window.header.strip.words and "<html" in (tmp_path / "day.html").read_text()[:400]
    film = next(iter(window.session.project.media))
    before = film.stat()
    window.handing_on.report(film)
    finish.until(lambda: window.trouble.isVisible())
    assert film.stat() == before


def test_renders_are_called_as_the_name_says_with_its_fields_filled_in(finish, tmp_path):
    window, sheet = finish.window, finish.window.finish.sheet
    ask(finish, tmp_path / "first.mp4")

    def call(name: str) -> None:
        sheet.name.setFocus()
        sheet.name.setText(name)
        QTest.keyClick(sheet.name, Qt.Key.Key_Return)
        window.finish.take_focus()

    call("kites {size} {format}")
    assert sheet.place_note.text() == f"320 × 180 · kites 320x180 h264.mp4 in {tmp_path}"
    call("kites {weather}")
    assert "{weather} is no field of a name" in sheet.trouble.text() and sheet.trouble.isVisible()
    call("kites {size} {format}")
    choose(finish, "ffv1")
    assert sheet.place_note.text().startswith("320 × 180 · kites 320x180 ffv1.")


def test_the_reel_and_all_its_outputs_are_rendered_by_one_enter(finish, tmp_path):
    session, sheet = finish.window.session, finish.window.finish.sheet
    session.do(AddOutput(output=Output(name="tall", width=180, height=320)))
    ask(finish, tmp_path / "first.mp4")
    at = sheet.output.findText("the reel and all outputs")
    sheet.output.setCurrentIndex(at)
    sheet.output.activated.emit(at)
    assert sheet.renders_all
    come_back(finish)
    finish.key(Qt.Key.Key_Return)
    name = session.project.name
    asked = [each.request for each in finish.window.queue.renders[1:]]
    assert [each.path.name for each in asked] == [
        f"{name}.mp4",
        *(f"{name} {each.name}.mp4" for each in session.project.outputs),
    ]
    assert (asked[-1].project.reel.width, asked[-1].project.reel.height) == (180, 320)
    finish.window.jobs.stop_shown()


def test_a_place_that_is_gone_is_asked_for(finish, tmp_path):
    (tmp_path / "away").mkdir()
    ask(finish, tmp_path / "away" / "first.mp4")
    finish.until(lambda: states(finish) == ["done"])
    shutil.rmtree(tmp_path / "away")
    come_back(finish)
    finish.key(Qt.Key.Key_Return)
    dialog = next(each for each in finish.window.findChildren(QFileDialog) if each.isVisible())
    dialog.close()


def test_renders_are_paused_resumed_put_sooner_and_taken_off(finish, tmp_path):
    window, queue, view = finish.window, finish.window.queue, finish.window.finish.queue_view
    for name in ("one", "two", "three"):
        ask(finish, tmp_path / f"{name}.mp4")
    one, two, three = (each.id for each in queue.renders)
    view.table.row_chosen.emit(one, 0)
    finish.click(view.pause_button)
    assert states(finish) == ["paused", "rendering", "waiting"] and "paused" in view.table.item(0, 2).text()
    view.table.row_chosen.emit(three, 0)
    finish.click(view.sooner_button)
    assert [each.id for each in queue.renders] == [one, three, two]
    finish.click(view.remove_button)
    assert [each.id for each in queue.renders] == [one, two]
    view.table.row_chosen.emit(one, 0)
    finish.click(view.resume_button)
    finish.until(lambda: states(finish) == ["done", "done"])
    window.jobs.stop_shown()
    names = sorted(each.name for each in tmp_path.iterdir() if "mp4" in each.name or "clevrin-" in each.name)
    assert names == ["one.mp4", "two.mp4"]


def test_one_that_is_stopped_in_the_strip_is_paused_and_one_that_fails_says_why(finish, tmp_path):
    window = finish.window
    ask(finish, tmp_path / "one.mp4")
    window.jobs.stop_shown()
    finish.until(lambda: states(finish) == ["paused"])
    choose(finish, "png")
    (tmp_path / "there").mkdir()
    ask(finish, tmp_path / "there")
    finish.until(lambda: states(finish)[-1] == "failed")
    assert "is there already: name a new folder" in window.queue.renders[-1].sentence
    assert "is there already" in window.trouble.text()
    assert window.finish.queue_view.note.text() == window.queue.renders[-1].sentence


def test_an_output_and_the_chosen_shots_alone(finish, tmp_path):
    window, session, sheet = finish.window, finish.window.session, finish.window.finish.sheet
    outputs = [each for each in session.project.outputs]
    assert [sheet.output.itemText(k) for k in range(sheet.output.count())] == [
        "the reel",
        *(o.name for o in outputs),
        *(["the reel and all outputs"] if outputs else []),
    ]
    if outputs:
        sheet.output.setCurrentIndex(1)
        sheet.output.activated.emit(1)
        assert window.finish.project.reel.size == (
            outputs[0].width,
            outputs[0].height,
        )
    session.choose_shot(session.project.reel.shots[1].id)
    finish.click(sheet.part.buttons["chosen"])
    ask(finish, tmp_path / "part.mp4")
    finish.until(lambda: states(finish) == ["done"])
    facts = probe(tmp_path / "part.mp4")
    assert facts.frames < 30
    assert isinstance(outputs, list) and all(isinstance(each, Output) for each in outputs)


def test_what_is_not_right_is_listed_and_looked_at(finish):
    window, session, sheet = finish.window, finish.window.session, finish.window.finish.sheet
    quick = Pace(points=(PacePoint(frame=50, speed=2.0),))
    session.do(PaceShots(paces=((session.project.reel.shots[1].id, quick),)))
    finish.click(sheet.pages.buttons["look over"])
    finish.until(lambda: sheet.marks_note.text() not in ("", "The reel is being looked over."))
    with Sources.of(window.measurements.store) as sources:
        looked = look_over(session.project, sources, Silent())
    assert rows_of(sheet.marks) == [each.sentence for each in looked.faults()]
    assert all(sheet.choices.item(0, k).toolTip() == sheet.choices.item(0, k).text() for k in (0, 1))
    choices = looked.choices(session.project)
    assert rows_of(sheet.choices) == [each.sentence for each in choices]
    number = next(k for k, each in enumerate(choices) if each.what == "dropped")
    sheet.choices.cellClicked.emit(number, 0)
    finish.until(lambda: window.player.frame == choices[number].frame)
    assert sheet.mark_note.text() == choices[number].sentence
    shown = next(p for p in placed_shots(session.project) if p.start <= choices[number].frame < p.end)
    assert session.shot.id == shown.shot.id, "what can be done about it is offered"
    finish.until(lambda: window.header.offers.told.startswith(("Float it", "Have it stand still")))
    # What is meant is confirmed once, for all of its kind, and is kept with the project.
    finish.click(sheet.meant_button)
    assert session.project.meant == ("dropped",) and not sheet.meant_button.isVisible()
    assert not [each for each in rows_of(sheet.choices) if "left out" in each]
    assert rows_of(sheet.marks) == [each.sentence for each in looked.faults()]
    finish.click(sheet.again_button)
    assert session.project.meant == () and rows_of(sheet.choices) == [each.sentence for each in choices]


def rows_of(table) -> list[str]:
    return [table.item(k, 0).text() for k in range(table.rowCount())]


def test_without_a_reel_nothing_is_rendered(hands):
    hands.key(Qt.Key.Key_6)
    bench = hands.window.finish
    assert not bench.sheet.render_button.isEnabled() and "nothing on the reel" in bench.viewer.words
    hands.key(Qt.Key.Key_Return)
    assert hands.window.queue.renders == ()


def test_how_long_it_takes_is_said_in_the_unit_that_fits():
    render = Render(id="a", request=None, words="", state="rendering", done=25, total=100)
    assert words_of(render) == "25%"
    for seconds, words in ((40, "40 s"), (600, "10 min"), (9000, "2.5 h")):
        from dataclasses import replace

        assert words_of(replace(render, left_s=float(seconds))) == f"25%, {words} left"
