"""The edits of where effects are seen: masks drawn, pointed at, dragged; a vignette's middle."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, Any

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.edits.dressing import with_dress
from vistaline.core.edits.effects import effect_called
from vistaline.core.edits.registry import REGISTRY
from vistaline.core.errors import EditError
from vistaline.core.shot.dressing import AnyEffect
from vistaline.core.shot.effects import MOST_CORNERS, Effect, Mask, MaskShape
from vistaline.core.shot.overlays import Vignetting
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import CameraState, camera_states
from vistaline.core.stage.cards import card_of
from vistaline.core.stage.masks import vignette_box
from vistaline.core.verbs import FROM_JSON

__all__ = []

verb = REGISTRY.verb


class Hold(StrEnum):
    """What of a mask is dragged."""

    MIDDLE = "middle"
    SIDE = "side"
    """The middle of its right side: how wide it is, and how it is turned."""
    TOP = "top"
    """The middle of its upper side: how high it is."""


@verb("mask of an effect")
def set_mask(
    shot: Shot,
    *,
    thing: str,
    shape: str | None = None,
    fixed: str | None = None,
    of: str | None = None,
    outside: bool | None = None,
) -> Shot:
    """Give an effect a mask of a shape, ``none`` to take it away; or say what it stays on."""
    found = effect_called(shot, thing)
    if shape == "none":
        rows = tuple(
            each for each in shot.rows if not (each.of == thing and each.value.startswith("mask_"))
        )
        return with_dress(shot, found.evolve(mask=None)).evolve(rows=rows)
    mask = found.mask or Mask()
    if shape is not None:
        changes: dict[str, Any] = {"shape": shape}
        if shape == MaskShape.OUTLINE and not mask.outline:
            changes["outline"] = ((-0.5, -0.5), (0.5, -0.5), (0.5, 0.5), (-0.5, 0.5))
        if shape == MaskShape.LAYER and not mask.of:
            shown = [each.id for each in shot.layers if not each.is_backdrop]
            if not shown:
                raise EditError("There is no layer whose cutout could be the mask.")
            changes["of"] = shown[-1]
        mask = mask.evolve(**changes)
    if fixed is not None:
        wanted = "" if fixed == "-" else fixed
        if wanted not in ("", "*stage"):
            shot.layer(wanted)
        mask = mask.evolve(fixed=wanted)
    if of is not None:
        mask = mask.evolve(of=shot.layer(of).id)
    if outside is not None:
        mask = mask.evolve(outside=outside)
    return with_dress(shot, found.evolve(mask=mask))


@verb("mask drawn")
def outline_mask(
    shot: Shot,
    *,
    thing: str,
    frame: int,
    points: Annotated[list[tuple[float, float]], FROM_JSON],
) -> Shot:
    """Give an effect a mask of the outline that is drawn at a frame, by frame pixels.

    It stays on what the mask stayed on before: the frame, a layer, the stage.
    """
    found = effect_called(shot, thing)
    if not 3 <= len(points) <= MOST_CORNERS:
        raise EditError(f"A mask has 3 to {MOST_CORNERS} corners, not {len(points)}.")
    mask = found.mask or Mask(softness=0.15)
    camera = camera_states(shot, [frame])[0]
    # In shares of what it stays on, from the middle; on the stage in metres before the camera.
    seen = _on_what(shot, mask, camera, np.array(points, float))
    low, high = seen.min(axis=0), seen.max(axis=0)
    size = np.maximum(high - low, 1e-3)
    middle = (low + high) / 2
    corners = np.round(np.clip((seen - middle) / size, -0.5, 0.5), 4)
    changes: dict[str, Any] = {
        "shape": MaskShape.OUTLINE,
        "outline": tuple(map(tuple, corners.tolist())),
        "width": round(float(size[0]), 5),
        "height": round(float(size[1]), 5),
        "turn": 0.0,
    }
    if mask.fixed == "*stage":
        depth = -float((camera.camera_from_world @ [*mask.place, 1.0])[2])
        there = camera.world_from_camera @ [*middle, -depth, 1.0]
        changes["place"] = tuple(np.round(there[:3], 4).tolist())
    else:
        x, y = np.round(middle, 5).tolist()
        changes |= {"x": x, "y": y}
    # As a whole: an outline that is drawn needs its corners at once.
    now = {name: getattr(mask, name) for name in Mask.model_fields}
    return with_dress(shot, found.evolve(mask=Mask(**(now | changes))))


def _on_what(shot: Shot, mask: Mask, camera: CameraState, points: FloatArray) -> FloatArray:
    """Return frame pixels (N, 2) in what a mask is told in."""
    ones = np.column_stack([points, np.ones(len(points))])
    if mask.fixed == "*stage":
        depth = -float((camera.camera_from_world @ [*mask.place, 1.0])[2])
        if depth <= 0:
            raise EditError("The mask stands behind the camera here. Go to another frame.")
        ways = ones @ np.linalg.inv(camera.image_from_camera).T
        return np.asarray(ways[:, :2] / -ways[:, 2:] * depth)
    if mask.fixed:
        card = card_of(shot, shot.layer(mask.fixed), camera)
        on = ones @ np.linalg.inv(card.image_from_card(camera)).T
        return np.asarray(on[:, :2] / on[:, 2:] / [card.width, card.height])
    width, height = camera.frame_size
    return np.asarray((points / [width, height] - 0.5) * [1, -1])


@verb("put where it is seen")
def point_effect(
    shot: Shot,
    *,
    thing: str,
    frame: int,
    x: float,
    y: float,
    layer: str = "",
    alone: bool = False,
) -> Shot:
    """Put the middle of a vignette, or of an effect's mask, where a frame pixel is.

    Whatever ``layer`` is seen there; ``alone`` as in :func:`focusing.focus_on_point`.
    """
    found = effect_called(shot, thing)
    camera = camera_states(shot.evolve(cuts=()) if alone else shot, [frame])[0]
    if isinstance(found, Vignetting):
        across, up = _on_what(shot, Mask(), camera, np.array([[x, y]]))[0].round(5).tolist()
        return with_dress(shot, found.evolve(x=across, y=up))
    return _with_middle(shot, found, camera, x, y)


def _with_middle(shot: Shot, found: AnyEffect, camera: CameraState, x: float, y: float) -> Shot:
    """Return the shot with the middle of an effect's mask at a frame pixel."""
    if found.mask is None:
        raise EditError(f"{found.name} has no mask. Give it one first.")
    mask = found.mask
    across, up = _on_what(shot, mask, camera, np.array([[x, y]]))[0].round(5).tolist()
    if mask.fixed != "*stage":
        return with_dress(shot, found.evolve(mask=mask.evolve(x=across, y=up)))
    depth = -float((camera.camera_from_world @ [*mask.place, 1.0])[2])
    there = np.round((camera.world_from_camera @ [across, up, -depth, 1.0])[:3], 4).tolist()
    return with_dress(shot, found.evolve(mask=mask.evolve(place=tuple(there))))


@verb("middle on a layer")
def centre_vignette(shot: Shot, *, thing: str, layer: str, playhead: int = 0) -> Shot:
    """Put a vignette's middle where a layer's middle is seen at the playhead."""
    found = effect_called(shot, thing)
    if not isinstance(found, Vignetting):
        raise EditError(f"{found.name} has no middle of its own.")
    camera = camera_states(shot, [playhead])[0]
    there = card_of(shot, shot.layer(layer), camera).image_from_card(camera) @ [0, 0, 1.0]
    if there[2] <= 0:
        raise EditError(f"{shot.layer(layer).name} is behind the camera here.")
    return point_effect(
        shot, thing=thing, frame=playhead, x=there[0] / there[2], y=there[1] / there[2]
    )


@verb("drag a mask")
def drag_mask(
    shot: Shot, *, thing: str, frame: int, hold: Hold, x: float, y: float, alone: bool = False
) -> Shot:
    """Bring a mask's or vignette's middle, right side or upper side to a frame pixel.

    ``alone`` as in :func:`focusing.focus_on_point`.
    """
    found = effect_called(shot, thing)
    camera = camera_states(shot.evolve(cuts=()) if alone else shot, [frame])[0]
    whole = isinstance(found, Vignetting) and found.mask is None
    if hold is Hold.MIDDLE:
        if whole:
            return point_effect(shot, thing=thing, frame=frame, x=x, y=y, alone=alone)
        return _with_middle(shot, found, camera, x, y)
    if isinstance(found, Vignetting) and whole:
        return with_dress(shot, _sized(found, camera, hold, x, y))
    if found.mask is None:
        raise EditError(f"{found.name} has no mask. Give it one first.")
    mask = found.mask
    there = _on_what(shot, mask, camera, np.array([[x, y]]))[0]
    middle, size = np.array([mask.x, mask.y]), np.ones(2)
    if mask.fixed == "*stage":
        middle = (camera.camera_from_world @ [*mask.place, 1.0])[:2]
    elif mask.fixed:
        card = card_of(shot, shot.layer(mask.fixed), camera)
        size = np.array([card.width, card.height])
    else:
        size = np.array(camera.frame_size, float)
    way = (there - middle) * size
    if hold is Hold.SIDE:
        width = float(np.clip(2 * np.hypot(*way) / size[0], 0.001, 1000))
        turn = float(np.degrees(np.arctan2(way[1], way[0])))
        # The way round that is nearer to how it is turned now.
        turn += 360 * round((mask.turn - turn) / 360)
        changed = mask.evolve(width=round(width, 5), turn=round(turn, 2))
    else:
        turn = np.radians(mask.turn)
        up = abs(float(way @ [-np.sin(turn), np.cos(turn)]))
        changed = mask.evolve(height=round(float(np.clip(2 * up / size[1], 0.001, 1000)), 5))
    return with_dress(shot, found.evolve(mask=changed))


def _sized(found: Vignetting, camera: CameraState, hold: Hold, x: float, y: float) -> Effect:
    """Return a vignette whose side or top is at a frame pixel."""
    box = vignette_box(found, camera.frame_size)
    axis = 0 if hold is Hold.SIDE else 1
    half = abs(float(box[axis, axis])) / 2
    away = abs((x, y)[axis] - float(box[axis, 2]))
    return found.evolve(size=round(float(np.clip(found.size * away / half, 0.05, 5)), 4))
