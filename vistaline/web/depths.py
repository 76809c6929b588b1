"""The Depth tab of Separate: how far away a picture's pixels are, and what becomes of it."""

from __future__ import annotations

from typing import Any

import numpy as np
from flask import Blueprint, Response, current_app, request
from flask_login import login_required

from vistaline.actions import depths, projects
from vistaline.actions.cuttings import Cuttings, sliced
from vistaline.actions.errors import Refused
from vistaline.actions.history import Change
from vistaline.actions.listing import shots_of
from vistaline.actions.pictures import pictures_of
from vistaline.actions.tasks import Subject, start_task
from vistaline.core.depth.steps import KINDS
from vistaline.core.picture.still import encode_png
from vistaline.core.prepare.tone import curve_table
from vistaline.store.models import PictureRole, ShotRow, TaskKind
from vistaline.web import tasks
from vistaline.web.context import person_id, services, session
from vistaline.web.editing import change_asked_for, changed
from vistaline.web.sheets import Opened, open_sheet, page, send_still

__all__ = ["blueprint"]

blueprint = Blueprint("depths", __name__, url_prefix="/pictures")

_SHOWN_SIDE = 1024
"""The map on the screen is a copy of at most so many pixels; what is made of it is not."""
_WORKING = ("smooth", "curve", "limits", "invert", "edges")
"""Steps that are added by a press; the others begin in the picture."""


def _drawn(points: Any) -> list[float]:
    return curve_table(points)[:: 65535 // 51].round(4).tolist()  # type: ignore[no-any-return]


@blueprint.get("/<int:picture_id>/panels/depth")
@login_required
def panel(picture_id: int) -> Any:
    """The steps of the depth, where it may come from, and what becomes of it."""
    opened = open_sheet(picture_id)
    project_id = opened.picture.project_id
    maps = [
        each
        for each in pictures_of(session(), project_id)
        if each.id != picture_id and each.role is PictureRole.ORIGINAL and not each.moving
    ]
    maps.sort(key=lambda each: "depth" not in each.name.lower())
    steps = opened.sheet.depth.steps
    return page(
        "sheet/_depth.html",
        opened,
        "separate",
        depth=opened.sheet.depth,
        names={kind: found.label for kind, found in KINDS.items()},
        working=_WORKING,
        drawn=_drawn,
        maps=maps,
        called={each.file: each.name for each in maps},
        first=max((n for n, step in enumerate(steps) if step.on and step.makes), default=-1),
        cutouts=[each for each in opened.sheet.cutset.cutouts if not sliced(each)],
        shots=shots_of(session(), project_id),
        service=bool(current_app.config["DEPTH_SERVICE"]),
    )


@blueprint.get("/<int:picture_id>/depth/<name>.png")
@login_required
def shown(picture_id: int, name: str) -> Any:
    """Send the map as it is seen, white near; its address names its content."""
    opened = open_sheet(picture_id)
    cuttings = Cuttings(services().library)
    nearness = cuttings.depth(opened.picture.file, opened.sheet, _SHOWN_SIDE)
    codes = np.rint(nearness * 255).astype(np.uint8)
    response = Response(encode_png(np.dstack([codes] * 3), level=1), mimetype="image/png")
    response.cache_control.private = True
    # Somebody may have gone on meanwhile: what is sent then is the newer map.
    if name == cuttings.depth_name(opened.picture.file, opened.sheet):
        response.cache_control.max_age = 86400
    return response


@blueprint.get("/<int:picture_id>/depth-map.<kind>")
@login_required
def hand_over(picture_id: int, kind: str) -> Any:
    """Hand the whole map over, white near, as even in 1 / distance as it is here."""
    opened = open_sheet(picture_id)
    nearness = Cuttings(services().library).depth(opened.picture.file, opened.sheet)
    codes = np.rint(nearness * 65535).astype(np.uint16)
    return send_still(np.dstack([codes] * 3), kind, f"{opened.picture.name} depth")


@blueprint.post("/<int:picture_id>/depth/asked")
@login_required
def ask_service(picture_id: int) -> Any:
    """Ask the depth service for a map, in the background."""
    opened = open_sheet(picture_id)
    if not current_app.config["DEPTH_SERVICE"]:
        raise Refused("No depth service is set up. Paint the depth, or begin with the ground.")
    return _begun(opened, TaskKind.DEPTH, {})


@blueprint.post("/<int:picture_id>/depth/from-shot")
@login_required
def from_shot(picture_id: int) -> Any:
    """Take the depth from the layers and surfaces of a shot."""
    opened = open_sheet(picture_id)
    shot = _shot(opened)
    depths.depth_from_shot(session(), opened.row, opened.sheet, shot, change_asked_for())
    return changed("sheetchange", opened.row, "")


@blueprint.post("/<int:picture_id>/depth/to-shot")
@login_required
def to_shot(picture_id: int) -> Any:
    """Put the picture's layers in a shot where the depth says they are."""
    opened = open_sheet(picture_id)
    shot = _shot(opened)
    change = Change(version=shot.version, person_id=person_id())
    count = depths.stand_layers(
        session(), services().library, opened.picture, opened.sheet, shot, change
    )
    session().commit()
    words = f"{count} layer{'s stand' if count != 1 else ' stands'} at this depth in {shot.name}."
    return f'<p class="muted" role="status">{words}</p>'


@blueprint.post("/<int:picture_id>/depth/raise")
@login_required
def raise_it(picture_id: int) -> Any:
    """Raise the picture as a relief, in a shot there is or in a new one, in the background."""
    opened = open_sheet(picture_id)
    if not opened.sheet.depth.says:
        raise Refused("Nothing says yet how far away anything is. Paint a depth first.")
    wish: dict[str, Any] = {"shot": 0, "texture": "texture" in request.form}
    if request.form.get("shot", 0, type=int):
        wish["shot"] = _shot(opened).id
    return _begun(opened, TaskKind.RAISE, wish)


def _begun(opened: Opened, kind: TaskKind, wish: dict[str, Any]) -> Any:
    """Begin work on a picture; return the panel of all that is under way."""
    picture = opened.picture
    task = start_task(
        session(),
        picture.project_id,
        kind,
        picture.name,
        of=Subject(picture_id=picture.id),
        person_id=person_id(),
        arguments=wish,
    )
    session().commit()
    tasks.announce(task)
    return tasks.panel(picture.project_id, "separate", picture.id)


def _shot(opened: Opened) -> ShotRow:
    row = projects.find_shot(session(), person_id(), request.form.get("shot", 0, type=int))
    if row.project_id != opened.picture.project_id:
        raise Refused("That shot belongs to another project.")
    return row
