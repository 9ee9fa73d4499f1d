"""Recipes: what is set on a shot goes on others, whatever their length and size, and through a file."""

import json
from fractions import Fraction

import pytest

from clevrin.core.document import (
    Anchor,
    Gate,
    Hold,
    Join,
    Pace,
    PacePoint,
    Pose,
    Project,
    Reel,
    Sharp,
    Shot,
    Shutter,
    Span,
)
from clevrin.core.document.edits import KeepRecipe, PutRecipe
from clevrin.core.document.edits.recipes import recipe_of, with_recipe
from clevrin.core.document.files import load, save
from clevrin.core.document.recipe_book import file_of, own, read_recipe, shipped, write_recipe
from clevrin.core.document.recipes import Recipe, RecipeSpeed
from clevrin.core.errors import DocumentError
from clevrin.core.pace import placed_shots

WIDE = 16 / 9
SET = {
    "hold": Hold(how="float", keep=0.8, spared=(Span(first=12, end=14),)),
    "pace": Pace(
        points=(PacePoint(frame=10, speed=1), PacePoint(frame=30, speed=8)),
        shutter=Shutter(angle_deg=180, sharp=Sharp(track="t")),
    ),
    "gates": (Gate(poses=(Pose(frame=10, x=640, y=360, width=1280), Pose(frame=30, x=320, y=360, width=640))),),
    "leave": Join(kind="slide").having(length=20.0),
}


@pytest.fixture
def take(demo_take):
    return demo_take("hill")


def shot_of(take, **fields) -> Shot:
    return Shot(**{"take_id": take.id, "span": Span(first=10, end=31), **fields})


def test_a_recipe_adapts_to_another_shot(take):
    recipe = recipe_of(shot_of(take, **SET), take, WIDE, "rush")
    assert recipe.told == "hold, speeds, blur, gate, join"
    longer = shot_of(take, span=Span(first=40, end=141), mirror="horizontal")
    made = with_recipe(longer, take, WIDE, recipe)
    assert [point.frame for point in made.pace.points] == [40, 140] and made.mirror == "horizontal"
    assert [(pose.frame, pose.x, pose.width) for pose in made.gate().poses] == [(40, 640, 1280), (140, 320, 640)]
    assert made.hold == Hold(how="float", keep=0.8) and made.pace.shutter == Shutter(angle_deg=180)
    assert made.leave == SET["leave"] and (made.id, made.span) == (longer.id, longer.span)
    again = with_recipe(shot_of(take, id="s", **SET), take, WIDE, recipe)
    assert again.gates == SET["gates"] and again.pace.points == SET["pace"].points


def test_played_backward_it_begins_where_the_shot_does(take):
    recipe = recipe_of(shot_of(take, **SET), take, WIDE, "rush")
    made = with_recipe(shot_of(take, reverse=True), take, WIDE, recipe)
    assert [(point.frame, point.speed) for point in made.pace.points] == [(30, 1), (10, 8)]


def test_on_an_upright_reel_its_gate_is_inside_the_picture(take):
    recipe = recipe_of(shot_of(take, **SET), take, WIDE, "rush")
    made = with_recipe(shot_of(take), take, 9 / 16, recipe)
    assert [pose.width for pose in made.gate().poses] == pytest.approx([405, 202.5])


def test_what_a_recipe_does_not_set_stays(take):
    shot = shot_of(take, **SET)
    slow = Recipe(name="slow", speeds=(RecipeSpeed(at=0, speed=0.25),))
    made = with_recipe(shot, take, WIDE, slow)
    assert (made.hold, made.gates, made.leave) == (shot.hold, shot.gates, shot.leave)
    assert [point.speed for point in made.pace.points] == [0.25] and made.pace.shutter == shot.pace.shutter


def test_of_a_shot_on_which_nothing_is_set_there_is_no_recipe(take):
    with pytest.raises(ValueError, match="nothing is set"):
        recipe_of(shot_of(take, hold=Hold(how="anchor", anchor=Anchor(track_id="t"))), take, WIDE, "none")
    with pytest.raises(ValueError, match="in the order of the shot"):
        Recipe(name="odd", speeds=(RecipeSpeed(at=0.5, speed=1), RecipeSpeed(at=0.2, speed=1)))


def test_it_goes_with_the_project_and_is_one_edit(take, tmp_path):
    recipe = recipe_of(shot_of(take, **SET), take, WIDE, "rush")
    shots = tuple(shot_of(take, id=name) for name in "ab")
    project = Project(takes=(take,), reel=Reel(rate=Fraction(30), shots=shots))
    edit = PutRecipe(recipe=recipe, shot_ids=("a", "b"))
    made = edit.apply(project)
    assert edit.label == "Put rush on 2 shots" and made.recipes == (recipe,)
    assert {shot.leave.kind for shot in made.reel.shots} == {"slide"}
    other = KeepRecipe(recipe=recipe.changed(about="another one")).apply(made)
    assert [each.about for each in other.recipes] == ["another one"]
    save(made, tmp_path / "a.clevrin")
    assert load(tmp_path / "a.clevrin").recipes == (recipe,)


def test_a_recipe_is_a_file_that_is_called_as_it_is(take, tmp_path):
    recipe = recipe_of(shot_of(take, **SET), take, WIDE, "rush: in/out")
    path = file_of(recipe.name, tmp_path)
    assert path.parent == tmp_path
    write_recipe(recipe, path)
    path.rename(tmp_path / "from a friend.json")
    (tmp_path / "torn.json").write_text('{"name": "torn", "speeds": [{"at": 4}]}')
    (tmp_path / "list.json").write_text("[1]")
    (found,) = own(tmp_path)
    assert found == recipe.changed(name="from a friend") and own(tmp_path / "nowhere") == ()
    with pytest.raises(DocumentError, match=r"torn.json is not a recipe\."):
        read_recipe(tmp_path / "torn.json")


@pytest.mark.parametrize("recipe", shipped(), ids=lambda each: each.name)
def test_those_that_ship_can_be_put_on_a_shot(recipe, take):
    assert recipe.about.endswith(".") and recipe.told
    project = Project(takes=(take,), reel=Reel(shots=(shot_of(take, id="a"), shot_of(take, id="b"))))
    made = PutRecipe(recipe=recipe, shot_ids=("a",)).apply(project)
    assert made.shot("a") != project.shot("a") and made.shot("b") == project.shot("b")
    assert len(placed_shots(made)) == 2
    assert json.loads(recipe.model_dump_json(exclude_defaults=True))["name"] == recipe.name
