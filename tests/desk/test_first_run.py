"""The first minute: an empty window says what to do; and what a window says after an error that nobody foresaw."""

import logging
import os
import sys
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication

from clevrin.core.document import Project
from clevrin.core.document.edits import JudgeTakes
from clevrin.core.document.files import save
from clevrin.core.document.keeping import data_folder, recent_projects, remember_last
from clevrin.core.media.probe import probe
from clevrin.desk.shell import application
from clevrin.desk.shell.log_view import LogView


def test_an_empty_window_says_what_to_do_first_and_the_demo_is_a_click_away(measured_demo, hands):
    window, welcome = hands.window, hands.window.log.welcome
    assert welcome.isVisible() and not window.log.viewer.isVisible() and not window.log.transport.isVisible()
    hands.click(welcome.demo_button)
    hands.until(lambda: window.session.project.takes)
    assert not welcome.isVisible() and window.log.viewer.isVisible() and window.log.transport.isVisible()
    assert window.session.path == data_folder() / "kite-day.clevrin"
    hands.do("new")
    assert welcome.isVisible() and [each.text() for each in welcome.lately][:1] == ["kite-day"]


def test_projects_that_were_open_lately_are_listed_and_opened(hands, tmp_path):
    names = ["one", "two", "gone", "three"]
    for name in names:
        path = tmp_path / f"{name}.clevrin"
        save(Project(name=name), path)
        remember_last(path)
    (tmp_path / "gone.clevrin").unlink()
    remember_last(tmp_path / "one.clevrin")
    assert [path.stem for path in recent_projects()] == ["one", "three", "two"]
    welcome = hands.window.log.welcome
    hands.do("new")
    assert [each.text() for each in welcome.lately] == ["one", "three", "two"]
    hands.click(welcome.lately[1])
    assert hands.window.session.project.name == "three"
    assert welcome.lately[0].text() == "three"  # it is the last one now


@pytest.fixture
def logged():
    """The log as the application keeps it."""
    application.keep_log()
    yield application.log_file()
    for handler in logging.getLogger().handlers[:]:
        if getattr(handler, "baseFilename", "") == str(application.log_file()):
            logging.getLogger().removeHandler(handler)
            handler.close()


def test_an_error_that_nobody_foresaw_offers_the_log(hands, logged):
    window = hands.window
    try:
        raise ValueError("a kite in the works")
    except ValueError:
        error = sys.exc_info()
    for _ in range(3):
        application.tell_unexpected(window, *error)
    assert window.offers.isVisible() and "was not foreseen" in window.offers.sentence
    hands.click(window.offers.buttons[0])
    view = window.findChild(LogView, "log")
    assert view.isVisible() and "a kite in the works" in view.text.toPlainText()
    assert not window.offers.isVisible()  # three times the same is one offer
    hands.click(view.copy_button)
    assert "a kite in the works" in QGuiApplication.clipboard().text()
    view.close()


def test_what_ended_a_window_at_once_is_offered_by_the_next_one(hands, logged, monkeypatch):
    monkeypatch.setattr(application.faulthandler, "enable", lambda file: file.close())
    monkeypatch.setattr(application.atexit, "register", lambda *_, **__: None)
    application.offer_crash(hands.window)
    assert not hands.window.offers.isVisible()  # nothing was left
    own = application.crash_file()
    assert own.exists()
    left = data_folder() / "crash-999999999.txt"
    left.write_text("Fatal Python error: Segmentation fault")
    application.offer_crash(hands.window)
    assert "ended by an error" in hands.window.offers.sentence and not left.exists() and own.exists()
    assert "Segmentation fault" in Path(logged).read_text()
    assert application.is_running(own) and int(own.stem.removeprefix("crash-")) == os.getpid()
    own.unlink()


def test_all_takes_are_steadied_into_a_folder_but_those_that_are_dropped(demo, tmp_path):
    session, window = demo.window.session, demo.window
    short = min(session.project.takes, key=lambda take: take.facts.frames)
    others = tuple(take.id for take in session.project.takes if take.id != short.id)
    session.do(JudgeTakes(take_ids=others, worth="drop"))
    (tmp_path / f"{short.name}.mp4").write_bytes(b"somebody else's")
    demo.do("steady-takes")
    demo.name_file(tmp_path)
    demo.until(lambda: [each.state for each in window.queue.renders] == ["done"])
    assert (tmp_path / f"{short.name}.mp4").read_bytes() == b"somebody else's"
    facts = probe(tmp_path / f"{short.name} 2.mp4")
    assert facts.frames == short.facts.frames and (facts.width, facts.height) == (short.facts.width, short.facts.height)
    assert window.queue.renders[0].request.project.reel.shots[0].hold.how == "float"
    session.do(JudgeTakes(take_ids=(short.id,), worth="drop"))
    window.rendering.steady_all_into(tmp_path)
    assert "There is no take to be steadied" in window.trouble.text()
    demo.key(Qt.Key.Key_Escape)
