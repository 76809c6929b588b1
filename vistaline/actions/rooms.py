"""What a room asks of its pictures: edges found in them, surfaces seen straight on, looks ahead.

All of it takes seconds, so it is done by tasks (``room_work``). What does not belong to a version
of the shot, or may be asked for again, is kept in files.
"""

from __future__ import annotations

import hashlib
import io
from collections.abc import Mapping
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from vistaline.actions.errors import Refused
from vistaline.actions.pictures import Library
from vistaline.actions.tasks import Subject, start_task, tasks_of
from vistaline.core.arrays import Rgba16
from vistaline.core.edits.cameras import take_called
from vistaline.core.foresight.ahead import Ahead, pack_ahead, unpack_ahead
from vistaline.core.geometry.lines import as_marks, find_edges, find_segments
from vistaline.core.picture.colour import codes_from_linear, straight_codes
from vistaline.core.picture.exemplar import Progress
from vistaline.core.picture.pyramid import BORDER
from vistaline.core.render.straight import Beyond, Projector, straight_on, straight_size
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card, card_of
from vistaline.core.stage.poses import projector_of
from vistaline.core.stage.seen import plate_of, taking_focal
from vistaline.store.models import ACTIVE, PictureTask, ShotRow, TaskKind

__all__ = [
    "as_seen",
    "ask_of_shot",
    "check_plane",
    "found_edges",
    "found_lines",
    "keep_ahead",
    "kept_ahead",
    "kept_lines",
    "straight_picture",
]

_KEPT_LINES, _KEPT_AHEADS = 200, 60


def ask_of_shot(
    session: Session,
    row: ShotRow,
    kind: TaskKind,
    name: str,
    arguments: Mapping[str, Any],
    *,
    person_id: int | None,
) -> tuple[PictureTask, bool]:
    """Keep a task on a shot, and say whether it is new; one that waits or runs is not asked twice.

    Announce a new one after the commit.
    """
    for task in tasks_of(session, row.project_id, (kind,), shot_id=row.id):
        if task.state in ACTIVE and task.arguments == dict(arguments):
            return task, False
    task = start_task(
        session,
        row.project_id,
        kind,
        name,
        of=Subject(shot_id=row.id),
        person_id=person_id,
        arguments=arguments,
    )
    return task, True


def as_seen(shot: Shot, through: str | None, take: str | None) -> Shot:
    """Return the shot as it is to be seen: cut, all ``through`` the directed camera, or a take."""
    if take:
        return shot.evolve(cuts=()).with_camera(route=take_called(shot, take).route)
    return shot.evolve(cuts=()) if through == "camera" and shot.cuts else shot


# --- edges ------------------------------------------------------------------------------------


def _lines_name(shot: Shot) -> str:
    plate = plate_of(shot)
    named = f"{shot.pictures[plate.picture].file} {plate.box}"
    return hashlib.sha256(named.encode()).hexdigest()[:40] + ".npy"


def kept_lines(library: Library, shot: Shot) -> np.ndarray | None:
    """Return what :func:`found_lines` found in the plate's picture before; None if it was not."""
    path = library.files.find("lines", _lines_name(shot))
    return np.load(path) if path else None


def found_lines(library: Library, shot: Shot) -> np.ndarray:
    """Return straight edges (N, 2, 2) found in the plate's picture, in canvas pixels."""
    kept = kept_lines(library, shot)
    if kept is not None:
        return kept
    lines, data = _find_lines(library, shot), io.BytesIO()
    np.save(data, lines)
    library.files.shelf("lines").keep(_lines_name(shot), data.getvalue())
    library.files.prune("lines", _KEPT_LINES)
    return lines


def _find_lines(library: Library, shot: Shot) -> np.ndarray:
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


# --- surfaces seen straight on ----------------------------------------------------------------


def check_plane(shot: Shot, layer_id: str) -> Layer:
    """Return a layer that catches a picture on a plane; refused if it is none."""
    layer = shot.layer(layer_id)
    if projector_of(shot, layer) is None or layer.body:
        raise Refused(f"{layer.name} is no plane that catches a picture; nothing to straighten.")
    return layer


def straight_picture(
    library: Library,
    shot: Shot,
    layer_id: str,
    beyond: Beyond,
    second: tuple[Rgba16, CameraState] | None = None,
    *,
    progress: Progress = lambda share, words: None,
) -> np.ndarray:
    """Return a surface's picture seen straight on: sRGB codes (height, width, 4), straight alpha.

    ``second``: another picture, thrown by a camera of the shot; the two are blended.
    """
    layer = check_plane(shot, layer_id)
    caught = projector_of(shot, layer)
    assert caught is not None
    pyramid = library.pyramid(shot.pictures[layer.picture].file)
    card = card_of(shot, layer)
    first = Projector(pyramid.picture, caught, np.array(shot.taking_camera.position))
    projectors = [first]
    if second is not None:
        picture, camera = second
        projectors.append(_thrown_by(shot, card, picture, camera))
    size = straight_size(card, first)
    return straight_codes(straight_on(card, projectors, size, beyond, progress=progress))


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


# --- looks ahead ------------------------------------------------------------------------------


def _ahead_name(wish: Mapping[str, Any], shot_id: int) -> str:
    named = f"{shot_id} {wish['version']} {wish['as']} {wish['take']}"
    return hashlib.sha256(named.encode()).hexdigest()[:40] + ".npz"


def kept_ahead(library: Library, wish: Mapping[str, Any], shot_id: int) -> Ahead | None:
    """Return a look ahead that was made of this version, seen so; None if none was."""
    path = library.files.find("aheads", _ahead_name(wish, shot_id))
    return unpack_ahead(path.read_bytes()) if path else None


def keep_ahead(library: Library, wish: Mapping[str, Any], shot_id: int, ahead: Ahead) -> None:
    """Keep a look ahead, for all who ask the same of the same version."""
    library.files.shelf("aheads").keep(_ahead_name(wish, shot_id), pack_ahead(ahead))
    library.files.prune("aheads", _KEPT_AHEADS)
