"""Random edits through the window, all taken back and all made again."""

import pytest

from clevrin.core.document.journal import left_behind
from clevrin.core.document.keeping import journal_folder
from tests.desk.wandering import Wanderer

ROUND = 1000
"""Fewer than the steps that can be undone."""


@pytest.mark.soak
def test_random_edits_are_undone_to_the_start_and_redone_to_the_end(demo, times):
    session = demo.window.session
    wanderer = Wanderer(demo.window, seed=7)
    tried: dict[str, int] = {}
    left = times(100, 10_000)
    while left:
        start, steps = session.project, 0
        while steps < min(left, ROUND):
            before = session.project
            what = wanderer.edit()
            if session.project != before:
                steps += 1
                tried[what] = tried.get(what, 0) + 1
            demo.window.trouble.hide()
            if steps % 50 == 0:
                demo.qtbot.wait(1)  # the window draws what it has
        left -= steps
        end = session.project
        undone = 0
        while session.project is not start and session.history.undo_label:
            session.undo()
            undone += 1
        assert session.project == start
        for _ in range(undone):
            session.redo()
        assert session.project == end and session.history.redo_label is None
    assert len(tried) > 18, tried  # every kind of edit came about
    session.autosave.close_journal(safe=False)
    (kept,) = left_behind(journal_folder())
    assert kept.project == end
