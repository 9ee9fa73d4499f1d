"""Words, pictures and films are pinned to a shot in the window: made, dragged, set, timed, undone and rendered."""

from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QColorDialog

from clevrin.core.document import Drawn, Film, Outline, Placement, Project, Reel, Shot, Span, Track
from clevrin.core.document.areas import Area, AreaPart
from clevrin.core.document.edits import AddTrack, PutArea
from clevrin.core.document.files import load, save
from clevrin.core.elements.letters import FONT
from clevrin.core.media.taking_in import take_in
from clevrin.core.render.picture import picture
from clevrin.core.render.sources import Sources
from tests.films import moving_film, shift
from tests.walking import Walking

SIZE = (480, 270)
FRAMES = 30
AT = 12


@pytest.fixture
def pinning(hands, tmp_path):
    """A shot that pans over a texture, looked at where it is pinned to; another take to pin."""
    path = tmp_path / "meadow.mp4"
    moving_film(path, lambda t: shift(300 + 2 * t, 400), frames=FRAMES, size=SIZE, seed=9)
    take, other = take_in(path), take_in(Walking(tmp_path / "film").path)
    shot = Shot(take_id=take.id, span=Span(first=0, end=FRAMES))
    project = Project(takes=(take, other), reel=Reel(rate=take.facts.rate, width=480, height=270, shots=(shot,)))
    save(project, tmp_path / "kite.clevrin")
    hands.window.projects.open(tmp_path / "kite.clevrin")
    hands.measured()
    hands.do("pinned")
    look_at(hands, AT)
    return hands


def look_at(hands, frame: int) -> None:
    """Goes to a frame, and waits until it is seen."""
    reframe, shown = hands.window.reframe, []
    hands.until(lambda: not reframe.reloading and reframe.whole.pixels)
    keep = hands.window.player.shown.connect(lambda at, _: shown.append(at))
    hands.window.player.seek(frame, scrubbing=False)
    hands.until(lambda: shown and shown[-1] == frame)
    hands.window.player.shown.disconnect(keep)


def sheet(hands):
    return hands.window.sides.pinned


def pinned(hands):
    return hands.window.session.project.reel.shots[0].pinned


def edits(hands):
    return hands.window.reframe.pinned_edits


def in_view(hands, place) -> tuple[float, float]:
    rect = hands.window.reframe.whole.picture_rect()
    x, y = ((p + 0.5) / side for p, side in zip(place, SIZE, strict=True))
    return rect.left() + x * rect.width(), rect.top() + y * rect.height()


def drag(hands, start, end, **how) -> None:
    hands.drag(hands.window.reframe.whole, in_view(hands, start), in_view(hands, end), **how)


def by(places: np.ndarray, x: float, y: float) -> np.ndarray:
    return places + np.array([x, y])


def typed(hands, entry, words: str) -> None:
    hands.click(entry)
    entry.selectAll()
    QTest.keyClicks(entry, words)
    QTest.keyClick(entry, Qt.Key.Key_Return)


def here(hands) -> np.ndarray:
    return edits(hands).corners(edits(hands).chosen)


def make_words(hands, text: str = "Meadow") -> None:
    hands.click(sheet(hands).words_button)
    QTest.keyClicks(sheet(hands).text, text)


def test_words_are_typed_coloured_and_lettered(pinning):
    hands = pinning
    assert sheet(hands).isVisible() and not sheet(hands).pages.isVisible()
    make_words(hands)
    assert [each.of.text for each in pinned(hands)] == ["Meadow"] and pinned(hands)[0].name == "Meadow"
    wide, tall = np.ptp(here(hands), axis=0)
    QTest.keyClicks(sheet(hands).text, " in May W")  # keys of the window are letters here
    hands.type_key(Qt.Key.Key_Backspace)
    hands.type_key(Qt.Key.Key_Backspace)
    assert pinned(hands)[0].of.text == "Meadow in May"
    hands.type_key(Qt.Key.Key_Return)
    assert pinned(hands)[0].of.text == "Meadow in May\n"
    hands.type_key(Qt.Key.Key_Backspace)
    assert len(hands.window.session.project.reel.shots) == 1
    wider, as_tall = np.ptp(here(hands), axis=0)
    assert wider > 1.4 * wide and as_tall == pytest.approx(tall, rel=0.1)
    assert here(hands).mean(axis=0) == pytest.approx(np.array(SIZE) / 2, abs=3)
    hands.click(sheet(hands).colour_button)
    dialog = sheet(hands).findChild(QColorDialog, "colours")
    dialog.setCurrentColor("#ff8800")
    dialog.accept()
    hands.until(lambda: pinned(hands)[0].of.colour == "#ff8800")
    outline = sheet(hands).sheet.controls["outline"]
    assert not sheet(hands).line_button.isEnabled()
    typed(hands, outline.entry, "10")
    assert pinned(hands)[0].of.outline == 0.1 and sheet(hands).line_button.isEnabled()


def test_letters_that_the_font_lacks_are_said_and_nothing_is_lost(pinning):
    hands = pinning
    make_words(hands, "Kite")
    sheet(hands).text.setPlainText("Kite 凧")
    assert "no letters for '凧'" in sheet(hands).trouble.text() and pinned(hands)[0].of.text == "Kite"
    sheet(hands).text.setPlainText("")
    assert "a letter at least" in sheet(hands).trouble.text() and pinned(hands)[0].of.text == "Kite"
    sheet(hands).text.setFocus()
    sheet(hands).pages.buttons["what"].setFocus()
    hands.until(lambda: sheet(hands).text.toPlainText() == "Kite")
    sheet(hands).text.setPlainText("Kite day")
    assert not sheet(hands).trouble.isVisible() and pinned(hands)[0].of.text == "Kite day"


def test_a_font_of_ones_own_is_used_or_refused(pinning, tmp_path):
    hands = pinning
    make_words(hands)
    (tmp_path / "none.ttf").write_text("kites")
    (tmp_path / "own.ttf").write_bytes(FONT.read_bytes())
    for name in ("none.ttf", "own.ttf"):
        hands.click(sheet(hands).font_button)
        hands.name_file(tmp_path / name)
        if name == "none.ttf":
            assert "not a font" in sheet(hands).trouble.text() and pinned(hands)[0].of.font == ""
    assert pinned(hands)[0].of.font == str(tmp_path / "own.ttf")


def test_it_is_dragged_sized_turned_and_pulled_and_undone_step_by_step(pinning):
    hands = pinning
    session = hands.window.session
    make_words(hands)
    begun = here(hands)
    drag(hands, begun.mean(axis=0), by(begun.mean(axis=0), 60, 30))
    moved = here(hands)
    assert moved - begun == pytest.approx(np.tile((60, 30), (4, 1)), abs=2)
    middle = moved.mean(axis=0)
    drag(hands, moved[2], middle + (moved[2] - middle) * 0.5)
    sized = here(hands)
    assert np.ptp(sized, axis=0) == pytest.approx(np.ptp(moved, axis=0) / 2, rel=0.08)
    top = sized[:2].mean(axis=0)
    rect = hands.window.reframe.whole.picture_rect()
    knob = top - (0, 24 * SIZE[0] / rect.width())
    drag(hands, knob, by(sized.mean(axis=0), 60, 0))
    turned = here(hands)
    across = turned[1] - turned[0]
    assert np.degrees(np.arctan2(across[1], across[0])) == pytest.approx(90, abs=5)
    session.undo()
    assert here(hands) == pytest.approx(sized)
    sheet(hands).pages.show_page("where")
    hands.click(sheet(hands).pull_button)
    drag(hands, sized[1], by(sized[1], 20, -15))
    pulled = here(hands)
    assert pulled[1] == pytest.approx(by(sized[1], 20, -15), abs=1.5)
    assert pulled[[0, 2, 3]] == pytest.approx(sized[[0, 2, 3]], abs=0.01)
    drag(hands, pulled[1], by(sized[3], -40, 40))  # through the others: it stays where it can be
    assert all(each.corners for each in pinned(hands))
    for _ in range(2):
        session.undo()
    assert here(hands) == pytest.approx(sized)
    session.undo()
    session.undo()
    assert here(hands) == pytest.approx(begun)


def test_escape_puts_a_drag_back(pinning):
    hands = pinning
    make_words(hands)
    begun = here(hands)
    drag(hands, begun.mean(axis=0), by(begun.mean(axis=0), 50, 0), drop=False)
    assert here(hands)[0, 0] > begun[0, 0] + 20
    hands.window.put_back()
    assert here(hands) == pytest.approx(begun)


def test_it_goes_with_the_scene_and_is_seen_in_both_pictures(pinning):
    hands = pinning
    make_words(hands)
    at = here(hands)
    look_at(hands, AT + 10)
    assert here(hands) == pytest.approx(at - (20, 0), abs=0.5)
    reframe = hands.window.reframe
    for viewer in (reframe.whole, reframe.result):

        def lit(viewer=viewer) -> bool:
            if not viewer.pixels:
                return False
            rows, columns = viewer.pixels[0].shape[:2]
            (left, top), (right, bottom) = (here(hands)[k] / SIZE * (columns, rows) for k in (0, 2))
            part = viewer.pixels[0][int(top) : int(bottom), int(left) : int(right), :3]
            return (part.min(axis=2) > 240).mean() > 0.1

        hands.until(lit)


def test_pictures_and_films_are_pinned_and_bad_ones_are_said(pinning, tmp_path):
    hands = pinning
    Image.fromarray(np.full((40, 80, 4), (255, 0, 0, 200), np.uint8)).save(tmp_path / "flag.png")
    (tmp_path / "bad.svg").write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><image href="a"/></svg>'
    )
    hands.click(sheet(hands).picture_button)
    hands.name_file(tmp_path / "bad.svg")
    assert "names files" in sheet(hands).trouble.text() and pinned(hands) == ()
    hands.click(sheet(hands).picture_button)
    hands.name_file(tmp_path / "flag.png")
    assert pinned(hands)[0].name == "flag" and not sheet(hands).text_setting.isVisible()
    wide, tall = np.ptp(here(hands), axis=0)
    assert wide == pytest.approx(2 * tall, rel=0.01)
    combo = sheet(hands).film
    combo.setCurrentIndex(1)
    combo.activated.emit(1)
    assert isinstance(pinned(hands)[1].of, Film) and len(pinned(hands)) == 2
    assert edits(hands).chosen.id == pinned(hands)[1].id
    drag(hands, here(hands).mean(axis=0), by(here(hands).mean(axis=0), 120, 60))
    flag = np.array(pinned(hands)[0].corners)
    drag(hands, flag[0] + 6, flag[0] + 7)  # a click on another one chooses it
    assert edits(hands).chosen.id == pinned(hands)[0].id
    hands.click(sheet(hands).remove_button)
    assert [each.of.how for each in pinned(hands)] == ["film"]


def test_it_stands_on_a_surface_behind_an_area_for_a_while_and_moves_by_poses(pinning, tmp_path):
    hands = pinning
    session, window = hands.window.session, hands.window
    take = session.project.takes[0]
    corners = ((180.0, 90.0), (300.0, 90.0), (300.0, 170.0), (180.0, 170.0))
    wall = Track(name="wall", kind="surface", placed=(Placement(frame=AT, places=corners),))
    session.do(AddTrack(take_id=take.id, track=wall))
    post = Drawn(shape="box", outlines=(Outline(frame=AT, places=((230, 60), (250, 60), (250, 200), (230, 200))),))
    area = Area(name="post", parts=(AreaPart(of=post),))
    session.do(PutArea(take_id=take.id, area=area, label="Make an area"))
    make_words(hands)
    hands.until(lambda: window.track_jobs.of(wall) is not None)
    stands = sheet(hands).stands
    sheet(hands).pages.show_page("where")
    assert not sheet(hands).fill_button.isEnabled()
    stands.setCurrentIndex(1)
    stands.activated.emit(1)
    assert (pinned(hands)[0].ground, pinned(hands)[0].track_id) == ("surface", wall.id)
    hands.click(sheet(hands).fill_button)
    assert here(hands) == pytest.approx(np.array(corners), abs=0.01)
    hands.until(lambda: sheet(hands).area_buttons[area.id].height() > 10)
    hands.click(sheet(hands).area_buttons[area.id])
    assert pinned(hands)[0].behind == (area.id,)
    sheet(hands).pages.show_page("when")
    hands.click(sheet(hands).begin_button)
    look_at(hands, AT + 8)
    hands.click(sheet(hands).end_button)
    assert (pinned(hands)[0].first, pinned(hands)[0].end) == (AT, AT + 9) and "frame 20" in sheet(hands).times.text()
    hands.click(sheet(hands).pose_button)
    before = here(hands)
    drag(hands, before.mean(axis=0), by(before.mean(axis=0), 0, 40))
    (pose,) = pinned(hands)[0].poses
    assert pose.frame == AT + 8 and here(hands) == pytest.approx(by(before, 0, 40), abs=2)
    sheet(hands).pages.show_page("look")
    seen = sheet(hands).sheet.controls["seen"]
    typed(hands, seen.entry, "50")
    assert pinned(hands)[0].poses[0].seen == 0.5 and pinned(hands)[0].opacity == 1
    sheet(hands).pages.show_page("when")
    hands.click(sheet(hands).forget_button)
    assert pinned(hands)[0].poses == ()
    hands.click(sheet(hands).pose_button)
    # Saved, opened and rendered, it is the same picture.
    project = session.project
    path = Path(tmp_path / "again.clevrin")
    save(project, path)
    sources = Sources.of(window.context.measurements.store)
    pictures = [picture(each, AT + 2, SIZE, sources) for each in (project, load(path))]
    sources.close()
    assert (pictures[0] == pictures[1]).all()
    white = pictures[0].min(axis=2) > 235
    assert white[:, 180:222].any() and white[:, 252:296].any() and not white[100:160, 228:244].any()


def test_without_a_shot_nothing_can_be_pinned_and_that_is_said(hands):
    hands.do("pinned")
    assert "Choose a shot" in sheet(hands).hint.text()
    assert not sheet(hands).words_button.isEnabled()
