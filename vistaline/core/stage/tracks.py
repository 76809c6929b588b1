"""Layers over time: where each stands, how much of it is seen, and which look it has.

What is computed of a layer is kept by all it depends on, so that an edit to one key computes
that layer anew and no other.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import ArrayLike

from vistaline.core.arrays import FloatArray
from vistaline.core.kept import Kept
from vistaline.core.looks.frame_styles import FrameStyle
from vistaline.core.shot.mounts import Mount, Moving, carry_of, rides_on_moving
from vistaline.core.shot.rows import Row, values_at
from vistaline.core.shot.shot import Layer, PictureRef, Shot, TakingCamera
from vistaline.core.stage.keyed import rows_of, valued
from vistaline.core.stage.poses import Place, layer_pose, projector_of, texture_of
from vistaline.core.stage.shake import sway_of
from vistaline.core.stage.textures import DrawnLook

__all__ = ["Track", "forget_tracks", "layer_looking", "moving_mounts", "track_of"]


@dataclass(frozen=True, kw_only=True, eq=False)
class Track:
    """A layer that is no backdrop at N times; one entry does for all if it is ``still``."""

    poses: FloatArray
    """(N, 4, 4) ``world_from_card``; what faces the camera stands as if it did not."""
    sizes: FloatArray
    """(N, 2) width and height in metres."""
    opacity: FloatArray
    """(N,)"""
    textures: tuple[str, ...]
    projector: FloatArray | None = None
    """(3, 4) if it catches its picture from the taking camera; see :func:`projector_of`."""
    still: bool = False
    """Nothing of it ever changes."""


_TRACKS: Kept[Track] = Kept("tracks")
_FIRST: Kept[np.ndarray] = Kept("looks' beginnings")


@dataclass(frozen=True)
class _Asked:
    """What a track is kept by. Whatever :func:`_track` reads of the shot must be a field here.

    Otherwise a stale track would be served for a shot that differs in what is missing.
    """

    layer: Layer
    rows: tuple[Row, ...]
    picture: PictureRef | None
    style: FrameStyle | None
    style_rows: tuple[Row, ...]
    taking: TakingCamera
    mounts: tuple[Mount, ...]
    mount_rows: tuple[Row, ...]
    duration: int
    rate: Fraction
    frames: bytes


def track_of(shot: Shot, layer: Layer, frames: ArrayLike) -> Track:
    """Return a layer at ``frames`` (N,), whole or fractional."""
    times = np.atleast_1d(np.asarray(frames, dtype=np.float64))
    mount_rows = tuple(row for row in shot.rows if row.of.startswith("mount:"))
    moving = {row.of.removeprefix("mount:") for row in mount_rows}
    moving.update(mount.id for mount in shot.mounts if mount.shake)
    rows = rows_of(shot, f"layer:{layer.id}")
    style_rows = rows_of(shot, f"style:{layer.frame_style}") if layer.frame_style else ()
    carried = rides_on_moving(layer.ride, shot.mounts, moving)
    changes = rows or style_rows or carried
    asked = _Asked(
        layer=layer,
        rows=rows,
        picture=shot.pictures.get(layer.picture),
        style=shot.frame_styles.get(layer.frame_style),
        style_rows=style_rows,
        taking=shot.taking_camera,
        mounts=shot.mounts if layer.ride else (),
        mount_rows=mount_rows if carried else (),
        duration=shot.frame.duration if changes else 1,
        rate=shot.frame.rate if changes else Fraction(1),
        frames=times.tobytes() if changes else b"",
    )
    return _TRACKS.get(asked, lambda: _track(asked, shot))


def _track(asked: _Asked, shot: Shot) -> Track:
    layer = asked.layer
    if not asked.frames:
        pose, width, height = layer_pose(shot, layer)
        return Track(
            poses=pose[None],
            sizes=np.array([[width, height]], np.float64),
            opacity=np.array([layer.opacity]),
            textures=(texture_of(shot, layer),),
            projector=projector_of(shot, layer),
            still=True,
        )
    times = np.frombuffer(asked.frames)
    count = len(times)
    values = {row.value: values_at(row, times) for row in asked.rows if not row.about.looks}
    place = Place(
        **{
            name: np.broadcast_to(np.asarray(values.get(name, own), np.float64), count)
            for name, own in vars(Place.of(layer)).items()
        }
    )
    carry = carry_of(layer.ride, asked.mounts, moving_mounts(shot, times))
    opacity = np.array(np.broadcast_to(values.get("opacity", layer.opacity), count))
    looks = look_frames(shot, layer, times)
    if looks is None:
        poses, width, height = layer_pose(shot, layer, place, carry)
        sizes = np.stack([width, height], axis=-1)
        textures = (texture_of(shot, layer),) * count
        return Track(
            poses=poses,
            sizes=sizes,
            opacity=opacity,
            textures=textures,
            projector=projector_of(shot, layer),
        )
    poses, sizes = np.empty((count, 4, 4)), np.empty((count, 2))
    named = np.empty(count, object)
    for look in np.unique(looks).tolist():
        on = looks == look
        seen, alike = layer_looking(shot, layer, look)
        part = Place(*(value[on] for value in vars(place).values()))
        poses[on], sizes[on, 0], sizes[on, 1] = layer_pose(seen, alike, part, carry.at(on))
        name = texture_of(seen, alike)
        # With a border that keys take away, a picture is seen as it is.
        named[on] = name if name == layer.picture else str(DrawnLook(layer.id, look))
    return Track(poses=poses, sizes=sizes, opacity=opacity, textures=tuple(named.tolist()))


def forget_tracks() -> None:
    """Forget all tracks that were kept, for measuring."""
    _TRACKS.forget()


def moving_mounts(shot: Shot, frames: ArrayLike, *, shaken: bool = True) -> Moving:
    """Return what is different at ``frames`` (N,) of the mounts that have keys or shake."""
    times = np.atleast_1d(np.asarray(frames, dtype=np.float64))
    found: dict[str, dict[str, FloatArray]] = {}
    for row in shot.rows:
        if row.of.startswith("mount:"):
            found.setdefault(row.of.removeprefix("mount:"), {})[row.value] = values_at(row, times)
    rate, seconds = float(shot.frame.rate), float(shot.frame.seconds)
    for mount in shot.mounts:
        if mount.shake and shaken:
            sway = sway_of(mount.shake, times / rate, seconds, rate)
            found.setdefault(mount.id, {})["sway"] = sway
    return found


# --- looks that change ------------------------------------------------------------------------


def look_frames(shot: Shot, layer: Layer, frames: ArrayLike) -> np.ndarray | None:
    """Return at which frame (N,) the look that a layer has at ``frames`` (N,) was there first.

    None if no key changes its look. A look lasts for whole frames.
    """
    of = (f"layer:{layer.id}", f"style:{layer.frame_style}" if layer.frame_style else "")
    rows = tuple(row for row in shot.rows if row.of in of and row.about.looks)
    if not rows:
        return None
    duration = shot.frame.duration
    first = _FIRST.get((rows, duration), lambda: _first_alike(rows, duration))
    whole = np.rint(np.asarray(frames, dtype=np.float64)).astype(int)
    return np.asarray(first[np.clip(whole, 0, len(first) - 1)])


def _first_alike(rows: tuple[Row, ...], duration: int) -> np.ndarray:
    every = np.arange(duration)
    changes = np.zeros(duration, bool)
    for row in rows:
        values = np.asarray(values_at(row, every))
        changes[1:] |= values[1:] != values[:-1]
    return np.maximum.accumulate(np.where(changes, every, 0))


def layer_looking(shot: Shot, layer: Layer, frame: int) -> tuple[Shot, Layer]:
    """Return a layer, and a shot with its frame style, as they look at ``frame``."""
    rows = [row for row in rows_of(shot, f"layer:{layer.id}") if row.about.looks]
    looking = valued(layer, rows, frame)
    style = shot.frame_styles.get(layer.frame_style)
    if style is None:
        return shot, looking
    drawn = valued(style, rows_of(shot, f"style:{layer.frame_style}"), frame)
    styles = shot.frame_styles | {layer.frame_style: drawn}
    # Not checked anew: nothing but one style's values differs, and they were.
    return shot.model_copy(update={"frame_styles": styles}), looking
