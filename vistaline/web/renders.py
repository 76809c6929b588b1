"""Renders that were asked for: their list, of one shot or of all; stopping, fetching, ordering."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from flask import Blueprint, jsonify, redirect, render_template, request, send_file, url_for
from flask_login import login_required

from vistaline.actions import projects, render_list, renders
from vistaline.actions.errors import NotFound
from vistaline.core.delivery.delivery import Delivery
from vistaline.core.formats.encoders import Encoder
from vistaline.core.formats.outputs import encoder_called
from vistaline.store.models import ACTIVE, FilmRow, JobState, RenderJob, ShotRow
from vistaline.web.context import person_id, say_if_delayed, services, session

__all__ = ["addresses_of", "blueprint", "changed", "list_of", "listed_jobs"]

blueprint = Blueprint("renders", __name__)


@dataclass(frozen=True, kw_only=True)
class ListedJob:
    """A render as a list shows it; what a list does not show is not found out."""

    job: RenderJob
    progress: renders.RenderProgress

    @property
    def encoder(self) -> Encoder:
        """What it becomes."""
        return encoder_called(self.job.delivery["output"])

    @property
    def delivery(self) -> Delivery:
        """All that was chosen."""
        return renders.delivery_of(self.job)

    @property
    def active(self) -> bool:
        """Whether something is still to be done."""
        return self.job.state in ACTIVE


def listed_jobs(jobs: Sequence[RenderJob]) -> dict[str, Any]:
    """Return what a list of renders shows."""
    progress = renders.progress_of(session(), jobs)
    found = [ListedJob(job=job, progress=progress[job.id]) for job in jobs]
    return {"jobs": found, "active": any(each.active for each in found)}


def addresses_of(row: ShotRow | FilmRow) -> dict[str, str]:
    """Return where renders of a shot or film are listed, asked for and measured."""
    what = "film" if isinstance(row, FilmRow) else "shot"
    number = row.project_id if isinstance(row, FilmRow) else row.id
    names = ("jobs", "start", "expected", "ask", "match_file", "keep", "forget")
    return {name: url_for(f"output.{name}", what=what, number=number) for name in names}


def list_of(row: ShotRow | FilmRow) -> Any:
    """Answer with the list of a shot's or a film's renders."""
    found = listed_jobs(renders.jobs_of(session(), row))
    return render_template("output/_jobs.html", addresses=addresses_of(row), **found)


def changed(row: ShotRow | FilmRow) -> Any:
    """Answer what changed a render with the list it was changed in; without scripts, its bench."""
    if request.form.get("of") == "all":
        return rows()
    if request.headers.get("HX-Request"):
        return list_of(row)
    if isinstance(row, FilmRow):
        return redirect(url_for("output.film_bench", project_id=row.project_id))
    return redirect(url_for("output.bench", shot_id=row.id))


@blueprint.get("/renders")
@login_required
def index() -> Any:
    """All renders of a person's projects: those to do, and those that ended."""
    return render_template(
        "output/renders.html",
        to_do=_to_do(),
        ended=_ended(),
        projects=projects.projects_of(session(), person_id()),
    )


@blueprint.get("/renders/to-do")
@login_required
def to_do() -> Any:
    """Those to do; asks for itself again. Says when one that was ``known`` has ended."""
    known = {int(each) for each in request.args.get("known", "").split() if each.isdigit()}
    found = _to_do()
    gone = known - {each.job.id for each in found["jobs"]}
    page = render_template("output/_to_do.html", to_do=found)
    return page, 200, {"HX-Trigger": "rendersended"} if gone else {}


@blueprint.get("/renders/ended")
@login_required
def ended() -> Any:
    """Those that ended; asked for when another has."""
    return render_template("output/_ended.html", ended=_ended())


def _to_do() -> dict[str, Any]:
    found = listed_jobs(render_list.to_do_of(session(), person_id()))
    return found | {"urgencies": render_list.URGENCIES}


def _ended() -> dict[str, Any]:
    return listed_jobs(render_list.ended_of(session(), person_id()))


def rows() -> Any:
    """Answer what changed a render in the list of all."""
    page = render_template("output/_to_do.html", to_do=_to_do())
    return page, 200, {"HX-Trigger": "rendersended"}


@blueprint.post("/renders/order")
@login_required
def put() -> Any:
    """Put a render at a place among those that are to be done."""
    job = _job(request.form.get("thing", 0, type=int))
    render_list.put(session(), person_id(), job, request.form.get("to", 0, type=int))
    session().commit()
    return rows()


@blueprint.post("/renders/<int:job_id>/urgency")
@login_required
def urgency(job_id: int) -> Any:
    """Say how urgent a render is."""
    render_list.make_urgent(_job(job_id), request.form.get("urgency", -1, type=int))
    session().commit()
    return rows()


@blueprint.post("/projects/<int:project_id>/keep-renders")
@login_required
def keep_for(project_id: int) -> Any:
    """Say for how many days a project keeps what is finished."""
    project = projects.find_project(session(), person_id(), project_id)
    render_list.keep_for(project, request.form.get("days", type=int))
    session().commit()
    return rows()


@blueprint.get("/renders/<int:job_id>/log")
@login_required
def log(job_id: int) -> Any:
    """What happened to a render, line by line."""
    job = _job(job_id)
    return render_template("output/log.html", job=job, notes=renders.log_of(session(), job))


@blueprint.get("/renders/<int:job_id>/made.json")
@login_required
def made(job_id: int) -> Any:
    """What made a render: version, hash, frames, and all that was chosen."""
    job = _job(job_id)
    answer = jsonify(renders.made_of(job))
    name = f"{renders.file_name(job)}.json"
    answer.headers.set("Content-Disposition", "attachment", filename=name)
    return answer


@blueprint.post("/renders/<int:job_id>/stop")
@login_required
def stop(job_id: int) -> Any:
    """Stop a render; what is finished is kept."""
    job = _job(job_id)
    renders.stop_render(session(), job)
    session().commit()
    return changed(job.of)


@blueprint.post("/renders/<int:job_id>/resume")
@login_required
def resume(job_id: int) -> Any:
    """Let a stopped render go on."""
    job = _job(job_id)
    say_if_delayed(renders.resume_render(session(), job, services().queue))
    return changed(job.of)


@blueprint.post("/renders/<int:job_id>/again")
@login_required
def again(job_id: int) -> Any:
    """Render the same once more, of the shot as it was then."""
    job = renders.render_again(session(), _job(job_id))
    session().commit()
    say_if_delayed(renders.announce(services().queue, job))
    return changed(job.of)


@blueprint.post("/renders/<int:job_id>/remove")
@login_required
def remove(job_id: int) -> Any:
    """Remove a render and its files."""
    job = _job(job_id)
    row = job.of
    renders.remove_render(session(), services().library, job)
    session().commit()
    return changed(row)


@blueprint.post("/renders/<int:job_id>/name")
@login_required
def rename(job_id: int) -> Any:
    """Give a render another name."""
    job = _job(job_id)
    renders.rename_render(job, request.form.get("name", ""))
    session().commit()
    return changed(job.of)


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
    """Send a finished clip, a frame, or an archive of frames."""
    job = _job(job_id)
    if job.state is not JobState.DONE:
        raise NotFound("This render is not finished. Come back when it is.")
    return send_file(
        services().library.files.path(job.result),
        as_attachment="show" not in request.args,
        download_name=renders.file_name(job),
        conditional=True,
    )


def _job(job_id: int) -> RenderJob:
    return projects.find_job(session(), person_id(), job_id)
