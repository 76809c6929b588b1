"""The edits a person can make to what stands on the stage: shot -> new shot."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field, ValidationError

from vistaline.core import space
from vistaline.core.arranging import at_distance
from vistaline.core.blending import Blend
from vistaline.core.errors import EditError
from vistaline.core.evaluate import camera_states, card_of, own_size
from vistaline.core.fields import ColourField, Stop
from vistaline.core.lettering import Title
from vistaline.core.shot import Layer, PictureRef, Shot, Stays, explain
from vistaline.core.shot_verbs import REGISTRY, unlocked, with_layer

__all__: list[str] = []

verb = REGISTRY.verb
_BESIDE = 1.01
"""How much farther, or nearer, than a layer a title behind or in front of it stands."""


@verb("move in depth")
def move_in_depth(shot: Shot, *, layer: str, distance: float, keep_framing: bool = True) -> Shot:
    """Set a layer's distance from the taking camera.

    With its framing kept its size changes in exact proportion to distance, so the taking camera
    sees it as before (common practice, no source: scaled by b / a). Moved freely it keeps its
    size in metres and is seen larger or smaller.
    """
    found = unlocked(shot, layer)
    if not 0 < distance < float("inf"):
        raise EditError(
            f"{found.name} must stand in front of the taking camera: give a distance above 0 m, "
            f"not {distance:g} m."
        )
    if keep_framing:
        return with_layer(shot, layer, **at_distance(found, distance))
    if found.is_card:
        return with_layer(shot, layer, distance=distance)
    return with_layer(shot, layer, distance=distance, scale=found.scale * found.distance / distance)


@verb("move layer")
def move_layer(
    shot: Shot, *, layer: str, across: float | None = None, up: float | None = None
) -> Shot:
    """Set how far a layer stands from where it was seen, in metres."""
    found = unlocked(shot, layer)
    return with_layer(
        shot,
        layer,
        across=found.across if across is None else across,
        up=found.up if up is None else up,
    )


@verb("move layer")
def drag_layer(shot: Shot, *, layer: str, frame: int, dx: float, dy: float) -> Shot:
    """Move a layer in its own plane by ``dx``, ``dy`` frame pixels, measured at its middle."""
    found = unlocked(shot, layer)
    card = card_of(shot, found)
    camera = camera_states(shot, [frame])[0]
    taking = shot.taking_camera
    world_from_taking = space.pose(taking.position, taking.pan, taking.tilt, taking.roll)
    centre = np.linalg.inv(world_from_taking) @ card.world_from_card[:, 3]
    image_from_taking = (
        camera.image_from_camera @ (camera.camera_from_world @ world_from_taking)[:3]
    )
    # The plane the layer slides in is upright before the taking camera: z stays.
    image_from_plane = np.column_stack(
        [
            image_from_taking[:, 0],
            image_from_taking[:, 1],
            image_from_taking[:, 2] * centre[2] + image_from_taking[:, 3],
        ]
    )
    if abs(np.linalg.det(image_from_plane)) < 1e-9:
        raise EditError(f"{found.name} is seen from its side here. Drag it on the plan instead.")
    seen = space.project(image_from_plane, centre[None, :2])
    target = space.project(np.linalg.inv(image_from_plane), seen + np.array([dx, dy]))[0]
    return with_layer(
        shot,
        layer,
        across=found.across + float(target[0] - centre[0]),
        up=found.up + float(target[1] - centre[1]),
    )


@verb("size layer")
def size_layer(shot: Shot, *, layer: str, percent: float) -> Shot:
    """Size a layer about its own middle; 100 percent is exactly as it was taken."""
    found = unlocked(shot, layer)
    if not 0 < percent <= 1e6:
        raise EditError(f"A size must be above 0 %, not {percent:g} %.")
    before = card_of(shot, found)
    shot = with_layer(shot, layer, scale=percent / 100)
    found = shot.layer(layer)
    shift = before.world_from_card[:3, 3] - card_of(shot, found).world_from_card[:3, 3]
    taking = shot.taking_camera
    across, up, _ = space.rotation(taking.pan, taking.tilt, taking.roll).T @ shift
    return with_layer(shot, layer, across=found.across + float(across), up=found.up + float(up))


@verb("turn layer")
def turn_layer(
    shot: Shot,
    *,
    layer: str,
    pan: float | None = None,
    tilt: float | None = None,
    roll: float | None = None,
) -> Shot:
    """Turn a layer about its own middle, in degrees."""
    unlocked(shot, layer)
    angles = {"pan": pan, "tilt": tilt, "roll": roll}
    return with_layer(shot, layer, **{k: v for k, v in angles.items() if v is not None})


@verb("opacity")
def set_opacity(shot: Shot, *, layer: str, percent: Annotated[float, Field(ge=0, le=100)]) -> Shot:
    """Set how much of a layer is seen, 0 to 100 percent."""
    return with_layer(shot, layer, opacity=percent / 100)


@verb("blend mode")
def set_blend(shot: Shot, *, layer: str, blend: Blend) -> Shot:
    """Set what is done with the colour behind a layer."""
    return with_layer(shot, layer, blend=blend)


@verb("rename layer")
def rename_layer(shot: Shot, *, layer: str, name: str) -> Shot:
    """Give a layer another name."""
    if not name.strip():
        raise EditError("A layer needs a name. Type one.")
    return with_layer(shot, layer, name=name.strip())


@verb("show or hide")
def set_hidden(shot: Shot, *, layer: str, hidden: bool) -> Shot:
    """Hide a layer, or show it again."""
    return with_layer(shot, layer, hidden=hidden)


@verb("lock or unlock")
def set_locked(shot: Shot, *, layer: str, locked: bool) -> Shot:
    """Keep a layer from being moved, or let it be moved again."""
    return with_layer(shot, layer, locked=locked)


@verb("what it stays with")
def set_stays(shot: Shot, *, layer: str, stays: Stays) -> Shot:
    """Let a layer stand on the stage, stay with the lens, or face the camera."""
    unlocked(shot, layer)
    return with_layer(shot, layer, stays=stays)


@verb("make a card")
def make_card(shot: Shot, *, layer: str) -> Shot:
    """Turn a layer that the taking camera saw into a card of the size it has now."""
    found = unlocked(shot, layer)
    if found.is_card:
        raise EditError(f"{found.name} is a card already.")
    card, taking = card_of(shot, found), shot.taking_camera
    turn = space.rotation(taking.pan, taking.tilt, taking.roll)
    local = turn.T @ (card.world_from_card[:3, 3] - np.array(taking.position))
    return with_layer(
        shot,
        layer,
        box=None,
        width=card.width,
        scale=1.0,
        across=float(local[0]),
        up=float(local[1]),
    )


@verb("size card")
def size_card(shot: Shot, *, layer: str, width: Annotated[float, Field(gt=0, le=1e6)]) -> Shot:
    """Set a card's width in metres; its height follows."""
    found = unlocked(shot, layer)
    if not found.is_card:
        raise EditError(f"{found.name} has the size it was taken with. Make it a card first.")
    return with_layer(shot, layer, scale=width / own_size(shot, found)[0])


@verb("add colour field")
def add_field(
    shot: Shot, *, kind: Literal["flat", "linear", "radial"], backdrop: bool = False
) -> Shot:
    """Add a colour field; a backdrop stands behind everything there is."""
    farthest = max((layer.distance for layer in shot.layers), default=2.0)
    stops = (Stop(at=0, colour="#2b3a67"), Stop(at=1, colour="#f2a65a"))
    field = ColourField(kind=kind, stops=stops[:1] if kind == "flat" else stops, backdrop=backdrop)
    layer = Layer(
        name="Backdrop" if backdrop else "Colour field",
        field=field,
        distance=min(1e6, farthest * 1.5) if backdrop else 2.0,
    )
    return shot.evolve(layers=(layer, *shot.layers) if backdrop else (*shot.layers, layer))


@verb("change colour field")
def set_field(
    shot: Shot,
    *,
    layer: str,
    kind: Literal["flat", "linear", "radial"] | None = None,
    angle: float | None = None,
    stop: int | None = None,
    colour: str | None = None,
    at: Annotated[float, Field(ge=0, le=100)] | None = None,
    opacity: Annotated[float, Field(ge=0, le=100)] | None = None,
    add: bool = False,
    remove: bool = False,
) -> Shot:
    """Change a field's kind, its angle, or one of its stops (``at`` and ``opacity`` in percent)."""
    found = shot.layer(layer)
    if found.field is None:
        raise EditError(f"{found.name} is not a colour field.")
    stops = list(found.field.stops)
    if stop is not None:
        if not 0 <= stop < len(stops):
            raise EditError("There is no such colour any more. Reload the page.")
        changes = {
            "colour": colour,
            "at": None if at is None else at / 100,
            "opacity": None if opacity is None else opacity / 100,
        }
        stops[stop] = stops[stop].evolve(**{k: v for k, v in changes.items() if v is not None})
        if remove and len(stops) > 1:
            del stops[stop]
    if add or (kind not in (None, "flat") and len(stops) == 1):
        last = stops[-1]
        stops.append(last.evolve(at=1.0) if last.at < 1 else last.evolve(at=0.5))
    values = {"kind": kind, "angle": angle}
    field = found.field.evolve(
        stops=tuple(stops), **{k: v for k, v in values.items() if v is not None}
    )
    return with_layer(shot, layer, field=field)


@verb("add title")
def add_title(shot: Shot, *, text: str = "Title") -> Shot:
    """Add a title, half as far away as the taking distance of what is in the middle."""
    distances = sorted(layer.distance for layer in shot.layers)
    distance = distances[len(distances) // 2] / 2 if distances else 2.0
    title = Title(text=text, size=0.12 * distance)
    return shot.evolve(
        layers=(*shot.layers, Layer(name=_title_name(text), title=title, distance=distance))
    )


def _title_name(text: str) -> str:
    return " ".join(text.split())[:60] or "Title"


@verb("change title")
def set_title(
    shot: Shot,
    *,
    layer: str,
    text: str | None = None,
    face: str | None = None,
    weight: int | None = None,
    size: float | None = None,
    spacing: float | None = None,
    line_spacing: float | None = None,
    align: Literal["left", "centre", "right"] | None = None,
    looks: Literal["fill", "outline", "both"] | None = None,
    fill: str | None = None,
    outline: str | None = None,
    outline_width: float | None = None,
) -> Shot:
    """Change a title's text or how it is set; spacing and widths in percent of an em."""
    found = shot.layer(layer)
    if found.title is None:
        raise EditError(f"{found.name} is not a title.")
    title = found.title
    values: dict[str, Any] = {
        "text": text,
        "face": face,
        "weight": weight,
        "size": size,
        "spacing": None if spacing is None else spacing / 100,
        "line_spacing": None if line_spacing is None else line_spacing / 100,
        "align": align,
        "fill": fill,
        "outline": outline,
        "outline_width": None if outline_width is None else outline_width / 100,
    }
    changes = {key: value for key, value in values.items() if value is not None}
    if looks is not None:
        changes["fill"] = None if looks == "outline" else title.fill or title.outline
        changes["outline"] = None if looks == "fill" else title.outline or title.fill
    try:
        changed = title.evolve(**changes)
    except ValidationError as error:
        raise EditError(str(explain(error))) from error
    named = {"name": _title_name(changed.text)} if found.name == _title_name(title.text) else {}
    return with_layer(shot, layer, title=changed, **named)


@verb("title behind and in front")
def pair_title(shot: Shot, *, layer: str, around: str) -> Shot:
    """Put a title behind a layer, filled, and its outline in front of it, in register.

    Seen from the taking camera both lie on one another, so the layer seems to stand in the word.
    """
    found, other = unlocked(shot, layer), shot.layer(around)
    if found.title is None:
        raise EditError(f"{found.name} is not a title.")
    if layer == around:
        raise EditError("A title cannot stand round itself. Choose the layer that stands in it.")
    colour = found.title.fill or found.title.outline
    width = max(found.title.outline_width, 0.02)
    behind = found.evolve(
        title=found.title.evolve(fill=colour, outline=None),
        **at_distance(found, other.distance * _BESIDE),
    )
    # The outline is drawn round the letters, so its card has more room: the letters' size agrees.
    front = found.evolve(
        id="",
        name=f"{found.name[:70]} outline",
        title=found.title.evolve(fill=None, outline=colour, outline_width=width),
        **at_distance(found, other.distance / _BESIDE),
    )
    layers = [behind if each.id == layer else each for each in shot.layers]
    return shot.evolve(layers=(*layers, front))


@verb("swap picture")
def swap_picture(shot: Shot, *, layer: str, key: str, picture: PictureRef) -> Shot:
    """Show another picture in a layer's place; where it stands and how it moves is kept.

    A card keeps its width; a layer in register keeps its middle and its width in the canvas.
    """
    found = unlocked(shot, layer)
    if not found.picture:
        raise EditError(f"{found.name} shows no picture that could be swapped.")
    changes: dict[str, Any] = {"picture": key}
    if found.box is not None and picture.width and picture.height:
        x, y, width, height = found.box
        tall = width * picture.height / picture.width
        changes["box"] = (x, y + (height - tall) / 2, width, tall)
    pictures = shot.pictures | {key: picture}
    layers = tuple(each.evolve(**changes) if each.id == layer else each for each in shot.layers)
    used = {each.picture for each in layers}
    kept = {name: reference for name, reference in pictures.items() if name in used}
    return shot.evolve(pictures=kept, layers=layers)


@verb("duplicate layer")
def duplicate_layer(shot: Shot, *, layer: str) -> Shot:
    """Add a copy of a layer, in front of it, a little to the side."""
    found = shot.layer(layer)
    place = shot.layers.index(found) + 1
    aside = 0.05 * card_of(shot, found).width
    copy = found.evolve(id="", name=f"{found.name[:74]} copy", across=found.across + aside)
    return shot.evolve(layers=(*shot.layers[:place], copy, *shot.layers[place:]))


@verb("put in front")
def put_in_front(shot: Shot, *, layer: str, of: str) -> Shot:
    """Draw a layer in front of another at the same distance: it comes next after it in the list."""
    moving, other = shot.layer(layer), shot.layer(of)
    if layer == of:
        raise EditError(f"{moving.name} cannot stand in front of itself.")
    rest = [each for each in shot.layers if each.id != layer]
    place = rest.index(other) + 1
    return shot.evolve(layers=(*rest[:place], moving, *rest[place:]))


@verb("remove layer")
def remove_layer(shot: Shot, *, layer: str) -> Shot:
    """Take a layer off the stage; its picture stays in the project."""
    unlocked(shot, layer)
    rest = tuple(each for each in shot.layers if each.id != layer)
    used = {each.picture for each in rest}
    pictures = {key: picture for key, picture in shot.pictures.items() if key in used}
    return shot.evolve(layers=rest, pictures=pictures)


@verb("add layers")
def add_layers(shot: Shot, *, pictures: dict[str, PictureRef], layers: list[Layer]) -> Shot:
    """Add layers with their pictures; a layer whose id is taken gets another."""
    taken = {layer.id for layer in shot.layers}
    added = [layer.evolve(id="") if layer.id in taken else layer for layer in layers]
    try:
        return shot.evolve(pictures=shot.pictures | pictures, layers=(*shot.layers, *added))
    except ValidationError as error:
        raise EditError(str(explain(error, Shot))) from error
