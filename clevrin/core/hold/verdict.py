"""The verdict: what holding a take would cost, and which frames stay bad, in figures and in one plain sentence."""

import json
from dataclasses import asdict, dataclass
from typing import Literal

import numpy as np

from clevrin.core.digest import digest
from clevrin.core.document import Hold, Span
from clevrin.core.document.holding import AXES
from clevrin.core.hold.blurred import blurred_frames
from clevrin.core.hold.framing import kept_share
from clevrin.core.hold.lock_off import widest_gate
from clevrin.core.hold.report import calm_frames, calm_runs, course, idle_axes, shake, shake_px
from clevrin.core.hold.solve import held_path
from clevrin.core.motion.geometry.models import Matrix, gate_corners
from clevrin.core.motion.trace.trace import LOW_CONFIDENCE, Trace
from clevrin.core.motion.whips import Whip
from clevrin.core.shelf import Shelf

Cost = Literal["easy", "costly", "hopeless"]

_VERSION = "2"
"""Another one than before where the same trace is judged otherwise: what was kept is judged anew."""
EASY_KEEP, COSTLY_KEEP = 0.85, 0.70
"""Least shares of the width that must stay for a hold to count as easy, or as worth its price."""
UNITS = {"pan": "px", "tilt": "px", "roll": "deg", "zoom": "percent"}
_MANY_UNSURE = 0.1
"""Share of frames whose motion is not known surely that is worth a word."""
_FAR_OFF_SHARE = 0.0025
"""Of the width: a frame that is off by less at its corners is known well enough, whatever little there was to see."""
_MANY_BLURRED, _MOST_BLURRED = 0.10, 0.35
_APART_SHARE = 0.0008
"""Of the width: how far what is tracked moves from what is followed, for that to be worth a word."""
_STANDS = 0.97
"""The share of the width that all frames of a take have in common that stands still."""
_LOOKED_AT = 300
"""Frames of a long take that are looked at for what all of them have in common."""


@dataclass(frozen=True, kw_only=True)
class Verdict:
    """What a take gives.

    `keep_float` and `keep_lock_off`: the share of the width that stays when all shake slower than the default
    settle goes, and when the take stands still (0: it leaves the picture altogether). `shake`: root mean square of
    the motion over 1 Hz in the calm stretches along each axis, in px, px, degrees and percent; `idle` are the axes
    with nothing worth removing. `blurred`: frames whose motion blur will show after floating.
    """

    cost: Cost
    sentence: str
    keep_float: float
    keep_lock_off: float
    shake: dict[str, float]
    idle: tuple[str, ...]
    blurred: tuple[int, ...]

    @property
    def shake_px(self) -> float:
        """Pan and tilt together."""
        return shake_px(self.shake)


def judge(trace: Trace, whips: tuple[Whip, ...], span: Span | None = None) -> Verdict:
    """The verdict on a take, or on a span of it.

    Solves a float with room to spare and sees how much of the picture it used, and looks how far the picture
    wanders from its middle frame. Costs what solving costs: about 0.1 s for a minute of film.
    """
    span = span or Span(first=0, end=trace.frames)
    path = held_path(trace, span, Hold(how="float", keep=0.5))
    assert path is not None
    calm = calm_frames(trace, span, whips)
    shot = course(trace, span)
    rest = shake(shot, float(trace.rate), calm)
    idle = idle_axes(rest, trace.width)
    keep_float = min(path.kept_at(k) for k in range(span.first, span.end))
    keep_locked = _keep_locked(trace, span)
    blurred = blurred_frames(trace, span, path, whips)
    cost = _cost(keep_float, len(blurred) / span.frames, idle)
    unsure = _unsure(trace, span)
    if cost == "easy" and unsure > _MANY_UNSURE * span.frames:
        cost = "costly"
    told = bool(calm_runs(calm, float(trace.rate)))
    words = _Words(
        told=told,
        unsure=unsure,
        rest=rest,
        idle=idle,
        keep=keep_float,
        locked=keep_locked,
        blurred=len(blurred),
        frames=span.frames,
        apart=_apart_px(trace, span),
        changed=_changed(trace, span),
    )
    return Verdict(
        cost=cost,
        sentence=words.sentence(cost),
        keep_float=keep_float,
        keep_lock_off=keep_locked,
        shake=rest,
        idle=idle,
        blurred=blurred,
    )


def kept_verdict(trace: Trace, whips: tuple[Whip, ...], shelf: Shelf) -> Verdict:
    """The verdict on a whole take from the shelf, or made and kept there. `whips`: those of its trace."""
    key = "verdict", _VERSION, digest(trace)
    kept = shelf.get(*key)
    found = _read(kept["json"].tobytes()) if kept is not None and "json" in kept else None
    if found is None:
        found = judge(trace, whips)
        written = json.dumps(asdict(found)).encode()
        shelf.put({"json": np.frombuffer(written, np.uint8)}, *key)
    return found


def _read(written: bytes) -> Verdict | None:
    try:
        fields = json.loads(written)
        return Verdict(**{**fields, "idle": tuple(fields["idle"]), "blurred": tuple(fields["blurred"])})
    except (ValueError, TypeError, KeyError):
        return None  # damaged: it is made anew


def _unsure(trace: Trace, span: Span) -> int:
    """In how many frames the motion is not known well enough: few things tell it, and it may be far off."""
    low = trace.confidence[span.first : span.end] < LOW_CONFIDENCE
    if trace.sigma_px is not None:
        low &= ~(trace.sigma_px[span.first : span.end, 1] < _FAR_OFF_SHARE * trace.width)
    return int(low.sum())


def _apart_px(trace: Trace, span: Span) -> float:
    """How far what is tracked moves from what is followed, in the usual frame; 0 where that is not worth a word."""
    if trace.parallax_px is None:
        return 0.0
    usual = float(np.median(trace.parallax_px[span.first : span.end]))
    return usual if usual > _APART_SHARE * trace.width else 0.0


def _changed(trace: Trace, span: Span) -> tuple[int, ...]:
    """The frames from which on another plane is followed."""
    if trace.changed is None:
        return ()
    return tuple(int(k) for k in np.flatnonzero(trace.changed[span.first : span.end]) + span.first)


def _cost(keep: float, blurred_share: float, idle: tuple[str, ...]) -> Cost:
    if len(idle) == len(AXES):
        return "easy"
    if keep < COSTLY_KEEP or blurred_share > _MOST_BLURRED:
        return "hopeless"
    return "easy" if keep >= EASY_KEEP and blurred_share <= _MANY_BLURRED else "costly"


def _keep_locked(trace: Trace, span: Span) -> float:
    """The share that all frames have in common with the middle one, by summing up the trace.

    Registering each frame directly would be exact, and take as long as tracing; a drift of some pixels does not
    change a verdict. Long takes are judged by a frame in every so many, which do not miss a wander.
    """
    middle = (span.first + span.end) // 2
    step = max(1, round(span.frames / _LOOKED_AT))
    motions: list[Matrix] = [np.eye(3)]
    for way in (1, -1):
        total = np.eye(3)
        last = span.end if way > 0 else span.first - 1
        for k in range(middle + (way > 0), last + (way < 0), way):
            total = trace.motions[k] @ total if way > 0 else np.linalg.inv(trace.motions[k]) @ total
            total = total / total[2, 2]
            if k % step == 0 or k == last - way:
                motions.append(total)
    about = np.array(motions)
    if not np.isfinite(about).all() or np.abs(about[:, :2, 2]).max() > trace.width:
        return 0.0
    limits = np.array([trace.width - 1, trace.height - 1]) / 2
    share = float(widest_gate(about, gate_corners(trace.width, trace.height), limits)[0])
    return max(0.0, share * float(kept_share(about).min()))  # a frame that is nearer shows less through one gate


@dataclass(frozen=True, kw_only=True)
class _Words:
    """What a sentence is made of; `told`: whether there is a calm stretch in which shake could be seen."""

    told: bool
    unsure: int
    rest: dict[str, float]
    idle: tuple[str, ...]
    keep: float
    locked: float
    blurred: int
    frames: int
    apart: float
    changed: tuple[int, ...]

    def sentence(self, cost: Cost) -> str:
        """Why the verdict is as it is, and what to try."""
        if not self.told:
            return "There is no calm stretch in it that is long enough to be judged."
        if len(self.idle) == len(AXES):
            if self.locked < _STANDS:
                return "There is nothing to remove: it moves evenly already."
            return "There is nothing to remove: it stands still already."
        share = f"{self.keep * 100:.0f} % of the width stays"
        if cost == "easy":
            text = f"Floating it is easy: {share}{self._stands()}"
        elif cost == "costly":
            text = f"Floating it costs picture: {share}. {self._advice()}"
        else:
            text = f"It cannot be calmed well: {self._why()}. {self._advice()}"
        if self.unsure > _MANY_UNSURE * self.frames:
            seen = "little could be seen that moves together"
            text += f" In {self.unsure} of {self.frames} frames {seen}: leave out what moves by itself."
        elif self.apart:
            text += f" Near and far move apart by {self.apart:.1f} px a frame: choose on the vectors what stands still."
        if self.changed:
            text += f" From frame {self.changed[0]} on something else is followed."
        left_off = [axis for axis in self.idle if axis in ("roll", "zoom")]
        if left_off:
            text += f" Leave {' and '.join(left_off)} off: there is little to remove."
        return text

    def _stands(self) -> str:
        return f", and locked off {self.locked * 100:.0f} %." if self.locked >= COSTLY_KEEP else "."

    def _why(self) -> str:
        if self.blurred / self.frames > _MOST_BLURRED:
            return f"{self.blurred} of {self.frames} frames are blurred by the shake itself"
        return f"only {self.keep * 100:.0f} % of the width would stay"

    def _advice(self) -> str:
        if self.blurred / self.frames > _MANY_BLURRED:
            return "Try less calm, so that the blurred frames keep their motion, or a shorter span."
        worst = max(("pan", "tilt"), key=lambda axis: self.rest[axis])
        return f"Try less settle, a span without the worst jolts, or leave {worst} as it was shot."
