"""What is done to one shot, done to others as well."""

import pytest

from clevrin.core.document import (
    CounterZoom,
    Gate,
    Hold,
    Pace,
    PacePoint,
    Project,
    Reel,
    Shot,
    ShotSound,
    Shutter,
    Span,
)
from clevrin.core.document.edits import Alike, PaceShots, SetGate, SetHold
from clevrin.core.document.edits.alike import carried_over

ONE = Shot(id="one", take_id="a", span=Span(first=10, end=50))
OTHER = Shot(id="other", take_id="b", span=Span(first=100, end=180))


def test_what_changed_goes_over_and_what_did_not_stays():
    other = OTHER.changed(hold=Hold(how="float", settle_s=0.7, returned=0.3), sound=ShotSound(level_db=-6))
    after = ONE.changed(hold=Hold(how="lock-off", keep=0.8))
    found = carried_over(ONE, after, other)
    assert found == other.changed(hold=other.hold.changed(how="lock-off", keep=0.8))


def test_frames_places_and_things_of_a_take_stay_its_own():
    hold = Hold(how="float", spared=(Span(first=12, end=14),), reference=20)
    found = carried_over(ONE, ONE.changed(hold=hold), OTHER)
    assert found.hold == Hold(how="float") and (found.id, found.take_id, found.span) == ("other", "b", OTHER.span)


@pytest.mark.parametrize(("speeds", "gone"), [((0.25,), (0.25,)), ((0.5, 4.0), ()), ((0.0,), ())])
def test_one_speed_is_a_setting_and_a_ramp_is_not(speeds, gone):
    points = tuple(PacePoint(frame=20 + k, speed=speed, stays_s=0 if speed else 1.0) for k, speed in enumerate(speeds))
    found = carried_over(ONE, ONE.changed(pace=Pace(points=points, shutter=Shutter(angle_deg=180))), OTHER)
    assert tuple(point.speed for point in found.pace.points) == gone and found.pace.shutter.angle_deg == 180
    assert all(point.frame == 100 for point in found.pace.points)
    locked = OTHER.changed(pace=Pace(length_frames=40))
    assert carried_over(ONE, ONE.changed(pace=Pace(points=points)), locked).pace == locked.pace


def test_of_a_gate_goes_over_what_is_no_place():
    gate = Gate(output=None, counter_zoom=CounterZoom(amount=0.5), level_deg=3)
    found = carried_over(ONE, ONE.with_gate(gate), OTHER)
    assert found.gate() == Gate(counter_zoom=CounterZoom(amount=0.5))
    assert carried_over(ONE.with_gate(gate), ONE, found).gates == ()


def test_several_shots_are_one_edit_with_its_words(demo_take):
    take = demo_take("hill")
    project = Project(
        takes=(take,), reel=Reel(shots=tuple(each.changed(take_id=take.id, span=ONE.span) for each in (ONE, OTHER)))
    )
    edit = Alike(edit=SetHold(shot_id="one", hold=Hold(how="float")), lead="one", others=("other",))
    made = edit.apply(project)
    assert [shot.hold.how for shot in made.reel.shots] == ["float", "float"] and edit.label == "Steady shot of 2 shots"
    gone = Alike(edit=SetGate(shot_id="one", gate=Gate()), lead="one", others=("nobody",))
    with pytest.raises(KeyError):
        gone.apply(project)
    pace = Alike(edit=PaceShots(paces=(("one", Pace(pitch="kept")),)), lead="one", others=())
    assert pace.apply(project).shot("one").pace.pitch == "kept"
