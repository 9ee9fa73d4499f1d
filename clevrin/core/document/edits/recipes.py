"""Making a recipe of a shot, and putting one on shots."""

from dataclasses import dataclass

from clevrin.core.document.edits.edit import counted, each_shot
from clevrin.core.document.gating import LEAST_GATE_PX, Pose
from clevrin.core.document.holding import Hold
from clevrin.core.document.joining import Join
from clevrin.core.document.model import Project, Shot, Take
from clevrin.core.document.pacing import PacePoint, Shutter, bounded_speed
from clevrin.core.document.recipes import Recipe, RecipePose, RecipeSpeed


def recipe_of(shot: Shot, take: Take, aspect: float, name: str) -> Recipe:
    """What is set on a shot of a reel so many times as wide as high, as a recipe; what is as usual is no part of it.

    Raises `ValueError` where nothing is set.
    """
    hold, pace, gate = shot.hold.for_another_take, shot.pace, shot.gate()
    if hold.how == "anchor":
        hold = hold.changed(how="none")
    shutter = pace.shutter.changed(sharp=None)
    made = Recipe(
        name=name,
        hold=None if hold == Hold() else hold,
        speeds=tuple(_speed(shot, point) for point in pace.points) or None,
        in_between=pace.in_between,
        shutter=None if shutter == Shutter() else shutter,
        pitch=None if pace.pitch == "along" else pace.pitch,
        poses=tuple(_pose(shot, _picture(shot, take), aspect, pose) for pose in gate.poses) or None,
        leave=None if shot.leave == Join() else shot.leave,
    )
    if not made.told:
        raise ValueError("nothing is set on the shot that a recipe could keep")
    return made


def with_recipe(shot: Shot, take: Take, aspect: float, recipe: Recipe) -> Shot:
    """A shot with what a recipe sets, as long and as large as it is, on a reel so many times as wide as high."""
    pace = shot.pace
    if recipe.speeds is not None:
        pace = pace.changed(points=tuple(_point(shot, each) for each in recipe.speeds), length_frames=None)
    fields = {name: getattr(recipe, name) for name in ("in_between", "shutter", "pitch")}
    pace = pace.changed(**{name: value for name, value in fields.items() if value is not None})
    made = shot.changed(pace=pace)
    if recipe.hold is not None:
        made = made.changed(hold=recipe.hold)
    if recipe.poses is not None:
        poses = {
            each.frame: each for each in (_placed(shot, _picture(shot, take), aspect, pose) for pose in recipe.poses)
        }
        gate = made.gate().changed(poses=tuple(poses[frame] for frame in sorted(poses)))
        made = made.with_gate(gate)
    return made if recipe.leave is None else made.changed(leave=recipe.leave)


@dataclass(frozen=True, kw_only=True)
class PutRecipe:
    """Puts a recipe on shots, and keeps it with the project."""

    recipe: Recipe
    shot_ids: tuple[str, ...]

    @property
    def label(self) -> str:
        return counted(f"Put {self.recipe.name} on", len(self.shot_ids), "shot")

    def apply(self, project: Project) -> Project:
        aspect = project.reel.aspect

        def put(shot: Shot) -> Shot:
            return with_recipe(shot, project.take(shot.take_id), aspect, self.recipe)

        made = each_shot(project, self.shot_ids, put)
        return KeepRecipe(recipe=self.recipe).apply(made)


@dataclass(frozen=True, kw_only=True)
class KeepRecipe:
    """Keeps a recipe with the project, in the place of one of its name."""

    recipe: Recipe

    @property
    def label(self) -> str:
        return f"Keep {self.recipe.name}"

    def apply(self, project: Project) -> Project:
        others = tuple(each for each in project.recipes if each.name != self.recipe.name)
        return project.changed(recipes=(*others, self.recipe))


def _share(shot: Shot, frame: int) -> float:
    """How far on its way a shot is at a frame of its take, as it plays."""
    gone = (frame - shot.span.first) / max(1, shot.span.frames - 1)
    return round(min(max(1 - gone if shot.reverse else gone, 0.0), 1.0), 6)


def _frame(shot: Shot, share: float) -> int:
    gone = round((1 - share if shot.reverse else share) * (shot.span.frames - 1))
    return shot.span.first + gone


def _speed(shot: Shot, point: PacePoint) -> RecipeSpeed:
    return RecipeSpeed(at=_share(shot, point.frame), speed=point.speed, ease=point.ease, stays_s=point.stays_s)


def _point(shot: Shot, speed: RecipeSpeed) -> PacePoint:
    return PacePoint(
        frame=_frame(shot, speed.at),
        speed=bounded_speed(speed.speed),
        ease=speed.ease,
        stays_s=0.0 if speed.speed else speed.stays_s,
    )


def _picture(shot: Shot, take: Take) -> tuple[int, int]:
    size = take.facts.width, take.facts.height
    return size[::-1] if shot.turns % 2 else size


def _pose(shot: Shot, picture: tuple[int, int], aspect: float, pose: Pose) -> RecipePose:
    width, height = picture
    return RecipePose(
        at=_share(shot, pose.frame),
        x=round(pose.x / width, 6),
        y=round(pose.y / height, 6),
        width=round(pose.width / min(width, height * aspect), 6),
        turn_deg=pose.turn_deg,
        arrive=pose.arrive,
        leave=pose.leave,
    )


def _placed(shot: Shot, picture: tuple[int, int], aspect: float, pose: RecipePose) -> Pose:
    width, height = picture
    return Pose(
        frame=_frame(shot, pose.at),
        x=pose.x * width,
        y=pose.y * height,
        width=max(LEAST_GATE_PX, pose.width * min(width, height * aspect)),
        turn_deg=pose.turn_deg,
        arrive=pose.arrive,
        leave=pose.leave,
    )
