"""The commands that measure: motion, whips, the verdict, tracks, and the cache in which all of it is kept.

What is slow to import is imported by the command that needs it: the others start in half the time.
"""

from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer

from clevrin.cli.one_take import area_in, numbers, point_in
from clevrin.cli.options import Json, Media, Out, within
from clevrin.cli.terminal import print_json, print_line, shown
from clevrin.core.document import Placement, Track
from clevrin.core.document.tracks import DEFAULT_LIMIT
from clevrin.core.errors import ClevrinError
from clevrin.core.media.cache_room import cache_in
from clevrin.core.media.probe import probe as probe_media
from clevrin.core.media.taking_in import take_in
from clevrin.core.motion import Whip, find_whips
from clevrin.core.motion.measuring.left_out import Without
from clevrin.core.motion.measuring.measure import TraceRequest, trace_take
from clevrin.core.motion.trace.motion_csv import motion_csv
from clevrin.core.motion.tracks.track_csv import track_csv
from clevrin.core.motion.tracks.tracks import TrackRequest, follow_track
from clevrin.core.outputs import check_output, write_text
from clevrin.core.shelf import Shelf

_WHIP_KEYS = ("start", "peak", "end", "angle_deg", "speed_px", "blur_px", "kind")


class ModelName(StrEnum):
    auto = "auto"
    translation = "translation"
    similarity = "similarity"
    homography = "homography"
    mesh = "mesh"


def trace(
    media: Media,
    out: Out,
    model: Annotated[ModelName, typer.Option(help="The model of the motion.")] = ModelName.auto,
    leave_out: Annotated[list[str] | None, typer.Option(help="An area x,y,w,h in pixels that does not count.")] = None,
    leave_out_area: Annotated[
        list[Path] | None, typer.Option(help="An area that does not count: a film of grey, or a report of area.")
    ] = None,
    standing: Annotated[
        str | None, typer.Option(help="What stands still, where not what covers most: frame,x,y in pixels.")
    ] = None,
    fresh: Annotated[bool, typer.Option("--fresh", help="Measure again what has been measured.")] = False,
) -> None:
    """Measures the motion of a take and writes it as a motion CSV."""
    from clevrin.core.render.measured.measurement_store import MeasurementStore

    check_output(out, [media, *(leave_out_area or [])])
    facts = probe_media(media)
    areas = tuple(_area(text, facts.width, facts.height) for text in leave_out or ())
    pointed = None
    if standing is not None:
        (place,) = point_in(standing, take_in(media), "--standing", "standing").placed
        x, y = place.places[0]
        pointed = place.frame, (x + 0.5) / facts.width, (y + 0.5) / facts.height
    request = TraceRequest(path=media, model=model.value, without=Without(fixed=areas), pointed=pointed, fresh=fresh)
    store = MeasurementStore()
    with shown(f"Measuring {media.name}") as progress:
        if leave_out_area:
            apart = (area_in(path, f"left-out-{k}").changed(left_out=True) for k, path in enumerate(leave_out_area))
            request = store.with_masks(request, take_in(media).changed(areas=tuple(apart)), progress)
        measured = trace_take(request, store.shelf, progress)
    write_text(out, motion_csv(measured, media.name), [media])


def whips(media: Media, json: Json = False) -> None:
    """Finds the whips of a take."""
    with shown(f"Measuring {media.name}") as progress:
        measured = trace_take(TraceRequest(path=media), Shelf(), progress)
    found = find_whips(measured)
    if json:
        whips = [{name: getattr(whip, name) for name in _WHIP_KEYS} for whip in found]
        print_json({"whips": whips, "shutter_deg": measured.shutter_deg})
        return
    for whip in found:
        print_line(
            f"{whip.kind} from {whip.start} to {whip.end}, fastest at {whip.peak}: "
            f"{_way(whip)}, {whip.speed_px:.0f} px a frame, {whip.blur_px:.0f} px of blur"
        )
    if not found:
        print_line("no whips")


def beats(
    sound: Annotated[Path, typer.Argument(help="A sound file, or a film with sound.", show_default=False)],
    json: Json = False,
) -> None:
    """Finds the beats of a sound, its bars, and where something begins strongly."""
    from clevrin.core.sound.beats import find_beats

    with shown(f"Listening to {sound.name}") as progress:
        found = find_beats(sound, progress)
    if json:
        print_json(found)
        return
    if not found.beats_s:
        print_line(f"{sound.name} has no beat that could be followed.")
        return
    print_line(f"{found.tempo_bpm:.1f} beats a minute, {len(found.beats_s)} beats, {len(found.bars_s)} bars")


def verdict(media: Media, json: Json = False) -> None:
    """Says what it would cost to hold a take, and which of its frames stay blurred."""
    from clevrin.core.hold.verdict import UNITS, judge
    from clevrin.core.render.measured.measurement_store import MeasurementStore

    with shown(f"Measuring {media.name}") as progress:
        measured = MeasurementStore().measure(take_in(media), progress)
    found = judge(measured, find_whips(measured))
    if not json:
        print_line(found.sentence)
        return
    print_json(
        {
            "verdict": found.cost,
            "sentence": found.sentence,
            "shake": {f"{axis}_{UNITS[axis]}": value for axis, value in found.shake.items()},
            "idle_axes": found.idle,
            "keep_float": found.keep_float,
            "keep_lock_off": found.keep_lock_off,
            "blurred_frames": found.blurred,
        }
    )


def track(
    media: Media,
    out: Out,
    point: Annotated[str | None, typer.Option(help="Where a point is: frame,x,y in pixels.")] = None,
    surface: Annotated[
        str | None, typer.Option(help="A surface's corners, clockwise from the top left: frame,x,y,x,y,x,y,x,y.")
    ] = None,
    limit: Annotated[
        float, typer.Option(parser=within(0, 1), help="The confidence under which it stops.")
    ] = DEFAULT_LIMIT,
) -> None:
    """Follows a point or a flat surface both ways from a frame, and writes where it is as a track CSV."""
    if (point is None) == (surface is None):
        raise typer.BadParameter("say where one point or one surface is", param_hint="--point / --surface")
    check_output(out, [media])
    take = take_in(media)
    kind = "point" if point is not None else "surface"
    placement = _placement(point or surface or "", corners=1 if kind == "point" else 4)
    if placement.frame >= take.facts.frames:
        raise ClevrinError(f"{media.name} has {take.facts.frames} frames: there is no frame {placement.frame}.")
    wanted = Track.model_validate({"name": kind, "kind": kind, "placed": (placement,), "limit": limit})
    with shown(f"Following in {media.name}") as progress:
        request = TrackRequest(path=media, fingerprint=take.fingerprint, track=wanted)
        followed = follow_track(request, None, Shelf(), progress)
    write_text(out, track_csv(wanted, followed, take), [media])
    for frame in followed.lost:
        print_line(f"lost at frame {frame}")


def cache(
    empty: Annotated[bool, typer.Option("--empty", help="Throw it all away; it can be made again.")] = False,
    folder: Annotated[Path | None, typer.Option(help="The cache place, if the settings name another one.")] = None,
    json: Json = False,
) -> None:
    """Says how much room measurements and proxies take, and empties it."""
    shelf = Shelf(None if folder is None else cache_in(folder))
    if empty:
        shelf.clear()
    files, size = shelf.size()
    if json:
        print_json({"folder": str(shelf.folder), "files": files, "bytes": size})
    else:
        print_line(f"{files} files, {size / 1e6:.1f} MB in {shelf.folder}")


def _way(whip: Whip) -> str:
    if whip.kind == "roll":
        return f"{abs(whip.turn_deg):.0f}° a frame {'anticlockwise' if whip.turn_deg > 0 else 'clockwise'}"
    if whip.kind == "zoom":
        return f"{(whip.growth - 1) * 100:+.1f} % a frame"
    return f"{whip.angle_deg:.0f}°"


def _placement(text: str, corners: int) -> Placement:
    names = "frame" + ",x,y" * corners
    try:
        frame, *values = numbers(text, 1 + 2 * corners, names, "--point / --surface")
        pairs = tuple(zip(values[::2], values[1::2], strict=True))
        return Placement.model_validate({"frame": frame, "places": pairs})  # not between two frames
    except ValueError as error:
        raise typer.BadParameter(f"'{text}' is not {names}", param_hint="--point / --surface") from error


def _area(text: str, width: int, height: int) -> tuple[float, float, float, float]:
    x, y, w, h = numbers(text, 4, "an area x,y,w,h", "--leave-out")
    if w <= 0 or h <= 0:
        raise typer.BadParameter(f"the area '{text}' is empty", param_hint="--leave-out")
    x0, x1 = (min(max(v / width, 0.0), 1.0) for v in (x, x + w))
    y0, y1 = (min(max(v / height, 0.0), 1.0) for v in (y, y + h))
    return x0, y0, x1 - x0, y1 - y0
