"""The edits of drawn lines: added, round a layer, changed, drawn on and off."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from pydantic import ValidationError

from vistaline.core.edits.playhead import with_key
from vistaline.core.edits.registry import REGISTRY, When, frames_of, free_name, with_layers
from vistaline.core.errors import EditError
from vistaline.core.explaining import explain
from vistaline.core.geometry import space
from vistaline.core.looks.lines import MOST_POINTS, Line, LineShape
from vistaline.core.shot.rows import Key, Row
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.shot.shows import LineShown
from vistaline.core.shot.stands import FreeCard
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.cards import card_of, put
from vistaline.core.stage.keyed import row_of
from vistaline.core.verbs import FROM_JSON

__all__: list[str] = []

verb = REGISTRY.verb
_NAMES = {
    LineShape.RECTANGLE: "Rectangle",
    LineShape.ELLIPSE: "Ellipse",
    LineShape.ARROW: "Arrow",
    LineShape.UNDERLINE: "Underline",
    LineShape.BRACKET: "Bracket",
}
_SHAPES = {
    LineShape.ARROW: (0.5, 0.16),
    LineShape.UNDERLINE: (0.6, 0.04),
    LineShape.BRACKET: (0.06, 0.4),
}


@verb("add a line")
def add_line(shot: Shot, *, shape: LineShape = LineShape.RECTANGLE) -> Shot:
    """Add a line, half as far away as what is in the middle, as large as looks well there."""
    if shape not in _NAMES:
        raise EditError("An outline or a stroke is drawn; choose another shape to begin with.")
    distances = sorted(layer.distance for layer in shot.layers if not layer.is_backdrop)
    distance = distances[len(distances) // 2] / 2 if distances else 2.0
    wide, high = _SHAPES.get(shape, (0.4, 0.28))
    line = Line(shape=shape, width=wide * distance, height=high * distance, weight=0.006 * distance)
    layer = Layer(
        name=free_name(_NAMES[shape], shot),
        shows=LineShown(line=line),
        stands=FreeCard(),
        distance=distance,
    )
    return shot.evolve(layers=(*shot.layers, layer))


@verb("draw a line round a layer")
def line_round(
    shot: Shot, *, layer: str, shape: LineShape = LineShape.RECTANGLE, playhead: int = 0
) -> Shot:
    """Draw a line round a layer: it fits its frame at a margin, and goes where it goes."""
    found = shot.layer(layer)
    if found.is_backdrop:
        raise EditError(f"{found.name} fills the frame; no line goes round it.")
    if found.line:
        raise EditError(f"{found.name} is a line itself. Choose a picture or a title.")
    if shape not in (LineShape.RECTANGLE, LineShape.ELLIPSE):
        raise EditError("A rectangle or an ellipse goes round a layer.")
    card = card_of(shot, found)
    size = min(card.width, card.height)
    # An ellipse that holds a rectangle is larger by the root of two.
    margin = 0.05 * size if shape is LineShape.RECTANGLE else 0.21 * max(card.width, card.height)
    line = Line(
        shape=shape,
        width=card.width,
        height=card.height,
        weight=max(0.02 * size, 1e-4),
        round=layer,
        margin=round(margin, 4),
    )
    drawn = Layer(
        name=free_name(f"Line round {found.name}"[:70], shot),
        shows=LineShown(line=line),
        stands=FreeCard(stays=found.stays),
        distance=found.distance,
        across=found.across,
        up=found.up,
    )
    at = [each.id for each in shot.layers].index(layer) + 1
    return shot.evolve(layers=(*shot.layers[:at], drawn, *shot.layers[at:]))


@verb("draw a line")
def draw_line(
    shot: Shot,
    *,
    points: Annotated[list[tuple[float, float]], FROM_JSON],
    frame: int,
    layer: str = "",
    thing: str = "",
    shape: Literal["outline", "stroke"] = "stroke",
    alone: bool = False,
) -> Shot:
    """Draw a line through frame pixels: on the plane of the layer that is there, or facing the
    camera where nothing is.

    ``thing`` may say the shape, too, as what draws in the picture tells it.
    """
    shape = thing if thing in ("outline", "stroke") else shape  # type: ignore[assignment]
    least = 3 if shape == "outline" else 2
    if not least <= len(points) <= MOST_POINTS:
        raise EditError(
            f"This line has {len(points)} points; it takes {least} to {MOST_POINTS}. Draw it again."
        )
    camera = camera_states(shot.evolve(cuts=()) if alone else shot, [frame])[0]
    pixels = np.array(points, float)
    target = shot.layer(layer) if layer else None
    if target and (target.is_backdrop or target.on_lens or target.body):
        target = None
    if target:
        pose = card_of(shot, target, camera).world_from_card
    else:
        distances = sorted(each.distance for each in shot.layers if not each.is_backdrop)
        distance = distances[len(distances) // 2] / 2 if distances else 2.0
        pose = camera.world_from_camera @ space.pose((0.0, 0.0, -distance))
    image_from_plane = (
        camera.image_from_camera @ (camera.camera_from_world @ pose)[:3][:, [0, 1, 3]]
    )
    if abs(np.linalg.det(image_from_plane)) < 1e-9:
        raise EditError("That layer is seen from its side here. Draw the line on another.")
    there = np.column_stack([pixels, np.ones(len(pixels))]) @ np.linalg.inv(image_from_plane).T
    if (there[:, 2] * there[0, 2] <= 0).any():
        raise EditError("The line leaves the surface it is drawn on. Draw it on one surface.")
    flat = there[:, :2] / there[:, 2:]
    low, high = flat.min(axis=0), flat.max(axis=0)
    size = np.maximum(high - low, 1e-3 * max(float((high - low).max()), 1e-3))
    middle = (low + high) / 2
    line = Line(
        shape=LineShape(shape),
        points=tuple(map(tuple, np.clip((flat - middle) / size, -0.5, 0.5).round(4).tolist())),
        width=float(size[0]),
        height=float(size[1]),
        weight=max(0.012 * float(np.hypot(*size)), 1e-4),
    )
    drawn = Layer(
        name=free_name("Outline" if shape == "outline" else "Stroke", shot),
        shows=LineShown(line=line),
        stands=FreeCard(),
        ride=target.ride if target else None,
    )
    local = np.eye(4)
    # Right before the surface: a five-hundredth of its size.
    local[:3, 3] = *middle, 0.002 * float(np.hypot(*size))
    with_line = shot.evolve(layers=(*shot.layers, drawn))
    made = with_line.layers[-1]
    return with_layers(with_line, [put(with_line, made, pose @ local)])


@verb("draw a line round a shape")
def line_round_shape(
    shot: Shot, *, layer: str, points: Annotated[list[tuple[float, float]], FROM_JSON]
) -> Shot:
    """Draw a line round what is seen of a layer: ``points`` in shares of it from its middle, y up.

    It goes where the layer goes.
    """
    found = shot.layer(layer)
    if len(points) < 3:
        raise EditError(f"{found.name} has no outline that a line could follow.")
    shot = line_round(shot, layer=layer)
    at = [each.id for each in shot.layers].index(layer) + 1
    line = shot.layers[at]
    assert line.line
    reach = 2 * float(np.abs(np.array(points)).max())
    card = card_of(shot, found)
    # The box that holds all points is larger than the layer by what they lie outside of it.
    margin = max(0.0, (reach - 1) / 2) * max(card.width, card.height)
    box = np.array([card.width + 2 * margin, card.height + 2 * margin])
    shares = np.array(points) * (card.width, card.height) / box
    shaped = line.line.evolve(
        shape=LineShape.OUTLINE,
        points=tuple(map(tuple, np.clip(shares, -0.5, 0.5).round(4).tolist())),
        margin=round(margin, 5),
    )
    return with_layers(shot, [line.with_shows(line=shaped)])


@verb("change a line")
def set_line(
    shot: Shot,
    *,
    layer: str,
    shape: LineShape | None = None,
    width: float | None = None,
    height: float | None = None,
    colour: str | None = None,
    weight: float | None = None,
    taper: float | None = None,
    swell: float | None = None,
    dash: float | None = None,
    gap: float | None = None,
    blunt: bool | None = None,
    corner: float | None = None,
    rough: float | None = None,
    seed: int | None = None,
    begin: float | None = None,
    end: float | None = None,
    offset: float | None = None,
    margin: float | None = None,
) -> Shot:
    """Change a line; weight, dash and gap in millimetres, shares in percent, the rest in metres."""
    found = shot.layer(layer)
    if found.line is None:
        raise EditError(f"{found.name} is no line.")
    shares = {
        "taper": taper,
        "swell": swell,
        "corner": corner,
        "rough": rough,
        "begin": begin,
        "end": end,
    }
    shares |= {"offset": offset}
    thin = {"weight": weight, "dash": dash, "gap": gap}
    plain = {"shape": shape, "width": width, "height": height, "colour": colour, "blunt": blunt}
    plain |= {"seed": seed, "margin": margin}
    changes: dict[str, Any] = {name: value for name, value in plain.items() if value is not None}
    changes |= {name: value / 100 for name, value in shares.items() if value is not None}
    changes |= {name: value / 1000 for name, value in thin.items() if value is not None}
    if dash and not found.line.gap and gap is None:
        changes["gap"] = changes["dash"]
    try:
        return with_layers(shot, [found.with_shows(line=found.line.evolve(**changes))])
    except ValidationError as error:
        raise EditError(str(explain(error))) from error


@verb("draw a line on")
def draw_on(
    shot: Shot, *, layer: str, frames: When = 12, off: bool = False, playhead: int = 0
) -> Shot:
    """Draw a line on over some frames from the playhead on, by keys; or ``off`` again."""
    found, many = shot.layer(layer), frames_of(shot, frames)
    if found.line is None:
        raise EditError(f"{found.name} is no line.")
    if many < 1 or playhead + many > shot.frame.duration - 1:
        raise EditError(
            f"From frame {playhead} on there are {shot.frame.duration - 1 - playhead} frames, not "
            f"{many}. Go back in time, or take fewer."
        )
    value = "begin" if off else "end"
    row = row_of(shot, f"layer:{layer}", value) or Row(
        of=f"layer:{layer}", value=value, keys=(Key(frame=playhead, value=0.0),)
    )
    for frame, share in ((playhead, 0.0), (playhead + many, 1.0)):
        row = with_key(row, Key(frame=frame, value=share))
    others = [each for each in shot.rows if (each.of, each.value) != (row.of, row.value)]
    return shot.evolve(rows=(*others, row))
