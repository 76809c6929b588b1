"""The edits of effects: what they are put on, where they are seen, their order."""

from __future__ import annotations

from typing import Annotated, Any

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.edits.dressing import with_dress
from vistaline.core.edits.effect_starts import EFFECT_STARTS
from vistaline.core.edits.registry import REGISTRY, free_id, numbered
from vistaline.core.errors import EditError
from vistaline.core.picture.cubes import packed, read_cube
from vistaline.core.shot.dressing import MOST_EFFECTS, AnyEffect, row_name
from vistaline.core.shot.effects import (
    MOST_CORNERS,
    Curves,
    Effect,
    Mask,
    MaskShape,
    Match,
    On,
    Over,
    Table,
    Vignetting,
)
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import CameraState, camera_states
from vistaline.core.stage.cards import card_of
from vistaline.core.verbs import FROM_JSON

__all__ = ["effect_called", "over_of"]

verb = REGISTRY.verb
Six = Annotated[tuple[float, float, float, float, float, float], FROM_JSON]
_CHANNELS = ("value", "red", "green", "blue", "lightness")


def effect_called(shot: Shot, thing: str) -> AnyEffect:
    """Return an effect by what rows call it; EditError if it is none."""
    found = shot.dress(thing)
    if not isinstance(found, Effect):
        raise EditError(f"{found.name} is no effect.")
    return found


def over_of(shot: Shot, words: str) -> Over:
    """Return what ``frame``, ``layer:keeper``, ``group:shore`` or ``depth`` mean."""
    kind, _, of = words.partition(":")
    if kind not in set(On):
        raise EditError(f"An effect is put on the frame, a layer, a group or a depth, not {kind}.")
    if kind == On.LAYER:
        shot.layer(of)
    if kind == On.GROUP and of not in {each.group for each in shot.layers if each.group}:
        raise EditError(f"There is no group {of!r} in this shot.")
    return Over(kind=On(kind), of=of)


@verb("add an effect")
def add_effect(shot: Shot, *, start: str, over: str = "frame") -> Shot:
    """Add what a starting point is called, at the end of the list, on the frame or something."""
    if start not in EFFECT_STARTS:
        raise EditError(f"There is no effect {start!r}. Choose one of the list.")
    if sum(isinstance(each, Effect) for each in shot.dressing) >= MOST_EFFECTS:
        raise EditError(f"A shot has {MOST_EFFECTS} effects at most. Remove one first.")
    found = EFFECT_STARTS[start]
    made = found.effect.evolve(
        id=free_id("e", {each.id for each in shot.dressing}),
        name=numbered(found.words, {each.name for each in shot.dressing}),
        over=over_of(shot, over),
    )
    return shot.evolve(dressing=(*shot.dressing, made))


@verb("put an effect on")
def set_over(shot: Shot, *, thing: str, over: str) -> Shot:
    """Put an effect on something else: ``frame``, ``layer:keeper``, ``group:shore``, ``depth``."""
    found = effect_called(shot, thing)
    wanted = over_of(shot, over)
    return with_dress(shot, found.evolve(over=wanted.evolve(distance=found.over.distance)))


@verb("bring in a table")
def add_table(shot: Shot, *, text: str, name: str, over: str = "frame", thing: str = "") -> Shot:
    """Add the table of colours that the text of a .cube file has; or put it into an effect."""
    cube = read_cube(text, name)
    words = (cube.title or name.removesuffix(".cube"))[:80] or "Table"
    if not thing:
        shot = add_effect(shot, start="table", over=over)
        made = shot.dressing[-1]
        words = numbered(words, {each.name for each in shot.dressing})
    else:
        made = effect_called(shot, thing)
    if not isinstance(made, Table):
        raise EditError(f"{made.name} takes no table.")
    return with_dress(shot, made.evolve(table=packed(cube), name=words))


@verb("match")
def set_match(shot: Shot, *, thing: str, own: Six, theirs: Six, to: str) -> Shot:
    """Bring what an effect is on nearer to something, by the statistics of both."""
    found = effect_called(shot, thing)
    if not isinstance(found, Match):
        raise EditError(f"{found.name} matches nothing.")
    return with_dress(shot, found.evolve(own=own, theirs=theirs, to=to[:80]))


@verb("copy an effect")
def copy_effect(shot: Shot, *, thing: str, over: str) -> Shot:
    """Put the same effect on something else, too, with its keys."""
    found = effect_called(shot, thing)
    if sum(isinstance(each, Effect) for each in shot.dressing) >= MOST_EFFECTS:
        raise EditError(f"A shot has {MOST_EFFECTS} effects at most. Remove one first.")
    made = found.evolve(
        id=free_id("e", {each.id for each in shot.dressing}),
        name=numbered(found.name, {each.name for each in shot.dressing}),
        over=over_of(shot, over).evolve(distance=found.over.distance),
    )
    rows = [each.evolve(of=row_name(made)) for each in shot.rows if each.of == thing]
    return shot.evolve(dressing=(*shot.dressing, made), rows=(*shot.rows, *rows))


# --- masks ------------------------------------------------------------------------------------


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


# --- places and curves ------------------------------------------------------------------------


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


@verb("curve of an effect")
def set_curve(
    shot: Shot,
    *,
    thing: str,
    channel: str,
    points: Annotated[list[tuple[float, float]], FROM_JSON],
) -> Shot:
    """Give a curve its points (in, out), 0..1; without any it changes nothing."""
    found = effect_called(shot, thing)
    if not isinstance(found, Curves):
        raise EditError(f"{found.name} has no curves.")
    if channel not in _CHANNELS:
        raise EditError(f"There is no curve of {channel!r}.")
    straight = [(0.0, 0.0), (1.0, 1.0)]
    kept = () if sorted(points) == straight else tuple(sorted(map(tuple, points)))
    return with_dress(shot, found.evolve(**{channel: kept}))
