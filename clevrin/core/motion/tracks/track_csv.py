"""Track CSV: what was followed as a table that other tools can read, and tracks read from such tables."""

import csv
import io
from pathlib import Path

from clevrin.core.document import Placement, Take, Track
from clevrin.core.document.files import making_sense, read_text
from clevrin.core.document.tracks import TrackKind
from clevrin.core.errors import ClevrinError
from clevrin.core.motion.tracks.both_ways import Followed
from clevrin.core.plain_text import one_line

_TRACK_FORMAT = "# clevrin-track 1"
_CORNERS = ("top_left", "top_right", "bottom_right", "bottom_left")


def track_csv(track: Track, followed: Followed, take: Take) -> str:
    """A track as text: `#` lines with the format, its name and kind, the take's size and rate, a row a known frame."""
    text = io.StringIO()
    rate = take.facts.rate
    text.write(f"{_TRACK_FORMAT}\n# name {one_line(track.name)}\n# kind {track.kind}\n")
    text.write(f"# size {take.facts.width}x{take.facts.height}\n# rate {rate.numerator}/{rate.denominator}\n")
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(_track_columns(track.kind))
    for frame in range(followed.frames):
        if followed.known[frame]:
            places = (f"{value:.4f}" for value in followed.places[frame].reshape(-1))
            placed = int(followed.placed[frame])
            writer.writerow([frame, f"{float(frame / rate):.6f}", *places, f"{followed.confidence[frame]:.4f}", placed])
    return text.getvalue()


def read_track(path: Path, take: Take) -> Track:
    """A track from such a table: every row is a placement, as if somebody had put it there.

    Rows beyond the take are left out. Raises `ClevrinError` with a sentence for what is no such table.
    """
    lines = read_text(path, "a track").splitlines()
    with making_sense(path.name):
        return _track_of(lines, path, take)


def _track_of(lines: list[str], path: Path, take: Take) -> Track:
    if not lines or lines[0].strip() != _TRACK_FORMAT:
        raise ClevrinError(f"{path.name} is not a track: its first line is not '{_TRACK_FORMAT}'.")
    notes = dict(line[2:].split(" ", 1) for line in lines if line.startswith("# ") and " " in line[2:])
    kind: TrackKind
    if notes.get("kind") == "point":
        kind = "point"
    elif notes.get("kind") == "surface":
        kind = "surface"
    else:
        raise ClevrinError(f"{path.name} does not say whether it is a point or a surface.")
    table = [(number, line) for number, line in enumerate(lines, 1) if line.strip() and not line.startswith("#")]
    rows = csv.DictReader(line for _, line in table)
    names = _track_columns(kind)[2:-2]
    placed: dict[int, Placement] = {}
    number = 0
    try:
        for row in rows:
            number = table[rows.line_num - 1][0]
            frame = int(row["frame"])
            values = [float(row[name]) for name in names]
            if 0 <= frame < take.facts.frames:
                placed[frame] = Placement(frame=frame, places=tuple(zip(values[::2], values[1::2], strict=True)))
        if not placed:
            raise ClevrinError(f"{path.name} has no row for a frame of {take.name}.")
        ordered = tuple(placed[frame] for frame in sorted(placed))
        return Track(name=notes.get("name", path.stem)[:500], kind=kind, placed=ordered)
    except (KeyError, TypeError, ValueError, OverflowError, csv.Error) as error:
        raise ClevrinError(f"{path.name} cannot be used: line {number} is not a frame with its places.") from error


def _track_columns(kind: str) -> tuple[str, ...]:
    places: tuple[str, ...] = ("x_px", "y_px")
    if kind == "surface":
        places = tuple(f"{corner}_{axis}_px" for corner in _CORNERS for axis in "xy")
    return ("frame", "time_s", *places, "confidence", "placed")
