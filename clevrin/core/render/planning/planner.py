"""From what a frame of the reel shows to its plan: which source frames, under which map, in which mix. Pure."""

from clevrin.core.document import Take
from clevrin.core.render.plan import Layer, Plan, row9
from clevrin.core.render.planning.doorway import opened
from clevrin.core.render.planning.layers import plan_shown
from clevrin.core.render.planning.shot_map import fit_map, fitted_size
from clevrin.core.render.resolving.resolving import Lacking, ResolvedFrame, Shown


def plan_frame(resolved: ResolvedFrame, size: tuple[int, int]) -> Plan:
    """The plan of a frame of the reel at a size in pixels. Reads nothing, waits for nothing, decodes nothing."""
    shown = resolved.shown
    shown = tuple(each for each in shown if not _lacks_area(each, shown))
    if any(each.door is not None for each in shown):
        shown = opened(shown, resolved.reel_size, size)
    layers = tuple(plan_shown(each, resolved.reel_size, size) for each in shown)
    shots = [each.resolved for each in shown]
    unmeasured = tuple(shot.take.name for shot in shots if isinstance(shot.state, Lacking))
    return Plan(
        width=size[0],
        height=size[1],
        layers=layers,
        unmeasured=unmeasured,
        colour=resolved.colour,
        effects=resolved.effects,
    )


def plan_take(take: Take, frame: int, size: tuple[int, int]) -> Plan:
    """The plan of a frame of a take as shot, as large as fits into a size."""
    width, height = take.facts.width, take.facts.height
    fitted = fitted_size((width, height), size)
    matrix = fit_map((width, height), fitted)
    source = width, height
    layer = Layer.of(take_id=take.id, path=take.path, frame=frame, source_size=source, src_from_out=row9(matrix))
    return Plan(width=fitted[0], height=fitted[1], layers=(layer,))


def _lacks_area(shown: Shown, others: tuple[Shown, ...]) -> bool:
    """Whether a shot would be seen by an area that is gone: then only one of both is, up to the cut and from there."""
    owner = next((each for each in others if each.area is not None), None)
    if owner is None or owner.resolved.area is not None:
        return False
    leaves = shown.placed.start == min(each.placed.start for each in others)
    return len(others) > 1 and leaves == (shown.from_cut > 0)
