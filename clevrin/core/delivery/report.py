"""A report of a reel on one page: what it looks like, what every shot and join is, and what is not right.

Made from the same figures as the marks of the Finish bench. It is one file of HTML with everything in it.
"""

import base64
import html
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path

import cv2
import numpy as np

from clevrin.core.document import Project
from clevrin.core.errors import MediaError
from clevrin.core.join.kinds import kind_of
from clevrin.core.media.colouring import shown
from clevrin.core.media.picture import rgb_from_picture
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.outputs import write_text
from clevrin.core.pace import Placed, nominal_frame, placed_shots, reel_frames
from clevrin.core.pace.timecode import timecode
from clevrin.core.progress import Progress
from clevrin.core.render.picture import planes
from clevrin.core.render.reports.quality_checks import LookedOver, ReelMark, look_over
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import Held, complete
from clevrin.core.render.sources import Sources

_PICTURE = (240, 240)
_PLAIN_COLUMNS = 5
_PLAIN = "td,th{padding:3px;text-align:left}"
_RIDGE_PX = 44
_STYLE = """
body{font:15px/1.45 'Atkinson Hyperlegible Next',system-ui,sans-serif;background:#211f1c;color:#ece6dc;margin:32px auto;
max-width:1080px}h1{font-size:26px;margin:0}h2{font-size:18px;margin:32px 0 8px}p,td,th{color:#cfc7ba}
table{border-collapse:collapse;width:100%}td,th{text-align:left;padding:6px 10px 6px 0;vertical-align:top;
border-bottom:1px solid #3a3530;font-variant-numeric:tabular-nums}th{font-weight:600;color:#ece6dc}
img{display:block;border-radius:3px}.row{display:flex;gap:3px;align-items:flex-end;overflow:hidden}
.row div{min-width:2px}.row img{width:100%;height:96px;object-fit:cover}
td:first-child{width:90px}svg{display:block;width:100%}.joins img{width:150px;display:inline-block}
.mark{color:#e59b35}@media print{body{background:#fff;color:#222}p,td,th,h1,h2{color:#222}}
"""


@dataclass(frozen=True, kw_only=True)
class _Shot:
    placed: Placed
    trace: Trace | None
    kept: float
    source_px: str
    picture: str


def write_report(
    project: Project, path: Path, sources: Sources, progress: Progress, *, plain: bool = False
) -> tuple[ReelMark, ...]:
    """Writes the report of a reel as HTML; returns its marks. It is whole or absent.

    `plain`: dark on light, without drawings, for what prints it and knows little of HTML.

    Raises `MediaError` for an empty reel, a take that cannot be read, a file that cannot be written; `CancelledError`.
    Costs what looking the reel over costs, and a picture for each shot and join.
    """
    row = placed_shots(project)
    if not row:
        raise MediaError("The reel is empty: put a span on it first.")
    looked = look_over(project, sources, progress)
    shots = [_of_shot(project, placed, looked, sources, progress) for placed in row]
    write_text(path, _page(project, shots, looked, sources, plain=plain), project.media)
    return looked.marks


def _of_shot(project: Project, placed: Placed, looked: LookedOver, sources: Sources, progress: Progress) -> _Shot:
    resolved = complete(HoldRequest.of(project, placed.shot), sources.measured, progress)
    state = resolved.state
    kept = state.path.least_kept_in(placed.shot.span) if isinstance(state, Held) else 1.0
    trace = sources.measured.trace(placed.take)
    middle = (placed.start + placed.end) // 2
    return _Shot(
        placed=placed,
        trace=trace,
        kept=kept,
        source_px=f"{looked.source_px[placed.shot.id]:.2f}",
        picture=_picture(project, middle, sources),
    )


def _picture(project: Project, frame: int, sources: Sources) -> str:
    """A small picture of the reel, as an address of its own bytes."""
    reel = project.reel
    scale = min(_PICTURE[0] / reel.width, _PICTURE[1] / reel.height, 1.0)
    size = max(2, round(reel.width * scale / 2) * 2), max(2, round(reel.height * scale / 2) * 2)
    rgb = rgb_from_picture(shown(planes(project, frame, size, sources)))
    _, packed = cv2.imencode(".jpg", rgb[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 82])
    return "data:image/jpeg;base64," + base64.b64encode(packed.tobytes()).decode()


def _page(project: Project, shots: list[_Shot], looked: LookedOver, sources: Sources, *, plain: bool) -> str:
    loud, marks = looked.heard.whole if looked.heard is not None else None, looked.marks
    rate, name = float(project.reel.rate), html.escape(project.name)
    total = reel_frames(project)
    facts = [
        f"{project.reel.width}×{project.reel.height}, {rate:g} frames a second",
        f"{timecode(total, rate)} in {len(shots)} shot{'s' if len(shots) > 1 else ''}",
    ]
    if loud is not None and loud.lufs is not None and loud.peak_db is not None:
        facts.append(f"{loud.lufs:.1f} LUFS, range {loud.range_lu:.1f} LU, true peak {loud.peak_db:.1f} dB")
    parts = [
        f"<!doctype html><html lang=en><meta charset=utf-8><title>{name}</title>",
        f"<style>{_PLAIN if plain else _STYLE}</style>",
        f"<h1>{name}</h1><p>{' · '.join(facts)}</p>",
        _plain_strip(shots) if plain else _strip(shots),
        "<h2>Not right yet</h2>" + _marks(looked.faults(), rate),
        "<h2>As it was chosen</h2>" + _marks(looked.choices(project), rate),
        "<h2>Shots</h2>" + _table(shots, rate),
        "<h2>Joins</h2>" + _joins(project, shots, marks, sources, rate),
        "</html>",
    ]
    return "\n".join(parts)


def _strip(shots: list[_Shot]) -> str:
    """The reel as pictures, each as wide as its shot is long, with the ridge of its camera under it."""
    cells = []
    for each in shots:
        picture = f'<img src="{each.picture}" alt="">{_ridge(each)}'
        cells.append(f'<div style="flex:{each.placed.frames} 1 0">{picture}</div>')
    return f'<div class="row">{"".join(cells)}</div>'


def _plain_strip(shots: list[_Shot]) -> str:
    """The same as a table of pictures."""
    cells = [f'<td><img src="{each.picture}" width="150"></td>' for each in shots]
    rows = ("".join(cells[k : k + _PLAIN_COLUMNS]) for k in range(0, len(cells), _PLAIN_COLUMNS))
    return "<table>" + "".join(f"<tr>{row}</tr>" for row in rows) + "</table>"


def _ridge(shot: _Shot) -> str:
    """The speed of the camera over a shot, in the reel's time, as a drawing."""
    placed, trace = shot.placed, shot.trace
    if trace is None:
        return ""
    frames = range(placed.start, placed.end)
    instants = [min(max(nominal_frame(placed, at), 0), trace.frames - 1) for at in frames]
    heights = np.minimum(np.sqrt(trace.widths_per_s[instants] / 4), 1) * _RIDGE_PX
    points = " ".join(f"{k},{_RIDGE_PX - height:.1f}" for k, height in enumerate(heights))
    count = max(1, len(heights) - 1)
    return (
        f'<svg viewBox="0 0 {count} {_RIDGE_PX}" height="{_RIDGE_PX}" preserveAspectRatio="none">'
        f'<polygon points="0,{_RIDGE_PX} {points} {count},{_RIDGE_PX}" fill="#b5803c"/></svg>'
    )


def _marks(marks: tuple[ReelMark, ...], rate: float) -> str:
    if not marks:
        return "<p>None.</p>"
    rows = (f"<tr><td>{timecode(each.frame, rate)}<td class=mark>{html.escape(each.sentence)}" for each in marks)
    return f"<table>{''.join(rows)}</table>"


def _table(shots: list[_Shot], rate: float) -> str:
    head = "<tr><th>at<th>take<th>its frames<th>hold<th>least kept<th>source px a pixel<th>speed"
    rows = []
    for each in shots:
        placed, shot = each.placed, each.placed.shot
        speed = "varies" if shot.pace.points else f"{float(placed.rate / placed.take.facts.rate):.2g}×"
        if shot.reverse:
            speed += ", backward"
        cells = (
            timecode(placed.start, rate),
            placed.take.name,
            f"{shot.span.first} to {shot.span.end - 1}",
            shot.hold.how,
            f"{each.kept:.0%}",
            each.source_px,
            speed,
        )
        rows.append("<tr>" + "".join(f"<td>{html.escape(str(cell))}" for cell in cells))
    return f"<table>{head}{''.join(rows)}</table>"


def _joins(project: Project, shots: list[_Shot], marks: tuple[ReelMark, ...], sources: Sources, rate: float) -> str:
    if len(shots) < 2:
        return "<p>There is one shot.</p>"
    rows = []
    for before, after in pairwise(shots):
        cut = before.placed.end
        both = "".join(f'<img src="{_picture(project, at, sources)}" alt=""> ' for at in (cut - 1, cut))
        said = "<br>".join(html.escape(each.sentence) for each in marks if each.what == "join" and each.frame == cut)
        names = html.escape(f"{before.placed.take.name} to {after.placed.take.name}")
        kind = html.escape(kind_of(before.placed.shot.leave).id)
        rows.append(f"<tr><td>{timecode(cut, rate)}<td>{names}<br>{kind}<td>{both}<td class=mark>{said}")
    return f'<table class="joins">{"".join(rows)}</table>'
