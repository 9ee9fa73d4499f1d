"""Cutting a subject out over a take: begun in a box, carried frame by frame both ways, corrected by strokes.

On a frame with a box the subject is what moves otherwise than the camera or does not look like what lies behind, made
one by a graph cut over colour and motion (Rother, Kolmogorov and Blake 2004, OpenCV's). From there its mask goes from
frame to frame with the flow about it (Kroeger and others 2016), and on each is decided anew by the colours near its
edge, those of it as a whole, and what is behind (see `evidence`), along the picture's edges (see `edges`). Then every
frame is decided once more, by what is known on both sides of it, and its soft edge is laid along the full picture.
"""

import hashlib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.document.cut_outs import Around, CutOut, Stroke
from clevrin.core.importing import importing
from clevrin.core.matte.cutting.beginning import CLEARLY, MOVES_SHARE, cut_by_graph, seen_edge
from clevrin.core.matte.cutting.edges import distances, guided, whole_pieces
from clevrin.core.matte.cutting.evidence import ColourTable, against, by_motion, odds, plate
from clevrin.core.matte.cutting.kept import CutFrames, as_arrays, from_arrays, packed
from clevrin.core.matte.cutting.masks import FEWEST_PX, Hidden, Masks, as_bits, between, box_of, from_bits, shifted
from clevrin.core.matte.cutting.window import Mask, Part, Rgb, Window
from clevrin.core.matte.matte import NOTHING, Stored
from clevrin.core.media.index import index_frames
from clevrin.core.media.picture import rgb_from_picture
from clevrin.core.media.reading import FilmReader
from clevrin.core.progress import Progress, step
from clevrin.core.shelf import Shelf

VERSION = "2"
PIECE = 30
Numbers = NDArray[np.float32]
Matrix = NDArray[np.float64]

_REACH = 30
_FAR_MARGIN, _NEAR_MARGIN = 0.5, 0.3
_LEAST_MARGIN_PX = 20
_UNLIKELY = 10.5
_ROUNDS = 3
_BAND_PX = 2.5
"""So many pixels from where the flow carried the edge the odds for it to be there are as one to e."""
_STIFF = 8.0
_AGAIN_PX, _AGAIN_STIFF = 4.0, 4.0
_GUIDE_PX, _GUIDE_SMOOTH = 3, 30.0
_EDGE_PX, _EDGE_SMOOTH = 2, 20.0
_SAID = 40.0
_AHEAD, _PACE_FRAMES = 24, 4
_NEAR_EDGE_PX = 3.0
_STEADY_FRAMES = 7
_CLEARER = 0.035


@dataclass(frozen=True, kw_only=True)
class CutRequest:
    """What to cut out of which film; `measured`: as what its camera's motion was measured."""

    path: Path
    fingerprint: str
    cut: CutOut
    measured: str = ""

    @property
    def of_film(self) -> tuple[str, ...]:
        """What everything that is found of it depends on."""
        return self.fingerprint, self.measured, VERSION

    @property
    def key(self) -> tuple[str, ...]:
        return "cut-out", *self.of_film, _digest(self.cut.around, self.cut.strokes)


def stored_cut_out(request: CutRequest, frames: int, shelf: Shelf) -> CutFrames | None:
    """What was cut out before, if all of it was."""
    kept = shelf.get(*request.key)
    return None if kept is None else from_arrays(kept, frames)


def cut_out(request: CutRequest, chain: Matrix, shelf: Shelf, progress: Progress) -> CutFrames:
    """Cuts a subject out of a take. `chain` (frames, 3, 3): how its camera moved, from the first frame to each.

    What was found before it is stopped is kept on the shelf, and a stroke costs only what lies beside it. Raises
    `MediaError`, `CancelledError`. Costs 0.15 to 0.4 s a frame, whatever the size of the picture.
    """
    index = index_frames(request.path)
    with FilmReader(request.path, index) as reader:
        found = _Cutting(request, chain, lambda frame: rgb_from_picture(reader.read(frame)), shelf).run(progress)
    shelf.put(as_arrays(found), *request.key, squeezed=True)
    return found


class _Cutting:
    """One subject, as far as it is cut out."""

    def __init__(self, request: CutRequest, chain: Matrix, read: Callable[[int], Rgb], shelf: Shelf) -> None:
        self._request, self._cut, self._shelf, self._read = request, request.cut, shelf, read
        first = read(self._cut.around[0].frame)
        longest = max(max(each.box[2] - each.box[0], each.box[3] - each.box[1]) for each in self._cut.around)
        self._window = Window(read, chain, (first.shape[1], first.shape[0]), longest)
        self._masks = Masks(self._window.size)
        self._hidden = Hidden(self._masks)
        self._sure: dict[int, float] = {}  # how sure it was where the edge lies when a frame was decided last
        self._table = ColourTable()
        self._flow = cv2.DISOpticalFlow_create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)  # type: ignore[attr-defined]
        boxed = [each.frame for each in self._cut.around]
        # A stroke on another frame comes last: what was found without it still counts.
        self._order = list(dict.fromkeys([*boxed, *(each.frame for each in self._cut.strokes)]))

    def run(self, progress: Progress) -> CutFrames:
        with importing:
            from scipy.ndimage import median_filter

        frames = self._window.frames
        ends = [self._ends(number) for number in range(len(self._order))]
        total = sum(end - start for start, end in ends) + 2 * frames
        done = 0
        for number, (start, end) in enumerate(ends):
            key = self._order[number]
            self._settle(key)
            for way, last in ((1, end), (-1, start)) if key in self._masks else ():
                self._spread(number, last, way, _At(progress, done, total))
                done += abs(last - key)
            step(progress, done, total)
        for frame in range(frames):
            step(progress, done + frame, total)
            self._decide_again(frame)
        covers, sure = [], np.zeros(frames, np.float32)
        for frame in range(frames):
            step(progress, done + frames + frame, total)
            covers.append(self._soft(frame))
            sure[frame] = self._sure.get(frame, 0.0) if covers[-1].packed else 0.0
        # One frame alone tells nothing: what is unsure is so for a while.
        smooth = np.where(sure > 0, median_filter(sure, _STEADY_FRAMES, mode="nearest"), np.float32(0))
        return CutFrames(covers=tuple(covers), sure=np.where((sure > 0) & (smooth == 0), sure, smooth))

    def _ends(self, number: int) -> tuple[int, int]:
        """Over which frames what was said on a frame spreads: to those on which something was said before, or all."""
        key, before = self._order[number], self._order[:number]
        return (
            max((each for each in before if each < key), default=0),
            min((each for each in before if each > key), default=self._window.frames - 1),
        )

    # What was said

    def _settle(self, frame: int) -> None:
        """The mask on a frame on which something was said."""
        around = next((each for each in self._cut.around if each.frame == frame), None)
        if around is not None:
            self._begin(around)
            return
        said = self._said(frame)
        known = self._masks.get(frame)
        thought = np.zeros(self._window.size[::-1], np.uint8) if known is None else known
        thought = np.where(said == 0, thought, (said > 0).astype(np.uint8))
        if thought.sum() < FEWEST_PX:
            self._masks.drop(frame)
            return
        for _ in range(_ROUNDS):
            part = self._window.about(thought, _NEAR_MARGIN, _LEAST_MARGIN_PX)
            mask = thought[part.at]
            self._table.add(self._window.rgb(frame)[part.at], mask)
            prior = (distances(mask) / _AGAIN_PX).clip(-_AGAIN_STIFF, _AGAIN_STIFF)
            thought = self._decided(frame, part, mask, prior, said)
        self._masks[frame] = thought

    def _begin(self, around: Around) -> None:
        """The mask on a frame on which there is a box about the subject."""
        window, frame = self._window, around.frame
        box = np.zeros(window.size[::-1], np.uint8)
        corners = window.places(np.array(around.box, np.float64).reshape(2, 2))
        low = np.floor(corners[0]).clip(0, window.size).astype(int)
        high = np.ceil(corners[1] + 1).clip(0, window.size).astype(int)
        box[low[1] : high[1], low[0] : high[0]] = 1
        if box.sum() < FEWEST_PX:
            return
        part, said = window.about(box, _FAR_MARGIN, _LEAST_MARGIN_PX), self._said(frame)
        inside, rgb = box[part.at] > 0, window.rgb(frame)[part.at]
        seen = rgb.astype(np.float32)
        # What is otherwise than most other frames have it moves; what is not may move too slowly to be told.
        otherwise = (-_UNLIKELY - against(seen, plate(window, frame, part, Hidden(Masks(window.size))))).clip(0, None)
        moving = np.zeros_like(box)
        moving[part.at] = inside & (otherwise > CLEARLY)
        middles = self._roughly_followed(frame, corners, moving)
        for other, middle in middles.items():
            self._hidden.expect(other, middle, (corners[1] - corners[0]) / 2)
        behind = plate(window, frame, part, self._hidden)
        moves = by_motion(window, frame, part, middles) + otherwise
        moves[behind[2]] = -_UNLIKELY - against(seen, behind)[behind[2]]
        moves = cv2.GaussianBlur(moves.clip(-3, 3), (0, 0), 1.0)
        # By colours alone as well: what moved may have been told wrongly, and then its edge is none in the picture.
        begun, plain = (self._begun(frame, part, inside, each, said) for each in (moves, np.zeros_like(moves)))
        clearer = seen_edge(rgb, plain[1], inside) - seen_edge(rgb, begun[1], inside)
        self._table, mask = plain if clearer > _CLEARER else begun
        whole = np.zeros_like(box)
        whole[part.at] = mask
        if mask.sum() >= FEWEST_PX:
            self._masks[frame] = whole

    def _begun(
        self, frame: int, part: Part, inside: NDArray[np.bool_], moves: Numbers, said: NDArray[np.int8]
    ) -> tuple[ColourTable, Mask]:
        """A mask in a box, and the colours of it."""
        rgb = self._window.rgb(frame)[part.at]
        mask = cut_by_graph(rgb, inside, moves, said[part.at])
        for _ in range(_ROUNDS):
            self._table = ColourTable()
            self._table.add(rgb, mask)
            prior = (distances(mask) / 6).clip(-2, 2) + moves
            prior[~inside] = -2 * _SAID
            mask = self._decided(frame, part, mask, prior, said)[part.at]
        return self._table, mask

    def _said(self, frame: int) -> NDArray[np.int8]:
        """(h, w) 1 where a stroke says that it belongs, -1 that it does not; the last one counts."""
        said = np.zeros(self._window.size[::-1], np.int8)
        for stroke in self._cut.strokes:
            if stroke.frame == frame:
                said[self._painted(stroke)] = 1 if stroke.belongs else -1
        return said

    def _painted(self, stroke: Stroke) -> NDArray[np.bool_]:
        spots = np.zeros(self._window.size[::-1], np.uint8)
        places = np.round(self._window.places(np.array(stroke.places, np.float64)) * 16).astype(np.int32)
        wide = max(1, round(stroke.width_px * self._window.scale))
        cv2.polylines(spots, [places], False, 1, wide, cv2.LINE_8, 4)
        return spots > 0

    def _roughly_followed(self, frame: int, corners: Matrix, moving: Mask) -> dict[int, NDArray[np.float64]]:
        """Where the middle of a box goes on the frames near it: with what is `moving` in it, or with its inner part."""
        window, half = self._window, (corners[1] - corners[0]) / 2
        middles = {frame: corners.mean(axis=0)}
        goes = moving
        if moving.sum() < MOVES_SHARE * 4 * half.prod():
            goes = np.zeros_like(moving)
            low, high = (middles[frame] + half * of for of in ((-0.4, -0.7), (0.4, 0.2)))
            cv2.rectangle(goes, np.round(low).astype(int).tolist(), np.round(high).astype(int).tolist(), 1, -1)
        for way in (1, -1):
            middle = middles[frame]
            for before in range(frame, frame + way * _REACH, way):
                after = before + way
                low = np.floor(middle - half - 12).clip(0, window.size).astype(int)
                high = np.ceil(middle + half + 12).clip(0, window.size).astype(int)
                part = Part(*low.tolist(), *high.tolist())
                if not 0 <= after < window.frames or min(part.size) < _LEAST_MARGIN_PX:
                    break
                here, there = (
                    cv2.cvtColor(each, cv2.COLOR_RGB2GRAY)
                    for each in (window.rgb(before)[part.at], window.brought(after, before, part))
                )
                counts = shifted(goes, middle - middles[frame])[part.at] > 0
                way_px = self._flow.calc(np.ascontiguousarray(here), there, None)[counts]
                if not len(way_px):
                    break
                middle = window.carried(middle + np.median(way_px, axis=0), before, after)
                middles[after] = middle
        return middles

    # From frame to frame

    def _spread(self, number: int, last: int, way: int, tell: "_At") -> None:
        """Carries the mask of a frame on to others, mixed by nearness with what was found there from further on."""
        key = self._order[number]
        bound = last in self._order[:number]
        frames = [*range(key + way, last + way, way)][: -1 if bound else None]
        mask, known = self._masks.get(key), self._masks.copy()
        assert mask is not None, "something was said there"
        for first in range(0, len(frames), PIECE):
            piece = frames[first : first + PIECE]
            name = "cut-out-piece", *self._request.of_film, self._digest(number), f"{way} {last} {first}"
            stored = self._shelf.get(*name)
            masks = from_bits(stored, len(piece), self._window.size)
            if masks is None:
                masks, before = [], frames[first - 1] if first else key
                for frame in piece:
                    tell.step(abs(frame - key))
                    self._look_ahead(before, mask, way)
                    mask = self._carried(before, frame, mask)
                    masks.append(mask)
                    self._masks[frame], before = mask, frame
                self._shelf.put(as_bits(masks), *name)
            for frame, found in zip(piece, masks, strict=True):
                self._masks[frame] = mask = found
        for k, frame in enumerate(frames):
            other, mask_here = known.get(frame), self._masks.get(frame)
            if bound and other is not None and mask_here is not None:
                self._masks[frame] = between(mask_here, other, (k + 1) / (len(frames) + 1))

    def _look_ahead(self, frame: int, mask: Mask, way: int) -> None:
        """Where the subject is expected on the frames to come: on, as it goes now against the camera.

        Somebody who hardly moves would be learned as what lies behind him otherwise.
        """
        before = frame - way * _PACE_FRAMES
        box, earlier = box_of(mask), self._masks.get(before)
        if box is None:
            return
        middle, half, speed = box.mean(axis=0), (box[1] - box[0]) / 2, np.zeros(2)
        was = None if earlier is None else box_of(earlier)
        if was is not None:
            speed = (middle - self._window.carried(was.mean(axis=0), before, frame)) / _PACE_FRAMES
        for ahead in range(1, _AHEAD + 1):
            other = frame + way * ahead
            if 0 <= other < self._window.frames:
                self._hidden.expect(other, self._window.carried(middle + speed * ahead, frame, other), half)

    def _carried(self, before: int, after: int, mask: Mask) -> Mask:
        """The mask on a frame from that on the one beside it; empty where it is lost."""
        window = self._window
        if mask.sum() < FEWEST_PX:
            return np.zeros_like(mask)
        part = window.about(mask, 0.4, 32)
        here = cv2.cvtColor(np.ascontiguousarray(window.rgb(before)[part.at]), cv2.COLOR_RGB2GRAY)
        there = cv2.cvtColor(window.brought(after, before, part), cv2.COLOR_RGB2GRAY)
        flow = self._flow.calc(there, here, None)
        x, y = np.meshgrid(np.arange(part.size[0], dtype=np.float32), np.arange(part.size[1], dtype=np.float32))
        moved = np.zeros(mask.shape, np.float32)
        moved[part.at] = cv2.remap(
            mask[part.at].astype(np.float32), x + flow[..., 0], y + flow[..., 1], cv2.INTER_LINEAR
        )
        thought = (cv2.warpPerspective(moved, window.way(before, after), window.size) > 0.5).astype(np.uint8)
        if thought.sum() < FEWEST_PX:
            return np.zeros_like(mask)
        part = window.about(thought, _NEAR_MARGIN, _LEAST_MARGIN_PX)
        prior = (distances(thought[part.at]) / _BAND_PX).clip(-_STIFF, _STIFF)
        return self._decided(after, part, thought[part.at], prior, None)

    def _decide_again(self, frame: int) -> None:
        """The mask on a frame, now that it is known where the subject was on both sides of it."""
        mask = self._masks.get(frame)
        if mask is None or mask.sum() < FEWEST_PX:
            self._masks.drop(frame)
            return
        part = self._window.about(mask, _NEAR_MARGIN, _LEAST_MARGIN_PX)
        prior = (distances(mask[part.at]) / _AGAIN_PX).clip(-_AGAIN_STIFF, _AGAIN_STIFF)
        said = self._said(frame) if frame in self._order else None
        self._masks[frame] = self._decided(frame, part, mask[part.at], prior, said)

    def _decided(self, frame: int, part: Part, thought: Mask, prior: Numbers, said: NDArray[np.int8] | None) -> Mask:
        """The mask of the whole frame, from where it is thought to be in a part of it and the odds of that."""
        rgb = np.ascontiguousarray(self._window.rgb(frame)[part.at])
        behind = plate(self._window, frame, part, self._hidden)
        told = odds(rgb, thought, self._table, behind)
        likely = (told + prior).clip(-_STIFF, _STIFF).astype(np.float32)
        if said is not None:
            likely += _SAID * said[part.at]
        smooth = guided(rgb, likely, _GUIDE_PX, _GUIDE_SMOOTH).of(rgb)
        mask = (smooth > 0).astype(np.uint8)
        if said is not None:
            mask = np.where(said[part.at] == 0, mask, (said[part.at] > 0).astype(np.uint8))
        whole = np.zeros(self._window.size[::-1], np.uint8)
        whole[part.at] = mask = whole_pieces(mask, thought)
        near = np.abs(distances(mask)) < _NEAR_EDGE_PX
        self._sure[frame] = float(np.abs(np.tanh(told[near] / 4)).mean()) if near.any() else 0.0
        return whole

    # Its edge

    def _soft(self, frame: int) -> Stored:
        """How the subject covers the full picture."""
        mask = self._masks.get(frame)
        if mask is None or mask.sum() < FEWEST_PX:
            return NOTHING
        window, whole = self._window, self._read(frame)
        part = window.about(mask, 0.05, 8)
        small = np.ascontiguousarray(window.small(whole)[part.at])
        smooth = guided(small, mask[part.at].astype(np.float32), _EDGE_PX, _EDGE_SMOOTH)
        # To the full picture: edges of the part as they lie there, and the same linear functions of its colours.
        size, (width, height) = window.source_size, window.size
        left, right = (round(x * size[0] / width) for x in (part.left, part.right))
        top, bottom = (round(y * size[1] / height) for y in (part.top, part.bottom))
        full = whole[top:bottom, left:right]
        cover = (1.2 * (smooth.of(full) - 0.5) + 0.5).clip(0, 1)
        within = cv2.resize(distances(mask[part.at]), full.shape[1::-1], interpolation=cv2.INTER_LINEAR)
        cover[within > _AGAIN_PX], cover[within < -_AGAIN_PX] = 1, 0
        return packed(left, top, cover)

    def _digest(self, number: int) -> str:
        """What the masks depend on that spread from what was said `number`th."""
        frames = self._order[: number + 1]
        said = tuple(each for each in self._cut.strokes if each.frame in frames)
        return _digest(self._cut.around, said) + f" {frames}"


@dataclass(frozen=True)
class _At:
    """Where the whole work stands as a part of it begins."""

    progress: Progress
    done: int
    total: int

    def step(self, more: int) -> None:
        step(self.progress, self.done + more, self.total)


def _digest(around: tuple[Around, ...], strokes: tuple[Stroke, ...]) -> str:
    said = "\n".join(each.model_dump_json() for each in (*around, *strokes))
    return hashlib.sha256(said.encode()).hexdigest()
