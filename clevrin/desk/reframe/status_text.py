"""What the Reframe bench tells in words of a gate: how fine its picture is, and how what is followed was seen."""

import numpy as np

from clevrin.core.document import Track
from clevrin.desk.background.track_jobs import TrackJobs
from clevrin.desk.reframe.gated_shot import SeenShot

_FINE = 0.995


def sharpness(seen: SeenShot) -> tuple[str, str]:
    """In few words and in many, how many pixels of the source there are for each of the output."""
    fine = seen.source_px()
    least = float(fine.min())
    soft = np.flatnonzero(fine < _FINE)
    if not len(soft):
        words = f"{least:.2f} source px for each px: nothing is lost"
        return words, words
    span = seen.shot.span
    return f"enlarged {1 / least:.2f} times", (
        f"The gate holds fewer pixels than the output in {len(soft)} of {span.frames} frames "
        f"({span.first + soft[0]} to {span.first + soft[-1]}): enlarged up to {1 / least:.2f} times."
    )


def followed(seen: SeenShot, track_jobs: TrackJobs) -> str:
    """How what the gate follows was seen; empty where nothing is followed, or all is well."""
    if not seen.gate.follows:
        return ""
    tracks = {track.id: track for track in seen.take.tracks}
    named = [tracks[id] for follow in seen.gate.follows for id in follow.tracks if id in tracks]
    if not named:
        return "What was followed is not in the take any more."
    unseen: set[int] = set()
    for track in named:
        found = track_jobs.of(track)
        if found is None:
            return track_jobs.trouble(track) or f"{track.name} is being followed."
        span = seen.shot.span
        unseen |= {int(k) + span.first for k in np.flatnonzero(~found.known[span.first : span.end])}
    larger = _larger(seen, named, track_jobs)
    if larger:
        return f"What is followed is larger than the gate in {larger} frames."
    return f"Not seen in {len(unseen)} frames, first at {min(unseen)}: they are bridged." if unseen else ""


def counter_zoom(seen: SeenShot) -> str:
    """What a counter-zoom costs of the picture."""
    if seen.gate.counter_zoom is None:
        return ""
    sizes = seen.states[:, 2] / seen.whole
    return f"the gate goes from {sizes.max() * 100:.0f} % of its width down to {sizes.min() * 100:.0f} %"


def _larger(seen: SeenShot, tracks: list[Track], track_jobs: TrackJobs) -> int:
    """In how many frames a surface that is followed does not fit into the gate."""
    first, end = seen.shot.span.first, seen.shot.span.end
    size = seen.states[:, 2:3] * (1.0, seen.form.half[1] / seen.form.half[0])
    larger = np.zeros(end - first, bool)
    for track in tracks:
        found = track_jobs.of(track)
        if found is not None and found.places.shape[1] > 1:
            extent = np.ptp(found.places[first:end], axis=1)
            larger |= (np.nan_to_num(extent) > size).any(axis=1)
    return int(larger.sum())
