"""The edits a person can make to a shot's cameras and to the cuts between them."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from vistaline.core.edits.registry import REGISTRY, When, frames_of, without_rows
from vistaline.core.errors import EditError
from vistaline.core.shot.cameras import Cut, Take
from vistaline.core.shot.route import Millimetres
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states, live_cameras

__all__ = ["take_called"]

verb = REGISTRY.verb
_NEAR = 2.0
"""Seconds before and after the playhead in which the fastest frame is looked for."""


@verb("add camera")
def add_camera(shot: Shot) -> Shot:
    """Add a camera that begins as a copy of the one that is directed, and direct it."""
    taken = {each.id for each in shot.cameras}
    letter = next((c for c in "abcdefghijklmnopqrstuvwxyz" if c not in taken), None)
    if letter is None:
        raise EditError("A shot has at most 26 cameras. Remove one first.")
    new = shot.camera.evolve(id=letter, name=letter.upper())
    return shot.evolve(cameras=(*shot.cameras, new)).directed_by(letter)


@verb("direct camera")
def direct_camera(shot: Shot, *, camera: str) -> Shot:
    """Let another camera be the one whose route is worked on; what is seen stays."""
    return shot.directed_by(camera)


@verb("rename camera")
def rename_camera(shot: Shot, *, name: str) -> Shot:
    """Give the camera that is directed another name."""
    if not name.strip():
        raise EditError("A camera needs a name. Type one.")
    return shot.with_camera(name=name.strip())


@verb("lens of its own")
def set_own_lens(shot: Shot, *, lens: Millimetres | None = None, none: bool = False) -> Shot:
    """Give the directed camera one lens throughout, which can have keys, or ``none`` of its own.

    Without one its lens travels with its framings again.
    """
    if none:
        gone = f"camera:{shot.directed}", "lens"
        rows = tuple(row for row in shot.rows if (row.of, row.value) != gone)
        return shot.evolve(rows=rows).with_camera(lens=None)
    if lens is None:
        raise EditError("Type the lens in millimetres.")
    return shot.with_camera(lens=lens)


@verb("remove camera")
def remove_camera(shot: Shot) -> Shot:
    """Remove the camera that is directed, with the cuts to it; the first of the rest is next."""
    gone = shot.camera
    rest = tuple(each for each in shot.cameras if each is not gone)
    if not rest:
        raise EditError("A shot needs a camera. Add another before removing this one.")
    first = min(rest, key=lambda each: each.id)
    # What only that camera saw is not to show up in the pictures of others.
    layers = (
        each.evolve(seen_by="", hidden=True) if each.seen_by == gone.id else each
        for each in shot.layers
    )
    return shot.evolve(
        cameras=rest,
        directed=first.id,
        layers=tuple(layers),
        cuts=_needed(first.id, [cut for cut in shot.cuts if cut.camera != gone.id]),
        rows=without_rows(shot, [f"camera:{gone.id}"]),
    )


@verb("cut")
def cut_to(shot: Shot, *, frame: When, camera: str, fastest: bool = False) -> Shot:
    """Let another camera be seen from ``frame`` on, up to the next cut.

    ``fastest``: not just there, but at the fastest frame of the move nearby, where a cut is felt
    least.
    """
    at = frames_of(shot, frame)
    if fastest:
        at = fastest_near(shot, at)
    if not 1 <= at < shot.frame.duration:
        raise EditError(
            f"A cut must lie within the shot, at frames 1 to {shot.frame.duration - 1}, not {at}."
        )
    if live_cameras(shot, np.array([at - 1.0]))[0] == camera:
        raise EditError("That camera is seen already before this frame. Cut to another one.")
    rest = [cut for cut in shot.cuts if cut.frame != at]
    cuts = sorted([*rest, Cut(frame=at, camera=camera)], key=lambda cut: cut.frame)
    return shot.evolve(cuts=_needed(shot.opening, cuts))


@verb("move cut")
def move_cut(shot: Shot, *, cut: int, frame: When) -> Shot:
    """Move a cut to another frame between its neighbours."""
    found = _cut(shot, cut)
    cuts = list(shot.cuts)
    cuts[cut] = found.evolve(frame=max(1, frames_of(shot, frame)))
    return shot.evolve(cuts=tuple(cuts))


@verb("remove cut")
def remove_cut(shot: Shot, *, cut: int) -> Shot:
    """Take a cut away: the camera before it is seen on."""
    _cut(shot, cut)
    cuts = [each for n, each in enumerate(shot.cuts) if n != cut]
    return shot.evolve(cuts=_needed(shot.opening, cuts))


def _cut(shot: Shot, index: int) -> Cut:
    if not 0 <= index < len(shot.cuts):
        raise EditError(f"There is no cut {index + 1} in this shot.")
    return shot.cuts[index]


def _needed(opening: str, cuts: list[Cut]) -> tuple[Cut, ...]:
    """Return the cuts without those to the camera that is seen anyway."""
    kept, seen = [], opening
    for cut in cuts:
        if cut.camera != seen:
            kept.append(cut)
            seen = cut.camera
    return tuple(kept)


def fastest_near(shot: Shot, frame: int) -> int:
    """Return the frame, within two seconds, at which the picture changes fastest.

    By what moves most on screen: how far the middle of the picture and a point on its edge, both
    as far away as half of the layers stand, go from frame to frame.
    """
    reach = round(_NEAR * float(shot.frame.rate))
    low = max(1, frame - reach)
    high = min(shot.frame.duration - 1, frame + reach)
    alone = shot.evolve(cuts=())
    cameras = camera_states(alone, range(low - 1, high + 1), shaken=False)
    distances = [each.distance for each in shot.layers if not (each.hidden or each.is_backdrop)]
    away = float(np.median(distances)) if distances else 2.0
    speeds = []
    for before, after in pairwise(cameras):
        shift = 0.0
        for x, y in ((0.0, 0.0), (0.35, 0.25)):
            width, height = before.frame_size
            ray = before.ray((0.5 + x) * width, (0.5 - y) * height)
            place = before.world_from_camera @ (*(ray * away), 1.0)
            seen = after.camera_from_world @ place
            if seen[2] < 0:
                at = (seen[:2] / -seen[2] - after.shift) * after.focal_px
                shift += float(np.hypot(*(at - (x * width, y * height))))
        speeds.append(shift)
    return low + int(np.argmax(speeds))


# --- takes ------------------------------------------------------------------------------------


@verb("keep take")
def keep_take(shot: Shot, *, name: str) -> Shot:
    """Keep the route as a take, to try another: a take of that name is replaced."""
    if not name.strip() or len(name) > 80:
        raise EditError("A take is kept by a name of 1 to 80 letters. Type one.")
    rest = tuple(take for take in shot.takes if take.name != name.strip())
    return shot.evolve(takes=(*rest, Take(name=name.strip(), route=shot.route)))


@verb("use take")
def use_take(shot: Shot, *, name: str) -> Shot:
    """Exchange the route and a take: what was the route is kept as that take."""
    found = take_called(shot, name)
    swapped = tuple(each.evolve(route=shot.route) if each is found else each for each in shot.takes)
    return shot.evolve(takes=swapped).with_camera(route=found.route)


@verb("remove take")
def remove_take(shot: Shot, *, name: str) -> Shot:
    """Forget a take."""
    gone = take_called(shot, name)
    return shot.evolve(takes=tuple(each for each in shot.takes if each is not gone))


def take_called(shot: Shot, name: str) -> Take:
    """Return the take of this name; EditError if there is none."""
    for take in shot.takes:
        if take.name == name:
            return take
    raise EditError(f"There is no take called {name!r} (it may have been removed).")
