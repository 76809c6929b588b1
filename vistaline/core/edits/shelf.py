"""Starting moves: two or three framings from a point of the picture and a few sliders.

What they make are ordinary framings. Each starts from what the camera sees in one frame, about a
point on the nearest layer there.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.easing import EaseName
from vistaline.core.edits.registry import seen_framing
from vistaline.core.errors import EditError
from vistaline.core.geometry import space
from vistaline.core.shot.route import Aim, Framing
from vistaline.core.stage.camera import CameraState, aimed, depth_of

__all__ = ["MOVES", "Scene", "make"]

Point3 = tuple[float, float, float]


@dataclass(frozen=True)
class Slider:
    """One value of a move."""

    name: str
    label: str
    unit: str
    low: float
    high: float
    start: float


@dataclass(frozen=True)
class Scene:
    """What a move starts from: the camera as it is, and the point it is about."""

    camera: CameraState
    point: FloatArray
    """(3,) metres, on the stage."""

    @property
    def depth(self) -> float:
        return depth_of(self.camera, self.point)

    def span(self, percent: float, side: int) -> float:
        """Return metres, at the point, of a share of the frame: ``side`` 0 across, 1 upwards."""
        return percent / 100 * self.depth * self.camera.frame_size[side] / self.camera.focal_px

    def framing(self, **changes: object) -> Framing:
        """Return what the camera sees, with changes."""
        return seen_framing(self.camera, 0, **changes)

    def towards(self, share: float) -> Point3:
        """Return the place a share of the way from the camera to the point."""
        eye = np.array(self.camera.position)
        return _place(eye + share * (self.point - eye))

    def beside(self, right: float = 0, up: float = 0, ahead: float = 0) -> Point3:
        """Return a place, in metres along the camera's own axes from where it is."""
        turn = self.camera.world_from_camera[:3, :3]
        return _place(np.array(self.camera.position) + turn @ (right, up, -ahead))

    def centred(self, position: Point3) -> CameraState:
        """Return the camera at ``position`` with the point in the middle of the frame."""
        return aimed([replace(self.camera, position=position)], Aim(at="-"), self.point[None])[0]

    def looking(self, position: Point3, **changes: object) -> Framing:
        """Return a framing from another place, with the point where it was in the frame."""
        camera = self.camera
        x, y, z, _ = camera.camera_from_world @ (*self.point, 1.0)
        across = (x / -z - camera.shift[0]) * camera.focal_px / camera.frame_size[0]
        up = (y / -z - camera.shift[1]) * camera.focal_px / camera.frame_size[1]
        aim = Aim(at="-", across=min(max(across, -0.5), 0.5), up=min(max(up, -0.5), 0.5))
        turned = aimed([replace(camera, position=position)], aim, self.point[None])[0]
        return self.framing(position=position, pan=turned.pan, tilt=turned.tilt, **changes)


@dataclass(frozen=True)
class Move:
    """A move on the shelf."""

    label: str
    says: str
    sliders: tuple[Slider, ...]
    make: Callable[..., list[Framing]]
    """(scene, **sliders) -> framings; their frames are set by whoever asks."""
    ease: EaseName = "ease-in-out"
    held: float | None = None
    """The share of the time in which it stands at its stops; None: it passes through them."""


def _place(point: FloatArray) -> Point3:
    x, y, z = point.tolist()
    return x, y, z


def _mix(a: float, b: float, share: float) -> float:
    """Return an angle a share of the way from one to another, the short way round."""
    return a + math.remainder(b - a, 360) * share


def _push_in(scene: Scene, closer: float, settle: float) -> list[Framing]:
    """Towards the point, which comes to the middle by ``settle`` percent."""
    target = scene.towards(1 - 1 / closer)
    middle = scene.centred(target)
    pan = _mix(scene.camera.pan, middle.pan, settle / 100)
    tilt = _mix(scene.camera.tilt, middle.tilt, settle / 100)
    return [scene.framing(), scene.framing(position=target, pan=pan, tilt=tilt)]


def _pull_out(scene: Scene, farther: float, settle: float) -> list[Framing]:
    return _push_in(scene, farther, settle)[::-1]


def _drift(scene: Scene, across: float, closer: float) -> list[Framing]:
    metres, ahead = scene.span(across, 0), scene.depth * (1 - 1 / closer)
    return [
        scene.framing(position=scene.beside(right=-metres / 2)),
        scene.framing(position=scene.beside(right=metres / 2, ahead=ahead)),
    ]


def _slide(scene: Scene, across: float) -> list[Framing]:
    return _drift(scene, across, 1)


def _tour(scene: Scene, stops: float, closer: float) -> list[Framing]:
    """From the whole to stops in rows over the frame, each as near, and back to the whole."""
    count = round(stops)
    columns = math.ceil(math.sqrt(count * scene.camera.frame_size[0] / scene.camera.frame_size[1]))
    rows = math.ceil(count / columns)
    framings = [scene.framing(name="The whole")]
    for n in range(count):
        row, column = divmod(n, columns)
        here = min(columns, count - row * columns)
        # Every other row is gone through backwards: no long way back between them.
        column = column if row % 2 == 0 else here - 1 - column
        right = scene.span(100 * ((column + 0.5) / here - 0.5) * (1 - 1 / closer), 0)
        up = scene.span(100 * (0.5 - (row + 0.5) / rows) * (1 - 1 / closer), 1)
        place = scene.beside(right=right, up=up, ahead=scene.depth * (1 - 1 / closer))
        framings.append(scene.framing(position=place, name=f"Stop {n + 1}"))
    return [*framings, scene.framing(name="The whole")]


def _rise(scene: Scene, height: float, look: float) -> list[Framing]:
    metres = scene.span(height, 1)
    low, high = scene.beside(up=-metres / 2), scene.beside(up=metres / 2)
    framings = []
    for place in (low, high):
        kept = scene.looking(place)
        tilt = _mix(scene.camera.tilt, kept.tilt, look / 100)
        pan = _mix(scene.camera.pan, kept.pan, look / 100)
        framings.append(scene.framing(position=place, tilt=tilt, pan=pan))
    return framings


def _arc(scene: Scene, angle: float) -> list[Framing]:
    """Round the point at one distance: handles of 4/3 tan(a/4) of the radius keep to the circle."""
    eye, steps = np.array(scene.camera.position), 5
    part = math.radians(angle) / (steps - 1)
    framings = []
    for n in range(steps):
        aside = space.rotation(angle * (n / (steps - 1) - 0.5), 0, 0) @ (eye - scene.point)
        way = np.array([aside[2], 0.0, -aside[0]]) * 4 / 3 * math.tan(part / 4)
        handles = {"leave": _place(way), "arrive": _place(-way)}
        framings.append(scene.looking(_place(scene.point + aside), **handles))
    return framings


def _reveal(scene: Scene, hidden: float, closer: float) -> list[Framing]:
    ahead = scene.depth * (1 - 1 / closer)
    beside = scene.beside(right=scene.span(hidden, 0), ahead=ahead)
    return [scene.framing(position=beside), scene.framing()]


def _settle(scene: Scene, from_far: float, roll: float) -> list[Framing]:
    start = scene.towards(1 - from_far)
    return [scene.framing(position=start, roll=scene.camera.roll + roll), scene.framing()]


def _swing_up(scene: Scene, tilt: float, closer: float) -> list[Framing]:
    return [
        scene.framing(tilt=scene.camera.tilt - tilt),
        scene.framing(position=scene.towards(1 - 1 / closer)),
    ]


def _turn(scene: Scene, degrees: float, closer: float) -> list[Framing]:
    start, end = scene.towards(0.0), scene.towards(1 - 1 / closer)
    roll = scene.camera.roll
    return [
        scene.framing(position=start, roll=roll - degrees / 2),
        scene.framing(position=end, roll=roll + degrees / 2),
    ]


def _land(scene: Scene, closer: float, tilt: float) -> list[Framing]:
    target = scene.towards(1 - 1 / closer)
    middle = scene.centred(target)
    return [
        scene.framing(),
        scene.framing(
            position=target, pan=middle.pan, tilt=middle.tilt, roll=scene.camera.roll + tilt
        ),
    ]


_CLOSER = Slider("closer", "Closer", "×", 1.02, 6, 1.5)
_ACROSS = Slider("across", "Across", "% of the frame", -100, 100, 20)

MOVES: dict[str, Move] = {
    "push_in": Move(
        "Push in",
        "Towards the point; by how much it comes to the middle is yours.",
        (_CLOSER, Slider("settle", "To the middle", "%", 0, 100, 60)),
        _push_in,
    ),
    "pull_out": Move(
        "Pull out",
        "From the point back to what is seen now.",
        (
            Slider("farther", "From closer", "×", 1.02, 6, 1.6),
            Slider("settle", "From the middle", "%", 0, 100, 60),
        ),
        _pull_out,
    ),
    "drift": Move(
        "Drift",
        "Slowly aside and a little nearer.",
        (
            Slider("across", "Across", "% of the frame", -60, 60, 8),
            Slider("closer", "Closer", "×", 1, 2, 1.06),
        ),
        _drift,
        "linear",
    ),
    "slide": Move("Slide across", "Sideways, without turning.", (_ACROSS,), _slide),
    "rise": Move(
        "Rise past",
        "From below to above the point.",
        (
            Slider("height", "Height", "% of the frame", -150, 150, 25),
            Slider("look", "Keep looking at it", "%", 0, 100, 40),
        ),
        _rise,
    ),
    "arc": Move(
        "Arc round",
        "Round the point at one distance, looking at it.",
        (Slider("angle", "Angle", "°", -60, 60, 16),),
        _arc,
    ),
    "reveal": Move(
        "Reveal",
        "From beside, near what stands in front, to what is seen now.",
        (
            Slider("hidden", "From beside", "% of the frame", -150, 150, 50),
            Slider("closer", "From closer", "×", 1, 3, 1.2),
        ),
        _reveal,
        "ease-out",
    ),
    "settle": Move(
        "Settle",
        "The last of a movement: a little nearer or farther, and at rest.",
        (
            Slider("from_far", "From", "of the distance", 0.8, 1.4, 1.12),
            Slider("roll", "Leaning", "°", -10, 10, 1),
        ),
        _settle,
        "quart-out",
    ),
    "swing_up": Move(
        "Swing up",
        "Looks down first, then up to what is seen now and on.",
        (
            Slider("tilt", "From below", "°", -60, 60, 18),
            Slider("closer", "Closer", "×", 1, 4, 1.15),
        ),
        _swing_up,
    ),
    "tour": Move(
        "Tour",
        "Stops all over what is seen now, and back to the whole.",
        (Slider("stops", "Stops", "", 1, 16, 4), Slider("closer", "Closer", "×", 1.2, 8, 2.4)),
        _tour,
        "cubic-in-out",
        held=0.5,
    ),
    "turn": Move(
        "Turn about",
        "The picture turns about the point by a degree or so.",
        (
            Slider("degrees", "Turn", "°", -90, 90, 3),
            Slider("closer", "Closer", "×", 1, 4, 1.1),
        ),
        _turn,
    ),
    "land": Move(
        "Land on a detail",
        "Right up to the point, fast first, at rest in the end.",
        (
            Slider("closer", "Closer", "×", 1.5, 12, 3),
            Slider("tilt", "At an angle", "°", -30, 30, 4),
        ),
        _land,
        "cubic-in-out",
    ),
}


def make(name: str, scene: Scene, values: dict[str, float]) -> list[Framing]:
    """Return a move's framings; values that are not given are the sliders' first.

    Raises
    ------
    EditError
        There is no such move, a value is out of its range, or the point is behind the camera.
    """
    if name not in MOVES:
        raise EditError(f"There is no move called {name!r}.")
    if scene.depth <= 1e-3:
        raise EditError("That point is behind the camera. Choose one that is seen.")
    move, given = MOVES[name], {}
    for slider in move.sliders:
        value = values.get(slider.name, slider.start)
        if not slider.low <= value <= slider.high:
            raise EditError(
                f"{slider.label} must be {slider.low:g} to {slider.high:g} {slider.unit}, "
                f"not {value:g}."
            )
        given[slider.name] = value
    framings = move.make(scene, **given)
    return [framings[0], *(framing.evolve(ease=move.ease) for framing in framings[1:])]
