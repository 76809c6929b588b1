"""The edits of several layers as one: groups, moving, aligning, distributing."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from vistaline.core.arrays import FloatArray
from vistaline.core.edits.arranging import at_distance
from vistaline.core.edits.layers import Keeping, move_in_depth, set_stays, size_card
from vistaline.core.edits.registry import REGISTRY, on_stage, unlocked, with_layers, without
from vistaline.core.errors import EditError
from vistaline.core.geometry import space
from vistaline.core.looks.blending import Blend
from vistaline.core.shot.effects import Effect, On
from vistaline.core.shot.mounts import carry_of
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.shot.stands import Stays
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.cards import put
from vistaline.core.stage.placing import dragged, outline_in, stage_card
from vistaline.core.stage.poses import taking_pose
from vistaline.core.stage.resized import as_seen_at

__all__: list[str] = []

verb = REGISTRY.verb
Edge = Literal["left", "centre", "right", "top", "middle", "bottom"]
_ROUNDS = 4
"""What is turned is not moved by just what its outline lacks; a few rounds settle it."""


# --- groups -----------------------------------------------------------------------------------


@verb("group layers")
def group_layers(shot: Shot, *, layers: list[str], name: str = "") -> Shot:
    """Let layers be arranged as one, under a name."""
    if len(layers) < 2:
        raise EditError("Tick at least two layers to group.")
    taken = {layer.group for layer in shot.layers}
    n = next(n for n in range(1, len(taken) + 2) if f"Group {n}" not in taken)
    chosen = name.strip()[:80] or f"Group {n}"
    return with_layers(shot, [on_stage(shot, key).evolve(group=chosen) for key in layers])


@verb("part the group")
def part_group(shot: Shot, *, group: str) -> Shot:
    """Let the layers of a group be arranged each for itself again."""
    return with_layers(shot, [layer.evolve(group="") for layer in _members(shot, group)])


@verb("rename group")
def rename_group(shot: Shot, *, group: str, name: str) -> Shot:
    """Give a group another name; one that is taken joins the two."""
    if not name.strip():
        raise EditError("A group needs a name. Type one.")
    named = name.strip()[:80]
    renamed = with_layers(shot, [layer.evolve(group=named) for layer in _members(shot, group)])
    dressing = tuple(
        each.evolve(over=each.over.evolve(of=named))
        if isinstance(each, Effect) and each.over.kind is On.GROUP and each.over.of == group
        else each
        for each in shot.dressing
    )
    return renamed.evolve(dressing=dressing)


def _members(shot: Shot, group: str) -> list[Layer]:
    found = [layer for layer in shot.layers if group and layer.group == group]
    if not found:
        raise EditError(f"There is no group {group!r} any more. Reload the page.")
    return found


# --- as one -----------------------------------------------------------------------------------


@verb("move layers")
def drag_layers(
    shot: Shot, *, layers: list[str], lead: str, frame: int, dx: float, dy: float
) -> Shot:
    """Move layers alike, as far as a drag of ``dx``, ``dy`` frame pixels takes the lead."""
    first = unlocked(shot, lead)
    across, up = dragged(shot, first, frame, dx, dy)
    axes = taking_pose(shot.taking_camera)[:3, :2]
    way = carry_of(first.ride, shot.mounts).vector(axes @ [across, up])
    return _moved(shot, layers, np.eye(3), 1.0, way)


@verb("move layers in depth")
def move_layers_in_depth(
    shot: Shot,
    *,
    layers: list[str],
    lead: str,
    distance: float,
    keep: Keeping = "taken",
    playhead: int = 0,
) -> Shot:
    """Move layers in depth by as much as the lead; where they are to look as before, by as many
    times. ``keep`` as in :func:`layers.move_in_depth`.
    """
    first = unlocked(shot, lead)
    if not 0 < distance <= 1e6:
        raise EditError(
            f"{first.name} must stand in front of the taking camera, not {distance:g} m away."
        )
    chosen = [on_stage(shot, key) for key in layers]
    ratio = distance / first.distance
    if keep == "seen":
        camera = camera_states(shot, [playhead])[0]
        return with_layers(
            shot, [as_seen_at(shot, each, each.distance * ratio, camera) for each in chosen]
        )
    if keep == "taken":
        return with_layers(
            shot, [each.evolve(**at_distance(each, each.distance * ratio)) for each in chosen]
        )
    back = taking_pose(shot.taking_camera)[:3, 2]
    return _moved(shot, layers, np.eye(3), 1.0, back * (first.distance - distance))


@verb("move on the plan")
def drag_layers_on_plan(
    shot: Shot,
    *,
    layers: list[str],
    lead: str,
    view: Literal["above", "side"],
    dx: float,
    dy: float,
    keep: Keeping = "taken",
    playhead: int = 0,
) -> Shot:
    """Move layers by metres of the plan's sheet as :func:`drag_on_plan` moves the lead."""
    deep, beside = (dy, dx) if view == "above" else (dx, dy)
    if deep:
        distance = unlocked(shot, lead).distance + deep
        shot = move_layers_in_depth(
            shot, layers=layers, lead=lead, distance=distance, keep=keep, playhead=playhead
        )
    axis = 0 if view == "above" else 1
    way = taking_pose(shot.taking_camera)[:3, axis] * beside
    return _moved(shot, layers, np.eye(3), 1.0, way) if beside else shot


@verb("change layers")
def set_layers(
    shot: Shot,
    *,
    layers: list[str],
    distance: float | None = None,
    width: Annotated[float, Field(gt=0, le=1e6)] | None = None,
    opacity: Annotated[float, Field(ge=0, le=100)] | None = None,
    blend: Blend | None = None,
    stays: Stays | None = None,
    keep: Keeping = "seen",
    playhead: int = 0,
) -> Shot:
    """Give several layers one value alike: metres, percent; what is left out stays.

    A width is for cards; at a common distance the later in the list is in front.
    """
    for key in layers:
        found = unlocked(shot, key)
        if distance is not None and not found.is_backdrop:
            shot = move_in_depth(shot, layer=key, distance=distance, keep=keep, playhead=playhead)
        if width is not None:
            shot = size_card(shot, layer=key, width=width)
        if opacity is not None:
            shot = with_layers(shot, [shot.layer(key).evolve(opacity=opacity / 100)])
        if blend is not None:
            shot = with_layers(shot, [shot.layer(key).evolve(blend=blend)])
        if stays is not None and not found.is_backdrop:
            shot = set_stays(shot, layer=key, stays=stays)
    return shot


@verb("move, turn or size layers")
def transform_layers(
    shot: Shot,
    *,
    layers: list[str],
    across: float = 0,
    up: float = 0,
    forward: float = 0,
    pan: float = 0,
    tilt: float = 0,
    roll: float = 0,
    percent: Annotated[float, Field(gt=0, le=1e6)] = 100,
) -> Shot:
    """Move (metres), turn (degrees) and size layers about their middle, as if they were one."""
    axes = taking_pose(shot.taking_camera)[:3, :3]
    turn = axes @ space.rotation(pan, tilt, roll) @ axes.T
    return _moved(shot, layers, turn, percent / 100, axes @ np.array([across, up, -forward]))


def _moved(shot: Shot, keys: list[str], turn: FloatArray, enlarged: float, way: FloatArray) -> Shot:
    """Turn and enlarge layers about their middle in the world, and move them."""
    if not keys:
        raise EditError("Choose at least one layer.")
    layers = [on_stage(shot, key) for key in keys]
    poses = [stage_card(shot, layer).world_from_card for layer in layers]
    middle = np.mean([pose[:3, 3] for pose in poses], axis=0)
    changed = []
    for layer, pose in zip(layers, poses, strict=True):
        there = pose.copy()
        there[:3, :3] = turn @ pose[:3, :3]
        there[:3, 3] = middle + enlarged * (turn @ (pose[:3, 3] - middle)) + way
        changed.append(put(shot, layer, there, enlarged))
    return with_layers(shot, changed)


@verb("remove layers")
def remove_layers(shot: Shot, *, layers: list[str]) -> Shot:
    """Take layers off the stage; their pictures stay in the project."""
    for key in layers:
        unlocked(shot, key)
    return without(shot, set(layers))


# --- align and distribute ---------------------------------------------------------------------


def _span(shot: Shot, layer: Layer, frame: int) -> FloatArray:
    """Return a layer's outline in the frame: (2, 2), least x and y, greatest x and y."""
    outline = outline_in(stage_card(shot, layer), camera_states(shot, [frame])[0])
    return np.array([outline.min(axis=0), outline.max(axis=0)])


@verb("align layers")
def align_layers(
    shot: Shot,
    *,
    layers: list[str],
    edge: Edge,
    frame: int = 0,
    to: Literal["others", "frame"] = "others",
) -> Shot:
    """Bring an edge or the middle of layers into line, as they are seen at ``frame``.

    ``to``: with the outermost of them (for middles: of all together), or with the frame.
    """
    if len(layers) < (1 if to == "frame" else 2):
        raise EditError("Tick at least two layers to align, or align one with the frame.")
    axis = 0 if edge in ("left", "centre", "right") else 1
    share = {"left": 0.0, "top": 0.0, "right": 1.0, "bottom": 1.0}.get(edge, 0.5)
    spans = np.array([_span(shot, on_stage(shot, key), frame)[:, axis] for key in layers])
    low, high = (0, shot.frame.size[axis]) if to == "frame" else (spans.min(), spans.max())
    target = low + share * (high - low)
    for key in layers:
        shot = _shifted(shot, key, frame, axis, target, share)
    return shot


@verb("distribute layers")
def distribute_layers(
    shot: Shot, *, layers: list[str], along: Literal["across", "up"], frame: int = 0
) -> Shot:
    """Leave equal gaps between layers, as they are seen at ``frame``; the outermost two stay."""
    if len(layers) < 3:
        raise EditError("Tick at least three layers to distribute.")
    axis = 0 if along == "across" else 1
    middles = {key: _span(shot, on_stage(shot, key), frame)[:, axis].mean() for key in layers}
    ordered = sorted(layers, key=lambda key: float(middles[key]))
    for _ in range(_ROUNDS):  # what is turned changes its size in the frame as it moves
        spans = [_span(shot, on_stage(shot, key), frame)[:, axis] for key in ordered]
        sizes = [float(high - low) for low, high in spans]
        gap = (spans[-1][0] - spans[0][1] - sum(sizes[1:-1])) / (len(layers) - 1)
        place = spans[0][1] + gap
        for key, size in zip(ordered[1:-1], sizes[1:-1], strict=True):
            shot = _shifted(shot, key, frame, axis, place, 0.0)
            place += size + gap
    return shot


def _shifted(shot: Shot, key: str, frame: int, axis: int, target: float, share: float) -> Shot:
    """Move a layer in its plane until a place of its outline is at ``target`` pixels."""
    for _ in range(_ROUNDS):
        layer = on_stage(shot, key)
        low, high = _span(shot, layer, frame)[:, axis]
        lacks = target - (low + share * (high - low))
        dx, dy = (lacks, 0.0) if axis == 0 else (0.0, lacks)
        across, up = dragged(shot, layer, frame, dx, dy)
        shot = with_layers(shot, [layer.evolve(across=layer.across + across, up=layer.up + up)])
    return shot
