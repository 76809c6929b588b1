"""A picture's depth and the shots it stands in: each can tell the other how far away things are."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from vistaline.actions.cuttings import Cuttings
from vistaline.actions.errors import Refused
from vistaline.actions.history import Change
from vistaline.actions.pictures import Library
from vistaline.actions.sheets import change_sheet
from vistaline.actions.shots import change_shot, current_shot
from vistaline.core.depth.steps import distance_at
from vistaline.core.sheet.sheet import Sheet
from vistaline.core.shot.shot import Shot
from vistaline.core.shot.stands import Box
from vistaline.core.stage.flats import Flat, flats_of
from vistaline.store.models import Picture, PictureRole, SheetRow, ShotRow

__all__ = ["depth_from_shot", "stand_layers"]

_FARTHEST = 1e4
"""Metres: farther than that all stands still behind a camera that moves on a stage."""
_SOLID = 0.5
_BEHIND = 1.05


def depth_from_shot(
    session: Session, row: SheetRow, sheet: Sheet, shot_row: ShotRow, change: Change
) -> None:
    """Take a picture's depth from the layers and surfaces of a shot that it stands in."""
    shot = current_shot(session, shot_row)
    mine = _own_pictures(session, row.picture)
    size = (row.picture.width, row.picture.height)
    flats = flats_of(shot, _place_in(shot, mine, size), size)
    planes, slopes = [], []
    for flat in flats:
        found = _seen_plane(flat, mine, sheet)
        if found is not None:
            planes.append(found)
            slopes.append(_ends(flat, size))
    if not planes:
        raise Refused(f"Nothing of {row.picture.name} stands in {shot_row.name}. Choose another.")
    low, high = min(low for low, _ in slopes), max(high for _, high in slopes)
    near, far = 1 / high, min(_FARTHEST, 1 / max(low, 1e-9))
    far = max(far, near * 1.05)
    share = 1 / near - 1 / far
    told = []
    for document in planes:
        a, b, c = document.pop("slope")
        told.append(document | {"slope": [a / share, b / share, (c - 1 / far) / share]})
    change_sheet(
        session,
        row,
        "depth_from_shot",
        {"name": shot_row.name, "planes": told, "near": near, "far": far},
        change,
    )


def _own_pictures(session: Session, picture: Picture) -> dict[str, Picture]:
    """Return a picture and what was cut out of it, by their keys in shots."""
    query = select(Picture).where((Picture.id == picture.id) | (Picture.source_id == picture.id))
    return {f"p{each.id}": each for each in session.scalars(query)}


def _place_in(shot: Shot, mine: Mapping[str, Picture], size: tuple[int, int]) -> Box:
    """Return where the whole picture lies in the taking camera's canvas."""
    for layer in shot.layers:
        picture = mine.get(layer.picture or "")
        box = layer.projection or layer.box
        if picture is not None and box and picture.role is not PictureRole.CUTOUT:
            return box
    for layer in shot.layers:
        picture = mine.get(layer.picture or "")
        if picture is not None and layer.box and picture.placing:
            x, y, width, height = layer.box
            scale = (width / picture.width, height / picture.height)
            left, top = picture.placing["at"]
            return (x - left * scale[0], y - top * scale[1], size[0] * scale[0], size[1] * scale[1])
    width, height = shot.taking_camera.canvas
    return (0.0, 0.0, float(width), float(height))


def _seen_plane(flat: Flat, mine: Mapping[str, Picture], sheet: Sheet) -> dict[str, Any] | None:
    """Return a layer as a plane of this picture's depth; None if it shows something else."""
    picture = mine.get(flat.layer.picture or "")
    if picture is None and flat.layer.projection is None:
        return None
    cutout = ""
    if picture is not None and picture.role is PictureRole.CUTOUT:
        name = (picture.placing or {}).get("name", "")
        cutout = next((each.id for each in sheet.cutset.cutouts if each.name == name), "")
        if not cutout:
            return None
    outline = [] if cutout else flat.outline.tolist()
    return {"outline": outline, "cutout": cutout, "slope": flat.slope.tolist()}


def _ends(flat: Flat, size: tuple[int, int]) -> tuple[float, float]:
    """Return the least and greatest 1/z of a plane within the picture."""
    inside = np.clip(flat.outline, 0, size)
    near = np.column_stack([inside, np.ones(len(inside))]) @ flat.slope
    return max(float(near.min()), 1 / _FARTHEST), max(float(near.max()), 2 / _FARTHEST)


def stand_layers(
    session: Session,
    library: Library,
    picture: Picture,
    sheet: Sheet,
    shot_row: ShotRow,
    change: Change,
) -> int:
    """Put a picture's layers in a shot where its depth says they are; returns how many."""
    shot = current_shot(session, shot_row)
    mine = _own_pictures(session, picture)
    nearness = Cuttings(library).depth(picture.file, sheet)
    distances: dict[str, float] = {}
    for layer in shot.layers:
        own = mine.get(layer.picture or "")
        if own is None or layer.box is None or layer.is_backdrop or layer.on_lens or layer.locked:
            continue
        value = _layer_nearness(library, nearness, own)
        if value is not None:
            there = distance_at(value, sheet.depth.near, sheet.depth.far)
            distances[layer.id] = round(float(there), 3)
    plates = {key for key, own in mine.items() if own.role is not PictureRole.CUTOUT}
    distances = _behind(shot, distances, plates)
    change_shot(session, shot_row, "stand_at_depth", {"distances": distances}, change)
    return len(distances)


def _layer_nearness(library: Library, nearness: np.ndarray, picture: Picture) -> float | None:
    """Return how near what a picture shows is, by the depth of the picture it was cut out of.

    The median over what is solid of it; of a plate, the farthest tenth of the depth.
    """
    if picture.role is not PictureRole.CUTOUT:
        return float(np.quantile(nearness[::4, ::4], 0.1))
    x, y = (int(value) for value in (picture.placing or {}).get("at", (0, 0)))
    level = library.pyramid(picture.file).picture[..., 3]
    part = nearness[y : y + level.shape[0], x : x + level.shape[1]]
    if part.shape != level.shape:
        return None  # cut out before the picture was cropped
    solid = level > _SOLID * 65535
    return float(np.median(part[solid])) if solid.any() else None


def _behind(shot: Shot, distances: Mapping[str, float], plates: set[str]) -> dict[str, float]:
    """Return the distances with plates behind all that was cut out of them."""
    whole = {each.id for each in shot.layers if (each.picture or "") in plates}
    cut = [distance for key, distance in distances.items() if key not in whole]
    least = max(cut, default=0.0) * _BEHIND
    return {
        key: max(distance, least) if key in whole else distance
        for key, distance in distances.items()
    }
