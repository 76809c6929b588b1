"""Layers over time: where each stands, how much of it is seen, and which look it has.

What is computed of a layer is kept by all it depends on, so that an edit to one key computes
that layer anew and no other.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction

import numpy as np
from numpy.typing import ArrayLike

from vistaline.core.arrays import FloatArray
from vistaline.core.geometry import space
from vistaline.core.kept import Kept
from vistaline.core.looks.cloth_motion import Hung
from vistaline.core.looks.frame_styles import FrameStyle
from vistaline.core.looks.lines import line_extents
from vistaline.core.shot.layouts import layout_of
from vistaline.core.shot.mounts import Mount, Moving, carry_of, rides_on_moving
from vistaline.core.shot.rows import Row, values_at
from vistaline.core.shot.running import NestedShot
from vistaline.core.shot.shot import Layer, PictureRef, Shot, TakingCamera
from vistaline.core.stage.keyed import rows_of
from vistaline.core.stage.looking import (
    AskedOfLayout,
    asked_of_layout,
    laid_by,
    layer_looking,
    look_frames,
)
from vistaline.core.stage.passing import (
    Passing,
    arrivals_of,
    enlarged_by,
    passes,
    passing_at,
)
from vistaline.core.stage.poses import (
    Place,
    frame_ratio,
    framed_ratio,
    layer_pose,
    line_shown,
    projector_of,
    texture_of,
)
from vistaline.core.stage.raising import Raised, raised_of
from vistaline.core.stage.shake import sway_of
from vistaline.core.stage.textures import DrawnLook, PassingLook, is_of_many, texture_called
from vistaline.core.stage.waving import Waving, hung_of

__all__ = ["Track", "forget_tracks", "moving_mounts", "track_of"]


@dataclass(frozen=True, kw_only=True, eq=False)
class Track:
    """A layer that is no backdrop at N times; one entry does for all if it is ``still``."""

    poses: FloatArray
    """(N, 4, 4) ``world_from_card``; what faces the camera stands as if it did not.

    Of what a layout lays, ``frame_from_card``: from the frame's middle, in frame widths, y up; z is
    0 to 1, what is in front has more."""
    sizes: FloatArray
    """(N, 2) width and height in metres; of what a layout lays, in frame widths."""
    opacity: FloatArray
    """(N,)"""
    textures: tuple[str, ...]
    projector: FloatArray | None = None
    """(3, 4) if it catches its picture from the taking camera; see :func:`projector_of`."""
    raised: Sequence[Raised] | None = None
    """How it is raised, if it is a relief: N times, or once for all."""
    waving: Sequence[Waving] | None = None
    """How its points hang at those times, if it is cloth."""
    still: bool = False
    """Nothing of it ever changes."""
    framed: FloatArray | None = None
    """(N, 2) its size without the shadow that is drawn with it, if one is."""


_BEFORE = 0.002
"""Of its size: how far a line stands before what it goes round."""
_TRACKS: Kept[Track] = Kept("tracks")


@dataclass(frozen=True)
class _Asked:
    """What a track is kept by. Whatever :func:`_track` reads of the shot must be a field here.

    Otherwise a stale track would be served for a shot that differs in what is missing.
    """

    layer: Layer
    rows: tuple[Row, ...]
    picture: PictureRef | None
    depth: PictureRef | None
    """The map that raises it."""
    style: FrameStyle | None
    style_rows: tuple[Row, ...]
    taking: TakingCamera
    mounts: tuple[Mount, ...]
    mount_rows: tuple[Row, ...]
    duration: int
    rate: Fraction
    frames: bytes
    arrivals: tuple[int, ...]
    """When its framings are reached, of a title that waits for one."""
    laid: AskedOfLayout | None
    nested: NestedShot | None
    """The other shot that it shows."""
    hung: Hung | None
    """What it does as cloth."""


def track_of(shot: Shot, layer: Layer, frames: ArrayLike) -> Track:
    """Return a layer at ``frames`` (N,), whole or fractional."""
    times = np.atleast_1d(np.asarray(frames, dtype=np.float64))
    if layer.line and layer.line.round:
        return _round(shot, layer, times)
    return _own_track(shot, layer, times)


def _round(shot: Shot, layer: Layer, times: FloatArray) -> Track:
    """Return a line that goes round another layer: where that is, right before it."""
    found = _own_track(shot, layer, times)
    assert layer.line
    other = next((each for each in shot.layers if each.id == layer.line.round), None)
    if other is None or other.is_backdrop or other.line:
        return found
    # Round where a title is in the end, not round the room it takes on its way.
    if passes(other):
        other = other.with_shows(arrives=None, leaves=None)
    # And round where a picture stands, not round the room it stirs in.
    other = other.evolve(sway=None, cloth=None)
    inner = track_of(shot, other, times)
    framed = inner.sizes if inner.framed is None else inner.framed
    line = line_shown(shot, layer)
    # As much larger as it was drawn for: what that layer grows by, it grows by.
    factor = np.array(line_extents(line)) / (
        np.array([line.width, line.height]) - 2 * layer.line.margin
    )
    sizes = framed * factor
    poses = inner.poses.copy()
    before = _BEFORE * np.linalg.norm(sizes, axis=1)[:, None]
    if layout_of(shot, other.id):
        before = np.full((1, 1), _BEFORE)  # it is told there by an order alone
    poses[:, :3, 3] += poses[:, :3, 2] * before
    still = found.still and inner.still
    count = 1 if still else len(times)
    return Track(
        poses=np.broadcast_to(poses, (count, 4, 4)),
        sizes=np.broadcast_to(sizes, (count, 2)),
        opacity=np.broadcast_to(found.opacity, count),
        textures=found.textures if len(found.textures) == count else found.textures * count,
        still=still,
    )


def _own_track(shot: Shot, layer: Layer, times: FloatArray) -> Track:
    mount_rows = tuple(row for row in shot.rows if row.of.startswith("mount:"))
    moving = {row.of.removeprefix("mount:") for row in mount_rows}
    moving.update(mount.id for mount in shot.mounts if mount.shake)
    rows = rows_of(shot, f"layer:{layer.id}")
    style_rows = rows_of(shot, f"style:{layer.frame_style}") if layer.frame_style else ()
    carried = rides_on_moving(layer.ride, shot.mounts, moving)
    laid = asked_of_layout(shot, layer)
    own = passes(layer) or laid or layer.moves_by_time
    changes = bool(rows or style_rows or carried or own)
    asked = _Asked(
        layer=layer,
        rows=rows,
        picture=shot.pictures.get(layer.picture),
        depth=shot.pictures.get(layer.relief.depth) if layer.relief else None,
        style=shot.frame_styles.get(layer.frame_style),
        style_rows=style_rows,
        taking=shot.taking_camera,
        mounts=shot.mounts if layer.ride else (),
        mount_rows=mount_rows if carried else (),
        duration=shot.frame.duration if changes else 1,
        rate=shot.frame.rate if changes else Fraction(1),
        frames=times.tobytes() if changes else b"",
        arrivals=arrivals_of(shot) if passes(layer) else (),
        laid=laid,
        nested=_told_of(shot, layer),
        hung=hung_of(shot, layer),
    )
    return _TRACKS.get(asked, lambda: _track(asked, shot))


def _track(asked: _Asked, shot: Shot) -> Track:
    found = _in_layout(asked, shot) if asked.laid else _standing(asked, shot)
    if asked.hung:
        return replace(found, waving=_waving(asked.hung, asked))
    if not passes(asked.layer):
        return found
    # On its way a title has more room, and is another picture in each frame.
    frames = np.frombuffer(asked.frames)
    sizes, opacity, textures = found.sizes.copy(), found.opacity.copy(), list(found.textures)
    for n, passing in enumerate(passing_at(asked.layer, asked.arrivals, frames)):
        if passing is False:
            opacity[n] = 0
        elif isinstance(passing, Passing):
            seen = _looked(shot, asked.layer, textures[n])
            sizes[n] *= enlarged_by(seen, passing)
            textures[n] = str(PassingLook(round(frames[n]), _drawn(textures[n])))
    return replace(found, sizes=sizes, opacity=opacity, textures=tuple(textures))


def _waving(hung: Hung, asked: _Asked) -> list[Waving]:
    rate = float(asked.rate)
    return [Waving(hung, at / rate, max(round(at), 0)) for at in np.frombuffer(asked.frames)]


def _drawn(texture: str) -> DrawnLook:
    found = texture_called(texture, (), (texture.removeprefix("~").partition("@")[0],))
    assert isinstance(found, DrawnLook)
    return found


def _looked(shot: Shot, layer: Layer, texture: str) -> Layer:
    frame = _drawn(texture).frame
    return layer if frame is None else layer_looking(shot, layer, frame)[1]


def _standing(asked: _Asked, shot: Shot) -> Track:
    layer = asked.layer
    if not asked.frames:
        pose, width, height = layer_pose(shot, layer)
        return Track(
            poses=pose[None],
            sizes=np.array([[width, height]], np.float64),
            opacity=np.array([layer.opacity]),
            textures=(texture_of(shot, layer),),
            projector=projector_of(shot, layer),
            raised=raised_of(shot, layer),
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
            raised=raised_of(
                shot,
                layer,
                values.get("relief_near"),
                values.get("relief_far"),
                values.get("relief"),
                _lifts(layer, values),
            ),
        )
    poses, sizes = np.empty((count, 4, 4)), np.empty((count, 2))
    named = np.empty(count, object)
    for look in np.unique(looks).tolist():
        on = looks == look
        seen, alike = layer_looking(shot, layer, look)
        part = Place(*(value[on] for value in vars(place).values()))
        poses[on], sizes[on, 0], sizes[on, 1] = layer_pose(seen, alike, part, carry.at(on))
        named[on] = _name_of(layer, texture_of(seen, alike), look)
    return Track(poses=poses, sizes=sizes, opacity=opacity, textures=tuple(named.tolist()))


def _lifts(layer: Layer, values: Mapping[str, FloatArray]) -> dict[str, FloatArray]:
    """Return the keyed lifts of a relief's areas, by their ids."""
    areas = layer.relief.areas if layer.relief else ()
    return {each.id: values[each.value] for each in areas if each.value in values}


def _told_of(shot: Shot, layer: Layer) -> NestedShot | None:
    """Return what is told of the other shot that a layer shows; not the shot itself."""
    return shot.shots[layer.nested.shot].evolve(document=None) if layer.nested else None


def _name_of(layer: Layer, texture: str, look: int) -> str:
    """Return what a look is called that a layer has from a frame on.

    With a border that keys take away, a picture is seen as it is; so is a frame of another shot.
    """
    plain = texture == layer.picture or is_of_many(texture)
    return texture if plain else str(DrawnLook(layer.id, look))


def _in_layout(asked: _Asked, shot: Shot) -> Track:
    """Return a layer that a layout lays in the frame; see :class:`Track`."""
    assert asked.laid
    layer, times = asked.layer, np.frombuffer(asked.frames)
    laid, count = laid_by(asked.laid, layer.id, times), len(times)
    tall = shot.frame.height / shot.frame.width
    poses = np.tile(np.eye(4), (count, 1, 1))
    still = np.zeros(count)
    poses[:, :3, :3] = space.rotation(still, still, laid.turn)
    poses[:, 0, 3], poses[:, 1, 3] = laid.x - 0.5, (0.5 - laid.y) * tall
    poses[:, 2, 3] = laid.order
    windows = np.stack([laid.width, laid.height * tall], axis=-1)
    sizes, framed = windows.copy(), windows.copy()
    opacity = next((row for row in asked.rows if row.value == "opacity"), None)
    own = values_at(opacity, times) if opacity else np.full(count, layer.opacity)
    looks = look_frames(shot, layer, times)
    assert looks is not None
    named = np.empty(count, object)
    for look in np.unique(looks).tolist():
        on = looks == look
        seen, alike = layer_looking(shot, layer, look)
        sizes[on] *= frame_ratio(seen, alike)
        framed[on] *= framed_ratio(seen, alike)
        named[on] = _name_of(layer, texture_of(seen, alike), look)
    return Track(
        poses=poses,
        sizes=sizes,
        opacity=np.asarray(own, float) * laid.opacity,
        textures=tuple(named.tolist()),
        framed=framed,
    )


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
