"""The Output bench: what a shot, or a film, is to become."""

from __future__ import annotations

import io
from collections.abc import Callable
from contextlib import closing
from typing import Any, BinaryIO, TypeVar, cast

from flask import Blueprint, render_template, request, send_file
from flask_login import login_required

from vistaline.actions import expecting, films, kept_deliveries, projects, renders, shots
from vistaline.actions.cutting_lists import cut_list
from vistaline.actions.errors import Refused
from vistaline.actions.rooms import ask_of_shot
from vistaline.core.delivery.delivery import Delivery
from vistaline.core.delivery.matching import match
from vistaline.core.delivery.naming import TOKENS, plain
from vistaline.core.film.film import Film
from vistaline.core.foresight.watch import findings
from vistaline.core.formats.campath import camera_path, path_csv, path_json
from vistaline.core.shot.shot import Shot
from vistaline.core.timing import RATE_PRESETS
from vistaline.store.models import FilmRow, ShotRow, TaskKind
from vistaline.web import tasks
from vistaline.web.context import person_id, say_if_delayed, sent_file, services, session
from vistaline.web.expectation import cost_of, duration_in, expectation
from vistaline.web.frames import SIZES
from vistaline.web.output_fields import delivery_in, fields_of, outputs_by_use, stretch_in
from vistaline.web.renders import addresses_of, changed, list_of, listed_jobs

__all__ = ["blueprint"]

blueprint = Blueprint("output", __name__)
View = TypeVar("View", bound=Callable[..., Any])


@blueprint.get("/shots/<int:shot_id>/output")
@login_required
def bench(shot_id: int) -> Any:
    """The Output bench."""
    row = projects.find_shot(session(), person_id(), shot_id)
    shot = shots.current_shot(session(), row)
    return _bench(row, shot, {"bench": "output", "row": row, "findings": findings(shot)})


@blueprint.get("/projects/<int:project_id>/film/output")
@login_required
def film_bench(project_id: int) -> Any:
    """The renders of a project's film."""
    row = _film(project_id)
    film = films.current_film(session(), row)
    facts = {"bench": "film", "film_row": row, "film": film, "findings": []}
    return _bench(row, film, facts | {"sizes": SIZES, "rates": RATE_PRESETS})


def _bench(row: ShotRow | FilmRow, reel: Shot | Film, facts: dict[str, Any]) -> Any:
    actions: Any = shots if isinstance(row, ShotRow) else films
    undone, redone = actions.undo_labels(session(), row)
    return render_template(
        "output/output.html",
        project=row.project,
        undone=undone,
        redone=redone,
        **facts,
        **_asked(row, reel, renders.last_delivery(session(), row)),
        **listed_jobs(renders.jobs_of(session(), row)),
    )


def _asked(row: ShotRow | FilmRow, reel: Shot | Film, delivery: Delivery) -> dict[str, Any]:
    """Return what the form that asks for a render shows."""
    return {
        "shot": reel,
        "delivery": delivery,
        "duration": duration_in(reel),
        "takes": [each.name for each in reel.takes] if isinstance(reel, Shot) else [],
        "cameras": [each.name for each in reel.cameras] if isinstance(reel, Shot) else [],
        "by_use": outputs_by_use(),
        "fields_of": fields_of,
        "tokens": TOKENS,
        "kept": kept_deliveries.deliveries_in(session(), row.project_id),
        "addresses": addresses_of(row),
    }


def _of(rule: str, method: str) -> Callable[[View], View]:
    """Serve a shot's address, and the same of a project's film; with what it is and its number."""

    def served(view: View) -> View:
        for start, what in (
            ("/shots/<int:number>", "shot"),
            ("/projects/<int:number>/film", "film"),
        ):
            view = blueprint.route(f"{start}/{rule}", methods=[method], defaults={"what": what})(
                view
            )
        return view

    return served


def _row(what: str, number: int) -> ShotRow | FilmRow:
    if what == "film":
        return _film(number)
    return projects.find_shot(session(), person_id(), number)


def _film(project_id: int) -> FilmRow:
    project = projects.find_project(session(), person_id(), project_id)
    return films.film_of(session(), project)


def _reel(row: ShotRow | FilmRow) -> Shot | Film:
    if isinstance(row, FilmRow):
        return films.current_film(session(), row)
    return shots.current_shot(session(), row)


@_of("renders", "GET")
@login_required
def jobs(what: str, number: int) -> Any:
    """The list of renders; asks for itself again while one is running."""
    return list_of(_row(what, number))


@_of("renders", "POST")
@login_required
def start(what: str, number: int) -> Any:
    """Ask for renders: one for each chosen take by each chosen camera."""
    row, form = _row(what, number), request.form
    reel, delivery = _reel(row), delivery_in(form)
    first, last = stretch_in(form, duration_in(reel))
    asked = renders.start_renders(
        session(),
        row,
        delivery,
        first=first,
        last=last,
        takes=form.getlist("take") or [""],
        cameras=form.getlist("camera") or [""],
    )
    if cost := cost_of(row, delivery):
        expecting.check_space(services().library, asked, cost, float(reel.frame.rate))
    session().commit()
    say_if_delayed(all([renders.announce(services().queue, job) for job in asked]))
    return changed(row)


@_of("renders/ask", "GET")
@login_required
def ask(what: str, number: int) -> Any:
    """The form as a kept choice fills it."""
    row, kept = _row(what, number), request.args.get("kept", type=int)
    if kept:
        delivery = kept_deliveries.kept_delivery(session(), row.project_id, kept)
    else:
        delivery = Delivery()
    return _form(row, delivery, kept_id=kept)


def _form(row: ShotRow | FilmRow, delivery: Delivery, **facts: Any) -> Any:
    asked = _asked(row, _reel(row), delivery)
    key = "film_row" if isinstance(row, FilmRow) else "row"
    return render_template("output/_ask.html", **{key: row}, **asked, **facts)


@_of("renders/match", "POST")
@login_required
def match_file(what: str, number: int) -> Any:
    """The form filled so that renders become like a clip, or a frame, that is sent."""
    row = _row(what, number)
    frame, library = _reel(row).frame, services().library
    with closing(sent_file("clip")) as file:
        name = file.filename or "The clip"
        with library.files.receive(cast(BinaryIO, file.stream)) as incoming:
            matched = match(incoming.path, name, frame.size, frame.rate)
    return _form(row, matched.delivery, matched=(name, matched.words))


@_of("renders/keep", "POST")
@login_required
def keep(what: str, number: int) -> Any:
    """Keep what is chosen by a name, for all shots of the project."""
    row, delivery = _row(what, number), delivery_in(request.form)
    name = request.form.get("kept_name", "")
    kept = kept_deliveries.keep_delivery(session(), row.project_id, name, delivery)
    session().commit()
    return _form(row, delivery, kept_id=kept.id)


@_of("renders/forget", "POST")
@login_required
def forget(what: str, number: int) -> Any:
    """Forget what was kept by a name; the form stays as it is."""
    row, delivery = _row(what, number), delivery_in(request.form)
    kept_deliveries.forget_delivery(
        session(), row.project_id, request.form.get("kept", 0, type=int)
    )
    session().commit()
    return _form(row, delivery)


@_of("renders/expected", "GET")
@login_required
def expected(what: str, number: int) -> Any:
    """About how long it takes and how large it will be, as the form stands."""
    row = _row(what, number)
    return render_template("output/_expected.html", **expectation(row, _reel(row), request.args))


@blueprint.get("/shots/<int:shot_id>/camera.<any(csv, json):kind>")
@login_required
def camera(shot_id: int, kind: str) -> Any:
    """Send the camera's path, a row a frame, for another program."""
    row = projects.find_shot(session(), person_id(), shot_id)
    shot = shots.current_shot(session(), row)
    rows = camera_path(shot)
    text = path_csv(rows) if kind == "csv" else path_json(shot, rows)
    mimetype = "text/csv" if kind == "csv" else "application/json"
    name = f"{plain(shot.name) or 'shot'}-camera.{kind}"
    return send_file(
        io.BytesIO(text.encode()), mimetype=mimetype, as_attachment=True, download_name=name
    )


@blueprint.post("/shots/<int:shot_id>/<any(scene, sheet, layers, pack):what>")
@login_required
def hand_over(shot_id: int, what: str) -> Any:
    """Let a worker write a shot for another program, or pack it; the list shows how far it is."""
    row = projects.find_shot(session(), person_id(), shot_id)
    wish: dict[str, Any] = {"position": row.position}
    if what == "sheet":
        wish["as"] = "pdf" if request.form.get("as") == "pdf" else "png"
    if what == "layers":
        wish["frame"] = _frame(shots.current_shot(session(), row))
    task, new = ask_of_shot(session(), row, TaskKind(what), row.name, wish, person_id=person_id())
    session().commit()
    if new:
        tasks.announce(task)
    return {"task": task.id}, 202, {"HX-Trigger": "taskchange", "HX-Reswap": "none"}


def _frame(shot: Shot) -> int:
    """Return the frame that a form names."""
    frame = request.form.get("frame", 0, type=int)
    if not 0 <= frame < shot.duration:
        raise Refused(f"There are frames 0 to {shot.duration - 1}; choose one of them.")
    return frame


@_of("cuts.otio", "GET")
@login_required
def cuts(what: str, number: int) -> Any:
    """Send the cuts of a film, or a shot as one clip, for an editing program."""
    row = _row(what, number)
    name = plain(_reel(row).name) or "cuts"
    return send_file(
        io.BytesIO(cut_list(session(), row).encode()),
        mimetype="application/json",
        as_attachment=True,
        download_name=f"{name}.otio",
    )
