"""Mounts: things without looks that others ride on. Mounts ride on mounts.

A rider keeps its own place; a mount carries it by what has changed since the ride began. So
riding on leaves everything where it is, and a ride may follow as little as the turns alone.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from pydantic import Field

from vistaline.core import space
from vistaline.core.arrays import FloatArray, Matrix3, Matrix4
from vistaline.core.errors import ShotError
from vistaline.core.model import Degrees, Part, Position

__all__ = ["FOLLOWS", "Carry", "Follow", "Mount", "Ride", "Standing", "carry_of", "standing_of"]

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


@dataclass(frozen=True, eq=False)
class Carry:
    """What a ride does to whatever rides: about ``before``, turned, enlarged, put at ``after``.

    A place goes to after + scale * turn (place - before) if the ride follows positions; else it
    stays, and only the rider itself is turned and enlarged.
    """

    turn: Matrix3
    scale: float
    before: FloatArray
    after: FloatArray
    moves: bool

    def pose(self, world_from_rider: Matrix4) -> Matrix4:
        """Return a rider's rigid pose as it is carried; its size grows by ``scale`` besides."""
        carried = world_from_rider.copy()
        carried[:3, :3] = self.turn @ world_from_rider[:3, :3]
        if self.moves:
            aside = world_from_rider[:3, 3] - self.before
            carried[:3, 3] = self.after + self.scale * (self.turn @ aside)
        return carried

    def back(self, carried: Matrix4) -> Matrix4:
        """Return the pose that is carried to this one."""
        pose = carried.copy()
        pose[:3, :3] = self.turn.T @ carried[:3, :3]
        if self.moves:
            aside = carried[:3, 3] - self.after
            pose[:3, 3] = self.before + self.turn.T @ aside / self.scale
        return pose

    def vector(self, way: FloatArray) -> FloatArray:
        """Return what becomes of a rider's movement by ``way`` (3,) metres."""
        return self.scale * (self.turn @ way) if self.moves else way


STILL = Carry(np.eye(3), 1.0, np.zeros(3), np.zeros(3), False)


def standing_of(mount: Mount, mounts: Sequence[Mount]) -> Standing:
    """Return where a mount stands on the stage, with all it rides on.

    Raises
    ------
    ShotError
        It rides on itself, through any chain, or on what is not there.
    """
    return _standing(mount, {each.id: each for each in mounts}, ())


def carry_of(ride: Ride | None, mounts: Sequence[Mount]) -> Carry:
    """Return what a ride does now; errors as :func:`standing_of`."""
    return _carry(ride, {each.id: each for each in mounts}, ()) if ride else STILL


def _standing(mount: Mount, mounts: dict[str, Mount], above: tuple[str, ...]) -> Standing:
    if mount.id in above:
        chain = " on ".join(mounts[each].name for each in (*above, mount.id))
        raise ShotError(f"A mount cannot ride on itself: {chain}. Let one of them ride off.")
    if mount.ride is None:
        return mount
    carry = _carry(mount.ride, mounts, (*above, mount.id))
    pose = carry.pose(space.pose(mount.position, mount.pan, mount.tilt, mount.roll))
    pan, tilt, roll = space.angles_of(pose[:3, :3])
    x, y, z = pose[:3, 3].tolist()
    return Standing(
        position=(x, y, z), pan=pan, tilt=tilt, roll=roll, scale=mount.scale * carry.scale
    )


def _carry(ride: Ride, mounts: dict[str, Mount], above: tuple[str, ...]) -> Carry:
    if ride.on not in mounts:
        raise ShotError(f"There is no mount {ride.on!r} to ride on (it may have been removed).")
    now, since = _standing(mounts[ride.on], mounts, above), ride.since
    turns, scales = "rotation" in ride.follows, "scale" in ride.follows
    return Carry(
        turn=now.turn @ since.turn.T if turns else np.eye(3),
        scale=now.scale / since.scale if scales else 1.0,
        before=np.array(since.position),
        after=np.array(now.position),
        moves="position" in ride.follows,
    )
