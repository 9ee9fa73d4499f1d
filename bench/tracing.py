"""How true trace, whips, blur and tracks are on the demo's true camera: the table of targets, each with its figure."""

import json
from pathlib import Path

import numpy as np

from bench.rows import Row
from clevrin.core.document import Placement, Track
from clevrin.core.motion import Trace, find_whips
from clevrin.core.motion.geometry.models import apply
from clevrin.core.motion.tracks.both_ways import Followed
from clevrin.core.motion.tracks.tracks import TrackRequest, follow_track
from clevrin.core.progress import Silent
from clevrin.core.shelf import Shelf
from clevrin.demo.cast import CLOTH
from clevrin.demo.footage_maker import FILMED, FOOTAGE
from clevrin.demo.judging import picture_errors, trace_errors, true_motions, true_places

_CALM = {
    "handheld": (("walk-past", "hill", "picnic", "bunting"), 0.06, 0.10),
    "subject over a third": (("parade",), 0.12, 0.25),
    "low texture": (("mist",), 0.15, 0.30),
    "beyond the table": (("somersault", "burst", "skyward", "earthward"), None, None),
}
_DRIFT_FRAMES = 100
_ON_CLOTH = np.array([[325.0, 210.0], [195.0, 168.0], [78.0, 126.0], [404.0, 302.0], [521.0, 84.0]])
"""Places on the cloth of the parade, in its texture's pixels."""
_SURFACE = np.array([[65.0, 42.0], [390.0, 42.0], [390.0, 336.0], [65.0, 336.0]])


def tracing_rows(traces: dict[str, Trace], folder: Path) -> list[Row]:
    """`traces` of all takes of kite day by name."""
    rows = [row for what in _CALM for row in _calm_rows(what, traces)]
    rows += [_rolling_row(traces["downhill"]), _drift_row(traces["tripod"])]
    rows += [row for name in FILMED for row in _whip_rows(name, traces[name])]
    return [*rows, *_track_rows(traces["parade"], Shelf(folder / "tracks"))]


def _rms(values: np.ndarray) -> float:
    return float(np.sqrt(np.nanmean(values**2)))


def _truth(name: str) -> dict:
    return json.loads((FOOTAGE / f"{name}.truth.json").read_text())


def _calm_rows(what: str, traces: dict[str, Trace]) -> list[Row]:
    names, centre_px, corner_px = _CALM[what]
    rows = []
    for name in names:
        off = trace_errors(traces[name], true_motions(FOOTAGE / f"{name}.truth.json"))
        calm = off.calm.copy()
        for whip in _truth(name)["whips"]:
            calm[whip["start"] : whip["end"] + 1] = False  # its slow ends as well
        centre, corners = _rms(off.centre[calm]), _rms(off.corners[calm])
        target = f"{centre_px:.2f} / {corner_px:.2f} px" if centre_px is not None else ""
        met = centre <= centre_px and corners <= corner_px if centre_px is not None else None
        rows.append(Row(f"{what}: {name}, centre / corner", target, f"{centre:.3f} / {corners:.3f} px RMS", met))
    return rows


def _rolling_row(trace: Trace) -> Row:
    """Against where every row of a rolling shutter truly was, by homography and with the mesh."""
    scene = FILMED["downhill"]
    shares = np.stack(np.meshgrid(np.linspace(0.06, 0.94, 5), np.linspace(0.06, 0.94, 5)), axis=-1).reshape(-1, 2)
    points = shares * (trace.width, trace.height)
    off = [apply(trace.motions[k], points) - scene.carried(points, k - 1, k) for k in range(1, trace.frames)]
    return Row("rolling shutter: downhill, whole picture", "", f"{_rms(np.hypot(*np.array(off).T)):.3f} px RMS")


def _drift_row(trace: Trace) -> Row:
    total = np.eye(3)
    for frame in range(1, 1 + _DRIFT_FRAMES):
        total = trace.motions[frame] @ total
    w, h = trace.width - 1, trace.height - 1
    places = np.array([[w / 2, h / 2], [0, 0], [w, 0], [0, h], [w, h]])
    drift = float(np.hypot(*(apply(total, places) - places).T).max())
    what = f"tripod with walkers: drift after {_DRIFT_FRAMES} frames, worst of centre and corners"
    return Row(what, "0.3 px", f"{drift:.3f} px", drift <= 0.3)


def _whip_rows(name: str, trace: Trace) -> list[Row]:
    truth, whips = _truth(name), find_whips(trace)
    if not truth["whips"]:
        return [Row(f"false whips: {name}", "none", str(len(whips)), not whips)]
    (true,) = truth["whips"]
    off = picture_errors(trace, true_motions(FOOTAGE / f"{name}.truth.json"))
    share = _rms((off.error / off.speed.clip(1))[~off.calm])
    kind = whips[0].kind if len(whips) == 1 else "none"
    peak = abs(whips[0].peak - true["peak"]) if len(whips) == 1 else 99
    rows = [
        Row(f"whip frames: {name} ({true['kind']})", "2 %", f"{share * 100:.1f} % of the motion", share <= 0.02),
        Row(f"whip peak: {name}", "1 frame", f"{peak} off, {kind}", peak <= 1 and kind == true["kind"]),
    ]
    if true["kind"] not in ("pan", "tilt") or len(whips) != 1:
        return rows
    shutter = abs((trace.shutter_deg or 0) / truth["shutter_deg"] - 1)
    blur = abs(whips[0].blur_px / truth["frames"][whips[0].peak]["blur_px"] - 1)
    rows.append(Row(f"shutter angle: {name}", "10 %", f"{shutter * 100:.1f} % off", shutter <= 0.1))
    rows.append(Row(f"blur at the peak: {name}", "10 %", f"{blur * 100:.1f} % off", blur <= 0.1))
    return rows


def _track_rows(trace: Trace, shelf: Shelf) -> list[Row]:
    """Points and a surface on the cloth that is carried past, sways and turns, placed where they truly are."""
    scene = FILMED["parade"]
    true = true_places(scene, CLOTH, _ON_CLOTH)
    errors, latest = [], 0
    for k in range(len(_ON_CLOTH)):
        followed = _followed("point", true[30, k : k + 1], trace, shelf)
        errors.append(np.hypot(*(followed.places[:, 0] - true[:, k]).T))
        gone = np.flatnonzero((true[:, k, 0] > trace.width - 1) & (np.arange(scene.frames) > 30))
        if len(gone):
            last = int(np.flatnonzero(followed.known).max())
            latest = max(latest, last + 1 - int(gone[0]))
    error = _rms(np.concatenate(errors))
    corners = true_places(scene, CLOTH, _SURFACE)
    surface = _followed("surface", corners[30], trace, shelf)
    off = _rms(np.hypot(*(surface.places - corners).transpose(2, 0, 1)))
    return [
        Row("points on a moving, turning subject", "0.5 px", f"{error:.3f} px RMS", error <= 0.5),
        Row("loss noticed after", "2 frames", f"{latest} frames", latest <= 2),
        Row("surface on the same subject, corners", "", f"{off:.3f} px RMS"),
    ]


def _followed(kind: str, places: np.ndarray, trace: Trace, shelf: Shelf) -> Followed:
    placement = Placement(frame=30, places=tuple((float(x), float(y)) for x, y in places))
    track = Track.model_validate({"name": kind, "kind": kind, "placed": (placement,)})
    request = TrackRequest(path=FOOTAGE / "parade.mp4", fingerprint="parade", track=track)
    return follow_track(request, trace, shelf, Silent())
