"""Takes whose files moved, were replaced, or are hard to decode: seen, found again, scrubbed by proxy."""

import shutil

import pytest

from clevrin.core.document.files import load, save
from clevrin.core.media.proxies import ProxyRequest
from clevrin.core.progress import Silent
from clevrin.demo.footage_maker import FOOTAGE
from clevrin.demo.project import plain_demo
from tests.desk.conftest import pixels_of
from tests.films import numbered_film

NAMES = ("walk-past", "hill", "picnic", "bunting")


@pytest.fixture
def moved(measured_demo, hands, tmp_path):
    """The demo with media of its own, which then move to another folder, one of them under another name."""
    media, elsewhere = tmp_path / "media", tmp_path / "archive" / "day 1"
    media.mkdir()
    for name in NAMES:
        shutil.copy(FOOTAGE / f"{name}.mp4", media / f"{name}.mp4")
    project = plain_demo()
    takes = tuple(t.changed(path=str(media / f"{t.name}.mp4")) for t in project.takes)
    save(project.changed(takes=takes), tmp_path / "day.clevrin")
    elsewhere.parent.mkdir()
    media.rename(elsewhere)
    (elsewhere / "hill.mp4").rename(elsewhere / "renamed.mp4")
    hands.window.projects.open(tmp_path / "day.clevrin")
    hands.until(lambda: all(hands.window.measurements.missing(t) for t in hands.window.session.project.takes))
    hands.elsewhere = elsewhere
    return hands


def test_missing_takes_are_shown_as_such_and_the_rest_works(moved):
    window, session = moved.window, moved.window.session
    ids = [t.id for t in session.project.takes]
    assert window.log.cards.list.words_of(ids[0]) == "missing"
    moved.click_card(ids[0])
    sheet = window.log.sheet
    assert sheet.missing.isVisible() and "walk-past.mp4 is not where it was" in sheet.missing.text()
    assert sheet.find_button.isVisible()
    moved.until(lambda: "is not there" in window.log.viewer.words)
    seen = pixels_of(window.reel).astype(int)
    brick = (seen[26:44, :, 0] > 150) & (seen[26:44, :, 2] < 110)
    assert brick.sum() > 30  # the names of missing takes are written in brick
    moved.drop_files(FOOTAGE / "bunting.mp4")  # it is known by what it is, and found where it was dropped from
    moved.until(lambda: session.project.takes[3].path == str(FOOTAGE / "bunting.mp4"))
    moved.until(lambda: not window.measurements.missing(session.project.takes[3]))
    moved.look_at(ids[3])
    assert len(session.project.takes) == 4 and window.log.viewer.pixels


def test_pointing_at_one_file_finds_all(moved):
    window, session = moved.window, moved.window.session
    moved.click_card(session.project.takes[2].id)
    moved.click(window.log.sheet.find_button)
    moved.name_file(moved.elsewhere / "picnic.mp4")
    moved.until(lambda: not any(window.measurements.missing(t) for t in session.project.takes))
    paths = {t.name: t.path for t in session.project.takes}
    assert paths["hill"] == str(moved.elsewhere / "renamed.mp4") and session.history.undo_label == "Find 4 takes"
    moved.measured()
    moved.look_at(session.project.takes[0].id)
    assert window.log.viewer.pixels and not window.log.sheet.missing.isVisible()
    assert "whip" in window.log.sheet.motion_note.text()
    assert session.save_and_wait() and load(session.path).takes[1].path == paths["hill"]


def test_pointing_at_another_film_is_told(moved, tmp_path):
    window, session = moved.window, moved.window.session
    (tmp_path / "far away").mkdir()
    stranger = numbered_film(tmp_path / "far away" / "stranger.mp4", frames=9)
    moved.click_card(session.project.takes[0].id)
    moved.click(window.log.sheet.find_button)
    moved.name_file(stranger)
    moved.until(lambda: "stranger.mp4 is another film than walk-past" in window.log.cards.trouble.text())
    assert all(window.measurements.missing(t) for t in session.project.takes)


def test_files_that_came_back_are_noticed_when_the_window_is_looked_at(moved, tmp_path):
    window, session = moved.window, moved.window.session
    (moved.elsewhere / "renamed.mp4").rename(moved.elsewhere / "hill.mp4")
    moved.elsewhere.rename(tmp_path / "media")
    window.media_watch.look(again=True)  # what becoming the active window does
    moved.until(lambda: not any(window.measurements.missing(t) for t in session.project.takes))
    moved.measured()


def test_a_take_replaced_by_another_file_is_noticed(hands, tmp_path):
    window, session = hands.window, hands.window.session
    film = numbered_film(tmp_path / "kite.mp4", frames=20)
    hands.drop_files(film)
    hands.until(lambda: len(session.project.takes) == 1)
    hands.measured()
    numbered_film(film, frames=20, size=(96, 54))
    window.media_watch.look(again=True)
    take = session.project.takes[0]
    hands.until(lambda: window.measurements.missing(take))
    assert window.log.cards.list.words_of(take.id) == "another film now"
    hands.until(lambda: "is another film than the one" in window.log.sheet.missing.text())


def test_a_big_take_gets_a_proxy_and_the_viewer_says_when_it_shows_it(hands, tmp_path):
    window, session = hands.window, hands.window.session
    window.settings.set("proxies", True)
    film = numbered_film(tmp_path / "big.mp4", frames=50, size=(2048, 1152), keyframes=50)
    hands.drop_files(film)
    hands.until(lambda: len(session.project.takes) == 1)
    take = session.project.takes[0]
    hands.until(lambda: window.intake.has_proxy(take))
    hands.until(lambda: not window.jobs.busy)
    hands.look_at(take.id)
    assert window.log.viewer.note == ""
    ridge = window.log.ridge
    notes = []
    window.player.shown.connect(lambda frame, _: notes.append((frame, window.player.shows_proxy)))
    hands.click(ridge, (ridge.x_of_frame(30), 60))
    hands.until(lambda: (30, True) in notes)
    hands.until(lambda: (30, False) in notes)  # the film's own picture follows
    assert window.log.viewer.note == ""
    proxy = window.intake.proxies.find(take.fingerprint)
    assert proxy is not None
    window.settings.set("proxies", False)
    proxy.unlink()
    window.settings.set("proxy_threshold", 4000)
    assert not window.intake.has_proxy(take)


def test_a_render_never_uses_a_proxy(hands, tmp_path):
    """The proxy is of another film altogether: nothing of it may be in what is rendered."""
    from clevrin.core.media.reading import FilmReader
    from tests.films import read_number

    window, session = hands.window, hands.window.session
    film = numbered_film(tmp_path / "a.mp4", frames=12, size=(1280, 720))
    wrong = numbered_film(tmp_path / "wrong.mp4", frames=24, size=(1280, 720))
    hands.drop_files(film)
    hands.until(lambda: len(session.project.takes) == 1 and not window.jobs.busy)
    take = session.project.takes[0]
    made = window.intake.proxies.make(ProxyRequest(path=wrong, fingerprint="w", frames=24), Silent())
    made.rename(made.with_name(made.name.replace("w-", f"{take.fingerprint}-")))
    window.log.put_on_reel()
    window.rendering.render_to(tmp_path / "out.mp4")
    hands.until(lambda: (tmp_path / "out.mp4").exists() and not window.jobs.busy)
    with FilmReader(tmp_path / "out.mp4") as reader:
        assert [read_number(reader.read(k).y) for k in (0, 5, 11)] == [0, 5, 11]
