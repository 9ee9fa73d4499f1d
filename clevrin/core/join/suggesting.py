"""Which kinds of join fit a cut: every kind looks at both sides, and says how well it fits and why."""

from collections.abc import Callable
from dataclasses import dataclass

from clevrin.core.document import Join, Take
from clevrin.core.document.model import mirror_signs
from clevrin.core.join.between import velocity_at_cut
from clevrin.core.join.cut_candidates import EVEN_L
from clevrin.core.join.frame_signature import Looks, glance
from clevrin.core.join.kinds import KINDS
from clevrin.core.join.kinds.kind import Fit, Kind, Seen, SeenSide
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.trace.trace import LOW_CONFIDENCE, Trace
from clevrin.core.pace import Placed

_AGAIN_SHARE = 0.85
"""What a kind counts that the cut before has already: the same twice in a row is less of a surprise."""


@dataclass(frozen=True, kw_only=True)
class Suggestion:
    """A kind, and how it fits a cut."""

    kind: Kind
    fit: Fit

    @property
    def join(self) -> Join:
        """The join of that kind, set so that it fits."""
        return Join(kind=self.kind.id).having(**dict(self.fit.settings))


def suggestions(seen: Seen, before: str = "") -> tuple[Suggestion, ...]:
    """All kinds, the one that fits best first. `before`: the kind by which the cut before is joined."""
    found = [Suggestion(kind=kind, fit=kind.fits(seen)) for kind in KINDS.values()]
    return tuple(sorted(found, key=lambda each: -each.fit.score * (_AGAIN_SHARE if each.kind.id == before else 1.0)))


def seen_at_cut(
    before: Placed,
    after: Placed,
    traces: tuple[Trace | None, Trace | None],
    film: Callable[[Take], FilmReader],
    *,
    on_beat: bool = False,
) -> Seen:
    """Both sides of a cut between shots that follow each other; decodes the two frames at it.

    A side without a trace counts as one that stands still.
    """
    looks: list[Looks] = []
    sides = []
    for placed, trace, leaving in ((before, traces[0], True), (after, traces[1], False)):
        frame = placed.shot.last_shown if leaving else placed.shot.first_shown
        looks.append(glance(film(placed.take), (frame,)))
        sides.append(_side(placed, trace, looks[-1], frame, leaving=leaving))
    apart = ((looks[0].lab.mean(axis=(0, 1, 2)) - looks[1].lab.mean(axis=(0, 1, 2))) ** 2).sum() ** 0.5
    return Seen(before=sides[0], after=sides[1], colour_delta_e=float(apart), on_beat=on_beat)


def _side(placed: Placed, trace: Trace | None, looks: Looks, frame: int, *, leaving: bool) -> SeenSide:
    lightness, even = float(looks.lab[0, :, :, 0].mean()), bool(looks.left_l[0] < EVEN_L)
    surfaces = tuple(each.id for each in placed.take.tracks if each.kind == "surface")
    areas = tuple(each.id for each in placed.take.areas)
    if trace is None or trace.confidence[max(1, min(frame, trace.frames - 1))] < LOW_CONFIDENCE:
        return SeenSide(lightness=lightness, even=even, known=False, surfaces=surfaces, areas=areas)
    at = placed.end - 1 if leaving else placed.start
    per_s = float(placed.rate_at(at)) * (-1 if placed.shot.reverse else 1)
    flip = mirror_signs(placed.shot.mirror)
    x, y = velocity_at_cut(placed, trace, leaving=leaving)
    return SeenSide(
        velocity=(float(x), float(y)),
        turn_deg=float(trace.turn_deg[frame]) * per_s * flip[0] * flip[1],
        growth=float(trace.growth[frame]) * per_s,
        lightness=lightness,
        even=even,
        surfaces=surfaces,
        areas=areas,
    )
