"""The film page: a project's shots in a row, joined, played and rendered as one."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, render_template, request, url_for
from flask_login import login_required

from vistaline.actions import films, listing, projects
from vistaline.actions.errors import Refused
from vistaline.core.easing import EASE_NAMES
from vistaline.core.film.film import Film, JoinKind
from vistaline.core.film.timeline import Timeline
from vistaline.core.picture.still import encode_jpeg
from vistaline.core.render.film import FilmFrames, film_at
from vistaline.core.render.proof import told
from vistaline.core.shot.layouts import Side
from vistaline.core.timing import RATE_PRESETS, timecode
from vistaline.store.models import FilmRow
from vistaline.web.context import person_id, services, session
from vistaline.web.editing import arguments, asked, change_asked_for, changed
from vistaline.web.frames import SIZES

__all__ = ["blueprint"]

blueprint = Blueprint("film", __name__, url_prefix="/projects")

_JOINS = [
    ("cut", "cut"),
    (JoinKind.DISSOLVE.value, "dissolve"),
    (JoinKind.DIP.value, "dip to a colour"),
    (JoinKind.WIPE.value, "wipe"),
    (JoinKind.PUSH.value, "push"),
    (JoinKind.SWISH.value, "swish"),
]
_AT_ENDS = [("cut", "at once"), (JoinKind.DIP.value, "through a colour")]
_SIDES = [
    (Side.LEFT.value, "to the left"),
    (Side.RIGHT.value, "to the right"),
    (Side.TOP.value, "upwards"),
    (Side.BOTTOM.value, "downwards"),
]


def _open(project_id: int) -> tuple[FilmRow, Film]:
    project = projects.find_project(session(), person_id(), project_id)
    row = films.film_of(session(), project)
    return row, films.current_film(session(), row)


def _facts(row: FilmRow, film: Film) -> dict[str, Any]:
    undone, redone = films.undo_labels(session(), row)
    timeline = Timeline(film)
    return {
        "film_row": row,
        "shot": film,
        "film": film,
        "project": row.project,
        "undone": undone,
        "redone": redone,
        "timeline": timeline,
        "rows": films.shot_rows(session(), film),
        "unit": request.cookies.get("vistaline-unit", "frames"),
        "kept": _version(row, film),
    }


def _version(row: FilmRow, film: Film) -> str:
    """Return what tells this film, with its shots, from any other: for what a browser keeps."""
    shots = "-".join(f"{key}.{ref.version}" for key, ref in film.shots.items())
    return f"{row.version}-{shots}"


@blueprint.get("/<int:project_id>/film")
@login_required
def bench(project_id: int) -> Any:
    """The film page."""
    row, film = _open(project_id)
    session().commit()  # it may have been begun just now
    return render_template("film/film.html", bench="film", **_facts(row, film), **_panel(row, film))


@blueprint.get("/<int:project_id>/film/head")
@login_required
def head(project_id: int) -> Any:
    """The head of the page: name, format, undo and redo."""
    return render_template("film/_head.html", bench="film", **_facts(*_open(project_id)))


@blueprint.get("/<int:project_id>/film/strip")
@login_required
def strip(project_id: int) -> Any:
    """The pieces in their row."""
    return render_template("film/_strip.html", **_facts(*_open(project_id)))


@blueprint.get("/<int:project_id>/film/panel")
@login_required
def panel(project_id: int) -> Any:
    """The piece that is chosen, or the film as a whole."""
    row, film = _open(project_id)
    return render_template("film/_panel.html", **_facts(row, film), **_panel(row, film))


def _panel(row: FilmRow, film: Film) -> dict[str, Any]:
    wanted = request.args.get("piece", "")
    stretches = Timeline(film).stretches
    chosen = next((each for each in stretches if each.piece.id == wanted), None)
    return {
        "chosen": chosen,
        "place": stretches.index(chosen) if chosen else 0,
        "joins": _JOINS,
        "at_ends": _AT_ENDS,
        "sides_of_join": _SIDES,
        "eases": [(name, name) for name in EASE_NAMES],
        "shots": listing.shots_of(session(), row.project_id),
        "sizes": SIZES,
        "rates": RATE_PRESETS,
    }


@blueprint.get("/<int:project_id>/film/film.json")
@login_required
def facts(project_id: int) -> Any:
    """Send what the page plays by."""
    row, film = _open(project_id)
    timeline = Timeline(film)
    rate = film.frame.rate
    return {
        "version": row.version,
        "kept": _version(row, film),
        "width": film.frame.width,
        "height": film.frame.height,
        "rate": [rate.numerator, rate.denominator],
        "duration": timeline.duration,
        "frames": [{"timecode": timecode(n, rate)} for n in range(max(1, timeline.duration))],
        "pieces": [
            {
                "id": each.piece.id,
                "start": each.start,
                "stop": each.stop,
                "first": each.first,
                "last": each.last,
                "most": film.shots[each.piece.shot].frames,
                "pace": float(each.pace),
            }
            for each in timeline.stretches
        ],
    }


def _frames(film: Film, width: int) -> FilmFrames:
    small = film_at(film, min(1.0, width / film.frame.width))
    return FilmFrames(small, films.shots_of_film(session(), film), services().library.looks_of)


@blueprint.get("/<int:project_id>/film/proof")
@login_required
def proof(project_id: int) -> Any:
    """Send ``count`` rendered frames from ``n`` on, each as soon as it is there."""
    _, film = _open(project_id)
    args, duration = request.args, Timeline(film).duration
    first, count = args.get("n", 0, type=int), min(max(args.get("count", 8, type=int), 1), 48)
    if not 0 <= first < duration:
        raise Refused(f"The film has {duration} frames, counted from 0.")
    frames = range(first, min(first + count, duration))
    width = min(max(args.get("width", 480, type=int), 32), 1920)
    return _private(
        Response(told(_frames(film, width), frames), mimetype="application/octet-stream")
    )


@blueprint.get("/<int:project_id>/film/still.jpg")
@login_required
def still(project_id: int) -> Any:
    """Send one frame, small: the ends of a piece on the strip."""
    _, film = _open(project_id)
    duration = Timeline(film).duration
    if not duration:
        raise Refused("The film has no shots yet.")
    at = min(max(request.args.get("n", 0, type=int), 0), duration - 1)
    picture = encode_jpeg(_frames(film, 192).rgb(at), 82)
    return _private(Response(picture, mimetype="image/jpeg"))


def _private(response: Response) -> Response:
    response.cache_control.private = True
    response.cache_control.max_age = 3600 if request.args.get("v") else 0
    return response


# --- edits ------------------------------------------------------------------------------------


@blueprint.post("/<int:project_id>/film/edits/<verb>")
@login_required
def make_edit(project_id: int, verb: str) -> Any:
    """Make an edit and keep it."""
    row, _ = _open(project_id)
    films.change_film(session(), row, verb, arguments(), change_asked_for())
    return _changed(row)


@blueprint.post("/<int:project_id>/film/shots")
@login_required
def add(project_id: int) -> Any:
    """Add all of a shot to the film."""
    row, _ = _open(project_id)
    shot = projects.find_shot(session(), person_id(), request.form.get("shot", 0, type=int))
    at = request.form.get("at", type=int)
    films.add_shot(session(), row, shot, change_asked_for(), at=at)
    return _changed(row)


@blueprint.post("/<int:project_id>/film/undo")
@login_required
def undo(project_id: int) -> Any:
    """Take the last edit back."""
    row, _ = _open(project_id)
    films.undo(session(), row, **asked())
    return _changed(row)


@blueprint.post("/<int:project_id>/film/redo")
@login_required
def redo(project_id: int) -> Any:
    """Make an edit again that was taken back."""
    row, _ = _open(project_id)
    films.redo(session(), row, **asked())
    return _changed(row)


def _changed(row: FilmRow) -> Any:
    return changed("filmchange", row, url_for("film.bench", project_id=row.project_id))
