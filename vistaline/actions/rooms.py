"""What a room asks of its pictures: edges found in them, and surfaces seen straight on."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from vistaline.actions.errors import Refused
from vistaline.actions.pictures import Library
from vistaline.core.arrays import Rgba16
from vistaline.core.bowing import straighten_picture
from vistaline.core.camera import CameraState
from vistaline.core.cards import Card, card_of
from vistaline.core.picture.colour import codes_from_linear, straight_codes
from vistaline.core.picture.lines import as_marks, find_edges, find_segments
from vistaline.core.poses import projector_of
from vistaline.core.render.pyramid import BORDER
from vistaline.core.seen import bow_in, plate_of, taking_focal
from vistaline.core.shot import Shot
from vistaline.core.straight import Beyond, Projector, straight_on, straight_size
from vistaline.store.models import Picture

__all__ = ["found_edges", "found_lines", "keep_straight", "straight_picture", "straighten_plate"]


def found_lines(library: Library, shot: Shot) -> np.ndarray:
    """Return straight edges (N, 2, 2) found in the plate's picture, in canvas pixels."""
    plate = plate_of(shot)
    assert plate.box is not None
    pyramid = library.pyramid(shot.pictures[plate.picture].file)
    level = 0
    while max(pyramid.levels[level].shape[:2]) > 3200 and level + 1 < len(pyramid.levels):
        level += 1
    inner = pyramid.levels[level][BORDER:-BORDER, BORDER:-BORDER]
    height, width = (-(-side >> level) or 1 for side in (pyramid.height, pyramid.width))
    segments = find_segments(codes_from_linear(np.ascontiguousarray(inner[:height, :width])))
    x, y, wide, tall = plate.box
    scale = np.array([wide / pyramid.width, tall / pyramid.height]) * 2**level
    return np.asarray(segments * scale + [x, y])


def found_edges(shot: Shot, segments: np.ndarray) -> list[dict[str, Any]]:
    """Return which of :func:`found_lines` tell best how the picture was seen.

    As ``mark_edges`` takes them. Raises ``PerspectiveError`` if there are none.
    """
    taking = shot.taking_camera
    edges, _ = find_edges(
        segments,
        taking.canvas,
        principal_point=taking.centre,
        focal_px=taking_focal(taking),
    )
    return as_marks(edges)


def straight_picture(
    library: Library,
    shot: Shot,
    layer_id: str,
    beyond: Beyond,
    second: tuple[Rgba16, CameraState] | None = None,
) -> np.ndarray:
    """Return a surface's picture seen straight on: sRGB codes (height, width, 4), straight alpha.

    ``second``: another picture, thrown by a camera of the shot; the two are blended.
    """
    layer = shot.layer(layer_id)
    caught = projector_of(shot, layer)
    if caught is None or layer.body:
        raise Refused(f"{layer.name} is no plane that catches a picture; nothing to straighten.")
    pyramid = library.pyramid(shot.pictures[layer.picture].file)
    card = card_of(shot, layer)
    first = Projector(pyramid.picture, caught, np.array(shot.taking_camera.position))
    projectors = [first]
    if second is not None:
        picture, camera = second
        projectors.append(_thrown_by(shot, card, picture, camera))
    return straight_codes(straight_on(card, projectors, straight_size(card, first), beyond))


def straighten_plate(
    session: Session, library: Library, project_id: int, shot: Shot
) -> dict[str, Any]:
    """Add the plate's picture to the project with what its lens bowed made straight.

    Returns the values of ``use_straightened``.
    """
    plate, taking = plate_of(shot), shot.taking_camera
    bow = bow_in(taking)
    if bow is None:
        raise Refused("No edge is marked as bowed. Drag the middle of one onto the picture's edge.")
    assert plate.box is not None
    source = library.pyramid(shot.pictures[plate.picture].file).picture
    middle = np.array(taking.principal_point)
    straight = straighten_picture(source, bow, taking.canvas, middle, plate.box)
    name = Path(plate.name).stem
    picture = _kept(
        session,
        library,
        project_id,
        f"{name}, straightened.png",
        straight_codes(straight),
    )
    reference = {"file": picture.file, "width": picture.width, "height": picture.height}
    return {"old": plate.picture, "key": f"p{picture.id}", "picture": reference, "bow": bow}


def _thrown_by(shot: Shot, card: Card, picture: Rgba16, camera: CameraState) -> Projector:
    """Return a picture thrown by a camera whose frame it fills."""
    width, height = camera.frame_size
    seen = picture.shape[1] / picture.shape[0] / (width / height)
    if abs(seen - 1) > 0.02:
        raise Refused(
            "This picture is not in the frame's shape, so it cannot be what the camera sees. "
            f"Choose one of {width} x {height}, or of that shape."
        )
    unit_from_image = np.diag([1 / width, 1 / height, 1.0])
    image_from_world = camera.image_from_camera @ camera.camera_from_world[:3]
    others = [
        card_of(shot, layer)
        for layer in shot.layers
        if layer.projection and not layer.hidden and not layer.body and layer.id != card.layer.id
    ]
    place = np.array(camera.position)
    return Projector(picture, unit_from_image @ image_from_world, place, others)


def keep_straight(
    session: Session, library: Library, project_id: int, name: str, codes: np.ndarray
) -> Picture:
    """Add a straight picture to the project; returns it."""
    return _kept(session, library, project_id, f"{Path(name).stem}, straight on.png", codes)


def _kept(
    session: Session, library: Library, project_id: int, title: str, codes: np.ndarray
) -> Picture:
    file = library.keep_codes(codes)
    picture, _ = library.add(session, project_id, title, library.admit(file, title))
    return picture
