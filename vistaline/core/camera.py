"""The camera at any time of the shot: where its route has it, and what it rides on."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from math import exp, log

from numpy.typing import ArrayLike

from vistaline.core import space
from vistaline.core.arrays import Matrix3, Matrix4
from vistaline.core.channels import Channel, Key
from vistaline.core.mounts import carry_of
from vistaline.core.optics import focal_length_px
from vistaline.core.ordering import NEAR
from vistaline.core.shot import Shot

__all__ = ["CameraState", "camera_states", "route_states"]

FAR = 4e6
"""Metres: beyond the farthest a layer can stand from a camera."""


@dataclass(frozen=True, kw_only=True, eq=False)
class CameraState:
    """The shot's camera at one time."""

    position: tuple[float, float, float]
    pan: float
    tilt: float
    roll: float
    lens: float
    frame_size: tuple[int, int]

    @cached_property
    def focal_px(self) -> float:
        return focal_length_px(self.lens, *self.frame_size)

    @cached_property
    def world_from_camera(self) -> Matrix4:
        return space.pose(self.position, self.pan, self.tilt, self.roll)

    @cached_property
    def camera_from_world(self) -> Matrix4:
        return space.inverse_pose(self.world_from_camera)

    @cached_property
    def image_from_camera(self) -> Matrix3:
        return space.image_from_camera(self.focal_px, *self.frame_size)

    @cached_property
    def clip_from_world(self) -> Matrix4:
        """For OpenGL; depth is not used there, the draw order is."""
        clip = space.clip_from_camera(self.focal_px, *self.frame_size, near=NEAR, far=FAR)
        return clip @ self.camera_from_world


def camera_states(shot: Shot, frames: ArrayLike) -> list[CameraState]:
    """Return the camera on the stage at ``frames`` (N,), whole or fractional."""
    states, ride = route_states(shot, frames), shot.route.ride
    if ride is None:
        return states
    carry = carry_of(ride, shot.mounts)
    carried = []
    for state in states:
        pose = carry.pose(state.world_from_camera)
        x, y, z = pose[:3, 3].tolist()
        pan, tilt, roll = space.angles_of(pose[:3, :3])
        carried.append(replace(state, position=(x, y, z), pan=pan, tilt=tilt, roll=roll))
    return carried


def route_states(shot: Shot, frames: ArrayLike) -> list[CameraState]:
    """Return the camera as its framings have it, whatever its route rides on."""
    # One channel for all that a framing holds: its ease is solved once. The lens travels by its
    # logarithm, so that equal steps of time change it by equal ratios.
    keys = [
        Key(
            frame=framing.frame,
            value=(*framing.position, framing.pan, framing.tilt, framing.roll, log(framing.lens)),
            ease=framing.curve,
        )
        for framing in shot.route.framings
    ]
    return [
        CameraState(
            position=(x, y, z),
            pan=pan,
            tilt=tilt,
            roll=roll,
            lens=exp(log_lens),
            frame_size=shot.frame.size,
        )
        for x, y, z, pan, tilt, roll, log_lens in Channel(keys)(frames).tolist()
    ]
