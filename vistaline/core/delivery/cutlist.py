"""A film, or a shot, as a list of cuts that editing programs read: OpenTimelineIO.

Times of clips are in frames of their own shots; those of transitions in frames of the film. A clip
has a reference to media for its route and for each take, by the take's name; those that were not
rendered are missing references, to be linked to what has their names.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction

import opentimelineio as otio
from opentimelineio.opentime import RationalTime, TimeRange

from vistaline.core.film.film import OVERLAPPING, Film, Join, JoinKind
from vistaline.core.film.timeline import Stretch, Timeline
from vistaline.core.shot.shot import Shot

__all__ = ["Media", "film_cuts", "shot_cuts"]


@dataclass(frozen=True, kw_only=True)
class Media:
    """A clip of a shot that was rendered."""

    file: str
    """What it is called, or where it lies."""
    first: int
    """Which frame of the shot its first frame is; below 0 where it has handles."""
    frames: int


Rendered = Mapping[tuple[str, str], Media]
"""By a shot's key and a take's name, "" for the route as it is."""


def film_cuts(film: Film, shots: Mapping[str, Shot], rendered: Rendered) -> str:
    """Return a film as an OpenTimelineIO document (JSON, schema ``Timeline.1``).

    ``film`` says of its shots how long they are; ``shots`` are these, by the film's keys.

    A dissolve, a wipe or a push is a transition round the cut in its middle. Of the others, for
    which the schema has no name, ``metadata`` says what they are.
    """
    rate = film.frame.rate
    stretches = Timeline(film).stretches
    track = otio.schema.Track(name="Picture", kind=otio.schema.TrackKind.Video)
    for n, stretch in enumerate(stretches):
        following = stretches[n + 1].join if n + 1 < len(stretches) else None
        if stretch.join:
            track.append(_transition(stretch.join, rate, after_something=n > 0))
        shot = shots[stretch.piece.shot]
        clip = _clip(shot, stretch.piece.shot, rendered)
        clip.source_range = _used(stretch, following, shot.frame.rate)
        track.append(clip)
    if film.closing:
        track.append(_transition(film.closing, rate, before_something=False))
    return _written(film.name, rate, track)


def shot_cuts(shot: Shot, rendered: Rendered) -> str:
    """Return one shot as an OpenTimelineIO document; ``rendered`` has it under the key ""."""
    track = otio.schema.Track(name="Picture", kind=otio.schema.TrackKind.Video)
    clip = _clip(shot, "", rendered)
    clip.source_range = _range(0, shot.duration, shot.frame.rate)
    track.append(clip)
    return _written(shot.name, shot.frame.rate, track)


def _written(name: str, rate: Fraction, track: otio.schema.Track) -> str:
    timeline = otio.schema.Timeline(name=name)
    timeline.global_start_time = _time(0, rate)
    timeline.tracks.append(track)
    return str(otio.adapters.write_to_string(timeline, "otio_json"))


def _time(frame: float, rate: Fraction) -> RationalTime:
    return RationalTime(frame, float(rate))


def _range(first: float, frames: float, rate: Fraction) -> TimeRange:
    return TimeRange(_time(first, rate), _time(frames, rate))


def _split(join: Join | None) -> tuple[int, int]:
    """Return how many of a join's frames are before and after the cut, if both sides overlap."""
    if join is None or join.kind not in OVERLAPPING:
        return 0, 0
    return join.frames // 2, join.frames - join.frames // 2


def _used(stretch: Stretch, following: Join | None, rate: Fraction) -> TimeRange:
    """Return the frames of the shot between the two cuts of a stretch."""
    before = _split(stretch.join)[0]
    after = _split(following)[1]
    first = stretch.first + before * stretch.pace
    frames = (stretch.frames - before - after) * stretch.pace
    return _range(float(first), float(frames), rate)


def _transition(
    join: Join, rate: Fraction, *, after_something: bool = True, before_something: bool = True
) -> otio.schema.Transition:
    """Return a join; at the film's beginning and end it has one half only."""
    kinds = otio.schema.TransitionTypes
    before, after = _split(join)
    if join.kind not in OVERLAPPING:
        half = -(-join.frames // 2)
        before, after = half * after_something, half * before_something
    told = otio.schema.Transition(
        name=join.kind.value,
        transition_type=(kinds.SMPTE_Dissolve if join.kind is JoinKind.DISSOLVE else kinds.Custom),
        in_offset=_time(before, rate),
        out_offset=_time(after, rate),
    )
    told.metadata["vistaline"] = join.model_dump(mode="json")
    return told


def _clip(shot: Shot, key: str, rendered: Rendered) -> otio.schema.Clip:
    rate = shot.frame.rate
    clip = otio.schema.Clip(name=shot.name)
    usual = otio.schema.Clip.DEFAULT_MEDIA_KEY
    references = {}
    for take in ("", *(each.name for each in shot.takes)):
        media = rendered.get((key, take))
        if media:
            reference: otio.core.MediaReference = otio.schema.ExternalReference(
                target_url=media.file, available_range=_range(media.first, media.frames, rate)
            )
        else:
            reference = otio.schema.MissingReference(
                name=f"{shot.name} {take}".strip(),
                available_range=_range(0, shot.duration, rate),
            )
        references[take or usual] = reference
    clip.set_media_references(references, usual)
    for cut in shot.cuts:
        camera = next(each.name for each in shot.cameras if each.id == cut.camera)
        clip.markers.append(_marker(f"Camera {camera}", cut.frame, rate, "the shot cuts here"))
    for marker in shot.markers:
        clip.markers.append(_marker(marker.name, marker.frame, rate, marker.note))
    return clip


def _marker(name: str, frame: int, rate: Fraction, note: str) -> otio.schema.Marker:
    marker = otio.schema.Marker(name=name, marked_range=_range(frame, 0, rate))
    marker.comment = note
    return marker
