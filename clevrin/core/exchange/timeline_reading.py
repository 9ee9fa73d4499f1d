"""OpenTimelineIO timelines as projects: those written here come back the same, of others what Clevrin has.

What was left out is listed in sentences, so that nobody finds it out later.
"""

import json
from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any
from urllib.parse import unquote, urlparse

import opentimelineio as otio
from pydantic import ValidationError

from clevrin.core.document import Join, Marker, Motion, Output, Project, Reel, Shot, Span, Take
from clevrin.core.document.files import making_sense, read_text
from clevrin.core.document.joining import LONGEST_DISSOLVE
from clevrin.core.document.music import Music
from clevrin.core.document.value import MOST_FRAMES
from clevrin.core.errors import ClevrinError, DocumentError
from clevrin.core.media.taking_in import take_in
from clevrin.core.paths import is_file

_SAME_SPEED = 0.002


@dataclass(frozen=True, kw_only=True)
class Imported:
    """A project made of a timeline, and what of the timeline is not in it, a sentence each."""

    project: Project
    left_out: tuple[str, ...]


def read_timeline(path: Path) -> Imported:
    """Reads an `.otio` file; clips of films that Clevrin does not know yet are brought in as takes.

    Raises `DocumentError` for a file that is no timeline, or that holds no clip that can be used.
    """
    timeline = _load(path)
    with making_sense(path.name):
        return _Reading(timeline, path).result()


class _Reading:
    """One timeline on its way to a project."""

    def __init__(self, timeline: otio.schema.Timeline, path: Path) -> None:
        self._timeline, self._path = timeline, path
        self._own = _own(timeline)
        self._left_out: list[str] = []
        self._takes: dict[str, Take] = {}
        self._by_url: dict[str, Take | None] = {}
        self._shots: list[Shot] = []
        self._reel = self._reel_values()

    def result(self) -> Imported:
        track = self._reel_track()
        for take in self._own.get("takes", []):
            self._keep(_value(Take, take))
        self._read_track(track)
        if not self._shots and not self._takes:
            why = f" {self._left_out[0]}" if self._left_out else ""
            raise DocumentError(f"{self._path.name} holds no clip that can be used.{why}")
        markers = tuple(m for m in (self._marker(each) for each in track.markers) if m is not None)
        reel = self._reel.changed(shots=tuple(self._shots), markers=tuple(sorted(markers, key=lambda m: m.frame)))
        place = {id: number for number, id in enumerate(self._own.get("order", []))}
        takes = sorted(self._takes.values(), key=lambda take: place.get(take.id, len(place)))
        named = self._own.get("project", {})
        fields = {"name": self._timeline.name or self._path.stem}
        if isinstance(named, Mapping) and isinstance(named.get("id"), str):
            fields["id"] = named["id"]
        motions = [_value(Motion, each) for each in self._own.get("motions", [])]
        outputs = [_value(Output, each) for each in self._own.get("outputs", [])]
        try:
            project = Project(
                takes=tuple(takes),
                reel=reel,
                motions=tuple(each for each in motions if each is not None),
                outputs=tuple(each for each in outputs if each is not None),
                music=_value(Music, self._own.get("music")),
                **fields,  # type: ignore[arg-type]
            )
        except ValidationError as error:
            raise DocumentError(f"{self._path.name} holds values that make no sense together.") from error
        return Imported(project=project, left_out=tuple(self._left_out))

    def _reel_values(self) -> Reel:
        own = _value(Reel, self._own.get("reel"))
        if own is not None:
            return own
        rate = Fraction(30)
        start = self._timeline.global_start_time
        first = next(iter(self._timeline.find_clips()), None)
        for time in (start, first.source_range.start_time if first is not None and first.source_range else None):
            if time is not None and 1 <= time.rate <= 240:
                rate = _fraction(time.rate)
                break
        return Reel(rate=rate)

    def _reel_track(self) -> otio.schema.Track:
        """The first video track; the others are listed."""
        chosen = None
        for number, track in enumerate(self._timeline.tracks, start=1):
            if not isinstance(track, otio.schema.Track):
                self._left_out.append(f"Layer {number} is no track and was left out.")
            elif track.kind == otio.schema.TrackKind.Video and chosen is None:
                chosen = track
            else:
                count = len(list(track.find_clips()))
                kind = "sound" if track.kind == otio.schema.TrackKind.Audio else "picture"
                name = f" “{track.name}”" if track.name else ""
                self._left_out.append(
                    f"Track {number}{name} ({kind}, {count} clips) was left out: a reel has one lane."
                )
        if chosen is None:
            raise DocumentError(f"{self._path.name} has no track with pictures.")
        return chosen

    def _read_track(self, track: otio.schema.Track) -> None:
        for item in track:
            try:
                self._read_item(item)
            except (ValueError, TypeError, ArithmeticError):  # times that are no numbers, or no time at all
                self._left_out.append(f"“{item.name or type(item).__name__}” was left out: its times make no sense.")

    def _read_item(self, item: Any) -> None:
        if isinstance(item, otio.schema.Clip):
            shot = self._shot(item)
            if shot is not None:
                self._shots.append(shot)
        elif isinstance(item, otio.schema.Transition):
            self._join(item)
        elif isinstance(item, otio.schema.Gap):
            seconds = item.duration().to_seconds()
            if seconds > 0:
                self._left_out.append(f"A gap of {seconds:.2f} s was closed: a reel has no gaps.")
        else:
            kind = type(item).__name__.lower()
            self._left_out.append(f"“{item.name}” is a nested {kind} and was left out.")

    def _shot(self, clip: otio.schema.Clip) -> Shot | None:
        name = clip.name or "a clip without a name"
        take = self._take(clip)
        if take is None:
            return None
        span = self._span(clip, take)
        if span is None:
            self._left_out.append(f"“{name}” was left out: its range lies outside its film.")
            return None
        own = _own(clip)
        shot = _value(Shot, {**own, "take_id": take.id, "span": span.model_dump()}) if own else None
        if shot is None or any(each.id == shot.id for each in self._shots):
            shot = Shot(take_id=take.id, span=span)
        return self._with_effects(clip, shot, take, name)

    def _with_effects(self, clip: otio.schema.Clip, shot: Shot, take: Take, name: str) -> Shot:
        every_frame = float(self._reel.rate / take.facts.rate)
        for effect in clip.effects:
            if isinstance(effect, otio.schema.LinearTimeWarp) and not isinstance(effect, otio.schema.FreezeFrame):
                scalar = effect.time_scalar
                shot = shot.changed(reverse=scalar < 0)
                pace = abs(scalar)
                if abs(pace - every_frame) < _SAME_SPEED and abs(pace - 1) > _SAME_SPEED:
                    self._keep(take.changed(conform="every frame"))
                elif abs(pace - 1) > _SAME_SPEED:
                    self._left_out.append(f"“{name}” plays at {pace:g} of its speed there; here as it was shot.")
            else:
                what = effect.name or effect.effect_name or type(effect).__name__
                self._left_out.append(f"The effect “{what}” on “{name}” was left out.")
        for marker in clip.markers:
            self._left_out.append(f"The marker “{marker.name}” on “{name}” was left out: markers stand on the reel.")
        return shot

    def _take(self, clip: otio.schema.Clip) -> Take | None:
        """The take of a clip: the one that was handed on with it, or its film brought in."""
        name = clip.name or "a clip without a name"
        reference = clip.media_reference
        if not isinstance(reference, otio.schema.ExternalReference) or not reference.target_url:
            self._left_out.append(f"“{name}” was left out: it names no film.")
            return None
        path = self._film(reference.target_url)
        own = _value(Take, _own(reference))
        if own is not None:
            known = self._takes.get(own.id)
            return known or self._keep(own.changed(path=str(path)) if is_file(path) else own)
        url = reference.target_url
        if url not in self._by_url:
            try:
                self._by_url[url] = self._keep(take_in(path))
            except ClevrinError as error:
                self._by_url[url] = None
                self._left_out.append(f"“{name}” was left out: {error}")
        elif self._by_url[url] is None:
            self._left_out.append(f"“{name}” was left out: its film cannot be read.")
        found = self._by_url[url]
        return self._takes[found.id] if found is not None else None

    def _film(self, url: str) -> Path:
        """Where a clip's film lies: a plain path or a file URL, relative to the timeline if it is not absolute."""
        try:
            parsed = urlparse(url)
            text = unquote(parsed.path) if parsed.scheme == "file" else url
        except ValueError:  # an address that opens a bracket and does not close it
            text = url
        return (self._path.parent / text).absolute()

    def _span(self, clip: otio.schema.Clip, take: Take) -> Span | None:
        """The clip's range in frames of its take, cut to what the film has."""
        if clip.source_range is None:
            return take.whole
        rate = float(take.facts.rate)
        zero = 0.0
        available = clip.media_reference.available_range
        if available is not None and not _own(clip.media_reference):
            zero = available.start_time.to_seconds()  # films whose time begins at their timecode
        first = round((clip.source_range.start_time.to_seconds() - zero) * rate)
        end = first + max(1, round(clip.source_range.duration.to_seconds() * rate))
        first, end = max(0, first), min(end, take.facts.frames)
        return Span(first=first, end=end) if first < end else None

    def _join(self, transition: otio.schema.Transition) -> None:
        if not self._shots:
            return
        own = _value(Join, _own(transition))
        if own is None:
            rate = float(self._reel.rate)
            seconds = transition.in_offset.to_seconds() + transition.out_offset.to_seconds()
            frames = max(0, round(seconds * rate))
            if transition.transition_type != otio.schema.TransitionTypes.SMPTE_Dissolve:
                what = transition.name or transition.transition_type or "a transition"
                self._left_out.append(f"The transition “{what}” was left out: this is a plain cut now.")
                return
            if frames > LONGEST_DISSOLVE:
                self._left_out.append(f"A dissolve of {frames} frames was shortened to {LONGEST_DISSOLVE}.")
            own = Join(dissolve_frames=min(frames, LONGEST_DISSOLVE))
        self._shots[-1] = self._shots[-1].changed(leave=own)

    def _marker(self, marker: otio.schema.Marker) -> Marker | None:
        own = _value(Marker, _own(marker))
        if own is not None:
            return own
        try:
            frame = round(marker.marked_range.start_time.to_seconds() * float(self._reel.rate))
        except (ValueError, OverflowError):
            frame = -1
        return Marker(frame=frame, name=marker.name[:500]) if 0 <= frame <= MOST_FRAMES else None

    def _keep(self, take: Take | None) -> Take | None:
        if take is not None:
            self._takes[take.id] = take
        return take


def _load(path: Path) -> otio.schema.Timeline:
    text = read_text(path, "an OTIO timeline")
    try:
        data = json.loads(text)  # first here: nesting without end would bring OpenTimelineIO 0.18 down
        if not isinstance(data, dict) or "OTIO_SCHEMA" not in data:
            raise ValueError("no schema")
        timeline = otio.adapters.read_from_string(text, "otio_json")
    except (ValueError, RecursionError, otio.exceptions.OTIOError, TypeError, KeyError, RuntimeError) as error:
        raise DocumentError(f"{path.name} is not an OTIO timeline, or it is damaged.") from error
    if not isinstance(timeline, otio.schema.Timeline):
        raise DocumentError(f"{path.name} holds no timeline, but {type(timeline).__name__}.")
    return timeline


def _own(thing: Any) -> dict[str, Any]:
    """What Clevrin wrote beside a thing, as plain data; empty for what comes from elsewhere."""
    try:
        found = json.loads(json.dumps(_plain(thing.metadata.get("clevrin", {}))))
    except (TypeError, ValueError, RecursionError):
        return {}
    return found if isinstance(found, dict) else {}


def _plain(value: Any) -> Any:
    if isinstance(value, Mapping):
        return {str(key): _plain(each) for key, each in value.items()}
    if isinstance(value, str | int | float | bool) or value is None:
        return value
    return [_plain(each) for each in value]


def _value(kind: Any, data: object) -> Any:
    """A value of the document from data, None where it is none."""
    if not isinstance(data, dict) or not data:
        return None
    try:
        return kind.model_validate(data)
    except (ValidationError, ValueError, TypeError, ArithmeticError):
        return None


def _fraction(rate: float) -> Fraction:
    """A rate as people mean it: 29.97 is 30000/1001."""
    for base in (24, 25, 30, 48, 50, 60, 100, 120, 240):
        for exact in (Fraction(base), Fraction(base * 1000, 1001)):
            if abs(float(exact) - rate) < 0.004:
                return exact
    return Fraction(rate).limit_denominator(1001)
