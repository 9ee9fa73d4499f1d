"""Random edits through the window, all taken back and all made again."""

import pytest

from clevrin.core.document.journal import left_behind
from clevrin.core.document.keeping import journal_folder
from tests.desk.wandering import Wanderer


@pytest.mark.soak
def test_random_edits_are_undone_to_the_start_and_redone_to_the_end(demo, times):
    count = times(200, 10_000)
    session = demo.window.session
    start = session.project
    wanderer = Wanderer(demo.window, seed=7)
    tried, steps = {}, 0
    while steps < count:
        before = session.project
        what = wanderer.edit()
        if session.project != before:
            steps += 1
            tried[what] = tried.get(what, 0) + 1
        demo.window.trouble.hide()
        if steps % 50 == 0:
            demo.qtbot.wait(1)  # the window draws what it has
    assert len(tried) > 18, tried  # every kind of edit came about
    end = session.project
    while session.history.undo_label:
        session.undo()
    assert session.project == start
    while session.history.redo_label:
        session.redo()
    assert session.project == end
    session.keeper.close_journal(safe=False)
    (left,) = left_behind(journal_folder())
    assert left.project == end
