"""Pictures of parts of a picture: tiles for the board, small pictures of cutouts and fills."""

from __future__ import annotations

import re
from contextlib import suppress
from typing import Any

import cv2
import numpy as np
from flask import Blueprint, Response, request
from flask_login import login_required

from vistaline.actions import projects
from vistaline.actions import tasks as picture_tasks
from vistaline.actions.cuttings import Cuttings
from vistaline.actions.errors import NotFound
from vistaline.core.errors import CoreError
from vistaline.core.picture.still import encode_jpeg, encode_png
from vistaline.core.picture.tiles import codes_tile, mask_tile, outline_tile, pyramid_tile
from vistaline.web.context import person_id, services, session
from vistaline.web.sheets import open_sheet

__all__ = ["blueprint"]

blueprint = Blueprint("tiles", __name__, url_prefix="/pictures")

_THUMBNAIL = 240
_TINT = (226, 122, 24)
"""Of a shadow, as shown; sRGB codes."""


def _cuttings() -> Cuttings:
    return Cuttings(services().library)


@blueprint.get(
    "/<int:picture_id>/tiles/<any(picture, mask, outline, layer, plate):kind>/<name>"
    "/<int:level>/<int:column>/<int:row>"
)
@login_required
def tile(picture_id: int, kind: str, name: str, level: int, column: int, row: int) -> Any:
    """Send one tile; its address names its content, so the browser may keep it."""
    picture = projects.find_picture(session(), person_id(), picture_id)
    place = (level, column, row)
    if not re.fullmatch(r"[0-9a-f]{8,64}", name) or level > 16:
        raise NotFound("There is no such tile.")
    cuttings, kind_of_image = _cuttings(), "png"
    if kind == "picture":
        data, kind_of_image = pyramid_tile(services().library.pyramid(picture.file), *place)
    elif kind == "plate":
        sheet = open_sheet(picture_id).sheet
        use = next((use for use in sheet.plates if cuttings.plate_name(use) == name), None)
        if use is None:
            raise NotFound("This plate is not in use any more.")
        data, kind_of_image = encode_jpeg(codes_tile(cuttings.plate(use), *place)), "jpeg"
    elif kind == "layer":
        matte = cuttings.matte(name)
        if matte is None:
            raise NotFound("This edge is not solved any more.")
        size = (picture.width, picture.height)
        data = encode_png(codes_tile(matte[1], *place, at=matte[0], size=size), level=1)
    else:
        mask = cuttings.kept_mask(name)
        if mask is None:
            raise NotFound("This mask is not kept any more.")
        data = (mask_tile if kind == "mask" else outline_tile)(mask, *place)
    response = Response(data, mimetype=f"image/{kind_of_image}")
    response.cache_control.private = True
    response.cache_control.max_age = 86400
    return response


@blueprint.get("/<int:picture_id>/cutouts/<key>.png")
@login_required
def thumbnail(picture_id: int, key: str) -> Any:
    """Send a cutout as a small picture of itself; key "plate" is the plate."""
    opened = open_sheet(picture_id)
    picture, sheet, cuttings = opened.picture, opened.sheet, _cuttings()
    if key == "plate":
        use = sheet.plate("")
        codes = cuttings.plate(use) if use else cuttings.codes(picture.file)
        small = _shrunk(codes)
    else:
        index = [cutout.id for cutout in sheet.cutset.cutouts].index(sheet.cutout(key).id)
        mask = cuttings.masks(picture.file, sheet)[index].array
        part = _around(mask > 0, 0.06)
        small = np.dstack([_shrunk(cuttings.codes(picture.file)[part]), _shrunk(mask[part])])
    return _png(small)


@blueprint.get("/fills/<int:task_id>.png")
@login_required
def fill_thumbnail(task_id: int) -> Any:
    """Send a try as a small picture of where it was filled."""
    task = picture_tasks.find_task(session(), person_id(), task_id)
    if "file" not in task.result or task.picture_id is None:
        raise NotFound("This try is not finished.")
    opened, cuttings = open_sheet(task.picture_id), _cuttings()
    codes, part = cuttings.codes(task.result["file"]), (slice(None), slice(None))
    behind = task.arguments.get("behind", "")
    with suppress(CoreError):
        part = _around(cuttings.hole(opened.picture.file, opened.sheet, behind)[1], 0.6)
    return _png(_shrunk(codes[part]))


@blueprint.get("/<int:picture_id>/shadow.png")
@login_required
def shadow(picture_id: int) -> Any:
    """Send the soft shadow beside a hole as a small picture: the hole dark, the shadow tinted."""
    opened, cuttings = open_sheet(picture_id), _cuttings()
    asked = opened.picture.file, opened.sheet, request.args.get("behind", "")
    hole, dark = cuttings.hole(*asked)[1], cuttings.shadow(*asked)
    part = _around(hole | dark, 0.3)
    codes = _shrunk(np.ascontiguousarray(cuttings.codes(opened.picture.file)[part]))
    cut, share = (_shrunk(each[part].astype(np.float32))[..., None] for each in (hole, dark))
    tinted, share = codes * (1 - 0.75 * cut), 0.55 * share
    return _png(np.rint(tinted * (1 - share) + np.array(_TINT) * share).astype(np.uint8))


def _around(mask: np.ndarray, margin: float) -> tuple[slice, slice]:
    """Return the part of a picture a mask (bool) lies in, and a share of its size around it."""
    coarse = mask[::8, ::8]
    rows, columns = np.flatnonzero(coarse.any(axis=1)) * 8, np.flatnonzero(coarse.any(axis=0)) * 8
    if not len(rows):
        return slice(None), slice(None)
    aside = 8 + round(margin * max(rows[-1] - rows[0], columns[-1] - columns[0]))
    return (
        slice(max(0, int(rows[0]) - aside), int(rows[-1]) + 8 + aside),
        slice(max(0, int(columns[0]) - aside), int(columns[-1]) + 8 + aside),
    )


def _shrunk(codes: np.ndarray) -> np.ndarray:
    scale = min(1.0, _THUMBNAIL / max(codes.shape[:2]))
    size = (max(1, round(codes.shape[1] * scale)), max(1, round(codes.shape[0] * scale)))
    return cv2.resize(codes, size, interpolation=cv2.INTER_AREA)


def _png(codes: np.ndarray) -> Response:
    response = Response(encode_png(codes), mimetype="image/png")
    response.cache_control.private = True
    response.cache_control.max_age = 3600 if "v" in request.args else 0
    return response
