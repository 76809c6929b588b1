"""Mounts: invisible things that layers, cameras and other mounts ride on.

A rider's own values stay as they are; the mount adds what has changed in its own place, turn and
scale since the ride began. So beginning a ride moves nothing, and a ride may follow only some of
the changes, such as the turns.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from vistaline.core.arrays import FloatArray, Matrix3, Matrix4
from vistaline.core.errors import ShotError
from vistaline.core.geometry import space
from vistaline.core.keyable import ANGLE, METRES, PERCENT, SIZE, Keyed
from vistaline.core.model import Degrees, Part, Position
from vistaline.core.shot.shakes import Shake

__all__ = [
    "FOLLOWS",
    "Carry",
    "Follow",
    "Mount",
    "Moving",
    "Ride",
    "Standing",
    "carry_of",
    "pose_of",
    "rides_on_moving",
    "standing_of",
]

Follow = Literal["position", "rotation", "scale"]
FOLLOWS: tuple[Follow, ...] = ("position", "rotation", "scale")


class Standing(Part):
    """Where something stands, how it is turned, and how much it enlarges what rides on it."""

    position: Position = (0.0, 0.0, 0.0)
    pan: Degrees = 0.0
    tilt: Degrees = 0.0
    roll: Degrees = 0.0
    scale: float = Field(1.0, gt=0, le=1e6, allow_inf_nan=False)

    @property
    def turn(self) -> Matrix3:
        return space.rotation(self.pan, self.tilt, self.roll)


class Ride(Part):
    """What something rides on, and which of the mount's changes it follows."""

    on: str = Field(description="A mount's id.")
    follows: tuple[Follow, ...] = Field(FOLLOWS, min_length=1, max_length=3)
    since: Standing = Field(Standing(), description="How the mount stood when the ride began.")


class Mount(Standing):
    """Something that others ride on."""

    id: str = Field(min_length=1, max_length=80)
    name: str = Field(min_length=1, max_length=80)
    ride: Ride | None = None
    shake: Shake | None = None
    # As any standing's, and with keys.
    position: Annotated[
        Position,
        Keyed("Across", "x", 0, **METRES),
        Keyed("Up", "y", 1, **METRES),
        Keyed("Forward", "z", 2, **METRES | {"factor": -1.0}),
    ] = (0.0, 0.0, 0.0)
    pan: Annotated[Degrees, Keyed("Turn", **ANGLE)] = 0.0
    tilt: Annotated[Degrees, Keyed("Lean", **ANGLE)] = 0.0
    roll: Annotated[Degrees, Keyed("Roll", **ANGLE)] = 0.0
    scale: Annotated[float, Keyed("Size", **PERCENT, **SIZE)] = Field(
        1.0, gt=0, le=1e6, allow_inf_nan=False
    )


Moving = Mapping[str, Mapping[str, FloatArray]]
"""Values (N,) at N times, by mounts' ids and values' names: x, y, z, pan, tilt, roll, scale.

``sway`` (N, 6) is how far a mount that shakes is from where it stands; see ``stage.shake``.
"""


@dataclass(frozen=True, eq=False)
class Carry:
    """What a ride does to whatever rides: about ``before``, turned, enlarged, put at ``after``.

    A place goes to after + scale * turn (place - before) if the ride follows positions; else it
    stays, and only the rider itself is turned and enlarged. All of it holds at one time, or, with
    an axis more in front, at N.
    """

    turn: FloatArray
    scale: FloatArray
    before: FloatArray
    after: FloatArray
    moves: bool

    def pose(self, world_from_rider: FloatArray) -> FloatArray:
        """Return a rider's rigid pose (..., 4, 4) as it is carried; its size grows by ``scale``."""
        place = world_from_rider[..., :3, 3]
        if self.moves:
            place = self.after + self.vector(place - self.before)
        return space.posed(self.turn @ world_from_rider[..., :3, :3], place)

    def at(self, times: np.ndarray) -> Carry:
        """Return it at some of its N times: (N,) bool."""
        turn, scale, after = (
            part[times] if part.ndim > own else part
            for part, own in ((self.turn, 2), (self.scale, 0), (self.after, 1))
        )
        return Carry(turn, scale, self.before, after, self.moves)

    def back(self, carried: Matrix4) -> Matrix4:
        """Return the pose that is carried to this one."""
        pose = carried.copy()
        pose[:3, :3] = self.turn.T @ carried[:3, :3]
        if self.moves:
            aside = carried[:3, 3] - self.after
            pose[:3, 3] = self.before + self.turn.T @ aside / self.scale
        return pose

    def vector(self, way: FloatArray) -> FloatArray:
        """Return what becomes of a rider's movement by ``way`` (..., 3) metres."""
        if not self.moves:
            return way
        turned = (self.turn @ way[..., None])[..., 0]
        return np.asarray(self.scale[..., None] * turned)


STILL = Carry(np.eye(3), np.ones(()), np.zeros(3), np.zeros(3), False)


def standing_of(mount: Mount, mounts: Sequence[Mount]) -> Standing:
    """Return where a mount stands on the stage, with all it rides on.

    Raises
    ------
    ShotError
        It rides on itself, through any chain, or on what is not there.
    """
    pose, scale = pose_of(mount, mounts)
    pan, tilt, roll = space.angles_of(pose[:3, :3])
    x, y, z = pose[:3, 3].tolist()
    return Standing(position=(x, y, z), pan=pan, tilt=tilt, roll=roll, scale=float(scale))


def pose_of(
    mount: Mount, mounts: Sequence[Mount], moving: Moving | None = None
) -> tuple[FloatArray, FloatArray]:
    """Return a mount's pose (..., 4, 4) and scale (...) on the stage; errors as above."""
    return _stand(mount, {each.id: each for each in mounts}, moving or {}, ())


def carry_of(ride: Ride | None, mounts: Sequence[Mount], moving: Moving | None = None) -> Carry:
    """Return what a ride does now, or at the times of ``moving``; errors as above."""
    return _carry(ride, {each.id: each for each in mounts}, moving or {}, ()) if ride else STILL


def rides_on_moving(ride: Ride | None, mounts: Sequence[Mount], moving: Collection[str]) -> bool:
    """Whether something rides, through any chain, on one of the ``moving`` mounts."""
    named = {each.id: each for each in mounts}
    while ride is not None:
        if ride.on in moving:
            return True
        ride = named[ride.on].ride
    return False


def _stand(
    mount: Mount, mounts: dict[str, Mount], moving: Moving, above: tuple[str, ...]
) -> tuple[FloatArray, FloatArray]:
    if mount.id in above:
        chain = " on ".join(mounts[each].name for each in (*above, mount.id))
        raise ShotError(f"A mount cannot ride on itself: {chain}. Let one of them ride off.")
    own = moving.get(mount.id, {})
    x, y, z = (own.get(*each) for each in zip("xyz", mount.position, strict=True))
    turns = (own.get(name, getattr(mount, name)) for name in ("pan", "tilt", "roll"))
    pose = space.pose(np.stack(np.broadcast_arrays(x, y, z), axis=-1), *turns)
    scale = np.asarray(own.get("scale", mount.scale), np.float64)
    if "sway" in own:
        pose = pose @ space.pose(own["sway"][:, :3], *own["sway"].T[3:])
    if mount.ride is None:
        return pose, scale
    carry = _carry(mount.ride, mounts, moving, (*above, mount.id))
    return carry.pose(pose), scale * carry.scale


def _carry(ride: Ride, mounts: dict[str, Mount], moving: Moving, above: tuple[str, ...]) -> Carry:
    if ride.on not in mounts:
        raise ShotError(f"There is no mount {ride.on!r} to ride on (it may have been removed).")
    (pose, scale), since = _stand(mounts[ride.on], mounts, moving, above), ride.since
    turns, scales = "rotation" in ride.follows, "scale" in ride.follows
    return Carry(
        turn=pose[..., :3, :3] @ since.turn.T if turns else np.eye(3),
        scale=scale / since.scale if scales else np.ones(()),
        before=np.array(since.position),
        after=pose[..., :3, 3],
        moves="position" in ride.follows,
    )
