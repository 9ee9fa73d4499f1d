"""Every job is done by events alone, its film is what was wanted, and takes no more of the hand than it did."""

import pytest

from clevrin.core.shelf import Shelf
from tests.desk.conftest import Hands
from tests.jobs.hand import CountedHand
from tests.jobs.jobs import JOBS, Job
from tests.marks import later

TAKES = {
    "one take": 10,
    "axes": 6,
    "wide to tight": 6,
    "slow": 6,
    "crop limit": 6,
    "made joins": 6,
    "turned round": 6,
    "blur peaks": 6,
    "rolls": 6,
    "both whips": 6,
    "seven takes": 6,
    "thrown": 6,
    "past a subject": 6,
    "axes one by one": 9,
    "upright": 13,
    "lent": 9,
    "guides": 12,
    "words": 17,
    "sky": 15,
    "orbit": 15,
    "slide": 6,
}
"""How many actions each takes; one that took more got worse."""


def _marked(job: Job):
    return pytest.param(job, id=job.id) if job.suite else later(job, name=job.id)


@pytest.mark.parametrize("job", [_marked(job) for job in JOBS])
def test_a_job_takes_no_more_of_the_hand_than_it_did(
    job: Job,
    measured_demo: Shelf,
    hands: Hands,
    tmp_path,
    record_property,
):
    hand = CountedHand(hands, tmp_path)
    job.do(hand)
    record_property("actions", hand.actions)
    assert hand.actions <= TAKES[job.id]
