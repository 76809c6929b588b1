"""A picture's sheet over the web: its edits, undo and redo, and what both its benches need."""

from __future__ import annotations

import io
import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from flask import Blueprint, Response, render_template, request, send_file, url_for
from flask_login import login_required

from vistaline.actions import projects, sheets
from vistaline.actions.errors import NotFound, Refused
from vistaline.core.formats.incoming import picture_codes
from vistaline.core.picture.still import STILL_KINDS, encode_still
from vistaline.core.prepare.steps import push_in_limit
from vistaline.core.sheet.sheet import Sheet
from vistaline.store.models import Picture, PictureTask, SheetRow
from vistaline.web import tasks
from vistaline.web.context import person_id, services, session
from vistaline.web.editing import arguments, asked, change_asked_for, changed
from vistaline.web.pictures import SIZES, output_size

__all__ = ["Opened", "blueprint", "open_sheet", "page", "send_still"]

blueprint = Blueprint("sheets", __name__, url_prefix="/pictures")


@dataclass(frozen=True)
class Opened:
    """A picture with its sheet."""

    picture: Picture
    row: SheetRow
    sheet: Sheet


def open_sheet(picture_id: int) -> Opened:
    """Return a picture of this person and its sheet."""
    picture = projects.find_picture(session(), person_id(), picture_id)
    row = sheets.sheet_of(session(), services().library.files, picture)
    # Begun when first looked at: kept, so that two windows see one sheet.
    session().commit()
    return Opened(picture, row, sheets.current_sheet(session(), row))


def page(template: str, opened: Opened, bench: str, **more: Any) -> Any:
    """Render a page or a panel of one of the two benches."""
    picture, sheet = opened.picture, opened.sheet
    undone, redone = sheets.undo_labels(session(), opened.row)
    size, output = sheet.prepared_size, output_size()
    return render_template(
        template,
        picture=picture,
        sheet=sheet,
        row=opened.row,
        project=projects.find_project(session(), person_id(), picture.project_id),
        bench=bench,
        undone=undone,
        redone=redone,
        size=size,
        output=output,
        outputs=SIZES,
        limit=push_in_limit(size, output),
        kinds=STILL_KINDS,
        ready=size == (picture.width, picture.height),
        **more,
    )


@blueprint.post("/<int:picture_id>/edits/<verb>")
@login_required
def make_edit(picture_id: int, verb: str) -> Any:
    """Make an edit and keep it."""
    opened = open_sheet(picture_id)
    task = sheets.change_sheet(session(), opened.row, verb, arguments(), change_asked_for())
    return _answer(opened, task)


@blueprint.post("/<int:picture_id>/<any(undo, redo):way>")
@login_required
def step(picture_id: int, way: str) -> Any:
    """Take the last edit back, or make it again."""
    opened = open_sheet(picture_id)
    act = sheets.undo if way == "undo" else sheets.redo
    return _answer(opened, act(session(), opened.row, **asked()))


def _answer(opened: Opened, task: PictureTask | None) -> Any:
    answer = changed(
        "sheetchange",
        opened.row,
        url_for("prepare.bench", picture_id=opened.picture.id),
    )
    tasks.announce(task)
    return answer


@blueprint.post("/<int:picture_id>/steps/<int:index>")
@login_required
def step_values(picture_id: int, index: int) -> Any:
    """Change a step of preparing from its form: each field is one value of the step."""
    opened = open_sheet(picture_id)
    form = arguments()
    values = {key: _plain(value) for key, value in form.items()}
    for flag in request.form.getlist("flags"):
        values[flag] = request.form.get(flag) == "true"
    task = sheets.change_sheet(
        session(),
        opened.row,
        "set_step",
        {"index": index, "values": values},
        change_asked_for(),
    )
    return _answer(opened, task)


def _plain(value: Any) -> Any:
    """Return a form's value: a number or a list as such, else the word."""
    try:
        return json.loads(value) if isinstance(value, str) else value
    except ValueError:
        return value


@blueprint.get("/<int:picture_id>/panels/<any(prepare, separate):bench>/head")
@login_required
def head(picture_id: int, bench: str) -> Any:
    """Name, size, push-in limit, undo and redo."""
    return page("sheet/_sheet_head.html", open_sheet(picture_id), bench)


@blueprint.get("/<int:picture_id>/picture.<kind>")
@login_required
def still(picture_id: int, kind: str) -> Any:
    """Hand the prepared picture over in a format of the person's choice."""
    picture = projects.find_picture(session(), person_id(), picture_id)
    path = services().library.files.path(picture.file)
    codes = picture_codes(path, picture.name)
    if not picture.has_alpha:
        codes = codes[..., :3]
    return send_still(codes, kind, Path(picture.name).stem)


def send_still(codes: Any, kind: str, stem: str) -> Response:
    """Send codes as a picture file to be saved."""
    if kind not in STILL_KINDS:
        raise NotFound("This format is not written here.")
    if codes.size == 0:
        raise Refused("There is nothing to hand over.")
    extension = STILL_KINDS[kind][1]
    # Flask writes a name of any script as RFC 8187 says.
    return send_file(
        io.BytesIO(encode_still(codes, kind)),
        mimetype=f"image/{extension}",
        as_attachment=True,
        download_name=f"{stem}.{extension}",
    )
