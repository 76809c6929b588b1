"""Cloth on the page: where its points are, once a worker has found that out."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, request
from flask_login import login_required

from vistaline.actions.cloth_work import ask_for_motion, motion_kept
from vistaline.actions.errors import NotFound
from vistaline.core.scene.cloths import motion_name, pack_motion
from vistaline.store.models import ACTIVE
from vistaline.web import tasks
from vistaline.web.context import person_id, session
from vistaline.web.shots import shot_drawn_from

__all__ = ["blueprint"]

blueprint = Blueprint("cloths", __name__, url_prefix="/shots")


@blueprint.get("/<int:shot_id>/cloth/<name>.bin")
@login_required
def motion(shot_id: int, name: str) -> Any:
    """Send where a cloth's points are from a frame on; named by all that it follows from.

    While it is computed the answer is 202; 409 if that was stopped or failed.
    """
    row, shot, _ = shot_drawn_from(shot_id)
    key, first = request.args.get("of", ""), request.args.get("first", 0, type=int)
    layer = next((each for each in shot.layers if each.id == key), None)
    if layer is None or motion_name(shot, layer) != name:
        raise NotFound("The shot has no such cloth any more.")
    if not 0 <= first < shot.frame.duration:
        raise NotFound("The shot has no such frame.")
    if not motion_kept(shot, layer):
        task, new = ask_for_motion(session(), row, shot, layer, person_id=person_id())
        session().commit()
        if new:
            tasks.announce(task)
        return {"task": task.id}, 202 if task.state in ACTIVE else 409
    answer = Response(pack_motion(shot, layer, first), mimetype="application/octet-stream")
    answer.cache_control.private = True
    answer.cache_control.max_age = 86400
    return answer
