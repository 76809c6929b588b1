"""The camera at any time of the shot: where its route has it, and what it rides on."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from math import acos, atan2, ceil, cos, degrees, exp, hypot, log, pi, remainder, sin

import numpy as np
from numpy.typing import ArrayLike

from vistaline.core.arrays import FloatArray, Matrix3, Matrix4
from vistaline.core.geometry import space
from vistaline.core.geometry.optics import focal_length_px
from vistaline.core.geometry.ordering import NEAR
from vistaline.core.shot.mounts import carry_of
from vistaline.core.shot.route import Aim
from vistaline.core.shot.rows import values_at
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.focused import Optics, optics_at
from vistaline.core.stage.keyed import row_of
from vistaline.core.stage.paths import angles_between, stretches_through
from vistaline.core.stage.shake import sway_of
from vistaline.core.stage.tracks import moving_mounts, track_of

__all__ = [
    "FAR",
    "CameraState",
    "aimed",
    "camera_states",
    "depth_of",
    "live_cameras",
    "route_states",
]

FAR = 4e6
"""Metres: beyond the farthest a layer can stand from a camera."""


@dataclass(frozen=True)
class Raster:
    """Other pixels than the frame's, for what is drawn smaller, or beyond its edges."""

    focal_px: float
    margin: int
    """Pixels all round that lie outside the frame."""


@dataclass(frozen=True, kw_only=True, eq=False)
class CameraState:
    """The shot's camera at one time."""

    position: tuple[float, float, float]
    pan: float
    tilt: float
    roll: float
    lens: float
    frame_size: tuple[int, int]
    shift: tuple[float, float] = (0.0, 0.0)
    """How far right of its axis and above it the frame's middle is, as tangents: that of the
    taking camera, so that what was cropped off-centre is seen as it was taken."""

    optics: Optics | None = None
    """What is sharp and how much the rest is blurred; None: everything is sharp."""

    enlarged: float = 1.0
    """How much larger a lens that breathes draws than its focal length says."""

    looks_through: tuple[float, float] = (0.0, 0.0)
    """Which point of its lens, right and up of the middle: see :meth:`through`."""

    raster: Raster | None = None
    """Over which pixels ``frame_size`` goes, if not over the frame's: see :meth:`on_raster`."""

    def on_raster(self, scale: float, margin: int = 0) -> CameraState:
        """Return the camera over other pixels: as seen at ``scale``, and ``margin`` pixels beyond.

        For what needs a layer smaller than the frame, or what lies just outside it: a lens that
        blurs. Whatever is asked of the camera is then in pixels of that raster. Its middle is the
        frame's; where a side is no whole number of its pixels, it is a little larger.
        """
        width, height = (ceil(side * scale) + 2 * margin for side in self.frame_size)
        raster = Raster(self.focal_px * scale, margin)
        return replace(self, frame_size=(width, height), raster=raster)

    def beside(self, other: CameraState) -> CameraState:
        """Return another moment's camera, looking through the same point of its lens as this."""
        return other.through(*self.looks_through)

    def through(self, right: float, up: float) -> CameraState:
        """Return the camera looking through another point of its lens, focused as it is.

        ``right`` and ``up``: from the lens's middle, in shares of its hole's radius. What it is
        focused on stays where it is in the frame; all else moves, and the mean over all points of
        the hole is what the lens sees.
        """
        if self.optics is None:
            return self
        aside = self.optics.hole * np.array([right, up, 0.0])
        x, y, z = (np.array(self.position) + self.world_from_camera[:3, :3] @ aside).tolist()
        shift = np.array(self.shift) - aside[:2] / self.optics.focus
        return replace(
            self,
            position=(x, y, z),
            shift=(float(shift[0]), float(shift[1])),
            looks_through=(right, up),
        )

    @cached_property
    def focal_px(self) -> float:
        """The focal length in pixels."""
        if self.raster:
            return self.raster.focal_px
        return focal_length_px(self.lens, *self.frame_size) * self.enlarged

    @cached_property
    def world_from_camera(self) -> Matrix4:
        return space.pose(self.position, self.pan, self.tilt, self.roll)

    @cached_property
    def camera_from_world(self) -> Matrix4:
        return space.inverse_pose(self.world_from_camera)

    @cached_property
    def image_from_camera(self) -> Matrix3:
        return space.image_from_camera(self.focal_px, *self.frame_size, self.shift)

    def ray(self, x: float, y: float) -> FloatArray:
        """Return the way (3,) in camera space to what a frame pixel shows, 1 m deep."""
        (width, height), (right, up) = self.frame_size, self.shift
        across, above = (x - width / 2) / self.focal_px, (height / 2 - y) / self.focal_px
        return np.array([across + right, above + up, -1.0])

    @cached_property
    def clip_from_world(self) -> Matrix4:
        """For OpenGL; depth is not used there, the draw order is."""
        clip = space.clip_from_camera(
            self.focal_px, *self.frame_size, self.shift, near=NEAR, far=FAR
        )
        return clip @ self.camera_from_world

    @cached_property
    def clip_aside(self) -> FloatArray:
        """(2, 4): what the first two rows of ``clip_from_world`` differ by through the rightmost
        and the topmost point of the lens; through any other by its share of that, as the lens's
        middle goes straight aside and what is in focus stays where it is."""
        if self.optics is None:
            return np.zeros((2, 4))
        aside = self.clip_from_world[3] / self.optics.focus - (0.0, 0.0, 0.0, 1.0)
        most = 2 * self.focal_px * self.optics.hole / np.array(self.frame_size)
        return np.asarray(most[:, None] * aside)


def camera_states(shot: Shot, frames: ArrayLike, *, shaken: bool = True) -> list[CameraState]:
    """Return the camera on the stage at ``frames`` (N,), whole or fractional.

    Where its route has it, carried by what it rides on, its head turned to what it aims at, and
    ``shaken``; last its lens is focused. Where the shot is cut, the camera is that which is seen.
    """
    times = np.atleast_1d(np.asarray(frames, dtype=np.float64))
    if shot.cuts:
        return _cut_together(shot, times, shaken)
    states = _carried(shot, times, _route_states(shot, times), shaken=shaken)
    states = _keeping(shot, times, states)
    if shot.route.aim:
        states = aimed(states, shot.route.aim, _middles_of(shot, shot.route.aim.at, times))
    if shaken and shot.route.shake:
        states = _shaken(shot, times, states)
    return _focused(shot, times, states)


def live_cameras(shot: Shot, times: FloatArray) -> list[str]:
    """Return the id of the camera that is seen at each of ``times`` (N,), by the shot's cuts."""
    ids = [shot.opening, *(cut.camera for cut in shot.cuts)]
    return [ids[n] for n in np.searchsorted([cut.frame for cut in shot.cuts], times, "right")]


def _cut_together(shot: Shot, times: FloatArray, shaken: bool) -> list[CameraState]:
    live = np.array(live_cameras(shot, times))
    found: dict[int, CameraState] = {}
    for camera in dict.fromkeys(live.tolist()):
        seen = np.flatnonzero(live == camera)
        alone = shot.directed_by(camera).evolve(cuts=())
        states = camera_states(alone, times[seen], shaken=shaken)
        found.update(zip(seen.tolist(), states, strict=True))
    return [found[n] for n in range(len(times))]


def route_states(shot: Shot, frames: ArrayLike) -> list[CameraState]:
    """Return the camera as a framing would hold it: neither carried nor shaken."""
    times = np.atleast_1d(np.asarray(frames, dtype=np.float64))
    own = _route_states(shot, times)
    if shot.route.aim:
        own = aimed(own, shot.route.aim, _middles_of(shot, shot.route.aim.at, times))
    lenses = _keeping(shot, times, _carried(shot, times, own))
    return [replace(state, lens=kept.lens) for state, kept in zip(own, lenses, strict=True)]


def _route_states(shot: Shot, times: FloatArray) -> list[CameraState]:
    framings = shot.route.framings
    places = np.array([framing.position for framing in framings], dtype=np.float64)
    # The lens travels by its logarithm: equal steps of time change it by equal ratios.
    others = np.array([(f.pan, f.tilt, f.roll, log(f.lens)) for f in framings], dtype=np.float64)
    shift = shot.taking_camera.shift
    where = np.repeat(places[:1], len(times), axis=0)
    turned = np.repeat(others[:1], len(times), axis=0)
    stretches = stretches_through(framings, shot.route.path)
    cubics = angles_between(others, shot.route.path)
    for i, (stretch, cubic) in enumerate(zip(stretches, cubics, strict=True), start=1):
        start, end = framings[i - 1].last, framings[i].frame
        on_way, there = (times > start) & (times < end), times >= end
        # What it is there is not what comes of computing the way to its end.
        where[there], turned[there] = places[i], others[i]
        if on_way.any():
            progress = framings[i].curve((times[on_way] - start) / (end - start))
            where[on_way] = stretch.along(progress)
            powers = progress[:, None] ** np.arange(4)
            turned[on_way] = powers @ cubic
    lenses = _own_lens(shot, times) or [exp(log_lens) for log_lens in turned[:, 3].tolist()]
    return [
        CameraState(
            position=(x, y, z),
            pan=pan,
            tilt=tilt,
            roll=roll,
            lens=lens,
            frame_size=shot.frame.size,
            shift=shift,
        )
        for (x, y, z), (pan, tilt, roll, _), lens in zip(
            where.tolist(), turned.tolist(), lenses, strict=True
        )
    ]


def _own_lens(shot: Shot, times: FloatArray) -> list[float] | None:
    """Return the lens that the directed camera has by itself; None if its framings tell it."""
    camera = shot.camera
    if camera.lens is None:
        return None
    row = row_of(shot, f"camera:{camera.id}", "lens")
    values = values_at(row, times) if row else np.full(len(times), camera.lens)
    return np.asarray(values, np.float64).tolist()


def _carried(
    shot: Shot, times: FloatArray, states: list[CameraState], *, shaken: bool = True
) -> list[CameraState]:
    ride = shot.route.ride
    if ride is None:
        return states
    carry = carry_of(ride, shot.mounts, moving_mounts(shot, times, shaken=shaken))
    poses = carry.pose(np.array([state.world_from_camera for state in states]))
    return [_posed(state, pose) for state, pose in zip(states, poses, strict=True)]


def _posed(state: CameraState, pose: Matrix4) -> CameraState:
    x, y, z = pose[:3, 3].tolist()
    pan, tilt, roll = space.angles_of(pose[:3, :3])
    return replace(state, position=(x, y, z), pan=pan, tilt=tilt, roll=roll)


def _middles_of(shot: Shot, layer_id: str, times: FloatArray) -> FloatArray:
    """Return where a layer's middle is (N, 3) at ``times`` (N,)."""
    poses = track_of(shot, shot.layer(layer_id), times).poses
    return np.broadcast_to(poses[:, :3, 3], (len(times), 3))


def _keeping(shot: Shot, times: FloatArray, states: list[CameraState]) -> list[CameraState]:
    """Let the lens follow the distance where a layer's size is kept.

    Something h high and d before a lens of f is f h / d high in the picture (pinhole model), so
    f / d stays what it was at the framing before.
    """
    framings = shot.route.framings
    for i in range(1, len(framings)):
        if not framings[i].keeps:
            continue
        targets = _middles_of(shot, framings[i].keeps, times)
        left = np.array([float(framings[i - 1].last)])
        first = _carried(shot, left, _route_states(shot, left))[0]
        before = depth_of(first, _middles_of(shot, framings[i].keeps, left)[0])
        for n in np.flatnonzero((times > framings[i - 1].last) & (times <= framings[i].last)):
            ratio = max(depth_of(states[n], targets[n]), 1e-6) / max(before, 1e-6)
            states[n] = replace(states[n], lens=min(max(first.lens * ratio, 1.0), 5000.0))
    return states


def _focused(shot: Shot, times: FloatArray, states: list[CameraState]) -> list[CameraState]:
    focusing = shot.camera.focusing
    if focusing.everything_sharp:
        return states
    followed = None
    if focusing.follows:
        middles = _middles_of(shot, focusing.follows, times)
        followed = np.array([depth_of(*each) for each in zip(states, middles, strict=True)])
    optics = optics_at(shot, times, [state.lens for state in states], followed)
    breathing = row_of(shot, f"camera:{shot.camera.id}", "breathing")
    own = shot.camera.character.breathing
    breaths = values_at(breathing, times) if breathing else np.full(len(times), own)
    return [
        replace(state, optics=each, enlarged=1 + float(breath) * (_moved_out(state, each) - 1))
        for state, each, breath in zip(states, optics, breaths, strict=True)
    ]


def _moved_out(state: CameraState, optics: Optics) -> float:
    """Return how many focal lengths behind its lens a thin lens focused like this draws."""
    return optics.focus / (optics.focus - state.lens / 1000)


def depth_of(state: CameraState, point: FloatArray) -> float:
    """Return how far before a camera a point (3,) is, in metres along its axis."""
    ahead = -state.world_from_camera[:3, 2]
    return float((point - np.array(state.position)) @ ahead)


def aimed(states: list[CameraState], aim: Aim, targets: FloatArray) -> list[CameraState]:
    """Return cameras (N) turned so that ``targets`` (N, 3) are seen where ``aim`` wants them."""
    turned = []
    for state, target in zip(states, targets, strict=True):
        width, height = state.frame_size
        ray = state.ray((0.5 + aim.across) * width, (0.5 - aim.up) * height)
        way = target - np.array(state.position)
        size = float(np.linalg.norm(way))
        if size < 1e-9:
            turned.append(state)
            continue
        pan, tilt = _turned_to(space.rotation(0, 0, state.roll) @ ray, way)
        turned.append(replace(state, pan=pan, tilt=tilt))
    # All the way round is not half a turn back.
    pans = np.degrees(np.unwrap(np.radians([state.pan for state in turned])))
    return [replace(state, pan=float(pan)) for state, pan in zip(turned, pans, strict=True)]


def _turned_to(ray: FloatArray, way: FloatArray) -> tuple[float, float]:
    """Return pan and tilt in degrees that turn ``ray`` (3,) into the direction of ``way`` (3,).

    Pan leaves heights as they are, so the tilt alone must bring the ray to the way's height.
    """
    a, b, c = (ray / np.linalg.norm(ray)).tolist()
    x, y, z = (way / np.linalg.norm(way)).tolist()
    reach = hypot(b, c)
    tilt = -acos(min(max(y / reach, -1.0), 1.0)) - atan2(c, b)
    back = b * sin(tilt) + c * cos(tilt)
    pan = atan2(x, z) - atan2(a, back)
    return degrees(remainder(pan, 2 * pi)), degrees(remainder(tilt, 2 * pi))


def _shaken(shot: Shot, times: FloatArray, states: list[CameraState]) -> list[CameraState]:
    shake, rate = shot.route.shake, float(shot.frame.rate)
    assert shake is not None
    sways = sway_of(shake, times / rate, shot.frame.duration / rate, rate)
    shaken = []
    for state, (right, up, back, pan, tilt, roll) in zip(states, sways.tolist(), strict=True):
        pose = state.world_from_camera @ space.pose((right, up, back), pan, tilt, roll)
        moved = _posed(state, pose)
        # Angles beyond half a turn are kept as they are; only the sway is added.
        near = [
            value + remainder(new - value, 360)
            for value, new in (
                (state.pan, moved.pan),
                (state.tilt, moved.tilt),
                (state.roll, moved.roll),
            )
        ]
        shaken.append(replace(moved, pan=near[0], tilt=near[1], roll=near[2]))
    return shaken
