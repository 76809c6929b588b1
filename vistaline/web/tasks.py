"""Picture tasks on the screen: how far they are, stopping them, answering what they ask."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

from flask import Blueprint, Response, render_template, request, send_file
from flask_login import login_required
from sqlalchemy import select

from vistaline.actions import intake, projects, tasks
from vistaline.actions.errors import NotFound
from vistaline.core.formats.incoming import small_part
from vistaline.store.models import ACTIVE, JobState, PictureTask, SheetRow, ShotRow, TaskKind
from vistaline.web.context import person_id, say_if_delayed, services, session

__all__ = ["announce", "blueprint", "panel", "stamp_of"]

blueprint = Blueprint("tasks", __name__)

_SHOWN = {
    "pictures": (TaskKind.IMPORT, TaskKind.PREPARE, TaskKind.UNPACK),
    "prepare": (TaskKind.PREPARE,),
    "desk": (TaskKind.STRAIGHTEN, TaskKind.UNBOW, TaskKind.FIND_EDGES, TaskKind.CLOTH),
    "output": (TaskKind.SCENE, TaskKind.SHEET, TaskKind.LAYERS, TaskKind.PACK),
    "separate": (
        TaskKind.EDGES,
        TaskKind.SEND,
        TaskKind.EXPORT,
        TaskKind.PREPARE,
        TaskKind.DEPTH,
        TaskKind.RAISE,
    ),
}
_QUIET_WHEN_DONE = (
    TaskKind.IMPORT, TaskKind.PREPARE, TaskKind.EDGES, TaskKind.STRAIGHTEN, TaskKind.UNBOW,
    TaskKind.FIND_EDGES, TaskKind.DEPTH, TaskKind.CLOTH,
)  # fmt: skip
_MAKES_A_FILE = (TaskKind.EXPORT, TaskKind.STRAIGHTEN, TaskKind.SCENE, TaskKind.PACK)
_THUMBNAIL = 260


def announce(*found: PictureTask | None) -> None:
    """Tell the workers, after the commit, of tasks that were just kept."""
    for task in found:
        if task is not None:
            say_if_delayed(services().queue.announce_task(task.id))


@blueprint.get("/projects/<int:project_id>/tasks")
@login_required
def of_project(project_id: int) -> Any:
    """The tasks a bench shows; the panel asks for itself again while one is running."""
    projects.find_project(session(), person_id(), project_id)
    bench = request.args.get("bench", "pictures")
    args = request.args
    return panel(project_id, bench, args.get("picture", type=int), args.get("shot", type=int))


def panel(
    project_id: int, bench: str, picture_id: int | None = None, shot_id: int | None = None
) -> Any:
    """Return the panel; an event says when something was finished since it was last asked for."""
    kinds = _SHOWN.get(bench, _SHOWN["pictures"])
    found = tasks.tasks_of(session(), project_id, kinds, picture_id=picture_id, shot_id=shot_id)
    stamp = _stamp(found)
    shown = [
        task
        for task in found
        if not (task.state is JobState.DONE and _quiet(task)) and task.state is not JobState.ASKING
    ]
    page = render_template(
        "pictures/_tasks.html",
        tasks=shown,
        active=any(task.state in ACTIVE for task in found),
        stamp=stamp,
        project_id=project_id,
        picture_id=picture_id,
        shot_id=shot_id,
        bench=bench,
    )
    news = "stamp" in request.args and request.args["stamp"] != stamp
    ended = [task for task in found if task.finished]
    last = max(ended, key=lambda task: str(task.finished), default=None)
    return page, 200, {"HX-Trigger": _news(project_id, shot_id, last)} if news else {}


def stamp_of(project_id: int, bench: str) -> str:
    """Return what a bench's panel would stamp now: a page that is sent with it misses no news."""
    return _stamp(tasks.tasks_of(session(), project_id, _SHOWN[bench]))


def _stamp(found: Sequence[PictureTask]) -> str:
    """Return what changes whenever one of the tasks is finished, or asks something."""
    done = [task.finished for task in found if task.finished]
    asking = sum(task.state is JobState.ASKING for task in found)
    return f"{max(done).isoformat() if done else ''}/{asking}"


def _quiet(task: PictureTask) -> bool:
    """Whether what a task made shows by itself, so that nothing need be said of it."""
    shown = ("file" in task.result and task.kind is not TaskKind.DEPTH) or (
        task.kind is TaskKind.UNBOW and bool(task.result.get("remarks"))
    )
    return task.kind in _QUIET_WHEN_DONE and not shown


def _news(project_id: int, shot_id: int | None, last: PictureTask | None) -> str:
    """Return the event for what finished last: pictures, a sheet or the shot have changed by it."""
    if last is not None and last.kind is TaskKind.DEPTH:
        sheet = session().scalar(select(SheetRow).where(SheetRow.picture_id == last.picture_id))
        if sheet is not None:
            return json.dumps({"sheetchange": {"version": sheet.version}})
    row = session().get(ShotRow, shot_id) if shot_id else None
    if row is None or row.project_id != project_id:
        return "picturechange"
    return json.dumps({"shotchange": {"version": row.version}})


@blueprint.get("/projects/<int:project_id>/asking")
@login_required
def asking(project_id: int) -> Any:
    """The files that ask which of their parts shall come in.

    Apart from the other tasks: that list is replaced while it is followed, and what somebody
    has ticked or typed here must not be.
    """
    projects.find_project(session(), person_id(), project_id)
    found = tasks.tasks_of(session(), project_id, (TaskKind.IMPORT,))
    waiting = [task for task in found if task.state is JobState.ASKING]
    return render_template("pictures/_asking.html", tasks=waiting)


@blueprint.post("/tasks/<int:task_id>/<any(stop, resume, forget):deed>")
@login_required
def act(task_id: int, deed: str) -> Any:
    """Stop a task, do it again, or take it off the list."""
    task = tasks.find_task(session(), person_id(), task_id)
    project_id, picture_id, shot_id = task.project_id, task.picture_id, task.shot_id
    if deed == "stop":
        tasks.stop_task(session(), task)
    elif deed == "forget":
        tasks.forget_task(session(), task)
    else:
        say_if_delayed(tasks.resume_task(session(), task, services().queue))
    session().commit()
    bench = request.args.get("bench", "pictures")
    page, status, headers = panel(
        project_id, bench, None if bench == "pictures" else picture_id, shot_id
    )
    return page, status, headers | {"HX-Trigger": "taskchange"}


@blueprint.post("/tasks/<int:task_id>/parts")
@login_required
def parts(task_id: int) -> Any:
    """Bring in the parts that were chosen."""
    task = tasks.find_task(session(), person_id(), task_id)
    project_id = task.project_id
    started = intake.choose_parts(
        session(),
        task,
        request.form.getlist("part", type=int),
        height=request.form.get("height", type=int),
    )
    session().commit()
    announce(*started)
    return asking(project_id), 200, {"HX-Trigger": "taskchange"}


@blueprint.get("/tasks/<int:task_id>/parts/<int:index>.png")
@login_required
def part(task_id: int, index: int) -> Any:
    """Send a small picture of one part."""
    task = tasks.find_task(session(), person_id(), task_id)
    path = services().library.files.path(task.arguments["file"])
    response = Response(small_part(path, task.name, index, _THUMBNAIL), mimetype="image/png")
    response.cache_control.private = True
    response.cache_control.max_age = 3600
    return response


@blueprint.get("/tasks/<int:task_id>/file")
@login_required
def file(task_id: int) -> Any:
    """Send what an export made."""
    task = tasks.find_task(session(), person_id(), task_id)
    path = services().library.files.path(task.result.get("file", "-"))
    if task.kind not in _MAKES_A_FILE or not path.is_file():
        raise NotFound("This file is not there any more. Have it made again.")
    name = task.result.get("name", f"{task.name}.ora")
    return send_file(path, as_attachment=True, download_name=name)
