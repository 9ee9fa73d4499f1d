"""Areas as they are on a frame: what was drawn is carried to it with the picture, with a track, or straight."""

from bisect import bisect_right
from collections.abc import Callable, Mapping

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document.areas import Area, Coloured, Drawn, Other, Outline
from clevrin.core.document.cut_outs import CutOut, Filmed
from clevrin.core.matte.matte import NOTHING, Matte, MattePart, OfColour, Painted, Places, Stored
from clevrin.core.motion.geometry.models import apply
from clevrin.core.motion.tracks.both_ways import Followed

Numbers = NDArray[np.float64]
Clung = Mapping[Drawn, Followed]
Cuts = Mapping[CutOut | Filmed, tuple[Stored, ...]]
_Carry = Callable[[Outline, int], Numbers]


def matte_at(
    area: Area,
    frame: int,
    chain: Numbers | None = None,
    followed: Mapping[str, Followed] | None = None,
    cuts: Cuts | None = None,
    others: Mapping[str, Area] | None = None,
    clung: Clung | None = None,
) -> Matte:
    """An area on a frame of its take.

    `chain` (frames, 3, 3): from the take's first frame to each, where something goes with the picture; `followed`: the
    tracks by id; `cuts`: what was cut out, by its part of the area; `others`: the areas that it is made of, by id;
    `clung`: where curves that cling to edges are, by their part. What none of these is known for stays where it was
    drawn last, and what is not cut out yet is nothing. Between two frames on which it was drawn it is carried from
    both, and what both say is mixed by nearness: it is where it was drawn, and nothing jumps.
    """
    tracks = followed or {}

    def of(part: Drawn | Coloured | CutOut | Filmed | Other) -> Painted | OfColour | Stored | Matte:
        if not isinstance(part, Other):
            return _part(part, frame, chain, tracks, cuts or {}, clung or {})
        known = others or {}
        if part.area_id not in known:
            return NOTHING
        left = {id: each for id, each in known.items() if id not in (part.area_id, area.id)}
        return matte_at(known[part.area_id], frame, chain, followed, cuts, left, clung)

    parts = tuple(MattePart(of=of(each.of), mode=each.mode, inverted=each.inverted) for each in area.parts)
    return Matte(
        parts=parts,
        grow_px=area.grow_px,
        inside_px=area.inside_px,
        outside_px=area.outside_px,
        share=share_at(area, frame),
    )


def share_at(area: Area, frame: int) -> float:
    """How much of an area counts at a frame, 0 to 1."""
    if not area.seen:
        return 1.0
    return float(np.interp(frame, [each.frame for each in area.seen], [each.share for each in area.seen]))


def _part(
    part: Drawn | Coloured | CutOut | Filmed,
    frame: int,
    chain: Numbers | None,
    followed: Mapping[str, Followed],
    cuts: Cuts,
    clung: Clung,
) -> Painted | OfColour | Stored:
    if isinstance(part, CutOut | Filmed):
        known = cuts.get(part)
        return NOTHING if known is None or frame >= len(known) else known[frame]
    if isinstance(part, Coloured):
        return OfColour(
            labs=tuple(each.lab for each in part.picks),
            tolerance=part.tolerance,
            softness=part.softness,
            holes_px=part.holes_px,
            specks_px=part.specks_px,
            spill=part.spill,
        )
    curve = clung.get(part)
    if curve is not None:
        return Painted(shape="curve", places=_plain(carried_to(curve, frame, chain)))
    return Painted(shape=part.shape, places=drawn_at(part, frame, chain, followed), sharp=part.sharp)


def carried_to(curve: Followed, frame: int, chain: Numbers | None) -> Numbers:
    """A curve on a frame; where its edge was lost, as it was nearest, and carried with the picture from there."""
    known = np.nonzero(curve.known)[0]
    nearest = int(known[np.argmin(np.abs(known - frame))])
    places = curve.places[nearest]
    if nearest == frame or chain is None:
        return places
    return np.asarray(apply(chain[frame] @ np.linalg.inv(chain[nearest]), places))


def drawn_at(drawn: Drawn, frame: int, chain: Numbers | None, followed: Mapping[str, Followed]) -> Places:
    """The points of a drawn area on a frame."""
    carry = _carrying(drawn, chain, followed)
    frames = [each.frame for each in drawn.outlines]
    at = bisect_right(frames, frame)
    before, after = drawn.outlines[max(0, at - 1)], drawn.outlines[min(at, len(frames) - 1)]
    first = carry(before, frame)
    if before is not after and frame > before.frame:
        share = (frame - before.frame) / (after.frame - before.frame)
        first = (1 - share) * first + share * carry(after, frame)
    return _plain(first)


def _plain(places: Numbers) -> Places:
    return tuple((float(x), float(y)) for x, y in places)


def _carrying(drawn: Drawn, chain: Numbers | None, followed: Mapping[str, Followed]) -> _Carry:
    """How an outline is carried to another frame."""
    track = followed.get(drawn.track_id or "") if drawn.along == "track" else None

    def with_picture(outline: Outline, frame: int) -> Numbers:
        assert chain is not None
        last = len(chain) - 1
        way = chain[min(frame, last)] @ np.linalg.inv(chain[min(outline.frame, last)])
        return np.asarray(apply(way, np.array(outline.places, np.float64)))

    def with_track(outline: Outline, frame: int) -> Numbers:
        assert track is not None
        return _along_track(np.array(outline.places, np.float64), track, outline.frame, frame)

    if track is not None:
        return with_track
    if drawn.along in ("picture", "edges") and chain is not None:
        return with_picture
    return lambda outline, _: np.array(outline.places, np.float64)


def _along_track(places: Numbers, track: Followed, before: int, after: int) -> Numbers:
    """Points that go with a track: with a point as it moves, with a surface as it lies.

    Where the track is not known it counts as where it was known nearest.
    """
    known = np.nonzero(track.known)[0]
    if len(known) == 0:
        return places
    here, there = (track.places[known[np.argmin(np.abs(known - frame))]] for frame in (before, after))
    if len(here) == 1:
        return places + (there - here)
    return np.asarray(apply(quad_to_quad(here, there), places))


def quad_to_quad(before: Numbers, after: Numbers) -> Numbers:
    """The homography that takes four corners (4, 2) to four others."""
    rows = []
    for (x, y), (u, v) in zip(before, after, strict=True):
        rows.append([x, y, 1, 0, 0, 0, -u * x, -u * y])
        rows.append([0, 0, 0, x, y, 1, -v * x, -v * y])
    solved = np.linalg.lstsq(np.array(rows, np.float64), np.asarray(after, np.float64).reshape(-1), rcond=None)[0]
    return np.append(solved, 1.0).reshape(3, 3)
