"""Particles as a camera sees them: where in the frame, how large, how bright."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.shot.air import Shape
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.evaluate import FrameState
from vistaline.core.stage.haze import Haze
from vistaline.core.stage.lamps import Light, add_light, told
from vistaline.core.stage.particles import Flock

__all__ = ["Sprites", "sprites_of"]

_SHAPES = {Shape.DISC: 0, Shape.STREAK: 0, Shape.STAR: 1, Shape.PICTURE: 2}
_FINEST = 0.75
"""Pixels: what is smaller is drawn as large, and weaker."""
_LARGEST = 400.0
"""Pixels: what would be larger is too near to be seen as anything."""
_NEAREST = 0.02


@dataclass(frozen=True, eq=False)
class Sprites:
    """Particles as they are drawn, far to near."""

    drawn: np.ndarray
    """(N, 14) float32: x0, y0, x1, y1 of where the streak's middle line begins and ends; radius;
    how soft its edge is; colour, 0..65535, and opacity, 0..1; 1 if it adds; shape; turn."""
    near: FloatArray
    """(N,) 1/z."""
    picture: str
    """The key of the picture that they show; empty: none."""


def sprites_of(flock: Flock, state: FrameState, open_for: float, *, blurs: bool) -> Sprites:
    """Return a flock as one camera sees it.

    ``open_for``: seconds the shutter is open; ``blurs``: whether the lens blurs each of them, or
    the mean of many views will.
    """
    camera, thing = state.camera, flock.thing
    there = flock.places @ camera.camera_from_world[:3, :3].T + camera.camera_from_world[:3, 3]
    deep = -there[:, 2]
    streak = thing.stretch if thing.shape is Shape.STREAK else 0.0
    seconds = max(streak, open_for)
    ways = flock.ways @ camera.camera_from_world[:3, :3].T
    ends = [_seen(there + ways * seconds * share, camera) for share in (-0.5, 0.5)]
    large = np.minimum(flock.radii * camera.focal_px / np.maximum(deep, _NEAREST), _LARGEST)
    optics = camera.optics
    blur = np.zeros(len(deep))
    if blurs and optics is not None and optics.hole > 0:
        spread = np.abs(1 / np.maximum(deep, _NEAREST) - 1 / optics.focus)
        blur = np.minimum(camera.focal_px * optics.hole * spread, _LARGEST)
    radius = np.maximum(large, _FINEST)
    opacity = flock.opacity * np.minimum(large / radius, 1) ** 2
    whole = radius + blur
    opacity = opacity * (radius / whole) ** 2
    length = np.linalg.norm(ends[1] - ends[0], axis=1)
    # What is drawn out is seen as long less at each place: its light stays the same.
    opacity = opacity * (np.pi * whole / (np.pi * whole + 2 * length))
    soft = (
        np.where(blur > radius, 0.25, 1.0)
        if thing.shape is not Shape.PICTURE
        else np.ones_like(blur)
    )
    colours = _lit(flock, state.lights) if thing.lit and state.lights else flock.colours
    kept, added = _through(state.haze, flock.places, camera)
    colours = colours * kept[:, None] * state.gain
    if not thing.adds:
        colours = colours + added * state.gain
    box = np.concatenate(
        [np.minimum(*ends) - whole[:, None], np.maximum(*ends) + whole[:, None]], axis=1
    )
    width, height = camera.frame_size
    shown = (deep > _NEAREST) & (opacity > 2e-5) & (box[:, 2] > 0) & (box[:, 3] > 0)
    shown &= (box[:, 0] < width) & (box[:, 1] < height) & (length < 4 * width)
    order = np.flatnonzero(shown)
    order = order[np.argsort(-deep[order], kind="stable")]
    drawn = np.zeros((len(order), 14), np.float32)
    drawn[:, 0:2], drawn[:, 2:4] = ends[0][order], ends[1][order]
    drawn[:, 4], drawn[:, 5] = whole[order], soft[order]
    drawn[:, 6:9] = np.clip(colours[order], 0, 4) * 65535
    drawn[:, 9], drawn[:, 10] = opacity[order], thing.adds
    drawn[:, 11], drawn[:, 12] = _SHAPES[thing.shape], flock.turns[order]
    shown_picture = thing.picture if thing.shape is Shape.PICTURE else ""
    if thing.shape is Shape.PICTURE and not thing.picture:
        drawn[:, 11] = 0
    return Sprites(drawn, 1 / deep[order], shown_picture)


def _seen(there: FloatArray, camera: CameraState) -> FloatArray:
    """Return where places (N, 3) of the camera's space are seen, in frame pixels."""
    points = there @ camera.image_from_camera.T
    return np.asarray(points[:, :2] / np.where(np.abs(points[:, 2:]) > 1e-9, points[:, 2:], 1e-9))


def _through(haze: Haze, places: FloatArray, camera: CameraState) -> tuple[FloatArray, FloatArray]:
    """Return what the air before particles keeps (N,) of their light, and adds (N, 3)."""
    if haze.clear:
        return np.ones(len(places)), np.zeros((len(places), 3))
    home = np.array(camera.position)
    ways = places - home
    far = np.maximum(np.linalg.norm(ways, axis=1), 1e-9)
    return haze(home, ways / far[:, None], far)


def _lit(flock: Flock, lights: Sequence[Light]) -> FloatArray:
    """Return the colours (N, 3) of particles in the light of lamps, whichever way they face."""
    light, places = np.zeros((len(flock.places), 3)), np.ascontiguousarray(flock.places)
    for lamp in told(lights):
        # It is turned to every lamp.
        ways = np.tile(lamp[7:10], (len(places), 1)) if lamp[0] == 2 else places - lamp[4:7]
        sides = ways / np.maximum(np.linalg.norm(ways, axis=1, keepdims=True), 1e-9)
        add_light(lamp[None], places, sides, light)
    return flock.colours * light
