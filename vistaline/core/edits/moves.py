"""Whole moves, and framings drawn as rectangles in the picture: shot -> new shot."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

import numpy as np

from vistaline.core.easing import EaseName, parse_ease
from vistaline.core.edits import shelf as moves
from vistaline.core.edits.gestures import nearest_at
from vistaline.core.edits.registry import (
    REGISTRY,
    Frames,
    at_least,
    seen_framing,
    with_framings,
    with_route,
)
from vistaline.core.errors import EditError
from vistaline.core.shot import retiming
from vistaline.core.shot.retiming import times_of
from vistaline.core.shot.route import Framing, Route
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import CameraState, camera_states, depth_of, route_states
from vistaline.core.verbs import FROM_JSON

__all__: list[str] = []

verb = REGISTRY.verb


@verb("frame a rectangle")
def frame_rectangle(
    shot: Shot,
    *,
    frame: Frames,
    x0: float,
    y0: float,
    x1: float,
    y1: float,
    layer: str = "",
    at_playhead: bool = False,
    by: Literal["dolly", "zoom"] = "dolly",
    travel: Frames | None = None,
    hold: Frames | None = None,
) -> Shot:
    """Add a framing that shows a rectangle of what is seen at ``frame``, in frame pixels.

    It is added behind the last, after ``travel`` frames (a second and a half), and held (two
    seconds); the shot gets longer if need be. Or at the playhead. The camera goes there with its
    lens, or stays where it is, turns and zooms. ``layer``: what is seen in its middle.
    """
    width, height = shot.frame.size
    left, right = sorted((x0, x1))
    top, bottom = sorted((y0, y1))
    share = max((right - left) / width, (bottom - top) / height)
    if share < 0.01:
        raise EditError("That rectangle is too small to frame. Draw it larger.")
    camera = camera_states(shot, [frame], shaken=False)[0]
    point = nearest_at(shot, camera, (left + right) / 2, (top + bottom) / 2, layer)
    if by == "zoom":
        turned = moves.Scene(camera, point).centred(camera.position)
        corners = [(x, y) for x in (left, right) for y in (top, bottom)]
        enlarged = _fitting(camera, turned, corners)
        new = seen_framing(turned, 0, lens=camera.lens * enlarged)
    else:
        depth = depth_of(camera, point) * share
        place = point + camera.world_from_camera[:3, 2] * depth
        new = seen_framing(camera, 0, position=tuple(place.tolist()))
    if at_playhead:
        return _put_at(shot, new.evolve(frame=frame))
    second = float(shot.frame.rate)
    last = shot.route.framings[-1]
    start = last.last + max(1, round(1.5 * second) if travel is None else travel)
    new = new.evolve(frame=start, hold=round(2 * second) if hold is None else hold)
    return with_framings(shot, [*shot.route.framings, new], at_least(shot, new.last + 1))


def _fitting(
    camera: CameraState, turned: CameraState, corners: Sequence[tuple[float, float]]
) -> float:
    """Return by how much a turned head's picture may be enlarged with some frame pixels in it."""
    middle = np.array(camera.frame_size) / 2
    rays = np.array([camera.ray(*corner) for corner in corners])
    seen = rays @ (turned.camera_from_world[:3, :3] @ camera.world_from_camera[:3, :3]).T
    away = np.abs(seen[:, :2] / -seen[:, 2:] - camera.shift) * camera.focal_px / middle
    return float(1 / away.max())


def _put_at(shot: Shot, new: Framing) -> Shot:
    """Put a framing on the route, in the place of one that is reached just then."""
    framings = list(shot.route.framings)
    for i, each in enumerate(framings):
        if each.frame == new.frame:
            framings[i] = new.evolve(hold=each.hold, name=each.name, ease=each.ease)
            return with_framings(shot, framings)
        if each.frame < new.frame <= each.last:
            framings[i] = each.evolve(hold=new.frame - 1 - each.frame)
    return with_framings(shot, retiming.joined([*framings, new]))


@verb("move from the shelf")
def apply_move(
    shot: Shot,
    *,
    move: str,
    x: float,
    y: float,
    layer: str = "",
    values: Annotated[dict[str, float], FROM_JSON] = {},  # noqa: B006  never changed
    frame: Frames = 0,
) -> Shot:
    """Replace the route by a move about the point seen at frame pixel ``x``, ``y``.

    It starts from what the camera sees at ``frame``, and lasts as long as the shot but for its
    delays.
    """
    camera = route_states(shot, [frame])[0]
    scene = moves.Scene(camera, nearest_at(shot, camera, x, y, layer))
    made = moves.make(move, scene, values)
    times, found = times_of(shot.route, shot.frame.duration), moves.MOVES[move]
    start, end = times.before, shot.frame.duration - 1 - times.after
    if end - start < 2 * len(made):
        start, end = 0, shot.frame.duration - 1
    if end - start < 2 * len(made):
        raise EditError(f"{shot.frame.duration} frames are too few for this move.")
    route = shot.route.evolve(framings=_laid(made, start, end, found.held or 0), aim=None)
    if len(made) > 2 and found.held is None:
        # One travel in several framings: eased at its ends only, even between them.
        route = _one_travel(route.evolve(path="smooth"), found.ease)
    return with_route(shot, route)


def _laid(framings: Sequence[Framing], start: int, end: int, held: float) -> tuple[Framing, ...]:
    """Return framings evenly from frame to frame, a share of the time ``held`` in equal parts."""
    frames = end - start
    hold, travel = held * frames / len(framings), (1 - held) * frames / (len(framings) - 1)
    at = [start + n * (hold + travel) for n in range(len(framings))]
    return tuple(
        framing.evolve(frame=round(begin), hold=round(begin + hold) - round(begin))
        for framing, begin in zip(framings, at, strict=True)
    )


def _one_travel(route: Route, ease: EaseName) -> Route:
    """Return the route with its framings reached when one ease over the whole way is there."""
    framings = route.framings
    start, end = framings[0].frame, framings[-1].frame
    progress = parse_ease(ease)(np.linspace(0, 1, end - start + 1))
    shares = np.linspace(0, 1, len(framings))
    at = start + np.searchsorted(progress, shares).astype(int)
    at[-1] = end
    laid: list[Framing] = []
    for i, framing in enumerate(framings):
        frame = max(int(at[i]), laid[-1].frame + 1) if laid else start
        curve: EaseName = "linear"
        if i:
            a, b = laid[-1].frame - start, frame - start
            part = progress[a : b + 1]
            low, high = part[0], part[-1]
            steps = np.linspace(0, b - a, min(b - a, 12) + 1).round().astype(int)
            points = (part[steps] - low) / max(high - low, 1e-9)
            stops = ", ".join(
                f"{value:.4f} {100 * step / (b - a):.2f}%"
                for value, step in zip(points, steps, strict=True)
            )
            curve = f"linear({stops})"
        laid.append(framing.evolve(frame=frame, ease=curve))
    return route.evolve(framings=tuple(laid))
