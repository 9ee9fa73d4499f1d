"""Offers for one shot, of what is measured of its take. They cost microseconds: nothing is solved, nothing decoded."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from clevrin.core.document import Follow, Hold, Output, Pace, PacePoint, Placement, Project, Shot, Track
from clevrin.core.document.edits import Edit, PaceShots, SetGate, SetHold
from clevrin.core.document.holding import AXES, LEAST_KEEP
from clevrin.core.hold.verdict import COSTLY_KEEP, EASY_KEEP, Verdict
from clevrin.core.motion.movers import Mover
from clevrin.core.offering.offer import Offer
from clevrin.core.pace import Placed

_MUCH_QUICKER = 1.8
"""So many times the reel's rate: slowed down to it, every frame was shot."""
_FAST, _FULL_AT, _SHUTTER_DEG = 2.0, 4.0, 180.0
_OTHER_SHAPE = 1.2
_LEAST_FOLLOWED = 0.004
_ROUNDED = 0.005


@dataclass(frozen=True, kw_only=True)
class Known:
    """What is known of a shot's take so far; `movers`: what moves by itself in it, where somebody has looked."""

    verdict: Verdict | None = None
    movers: Sequence[Mover] = ()


def shot_offers(project: Project, placed: Placed, known: Known) -> tuple[Offer, ...]:
    """All that could be done to a shot; nothing that was done to it already, or that somebody has chosen otherwise."""
    found = (_hold(placed.shot, known.verdict), _slow(project, placed), _blur(placed.shot))
    return (*(each for each in found if each is not None), *_follows(project, placed, known.movers))


def _hold(shot: Shot, verdict: Verdict | None) -> Offer | None:
    """A hold by the verdict: it stands still where that is as cheap as floating would be."""
    if verdict is None or shot.hold != Hold() or shot.loan is not None:
        return None
    if len(verdict.idle) == len(AXES) or verdict.cost == "hopeless":
        return None
    stands = verdict.keep_lock_off >= EASY_KEEP and verdict.cost == "easy"
    keeps = verdict.keep_lock_off if stands else verdict.keep_float
    if keeps < COSTLY_KEEP:
        return None
    axes = tuple(axis for axis in AXES if axis not in verdict.idle)
    # A share that stays is a share that may be used: as many hundredths as there are.
    keep = max(LEAST_KEEP, min(Hold().keep, int((keeps - _ROUNDED) * 100) / 100))
    hold = Hold(how="lock-off" if stands else "float", axes=axes, keep=keep)
    return Offer(
        kind="hold",
        step="steady",
        shot_id=shot.id,
        words="Have it stand still" if stands else "Float it",
        price=f"{keeps * 100:.0f} % of the width stays",
        worth=0.9 if verdict.cost == "easy" else 0.5,
        make=lambda project: _still(project, shot, SetHold(shot_id=shot.id, hold=hold), "hold"),
    )


def _slow(project: Project, placed: Placed) -> Offer | None:
    shot, take, rate = placed.shot, placed.take, project.reel.rate
    quicker = float(take.facts.rate / rate)
    if shot.pace != Pace() or quicker < _MUCH_QUICKER or take.facts.frames < 2:
        return None
    points = (PacePoint(frame=shot.first_shown, speed=round(1 / quicker, 6)),)
    edit = PaceShots(paces=((shot.id, shot.pace.changed(points=points)),), label="Play slowly")
    return Offer(
        kind="slow",
        step="pace",
        shot_id=shot.id,
        words=f"Play it {quicker:.2g} times slower",
        price=f"{_per_s(float(take.facts.rate))} on a reel of {_per_s(float(rate))}: every frame was shot",
        worth=0.45,
        make=lambda project: _still(project, shot, edit, "pace"),
    )


def _blur(shot: Shot) -> Offer | None:
    """Blur where it plays fast: a film that is sped up has too little of its own."""
    fastest = max((abs(point.speed) for point in shot.pace.points), default=1.0)
    shutter = shot.pace.shutter
    if fastest < _FAST or shutter.angle_deg:
        return None
    changed = shutter.changed(angle_deg=_SHUTTER_DEG, full_at=min(_FULL_AT, fastest))
    edit = PaceShots(paces=((shot.id, shot.pace.changed(shutter=changed)),), label="Blur where it is fast")
    return Offer(
        kind="blur",
        step="pace",
        shot_id=shot.id,
        words="Blur it where it is fast",
        price=f"it plays up to {fastest:.3g} times as fast, and every frame is as sharp as it was shot",
        worth=0.7,
        make=lambda project: _still(project, shot, edit, "pace"),
    )


def _follows(project: Project, placed: Placed, movers: Sequence[Mover]) -> Iterator[Offer]:
    """Following what moves by itself, in each output that shows less than the take does."""
    shot, facts = placed.shot, placed.take.facts
    mover = next((each for each in movers if each.share >= _LEAST_FOLLOWED), None)
    if mover is None:
        return
    for output in (None, *project.outputs):
        width, height = project.size_of(None if output is None else output.id)
        ratio = (width / height) / (facts.width / facts.height)
        if max(ratio, 1 / ratio) < _OTHER_SHAPE or shot.gate(None if output is None else output.id).follows:
            continue
        yield _follow(shot, placed, output, mover)


def _follow(shot: Shot, placed: Placed, output: Output | None, mover: Mover) -> Offer:
    output_id = None if output is None else output.id
    track = Track(
        name=f"subject {len(placed.take.tracks) + 1}",
        kind="point",
        placed=(Placement(frame=mover.frame, places=(mover.middle,)),),
    )
    gate = shot.gate(output_id).changed(follows=(Follow(tracks=(track.id,)),))
    edit = SetGate(shot_id=shot.id, gate=gate, track=track, label="Follow")
    where = "the reel" if output is None else output.name
    return Offer(
        kind="follow",
        step="reframe",
        shot_id=shot.id,
        words=f"Follow what moves in it, in {where}",
        price=f"frames {mover.first} to {mover.last}, {mover.share * 100:.1f} % of the picture",
        worth=0.6,
        make=lambda project: _still(project, shot, edit, "gates"),
    )


def _still(project: Project, shot: Shot, edit: Edit, what: str) -> Edit | None:
    """An edit, as long as the shot is there and nobody has changed what it changes."""
    there = next((each for each in project.reel.shots if each.id == shot.id), None)
    return edit if there is not None and getattr(there, what) == getattr(shot, what) else None


def _per_s(rate: float) -> str:
    return f"{rate:.3g}/s"
