"""The edits of markers: set, named, moved, read from a text; and what is timed by them."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import ValidationError

from vistaline.core.edits.registry import REGISTRY, When, frames_of, with_framings
from vistaline.core.errors import EditError
from vistaline.core.explaining import explain
from vistaline.core.shot.cameras import Cut
from vistaline.core.shot.markers import MOST_MARKERS, Marker, read_markers
from vistaline.core.shot.shot import Shot
from vistaline.core.verbs import FROM_JSON

__all__: list[str] = []

verb = REGISTRY.verb


@verb("set markers")
def set_markers(shot: Shot, *, frames: Annotated[list[int], FROM_JSON], name: str = "") -> Shot:
    """Set a marker at each of some frames; where one is already, it stays."""
    last, taken = shot.frame.duration - 1, {each.frame for each in shot.markers}
    if not frames:
        raise EditError("No frame was named. Play, and press where a marker is to be.")
    for frame in frames:
        if not 0 <= frame <= last:
            raise EditError(f"The shot has frames 0 to {last}; {frame} is none of them.")
    new = [Marker(frame=frame, name=name) for frame in {*frames} - taken]
    return _with(shot, [*shot.markers, *new])


@verb("change a marker")
def change_marker(
    shot: Shot,
    *,
    marker: int,
    frame: When | None = None,
    name: str | None = None,
    colour: str | None = None,
    note: str | None = None,
) -> Shot:
    """Change the marker at a frame; moved onto another, it takes that one's place."""
    found = _at(shot, marker)
    changes: dict[str, Any] = {"name": name, "colour": colour, "note": note}
    if frame is not None:
        changes["frame"] = frames_of(shot, frame)
        if not 0 <= changes["frame"] < shot.frame.duration:
            raise EditError(
                f"The shot has frames 0 to {shot.frame.duration - 1}; {changes['frame']} is none "
                "of them."
            )
    values = {key: value for key, value in changes.items() if value is not None}
    try:
        changed = found.evolve(**values)
    except ValidationError as error:
        raise EditError(str(explain(error))) from error
    rest = [each for each in shot.markers if each.frame not in (marker, changed.frame)]
    return _with(shot, [*rest, changed])


@verb("remove markers")
def remove_markers(shot: Shot, *, marker: int | None = None) -> Shot:
    """Take the marker at a frame away, or all of them."""
    if marker is None:
        return shot.evolve(markers=())
    gone = _at(shot, marker)
    return _with(shot, [each for each in shot.markers if each != gone])


@verb("markers from a text")
def paste_markers(shot: Shot, *, text: str) -> Shot:
    """Set markers at the times of a text, one a line, a name behind each if one likes."""
    found = read_markers(text, shot.frame.rate)
    if not found:
        raise EditError("There is no time in the text. Write one a line, such as 1.5 s.")
    beyond = [each for each in found if each.frame >= shot.frame.duration]
    if len(beyond) == len(found):
        raise EditError(
            f"All of these times lie after the shot's last frame, {shot.frame.duration - 1}. Make "
            "the shot longer first."
        )
    inside = {each.frame: each for each in found if each.frame < shot.frame.duration}
    rest = [each for each in shot.markers if each.frame not in inside]
    return _with(shot, [*rest, *inside.values()])


@verb("arrive on markers")
def time_on_markers(shot: Shot) -> Shot:
    """Let each framing after the first arrive at the next marker, held as long as it fits."""
    framings, markers = list(shot.route.framings), [each.frame for each in shot.markers]
    markers = [frame for frame in markers if frame > framings[0].frame]
    if len(framings) < 2:
        raise EditError("The route has one framing; nothing arrives. Add a framing first.")
    if not markers:
        raise EditError("There is no marker after the first framing. Set some first.")
    for n, frame in zip(range(1, len(framings)), markers, strict=False):
        framings[n] = framings[n].evolve(frame=frame)
    for n in range(len(framings) - 1):
        room = framings[n + 1].frame - framings[n].frame - 1
        if room < 0:
            raise EditError(
                f"Framing {n + 2} would arrive before framing {n + 1}: there are {len(markers)} "
                f"markers for {len(framings) - 1} arrivals. Set more, or remove framings."
            )
        framings[n] = framings[n].evolve(hold=min(framings[n].hold, room))
    last = framings[-1]
    room = max(0, shot.frame.duration - 1 - last.frame)
    framings[-1] = last.evolve(hold=min(last.hold, room))
    return with_framings(shot, framings)


@verb("cut on markers")
def cut_on_markers(shot: Shot) -> Shot:
    """Cut to the next camera at each marker, and after the last one to the first again."""
    ids = sorted(each.id for each in shot.cameras)
    frames = [each.frame for each in shot.markers if each.frame > 0]
    if len(ids) < 2:
        raise EditError("There is one camera; there is nothing to cut to. Add a camera first.")
    if not frames:
        raise EditError("There is no marker after the first frame. Set some first.")
    at = ids.index(shot.opening)
    cuts = [
        Cut(frame=frame, camera=ids[(at + n) % len(ids)]) for n, frame in enumerate(frames, start=1)
    ]
    return shot.evolve(cuts=tuple(cuts))


def _at(shot: Shot, frame: int) -> Marker:
    found = next((each for each in shot.markers if each.frame == frame), None)
    if found is None:
        raise EditError(f"There is no marker at frame {frame} any more.")
    return found


def _with(shot: Shot, markers: list[Marker]) -> Shot:
    if len(markers) > MOST_MARKERS:
        raise EditError(f"{MOST_MARKERS:,} markers are the most. Remove some first.")
    return shot.evolve(markers=tuple(sorted(markers, key=lambda each: each.frame)))
