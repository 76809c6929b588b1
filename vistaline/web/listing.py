"""The list of a project's shots, on the Pictures bench."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, redirect, render_template, request, url_for
from flask_login import login_required

from vistaline.actions import listing, projects
from vistaline.actions.history import Change
from vistaline.actions.shots import change_shot
from vistaline.store.models import ShotRow
from vistaline.web.context import person_id, session

__all__ = ["blueprint", "listed"]

blueprint = Blueprint("listing", __name__)


def listed(project_id: int) -> dict[str, Any]:
    """Return what the list shows."""
    return {
        "shots": listing.shots_of(session(), project_id),
        "removed": listing.removed_shots(session(), project_id),
    }


@blueprint.get("/projects/<int:project_id>/shots")
@login_required
def shots(project_id: int) -> Any:
    """Show the list."""
    projects.find_project(session(), person_id(), project_id)
    return render_template("pictures/_shots.html", project_id=project_id, **listed(project_id))


@blueprint.post("/shots/<int:shot_id>/name")
@login_required
def rename(shot_id: int) -> Any:
    """Give a shot another name, whatever version it has reached."""
    row = _row(shot_id)
    change = Change(version=row.version, key="", person_id=person_id())
    change_shot(session(), row, "rename_shot", {"name": request.form.get("name", "")}, change)
    return _changed(row)


@blueprint.post("/shots/<int:shot_id>/duplicate")
@login_required
def duplicate(shot_id: int) -> Any:
    """Start a copy of a shot."""
    row = _row(shot_id)
    listing.duplicate_shot(session(), row, person_id=person_id())
    return _changed(row)


@blueprint.post("/shots/<int:shot_id>/place")
@login_required
def move(shot_id: int) -> Any:
    """Move a shot earlier or later in the list."""
    row = _row(shot_id)
    listing.move_shot(session(), row, request.form.get("by", 0, type=int))
    return _changed(row)


@blueprint.post("/shots/<int:shot_id>/remove")
@login_required
def remove(shot_id: int) -> Any:
    """Take a shot off the list."""
    row = _row(shot_id)
    listing.remove_shot(session(), row)
    return _changed(row)


@blueprint.post("/shots/<int:shot_id>/bring-back")
@login_required
def bring_back(shot_id: int) -> Any:
    """Put a removed shot back on the list."""
    row = _row(shot_id)
    listing.bring_back(session(), row)
    return _changed(row)


def _row(shot_id: int) -> ShotRow:
    return projects.find_shot(session(), person_id(), shot_id)


def _changed(row: ShotRow) -> Any:
    session().commit()
    if request.headers.get("HX-Request"):
        return shots(row.project_id)
    return redirect(url_for("pictures.bench", project_id=row.project_id))
