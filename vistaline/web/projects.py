"""Projects: the list, starting one, who works in it."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, redirect, render_template, request, url_for
from flask_login import login_required

from vistaline.actions import projects
from vistaline.actions.listing import shots_of
from vistaline.web.context import person_id, session

__all__ = ["blueprint"]

blueprint = Blueprint("projects", __name__, url_prefix="/projects")


@blueprint.get("")
@login_required
def index() -> Any:
    """List a person's projects."""
    found = projects.projects_of(session(), person_id())
    shots = {project.id: shots_of(session(), project.id) for project in found}
    return render_template("page/projects.html", projects=found, shots=shots)


@blueprint.post("")
@login_required
def create() -> Any:
    """Start a project."""
    project = projects.create_project(session(), person_id(), request.form.get("name", ""))
    session().commit()
    return redirect(url_for("pictures.bench", project_id=project.id))


@blueprint.post("/<int:project_id>/members")
@login_required
def add_member(project_id: int) -> Any:
    """Let somebody else in."""
    projects.add_member(session(), person_id(), project_id, request.form.get("name", ""))
    session().commit()
    return redirect(url_for("pictures.bench", project_id=project_id))


@blueprint.post("/<int:project_id>/remove")
@login_required
def remove(project_id: int) -> Any:
    """Remove a project with all in it."""
    projects.remove_project(session(), person_id(), project_id)
    session().commit()
    return redirect(url_for("projects.index"))
