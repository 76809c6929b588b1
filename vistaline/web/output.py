"""The Output bench: asking for clips, watching them come, fetching them."""

from __future__ import annotations

import io
import re
from typing import Any

from flask import Blueprint, redirect, render_template, request, send_file, url_for
from flask_login import login_required

from vistaline.actions import films, projects, renders, shots
from vistaline.actions.errors import NotFound
from vistaline.actions.rooms import ask_of_shot
from vistaline.core.film.timeline import Timeline
from vistaline.core.foresight.watch import findings
from vistaline.core.formats.campath import camera_path, path_csv, path_json
from vistaline.core.formats.outputs import ENCODERS
from vistaline.store.models import FilmRow, JobState, RenderJob, ShotRow, TaskKind
from vistaline.web import tasks
from vistaline.web.context import person_id, say_if_delayed, services, session
from vistaline.web.output_fields import chosen_of, fields_of, outputs_by_use

__all__ = ["blueprint"]

blueprint = Blueprint("output", __name__)


@blueprint.get("/shots/<int:shot_id>/output")
@login_required
def bench(shot_id: int) -> Any:
    """The Output bench."""
    row = projects.find_shot(session(), person_id(), shot_id)
    shot = shots.current_shot(session(), row)
    undone, redone = shots.undo_labels(session(), row)
    return render_template(
        "output/output.html",
        row=row,
        shot=shot,
        project=row.project,
        bench="output",
        undone=undone,
        redone=redone,
        duration=shot.duration,
        findings=findings(shot),
        **jobs_facts(row),
    )


@blueprint.get("/shots/<int:shot_id>/camera.<any(csv, json):kind>")
@login_required
def camera(shot_id: int, kind: str) -> Any:
    """Send the camera's path, a row a frame, for another program."""
    row = projects.find_shot(session(), person_id(), shot_id)
    shot = shots.current_shot(session(), row)
    rows = camera_path(shot)
    text = path_csv(rows) if kind == "csv" else path_json(shot, rows)
    mimetype = "text/csv" if kind == "csv" else "application/json"
    name = f"{_plain(shot.name)}-camera.{kind}"
    return send_file(
        io.BytesIO(text.encode()), mimetype=mimetype, as_attachment=True, download_name=name
    )


@blueprint.post("/shots/<int:shot_id>/<any(scene, pack):what>")
@login_required
def hand_over(shot_id: int, what: str) -> Any:
    """Let a worker write a shot for another program, or pack it; the list shows how far it is."""
    row = projects.find_shot(session(), person_id(), shot_id)
    wish = {"position": row.position}
    task, new = ask_of_shot(session(), row, TaskKind(what), row.name, wish, person_id=person_id())
    session().commit()
    if new:
        tasks.announce(task)
    return {"task": task.id}, 202, {"HX-Trigger": "taskchange", "HX-Reswap": "none"}


@blueprint.get("/projects/<int:project_id>/film/output")
@login_required
def film_bench(project_id: int) -> Any:
    """The renders of a project's film."""
    row = _film(project_id)
    film = films.current_film(session(), row)
    undone, redone = films.undo_labels(session(), row)
    return render_template(
        "output/output.html",
        film_row=row,
        shot=film,
        project=row.project,
        bench="film",
        undone=undone,
        redone=redone,
        duration=Timeline(film).duration,
        findings=[],
        **jobs_facts(row),
    )


@blueprint.get("/shots/<int:shot_id>/renders")
@login_required
def jobs(shot_id: int) -> Any:
    """The list of renders; asks for itself again while one is running."""
    row = projects.find_shot(session(), person_id(), shot_id)
    return render_template("output/_jobs.html", **jobs_facts(row))


@blueprint.get("/projects/<int:project_id>/film/renders")
@login_required
def film_jobs(project_id: int) -> Any:
    """The list of a film's renders; asks for itself again while one is running."""
    return render_template("output/_jobs.html", **jobs_facts(_film(project_id)))


def _film(project_id: int) -> FilmRow:
    project = projects.find_project(session(), person_id(), project_id)
    return films.film_of(session(), project)


def _addresses(row: ShotRow | FilmRow) -> dict[str, str]:
    """Return where renders of a shot or film are listed, asked for and measured."""
    if isinstance(row, FilmRow):
        names = {"jobs": "film_jobs", "start": "film_start", "expected": "film_expected"}
        where: dict[str, Any] = {"project_id": row.project_id}
    else:
        names = {"jobs": "jobs", "start": "start", "expected": "expected"}
        where = {"shot_id": row.id}
    return {key: url_for(f"output.{name}", **where) for key, name in names.items()}


def jobs_facts(row: ShotRow | FilmRow) -> dict[str, Any]:
    """Return what the list of renders of a shot or film shows."""
    found = renders.jobs_of(session(), row)
    return {
        "addresses": _addresses(row),
        "jobs": [
            (
                job,
                renders.progress_of(session(), job),
                renders.newest_frame(services().library, job) is not None,
            )
            for job in found
        ],
        "encoders": ENCODERS,
        "by_use": outputs_by_use(),
        "fields_of": fields_of,
        "active": any(job.state in (JobState.WAITING, JobState.RUNNING) for job in found),
    }


@blueprint.get("/shots/<int:shot_id>/renders/expected")
@login_required
def expected(shot_id: int) -> Any:
    """About how long a frame takes in each quality; measured on a small one, once a version."""
    return _expected(projects.find_shot(session(), person_id(), shot_id))


@blueprint.get("/projects/<int:project_id>/film/renders/expected")
@login_required
def film_expected(project_id: int) -> Any:
    """About how long a frame of the film takes in each quality."""
    return _expected(_film(project_id))


def _expected(row: ShotRow | FilmRow) -> Any:
    seconds = services().kept.expected.get(
        (type(row).__name__, row.id, row.version),
        lambda: renders.expected_seconds(session(), row, services().library),
    )
    return render_template(
        "output/_expected.html", addresses=_addresses(row), seconds=seconds, measured=True
    )


@blueprint.post("/shots/<int:shot_id>/renders")
@login_required
def start(shot_id: int) -> Any:
    """Ask for a render."""
    return _start(projects.find_shot(session(), person_id(), shot_id))


@blueprint.post("/projects/<int:project_id>/film/renders")
@login_required
def film_start(project_id: int) -> Any:
    """Ask for a render of the film, as one clip."""
    return _start(_film(project_id))


def _start(row: ShotRow | FilmRow) -> Any:
    form = request.form
    job = renders.start_render(
        session(),
        row,
        kind=form.get("kind", "mp4"),
        scale=form.get("percent", 100.0, type=float) / 100,
        quality=form.get("quality", "standard"),
        first=form.get("first", 0, type=int),
        last=form.get("last", type=int),
        options=chosen_of(form.get("kind", "mp4"), form),
    )
    session().commit()
    say_if_delayed(renders.announce(services().queue, job))
    return _list(row)


@blueprint.post("/renders/<int:job_id>/stop")
@login_required
def stop(job_id: int) -> Any:
    """Stop a render; what is finished is kept."""
    job = _job(job_id)
    renders.stop_render(session(), job)
    session().commit()
    return _list(job.of)


@blueprint.post("/renders/<int:job_id>/resume")
@login_required
def resume(job_id: int) -> Any:
    """Let a stopped render go on."""
    job = _job(job_id)
    say_if_delayed(renders.resume_render(session(), job, services().queue))
    return _list(job.of)


@blueprint.post("/renders/<int:job_id>/remove")
@login_required
def remove(job_id: int) -> Any:
    """Remove a render and its files."""
    job = _job(job_id)
    row = job.of
    renders.remove_render(session(), services().library, job)
    session().commit()
    return _list(row)


@blueprint.post("/renders/<int:job_id>/name")
@login_required
def rename(job_id: int) -> Any:
    """Give a render another name."""
    job = _job(job_id)
    renders.rename_render(job, request.form.get("name", ""))
    session().commit()
    return _list(job.of)


@blueprint.get("/renders/<int:job_id>/newest.jpg")
@login_required
def newest(job_id: int) -> Any:
    """Send a small picture of a render's newest frame."""
    path = renders.newest_frame(services().library, _job(job_id))
    if path is None:
        raise NotFound("No frame of this render is finished yet.")
    return send_file(path, mimetype="image/jpeg", max_age=0)


@blueprint.get("/renders/<int:job_id>/result")
@login_required
def result(job_id: int) -> Any:
    """Send a finished clip or archive of frames."""
    job = _job(job_id)
    if job.state is not JobState.DONE:
        raise NotFound("This render is not finished. Come back when it is.")
    path = services().library.files.path(job.result)
    stem = _plain(job.name)
    return send_file(
        path,
        as_attachment="show" not in request.args,
        download_name=f"{stem}-{job.id}{path.suffix}",
        conditional=True,
    )


def _plain(name: str) -> str:
    """Return a name as files can be called on every system."""
    return re.sub(r"[^A-Za-z0-9]+", "-", name).strip("-").lower() or "shot"


def _job(job_id: int) -> RenderJob:
    return projects.find_job(session(), person_id(), job_id)


def _list(row: ShotRow | FilmRow) -> Any:
    if request.headers.get("HX-Request"):
        return render_template("output/_jobs.html", **jobs_facts(row))
    if isinstance(row, FilmRow):
        return redirect(url_for("output.film_bench", project_id=row.project_id))
    return redirect(url_for("output.bench", shot_id=row.id))
