"""The edits of bodies, and of surfaces' true sizes and their straightened pictures."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from vistaline.core.edits.metres import stage_enlarged
from vistaline.core.edits.registry import REGISTRY, pictures_used, unlocked, with_layer, with_layers
from vistaline.core.edits.surfaces import (
    eye_height_of,
    plane_of,
    source_of,
    surface_like,
    with_surfaces,
)
from vistaline.core.errors import EditError
from vistaline.core.geometry import space
from vistaline.core.geometry.bodies import Body
from vistaline.core.geometry.heights import ground_point
from vistaline.core.shot.shot import PictureRef, Shot
from vistaline.core.shot.shows import PictureShown
from vistaline.core.shot.stands import FreeCard
from vistaline.core.stage.placing import stage_card
from vistaline.core.stage.seen import canvas_box, ray_of

__all__: list[str] = []

verb = REGISTRY.verb


@verb("project on a body")
def add_body(
    shot: Shot,
    *,
    body: Body,
    x0: float,
    y0: float,
    x1: float,
    y1: float,
    frame: int | None = None,
) -> Shot:
    """Put a box, ball, cylinder or arch on the ground where the picture shows one.

    The pixels are opposite corners of what is seen: of its front, or of a ball. It is as deep as
    it is wide, an arch twice; both can be changed.
    """
    shot, found = source_of(shot, "")
    eye = eye_height_of(shot)
    left, top, right, foot = canvas_box(shot, frame, (x0, y0), (x1, y1))
    if right - left < 2 or foot - top < 2:
        raise EditError(f"This {body.value} is too small. Drag from corner to corner.")
    place = ground_point(ray_of(shot, (left + right) / 2, foot), eye)
    ends = [ray_of(shot, x, y) for x, y in ((left, foot), (right, foot), ((left + right) / 2, top))]
    if any(ray[2] >= -1e-9 for ray in ends) or place[2] >= 0:
        raise EditError(f"This {body.value} would stand behind the camera. Draw it ahead.")
    west, east = (float(ray[0] / ray[2] * place[2]) for ray in ends[:2])
    width, height = east - west, float(ends[2][1] / ends[2][2] * place[2]) + eye
    if width <= 0 or height <= 0:
        raise EditError(f"The top of this {body.value} is not above its foot. Draw it upright.")
    if body is Body.BALL:
        width = height = (width + height) / 2
    depth = width * (2 if body is Body.ARCH else 1)
    behind = 0.0 if body is Body.BALL else depth / 2
    middle = np.array([(west + east) / 2, height / 2 - eye, place[2] - behind])
    pose = space.pose(middle + shot.taking_camera.position)
    added = surface_like(shot, found, body.value.capitalize(), pose, (width, height), body, depth)
    return with_surfaces(shot, [added], instead_of=found)


@verb("depth of a body")
def set_body(
    shot: Shot, *, layer: str, body: Body, depth: Annotated[float, Field(gt=0, le=1e6)]
) -> Shot:
    """Make a body another one, or deeper; what it shows from the taking camera stays."""
    found = unlocked(shot, layer)
    if found.body is None:
        raise EditError(f"{found.name} is flat; it has no depth.")
    return with_layers(shot, [found.with_stands(body=body, depth=depth)])


# --- true sizes -------------------------------------------------------------------------------


@verb("known size")
def set_known_size(
    shot: Shot,
    *,
    layer: str,
    width: Annotated[float, Field(gt=0, le=1e6)] | None = None,
    height: Annotated[float, Field(gt=0, le=1e6)] | None = None,
) -> Shot:
    """Say what a surface's size is in truth, to check what it came to; left out: not known."""
    known = (width, height) if width and height else None
    return with_layer(shot, layer, known_size=known)


@verb("let a known size rule")
def scale_to_known(shot: Shot, *, layer: str) -> Shot:
    """Let the whole stage grow or shrink until a surface is as wide as it is in truth."""
    found = shot.layer(layer)
    if found.known_size is None:
        raise EditError(f"Type first how wide and high {found.name} is in truth.")
    return stage_enlarged(shot, found.known_size[0] / stage_card(shot, found).width)


@verb("show a surface's own picture")
def show_straight(shot: Shot, *, layer: str, key: str, picture: PictureRef) -> Shot:
    """Let a surface show a picture of its own, as large as it is, and catch none any more."""
    found = plane_of(shot, layer)
    shot = shot.evolve(pictures=shot.pictures | {key: picture})
    width, height = found.size
    card = FreeCard(width=width, height=height, stays=found.stays)
    straight = found.evolve(shows=PictureShown(picture=key), stands=card)
    shown = with_layers(shot, [straight])
    return shown.evolve(pictures=pictures_used(shown, shown.layers))
