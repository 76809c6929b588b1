"""Placing many layers, or one by what it should look like: spread, match, scatter.

Distances are metres from the taking camera along its axis.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Annotated, Literal, NamedTuple

import numpy as np
from pydantic import Field

from vistaline.core.edits.registry import REGISTRY, on_stage, with_layer, with_layers
from vistaline.core.errors import EditError
from vistaline.core.geometry import space
from vistaline.core.geometry.optics import focal_length_px
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.camera import CameraState, camera_states
from vistaline.core.stage.cards import card_of
from vistaline.core.verbs import FROM_JSON

__all__ = ["at_distance", "parallax_step", "screen_shift"]

verb = REGISTRY.verb
Spacing = Literal["even", "ratio", "parallax"]
Pattern = Literal["row", "arc", "grid", "spiral", "volume"]
_NEAREST, _FARTHEST = 0.05, 1e5
_TRIES = 600


def at_distance(layer: Layer, distance: float) -> dict[str, float]:
    """Return the values that change when a layer goes to another distance and must look the same.

    Common practice, no source: everything grows by b / a.
    """
    ratio = distance / layer.distance
    found = {"distance": distance, "across": layer.across * ratio, "up": layer.up * ratio}
    return found | ({"scale": layer.scale * ratio} if layer.is_card else {})


# --- spread -----------------------------------------------------------------------------------


def spread_distances(count: int, near: float, far: float, how: Spacing) -> list[float]:
    """Return ``count`` distances from ``near`` to ``far`` in metres.

    ``even``: equal steps in metres; ``ratio``: each a fixed ratio farther; ``parallax``: each
    step shifts by as many pixels when the camera trucks, that is equal steps of 1 / distance.

    >>> [round(d, 2) for d in spread_distances(3, 1, 4, "ratio")]
    [1.0, 2.0, 4.0]
    >>> [round(d, 2) for d in spread_distances(3, 1, 4, "parallax")]
    [1.0, 1.6, 4.0]
    """
    if count == 1:
        return [near]
    if how == "even":
        return np.linspace(near, far, count).tolist()
    if how == "ratio":
        return np.geomspace(near, far, count).tolist()
    return (1 / np.linspace(1 / near, 1 / far, count)).tolist()


def parallax_step(shot: Shot, count: int, near: float, far: float, truck: float) -> float:
    """Return the shift in frame pixels between neighbouring layers for a truck of some metres.

    A point at z shifts by f t / z on screen; so n layers spread by parallax shift by
    f t (1 / near - 1 / far) / (n - 1) each against the next.
    """
    focal = focal_length_px(shot.route.framings[0].lens, *shot.frame.size)
    return focal * truck * (1 / near - 1 / far) / max(1, count - 1)


@verb("spread layers")
def spread(
    shot: Shot,
    *,
    layers: list[str],
    near: Annotated[float, Field(gt=0, le=1e6)],
    far: Annotated[float, Field(gt=0, le=1e6)],
    how: Spacing = "parallax",
) -> Shot:
    """Put layers between two distances, in the order they stand in; their framing is kept."""
    if len(layers) < 2:
        raise EditError("Tick at least two layers to spread.")
    if near >= far:
        raise EditError(
            f"The near end must be nearer than the far end: {near:g} m is not below {far:g} m."
        )
    chosen = sorted((on_stage(shot, key) for key in layers), key=lambda layer: layer.distance)
    distances = spread_distances(len(chosen), near, far, how)
    return with_layers(
        shot,
        [
            layer.evolve(**at_distance(layer, distance))
            for layer, distance in zip(chosen, distances, strict=True)
        ],
    )


@verb("stand at their depth")
def stand_at_depth(shot: Shot, *, distances: Annotated[dict[str, float], FROM_JSON]) -> Shot:
    """Put each layer at a distance of its own, by id, in metres; their framing is kept."""
    if not distances:
        raise EditError("No layer of this picture stands in the shot. Send the set there first.")
    if not all(0 < distance <= 1e6 for distance in distances.values()):
        raise EditError("A distance is above 0 m and up to a thousand kilometres.")
    chosen = [on_stage(shot, key) for key in distances]
    return with_layers(
        shot, [each.evolve(**at_distance(each, distances[each.id])) for each in chosen]
    )


# --- match ------------------------------------------------------------------------------------


def screen_shift(shot: Shot, layer: Layer) -> float:
    """Return how far a layer's middle moves on screen from the first frame to the last, pixels."""
    ends = camera_states(shot, [0, shot.frame.duration - 1])
    return _shift(shot, layer, ends)


def _shift(shot: Shot, layer: Layer, ends: Sequence[CameraState]) -> float:
    seen = []
    for camera in ends:
        middle = camera.camera_from_world @ card_of(shot, layer, camera).world_from_card[:, 3]
        if middle[2] >= -0.01:
            return math.inf  # behind the camera
        seen.append((camera.image_from_camera @ middle[:3])[:2] / -middle[2])
    return float(np.hypot(*(seen[1] - seen[0])))


@verb("match a shift")
def match_shift(
    shot: Shot, *, layer: str, pixels: Annotated[float, Field(ge=0, le=100_000)]
) -> Shot:
    """Set a layer's distance so that it shifts by so many pixels over the route; seen as before."""
    found = on_stage(shot, layer)
    ends = camera_states(shot, [0, shot.frame.duration - 1])

    def shift(distance: float) -> float:
        return _shift(shot, found.evolve(**at_distance(found, distance)), ends)

    # What is nearer shifts more, at least where the camera does not pass it; looked for by ratio.
    distances = np.geomspace(_NEAREST, _FARTHEST, 400)
    shifts = np.array([shift(float(d)) for d in distances])
    crossing = np.flatnonzero((shifts[:-1] >= pixels) & (shifts[1:] < pixels))
    if not len(crossing):
        finite = shifts[np.isfinite(shifts)]
        raise EditError(
            f"No distance makes {found.name} shift by {pixels:g} px over this route; it can be "
            f"{finite.min():.0f} to {finite.max():.0f} px. Move the camera more, or ask for less."
            if len(finite)
            else f"{found.name} is behind the camera all the way. Move the camera first."
        )
    low, high = float(distances[crossing[-1]]), float(distances[crossing[-1] + 1])
    for _ in range(40):
        middle = math.sqrt(low * high)
        low, high = (middle, high) if shift(middle) >= pixels else (low, middle)
    return with_layer(shot, layer, **at_distance(found, math.sqrt(low * high)))


@verb("match another layer")
def match_layer(shot: Shot, *, layer: str, other: str) -> Shot:
    """Let a layer shift on screen as another does."""
    if layer == other:
        raise EditError("A layer shifts as it does. Choose another to match.")
    return match_shift(shot, layer=layer, pixels=screen_shift(shot, shot.layer(other)))


# --- many cards -------------------------------------------------------------------------------


@verb("scatter cards")
def scatter(
    shot: Shot,
    *,
    layers: list[str],
    pattern: Pattern = "volume",
    near: Annotated[float, Field(gt=0, le=1e6)] = 2.0,
    far: Annotated[float, Field(gt=0, le=1e6)] = 5.0,
    spacing: Annotated[float, Field(ge=0, le=1000)] = 0.1,
    tilt: Annotated[float, Field(ge=0, le=80)] = 0.0,
    seed: Annotated[int, Field(ge=0, le=1_000_000)] = 1,
) -> Shot:
    """Set out cards in a row, an arc, a grid, a spiral, or anywhere between two distances.

    ``spacing`` is the gap between them in metres; ``tilt`` how far each is turned at most, in
    degrees. In a volume none hides another from the first framing.
    """
    cards = [on_stage(shot, key) for key in layers]
    if len(cards) < 2:
        raise EditError("Tick at least two cards to set out.")
    for layer in cards:
        if not layer.is_card:
            raise EditError(
                f"{layer.name} is seen by the taking camera and keeps its place in the picture. "
                "Make it a card first, or leave it out."
            )
    rng = np.random.default_rng(seed)
    sizes = [(card_of(shot, each).width, card_of(shot, each).height) for each in cards]
    if pattern == "volume":
        places = _volume(shot, sizes, (min(near, far), max(near, far)), spacing, tilt, rng)
    else:
        places = _set_out(pattern, sizes, near, spacing)
    changed = []
    for layer, place in zip(cards, places, strict=True):
        turned = place._replace(
            pan=place.pan + tilt * float(rng.uniform(-1, 1)),
            tilt=place.tilt + tilt / 2 * float(rng.uniform(-1, 1)),
        )
        changed.append(layer.evolve(**turned._asdict()))
    return with_layers(shot, changed)


class Spot(NamedTuple):
    """Where a card is put, in metres and degrees."""

    across: float
    up: float
    distance: float
    pan: float = 0.0
    tilt: float = 0.0


def _set_out(
    pattern: Pattern, sizes: Sequence[tuple[float, float]], near: float, spacing: float
) -> list[Spot]:
    count = len(sizes)
    wide, tall = (max(size[k] for size in sizes) + spacing for k in (0, 1))
    if pattern == "grid":
        columns = math.ceil(math.sqrt(count))
        rows = math.ceil(count / columns)
        return [
            Spot(
                (n % columns - (columns - 1) / 2) * wide,
                ((rows - 1) / 2 - n // columns) * tall,
                near,
            )
            for n in range(count)
        ]
    if pattern == "spiral":
        # Equal steps of the golden angle, radius by the square root: an even sheet (Vogel, 1979).
        golden = math.pi * (3 - math.sqrt(5))
        radius = max(wide, tall) / math.sqrt(math.pi) * 1.25
        return [
            Spot(
                radius * math.sqrt(n) * math.cos(n * golden),
                radius * math.sqrt(n) * math.sin(n * golden),
                near,
            )
            for n in range(count)
        ]
    places: list[Spot] = []
    along = -(sum(size[0] for size in sizes) + spacing * (count - 1)) / 2
    for width, _ in sizes:
        middle = along + width / 2
        along += width + spacing
        if pattern == "row":
            places.append(Spot(middle, 0.0, near))
        else:
            # Round the camera, each turned to it.
            angle = middle / near
            if abs(angle) > math.pi * 0.45:
                raise EditError(
                    "The arc has no room for so many cards at this distance. Put it farther "
                    "away, or make the gaps smaller."
                )
            across, ahead = near * math.sin(angle), near * math.cos(angle)
            places.append(Spot(across, 0.0, ahead, pan=-math.degrees(angle)))
    return places


def _volume(
    shot: Shot,
    sizes: Sequence[tuple[float, float]],
    depths: tuple[float, float],
    spacing: float,
    turn: float,
    rng: np.random.Generator,
) -> list[Spot]:
    """Return places, each facing the first framing, that hide nothing from it.

    ``depths`` are before its camera, nearest and farthest; ``turn``: degrees a card may be
    turned by afterwards, which brings one of its sides nearer.
    """
    camera, taking = camera_states(shot, [0])[0], shot.taking_camera
    world_from_taking = space.pose(taking.position, taking.pan, taking.tilt, taking.roll)
    taking_from_camera = space.inverse_pose(world_from_taking) @ camera.world_from_camera
    half = np.array(shot.frame.size) / 2 / camera.focal_px
    taken: list[tuple[float, float, float, float]] = []
    places: dict[int, Spot] = {}
    shift = np.array(camera.shift)
    # Large ones first: small ones find room between them, and not the other way round.
    for n in sorted(range(len(sizes)), key=lambda n: -sizes[n][0] * sizes[n][1]):
        size = sizes[n]
        nearer = max(size) / 2 * math.sin(math.radians(min(90.0, 1.5 * turn)))
        for _ in range(_TRIES):
            # Nearer than this it would be larger than the frame.
            least = float(((np.array(size) + spacing) / 2 / half).max()) + 2 * nearer
            least = min(max(depths[0], least), depths[1])
            depth = 1 / float(rng.uniform(1 / depths[1], 1 / least))
            # Seen from its nearest side, at twice that for what the other axis adds.
            reach = (np.array(size) + spacing) / 2 / max(depth - 2 * nearer, 1e-3)
            room = np.maximum(half - reach, 0)
            x, y = rng.uniform(-room, room) + shift
            box = (x - reach[0], x + reach[0], y - reach[1], y + reach[1])
            across, up, behind, _ = taking_from_camera @ (x * depth, y * depth, -depth, 1)
            free = all(
                box[1] <= other[0] or box[0] >= other[1] or box[3] <= other[2] or box[2] >= other[3]
                for other in taken
            )
            if free and behind < 0:
                taken.append(box)
                pan, tilt = camera.pan - taking.pan, camera.tilt - taking.tilt
                places[n] = Spot(float(across), float(up), -float(behind), pan, tilt)
                break
        else:
            raise EditError(
                f"There is no room for more than {len(places)} of the {len(sizes)} cards without "
                "one hiding another. Put them farther away, make them smaller, or the gaps smaller."
            )
    return [places[n] for n in range(len(sizes))]
