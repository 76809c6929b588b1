"""The Pictures bench: bringing pictures in, starting a shot from them."""

from __future__ import annotations

from contextlib import closing
from typing import Any, BinaryIO, cast

from flask import Blueprint, flash, redirect, render_template, request, url_for
from flask import session as flask_session
from flask_login import login_required

from vistaline.actions import intake, pictures, projects, shots, starting
from vistaline.actions.errors import Refused
from vistaline.actions.sets import ShotWanted
from vistaline.core.geometry.optics import DEFAULT_LENS
from vistaline.core.looks.frame_styles import READY_STYLES
from vistaline.core.prepare.steps import push_in_limit
from vistaline.core.timing import RATE_PRESETS, parse_rate
from vistaline.store.models import Picture
from vistaline.web import tasks
from vistaline.web.context import person_id, sent_file, services, session
from vistaline.web.editing import send_kept
from vistaline.web.frames import SIZES
from vistaline.web.listing import listed

__all__ = ["blueprint", "output_size"]

blueprint = Blueprint("pictures", __name__)


@blueprint.get("/projects/<int:project_id>")
@login_required
def bench(project_id: int) -> Any:
    """Show a project: its pictures and its shots."""
    project = projects.find_project(session(), person_id(), project_id)
    # Before the pictures are asked for: what comes in between is told as news.
    stamp = tasks.stamp_of(project_id, "pictures")
    return render_template(
        "pictures/pictures.html",
        stamp=stamp,
        project=project,
        has_demo=projects.demo_of(session(), person_id()) is not None,
        role=projects.role_in(session(), person_id(), project_id),
        **_tiles(project_id),
        **listed(project_id),
        project_id=project_id,
        sizes=SIZES,
        rates=RATE_PRESETS,
        ready_styles=READY_STYLES,
        lens=DEFAULT_LENS,
    )


@blueprint.post("/projects/<int:project_id>/demo-pictures")
@login_required
def use_demo(project_id: int) -> Any:
    """Bring the demo's pictures into a project, to try things with."""
    projects.find_project(session(), person_id(), project_id)
    demo = projects.demo_of(session(), person_id())
    if demo is None:
        raise Refused("You are in no project with the demo's pictures. Bring pictures of your own.")
    pictures.share_pictures(session(), demo.id, project_id)
    session().commit()
    return redirect(url_for("pictures.bench", project_id=project_id))


@blueprint.post("/projects/<int:project_id>/pictures")
@login_required
def upload(project_id: int) -> Any:
    """Take in one file; a worker makes a picture of it."""
    projects.find_project(session(), person_id(), project_id)
    with closing(sent_file("picture")) as file:
        taken = intake.receive_picture(
            session(),
            services().library,
            project_id,
            file.filename or "",
            cast(BinaryIO, file.stream),
            person_id=person_id(),
        )
    session().commit()
    if isinstance(taken, Picture):
        return {"id": taken.id, "new": False, "name": taken.name}
    tasks.announce(taken)
    return {"task": taken.id, "new": True, "name": taken.name}


@blueprint.post("/projects/<int:project_id>/frames")
@login_required
def upload_frames(project_id: int) -> Any:
    """Take in numbered stills as one moving picture."""
    projects.find_project(session(), person_id(), project_id)
    files = [each for each in request.files.getlist("frame") if each.filename]
    taken = intake.receive_frames(
        session(),
        services().library,
        project_id,
        [(each.filename or "", cast(BinaryIO, each.stream)) for each in files],
        rate=request.form.get("frame_rate", "24"),
        person_id=person_id(),
    )
    session().commit()
    if isinstance(taken, Picture):
        return "", 204, {"HX-Trigger": "picturechange"}
    tasks.announce(taken)
    return "", 204, {"HX-Trigger": "taskchange"}


@blueprint.post("/projects/<int:project_id>/packages")
@login_required
def upload_package(project_id: int) -> Any:
    """Take in a packed shot; a worker opens it."""
    projects.find_project(session(), person_id(), project_id)
    with closing(sent_file("package")) as file:
        task = intake.receive_package(
            session(),
            services().library,
            project_id,
            file.filename or "",
            cast(BinaryIO, file.stream),
            person_id=person_id(),
        )
    session().commit()
    tasks.announce(task)
    return "", 204, {"HX-Trigger": "taskchange"}


@blueprint.get("/projects/<int:project_id>/pictures")
@login_required
def tiles(project_id: int) -> Any:
    """Show a project's pictures as tiles."""
    project = projects.find_project(session(), person_id(), project_id)
    return render_template("pictures/_pictures.html", project=project, **_tiles(project_id))


def _tiles(project_id: int) -> dict[str, Any]:
    size = output_size()
    found = pictures.pictures_of(session(), project_id)
    return {
        "pictures": found,
        "output": size,
        "limits": {each.id: push_in_limit((each.width, each.height), size) for each in found},
    }


def output_size() -> tuple[int, int]:
    """Return the frame size that push-in limits are told for; the last choice is remembered."""
    wish = request.args.get("output") or flask_session.get("output") or "1920x1080"
    sides = wish.split("x")
    if len(sides) != 2 or not all(side.isdigit() and 16 <= int(side) <= 8192 for side in sides):
        return 1920, 1080
    flask_session["output"] = wish
    return int(sides[0]), int(sides[1])


@blueprint.post("/pictures/<int:picture_id>/remove")
@login_required
def remove(picture_id: int) -> Any:
    """Take a picture out of its project."""
    picture = projects.find_picture(session(), person_id(), picture_id)
    project_id = picture.project_id
    used = shots.shots_showing(session(), project_id, picture.file, picture.original)
    pictures.remove_picture(session(), picture, used)
    session().commit()
    if request.headers.get("HX-Request"):
        return "", 204, {"HX-Trigger": "picturechange"}
    return redirect(url_for("pictures.bench", project_id=project_id))


@blueprint.post("/pictures/<int:picture_id>/frame")
@login_required
def take_frame(picture_id: int) -> Any:
    """Bring a frame of a picture that moves in as a picture of its own."""
    picture = projects.find_picture(session(), person_id(), picture_id)
    frame = request.form.get("frame", -1, type=int)
    task = intake.take_frame(session(), picture, frame, person_id=person_id())
    session().commit()
    tasks.announce(task)
    return "", 204, {"HX-Trigger": "taskchange"}


@blueprint.get("/pictures/<int:picture_id>/preview.webp")
@login_required
def preview(picture_id: int) -> Any:
    """Send a picture as the browser draws it; content never changes, so it may be kept."""
    picture = projects.find_picture(session(), person_id(), picture_id)
    file = picture.original if "original" in request.args else picture.file
    path = services().library.preview(file, thumbnail="thumb" in request.args)
    return send_kept(path)


@blueprint.post("/projects/<int:project_id>/shots")
@login_required
def start_shot(project_id: int) -> Any:
    """Start a shot from chosen pictures."""
    projects.find_project(session(), person_id(), project_id)
    form = request.form
    chosen = [
        picture
        for key in form.getlist("picture", type=int)
        if (picture := session().get(Picture, key)) and picture.project_id == project_id
    ]
    width, height = _frame_size()
    rate = parse_rate(form.get("own_rate") or form.get("rate", "24"))
    row, remarks = starting.start_shot(
        session(),
        services().library,
        chosen,
        ShotWanted(
            name=form.get("name", ""),
            width=width,
            height=height,
            rate=str(rate),
            duration=round(_seconds() * rate),
        ),
        person_id=person_id(),
        round_them=form.get("round_them", ""),
        captions="captions" in form,
    )
    session().commit()
    for remark in remarks:
        flash(remark)
    return redirect(url_for("shots.arrange", shot_id=row.id))


def _frame_size() -> tuple[int, int]:
    form = request.form
    if form.get("size", "own") == "own":
        width, height = form.get("width", type=int), form.get("height", type=int)
    else:
        sides = form["size"].split("x")
        width, height = (int(side) for side in sides) if sides[0].isdigit() else (None, None)
    if not width or not height:
        raise Refused("Give the frame's width and height in whole pixels, such as 1920 and 1080.")
    return width, height


def _seconds() -> float:
    seconds = request.form.get("seconds", type=float)
    if seconds is None or not 0 < seconds <= 3600:
        raise Refused("Give the shot's length in seconds, above 0 and up to 3600.")
    return seconds
