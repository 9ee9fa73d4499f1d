"""The Log bench: cards searched and sorted, marks, notes, spans, instants typed, loops, conforming."""

import gc
import itertools
from fractions import Fraction

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel

from clevrin.core.document import NamedSpan, Span, edits
from clevrin.core.media.frame_memory import FrameMemory
from clevrin.core.pace import placed_shots, reel_frames
from clevrin.demo.footage_maker import FOOTAGE
from clevrin.desk.log.choice import Choice, Measured
from tests.core.test_document import facts, take
from tests.films import numbered_film

CTRL = Qt.KeyboardModifier.ControlModifier


def names(demo) -> list[str]:
    return [t.name for t in demo.window.log.cards.listed]


# Cards


def test_search_lists_what_has_all_words(demo):
    cards = demo.window.log.cards
    QTest.keyClicks(cards.search, "whip")
    assert names(demo) == ["walk-past", "hill", "bunting"]
    QTest.keyClicks(cards.search, " hill")
    assert names(demo) == ["hill"]
    cards.search.clear()
    demo.look_at(demo.window.session.project.takes[2].id)
    demo.window.log.sheet.note.setPlainText("The dog runs in")
    QTest.keyClicks(cards.search, "DOG")
    assert names(demo) == ["picnic"]
    cards.search.setText("zebra")
    assert names(demo) == [] and cards.empty_note.isVisible() and "Clear the search" in cards.empty_note.text()
    demo.key(Qt.Key.Key_Escape)


def test_keys_that_are_typed_into_the_search_do_nothing_else(demo):
    before = demo.window.session.project
    search = demo.window.log.cards.search
    search.setFocus()
    QTest.keyClicks(search, "film 1")
    assert search.text() == "film 1" and demo.window.session.project == before and demo.window.log.isVisible()
    QTest.keyClick(search, Qt.Key.Key_Return)
    assert demo.window.session.project == before and not search.hasFocus()


def test_cards_are_sorted(demo):
    sort = demo.window.log.cards.sort
    for order, listed in {
        "name": ["bunting", "hill", "picnic", "walk-past"],
        "rate": ["picnic", "bunting", "hill", "walk-past"],
        "length": ["hill", "walk-past", "bunting", "picnic"],
        "shake": ["picnic", "bunting", "hill", "walk-past"],
        "whips": ["bunting", "hill", "walk-past", "picnic"],
        "as brought in": ["walk-past", "hill", "picnic", "bunting"],
    }.items():
        sort.setCurrentText(order)
        assert names(demo) == listed, order


def test_takes_are_kept_and_dropped_by_keys_and_dropped_ones_are_hidden(demo):
    window, session = demo.window, demo.window.session
    ids = [t.id for t in session.project.takes]
    demo.look_at(ids[1])
    demo.key(Qt.Key.Key_Y)
    assert session.project.take(ids[1]).worth == "keep" and session.take.id == ids[1]
    demo.key(Qt.Key.Key_Y)
    assert session.project.take(ids[1]).worth is None  # the same key takes the mark away
    demo.key(Qt.Key.Key_N)
    assert names(demo) == ["walk-past", "picnic", "bunting"] and session.take.id == ids[2]
    assert len(session.project.reel.shots) == 3  # its shots stay
    demo.click(window.log.cards.dropped_button)
    assert window.log.cards.dropped_button.text() == "1 dropped" and len(names(demo)) == 4
    demo.key(Qt.Key.Key_Down, CTRL)
    assert session.take.id == ids[3]
    demo.key(Qt.Key.Key_W)
    assert session.project.take(ids[3]).worth == "maybe"
    assert window.log.sheet.worth.buttons["maybe"].isChecked()


def test_the_lamp_says_what_holding_would_cost(demo):
    verdict = demo.window.measurements.verdict(demo.window.session.project.takes[0])
    assert verdict.cost == "easy" and verdict.shake_px > 4
    assert "Floating it is easy: 8" in demo.window.log.sheet.motion_note.text()


@pytest.mark.parametrize(
    ("choice", "listed"),
    [
        (Choice(), ["b", "A", "c"]),
        (Choice(dropped=True), ["b", "A", "c", "d"]),
        (Choice(sort="name"), ["A", "b", "c"]),
        (Choice(sort="shake"), ["A", "b", "c"]),  # what is not measured yet comes last
        (Choice(words="60/s"), ["c"]),
        (Choice(words="costly"), ["b"]),
        (Choice(words="good try"), ["A"]),
    ],
)
def test_what_is_listed(choice, listed):
    takes = [
        take("b"),
        take("A").changed(spans=(NamedSpan(name="Good try", span=Span(first=0, end=9)),)),
        take("c").changed(facts=facts(rate=Fraction(60))),
        take("d").changed(worth="drop"),
    ]
    known = {
        "A": Measured(shake_px=1.0, whips=0, cost="easy"),
        "b": Measured(shake_px=4.0, whips=2, cost="costly"),
    }
    none = Measured(shake_px=None, whips=None, cost=None)
    assert [t.name for t in choice.listed(takes, lambda t: known.get(t.name, none))] == listed


# Notes and spans


def test_a_note_is_one_step_however_long_it_is_written(demo):
    session = demo.window.session
    demo.look_at(session.project.takes[0].id)
    before = session.project
    note = demo.window.log.sheet.note
    note.setFocus()
    QTest.keyClicks(note, "Wind from 2 s on, keep")
    assert session.take.note == "Wind from 2 s on, keep" and session.take.worth is None
    demo.window.setFocus()
    note.clearFocus()
    demo.key(Qt.Key.Key_Z, CTRL)
    assert session.project == before and note.toPlainText() == ""


def test_a_take_has_several_spans_each_put_on_the_reel_by_itself_or_all(demo):
    window, session = demo.window, demo.window.session
    take_id = session.project.takes[0].id
    demo.look_at(take_id)
    seek = lambda frame: (window.player.seek(frame), demo.until(lambda: window.player.frame == frame))  # noqa: E731
    seek(10)
    demo.key(Qt.Key.Key_A)
    seek(40)
    demo.key(Qt.Key.Key_O)
    seek(60)
    demo.key(Qt.Key.Key_A)
    spans = session.take.spans
    assert [(s.name, s.span.first, s.span.end) for s in spans] == [("1", 10, 41), ("2", 60, 147)]
    assert session.span == spans[1] and "Span 2: 60 to 146" in window.log.sheet.span_words
    table = window.log.sheet.spans
    assert table.rowCount() == 2 and table.item(0, 1).text() == "10–40"
    table.item(1, 0).setText("the good one")
    assert session.span.name == "the good one" and session.history.undo_label == "Name span"
    # The other span is chosen at the ridge, and its bracket dragged.
    ridge = window.log.ridge
    demo.click(ridge, (ridge.x_of_frame(12), 8))
    assert session.span.name == "1"
    demo.drag(ridge, (ridge.x_of_frame(9.5), 40), (ridge.x_of_frame(20), 40))
    assert session.span.span == Span(first=20, end=41) and len(session.take.spans) == 2
    demo.key(Qt.Key.Key_Return)
    assert session.project.reel.shots[-1].span == Span(first=20, end=41)
    demo.key(Qt.Key.Key_Return, CTRL)
    assert [s.span.first for s in session.project.reel.shots[-2:]] == [20, 60]
    demo.click(window.log.sheet.remove_button)
    assert [s.name for s in session.take.spans] == ["the good one"]


def test_a_late_picture_of_another_take_is_no_place_in_this_one(demo, tmp_path):
    """A picture that was asked for before another take was chosen comes after that; then a span is begun."""
    window, session = demo.window, demo.window.session
    demo.look_at(session.project.takes[0].id)
    short = numbered_film(tmp_path / "short.mp4", frames=8)
    demo.drop_files(short)
    demo.until(lambda: session.take is not None and session.take.name == "short")
    window.log.show_frame(120, ())
    assert window.log.frame_of(session.take) < 8
    window.log._take_frame[session.take.id] = 120  # as kept by an earlier version
    window.log.mark("in")
    assert session.span.span.end == 8


def test_the_span_is_looped(demo):
    window, session = demo.window, demo.window.session
    take = session.project.takes[0]
    session.do(edits.AddSpan(take_id=take.id, span=NamedSpan(name="1", span=Span(first=30, end=36))))
    demo.look_at(take.id)
    demo.key(Qt.Key.Key_L, CTRL)
    assert window.log.loop_button.isChecked()
    demo.until(lambda: window.player.programme.loop == (30, 36))
    seen = []
    window.player.shown.connect(lambda frame, _: seen.append(frame))
    window.player.seek(33)
    demo.key(Qt.Key.Key_Space)
    demo.until(lambda: len(seen) > 14)
    demo.key(Qt.Key.Key_Space)
    assert set(seen) <= set(range(30, 36)) and any(a > b for a, b in itertools.pairwise(seen))


# Instants


@pytest.mark.parametrize(("typed", "frame"), [("100", 100), ("2.15", 75), ("+7", 17), ("0:01", 30)])
def test_an_instant_is_typed(demo, typed, frame):
    window = demo.window
    demo.look_at(window.session.project.takes[0].id)
    window.player.seek(10)
    demo.until(lambda: window.log.transport.frame_words.startswith("frame 10 "))
    demo.key(Qt.Key.Key_G)
    entry = window.log.transport.entry
    assert entry.hasFocus()
    QTest.keyClicks(entry, typed)
    QTest.keyClick(entry, Qt.Key.Key_Return)
    demo.until(lambda: window.log.transport.frame_words.startswith(f"frame {frame} "))
    assert not entry.hasFocus() and len(window.session.project.reel.shots) == 3  # Enter put nothing on the reel


def test_what_is_no_instant_is_told(demo):
    window = demo.window
    demo.look_at(window.session.project.takes[0].id)
    demo.key(Qt.Key.Key_G)
    QTest.keyClicks(window.log.transport.entry, "noon")
    QTest.keyClick(window.log.transport.entry, Qt.Key.Key_Return)
    assert "'noon' is no instant" in window.trouble.text()
    demo.key(Qt.Key.Key_End)
    demo.until(lambda: window.log.transport.frame_words.startswith("frame 146 "))
    demo.key(Qt.Key.Key_Home)
    demo.until(lambda: window.log.transport.frame_words.startswith("frame 0 "))


# Conforming, taking in


def test_a_take_plays_every_frame_at_the_reels_rate(demo):
    window, session = demo.window, demo.window.session
    picnic = session.project.takes[2]
    demo.look_at(picnic.id)
    length = reel_frames(session.project)
    assert window.log.sheet.conform.isVisible()
    demo.click(window.log.sheet.conform.buttons["every frame"])
    row = placed_shots(session.project)
    assert row[2].frames == 150 and reel_frames(session.project) == length + 75
    assert "0.5 of the speed" in window.log.sheet.conform.note.text()
    demo.look_at(session.project.takes[0].id)
    assert not window.log.sheet.conform.isVisible()  # it has the reel's rate


def test_a_folder_is_taken_in_and_what_is_there_already_is_told(hands, tmp_path):
    (tmp_path / "card").mkdir()
    numbered_film(tmp_path / "card" / "one.mp4", frames=8)
    numbered_film(tmp_path / "card" / "two.mp4", frames=9)
    (tmp_path / "card" / "list.txt").write_text("one, two")
    session = hands.window.session
    hands.do("add-folder")
    hands.name_file(tmp_path / "card")
    hands.until(lambda: [t.name for t in session.project.takes] == ["one", "two"])
    hands.until(lambda: not hands.window.jobs.busy)
    assert not hands.window.log.cards.trouble.isVisible()
    hands.drop_files(tmp_path / "card")
    hands.until(lambda: "one is here already" in hands.window.log.cards.trouble.text())
    (tmp_path / "empty").mkdir()
    hands.drop_files(tmp_path / "empty")
    hands.until(lambda: "no film in empty" in hands.window.log.cards.trouble.text())


def test_a_timeline_and_a_take_list_go_out_and_come_back(demo, tmp_path):
    window, session = demo.window, demo.window.session
    before = session.project
    session.do(edits.NoteTake(take_id=before.takes[0].id, note="windy"))
    demo.do("export-otio")
    demo.name_file(tmp_path / "day.otio")
    demo.do("export-takes")
    demo.name_file(tmp_path / "day.csv")
    assert (tmp_path / "day.otio").exists() and "windy" in (tmp_path / "day.csv").read_text()
    noted = session.project
    session.undo()
    demo.do("import-takes")
    demo.name_file(tmp_path / "day.csv")
    assert session.project == noted and session.history.undo_label == "Read take list"
    demo.do("import-otio")
    demo.name_file(tmp_path / "day.otio")
    demo.until(lambda: not session.has_name)
    assert session.project.reel == noted.reel and session.project.takes == noted.takes
    window.exchanging.open_timeline(tmp_path / "day.csv")
    demo.until(lambda: window.trouble.isVisible())
    assert "not an OTIO timeline" in window.trouble.text()


def test_a_project_is_packed(demo, tmp_path):
    demo.do("pack")
    demo.name_file(tmp_path / "to carry")
    demo.until(lambda: (tmp_path / "to carry").is_dir() and not demo.window.jobs.busy)
    assert "Packed into to carry" in demo.window.header.strip.words
    assert sorted(p.name for p in (tmp_path / "to carry" / "media").iterdir()) == sorted(
        f"{name}.mp4" for name in ("walk-past", "hill", "picnic", "bunting")
    )
    assert (tmp_path / "to carry" / "to carry.clevrin").is_file() and FOOTAGE.is_dir()


def test_of_five_films_of_which_one_is_damaged_four_come_in(hands, tmp_path):
    films = [numbered_film(tmp_path / f"{number}.mp4", frames=10 + number) for number in range(5)]
    data = bytearray(films[2].read_bytes())
    data[len(data) // 8 :] = b"\xff" * (len(data) - len(data) // 8)
    films[2].write_bytes(bytes(data))
    hands.drop_files(*films)
    hands.until(lambda: len(hands.window.session.project.takes) == 4)
    assert "2.mp4" in hands.window.log.cards.trouble.text()


def test_what_is_special_about_a_film_is_told_when_it_comes_in_and_stands_in_its_sheet(hands, tmp_path):
    stamps = [0, 33, 67, 140, 170, 215, 233, 300, 333, 345, 400, 433]
    hands.drop_files(numbered_film(tmp_path / "phone.mkv", frames=12, stamps=stamps))
    hands.until(lambda: hands.window.session.project.takes)
    hands.until(lambda: "phone: varying rate" in shown_words(hands.window.header))
    assert "its own instant" in shown_words(hands.window.log.sheet)
    assert not hands.window.log.cards.trouble.isVisible()


def shown_words(widget) -> str:
    return "\n".join(label.text() for label in widget.findChildren(QLabel) if label.isVisible())


def test_another_project_closes_the_films_of_the_last_one(demo, hands, tmp_path):
    """Decoded frames of a project that is put away are given back."""
    memory = [found for found in gc.get_objects() if type(found) is FrameMemory]  # a dead proxy has no class to ask
    demo.until(lambda: any(found.kept_bytes for found in memory))
    demo.window.projects.begin_new()
    demo.until(lambda: not any(found.kept_bytes for found in memory))


def test_several_names_in_quotes_are_all_brought_in(hands, tmp_path):
    names = [tmp_path / f"{name} x.mp4" for name in "abc"]
    for number, path in enumerate(names):
        numbered_film(path, frames=4 + number)
    hands.do("add")
    hands.name_file(" ".join(f'"{path}"' for path in names))
    hands.until(lambda: len(hands.window.session.project.takes) == 3)
    assert [take.name for take in hands.window.session.project.takes] == ["a x", "b x", "c x"]
