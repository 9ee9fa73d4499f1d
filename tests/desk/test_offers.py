"""What is offered in the header: told with its price, taken by a key or a click, never by itself."""

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from clevrin.core.document import Hold, Join, Output
from clevrin.core.document.edits import AddOutput, SetLeaves, SteadyShots
from clevrin.core.motion.movers import Mover
from clevrin.demo.footage_maker import FOOTAGE
from clevrin.desk.bench.shot_movers import Found, ShotMovers

CTRL, SHIFT, ALT = (Qt.KeyboardModifier[f"{name}Modifier"] for name in ("Control", "Shift", "Alt"))


@pytest.fixture
def offered(demo):
    """The demo without holds: floating is offered."""
    session = demo.window.session
    session.do(SteadyShots(holds=tuple((shot.id, Hold()) for shot in session.project.reel.shots)))
    demo.until(lambda: demo.window.header.offers.told.startswith("Float it"))
    return demo


def holds(hands) -> list[str]:
    return [shot.hold.how for shot in hands.window.session.project.reel.shots]


def test_an_offer_is_told_with_its_price_and_one_key_takes_it(offered):
    strip = offered.window.header.offers
    assert "% of the width stays" in strip.told and strip.take_button.isVisible()
    assert set(holds(offered)) == {"none"}, "none is taken by itself"
    offered.key(Qt.Key.Key_Q)
    assert holds(offered)[0] == "float" and set(holds(offered)[1:]) == {"none"}
    offered.until(lambda: not strip.told.startswith("Float it"))
    offered.do("undo")
    assert set(holds(offered)) == {"none"}


def test_all_of_a_kind_are_one_step(offered):
    window = offered.window
    before = window.session.project
    count = window.offering.alike(window.offering.first)
    assert count > 2 and window.header.offers.all_button.text() == f"all {count}"
    offered.key(Qt.Key.Key_Q, SHIFT)
    assert len([how for how in holds(offered) if how != "none"]) == count
    assert window.session.history.undo_label == "Float it, on the whole reel"
    offered.do("undo")
    assert window.session.project == before


def test_an_offer_is_chosen_on_the_empty_line_and_enter_alone_takes_none(offered):
    line = offered.window.said.line
    offered.key(Qt.Key.Key_T, CTRL)
    offered.until(line.entry.hasFocus)
    assert line.found[0].words == "Float it" and line.note.text() == "This is offered: Up chooses."
    QTest.keyClick(line.entry, Qt.Key.Key_Return)
    assert line.isVisible() and set(holds(offered)) == {"none"}
    QTest.keyClick(line.entry, Qt.Key.Key_Up)
    QTest.keyClick(line.entry, Qt.Key.Key_Return)
    assert holds(offered)[0] == "float"


def test_a_plain_cut_is_offered_what_agrees_there_in_join(demo):
    window, session = demo.window, demo.window.session
    shot = session.project.reel.shots[0]
    session.do(SetLeaves(leaves=tuple((each.id, Join()) for each in session.project.reel.shots)))
    assert not any(each.step == "join" for each in window.offering.offers), "films are not looked at before"
    demo.key(Qt.Key.Key_5)
    demo.until(lambda: window.offering.first is not None and window.offering.first.kind == "match")
    assert window.header.offers.told.startswith("Cut in the whip")
    window.header.offers.take_button.click()
    assert session.project.shot(shot.id).leave.kind == "whip cut"
    demo.do("undo")
    demo.until(lambda: window.offering.first is not None and window.offering.first.kind == "match")
    window.header.offers.all_button.click()
    demo.until(lambda: session.history.undo_label == "Cut in the whip, on the whole reel")
    assert session.project.shot(shot.id).leave.kind == "whip cut"
    assert window.header.strip.words.startswith("Done for ")
    demo.do("undo")
    assert {each.leave.kind for each in session.project.reel.shots} == {"plain cut"}


def test_the_next_offer_is_a_key_away(demo):
    window, session = demo.window, demo.window.session
    last = session.project.reel.shots[-1]
    session.choose_shot(last.id)
    session.do(SteadyShots(holds=((last.id, Hold()),)))
    demo.until(lambda: len(window.offering.offers) > 1)
    first = window.header.offers.told
    demo.key(Qt.Key.Key_Q, ALT)
    assert window.header.offers.told not in ("", first)
    for _ in range(len(window.offering.offers) - 1):
        window.header.offers.next_button.click()
    assert window.header.offers.told == first


def test_dropped_films_become_a_first_reel_by_one_key(measured_demo, hands):
    window, session = hands.window, hands.window.session
    assert window.header.offers.told == ""
    hands.drop_files(*(FOOTAGE / f"{name}.mp4" for name in ("walk-past", "hill")))
    hands.until(lambda: window.header.offers.told.startswith("Make a first reel of 2 takes"))
    assert not session.project.reel.shots, "none is made by itself"
    hands.key(Qt.Key.Key_Q)
    hands.until(lambda: session.project.reel.shots)
    walk, hill = session.project.reel.shots
    assert walk.leave.kind == "whip cut" and hill.hold.how == "float"
    assert window.header.strip.words.startswith("A first reel: 2 shots, ")
    hands.until(lambda: not window.header.offers.told.startswith("Make a first reel"))
    hands.do("undo")
    assert not session.project.reel.shots


def test_what_is_best_now_is_told_whatever_was_told_before(demo, monkeypatch):
    """Something that moves was looked for, and following it is offered; then floating is worth more."""
    window, session = demo.window, demo.window.session
    mover = Mover(first=4, last=40, frame=20, box=(0, 0, 90, 90), middle=(300.0, 200.0), share=0.02)
    found = Found(movers=(mover,), detail=np.zeros((9, 16)))
    monkeypatch.setattr(ShotMovers, "known", lambda self, take, span: found)
    session.move_playhead(3)
    window.offering.enter("log")
    session.do(AddOutput(output=Output(name="tall", width=720, height=1280)))
    demo.until(lambda: window.header.offers.told.startswith("Follow what moves in it"))
    session.do(SteadyShots(holds=((session.shot.id, Hold()),)))
    demo.until(lambda: window.header.offers.told.startswith("Float it"))
