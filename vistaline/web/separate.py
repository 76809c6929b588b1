"""The Separate bench: cutting a picture into layers, filling what they hid, sending them on."""

from __future__ import annotations

from contextlib import closing, suppress
from pathlib import Path
from typing import Any, BinaryIO, cast

from flask import Blueprint, redirect, request, url_for
from flask_login import login_required

from vistaline.actions import plates, projects
from vistaline.actions import tasks as picture_tasks
from vistaline.actions.cuttings import Cuttings
from vistaline.actions.errors import NotFound, Refused
from vistaline.actions.listing import shots_of
from vistaline.actions.pictures import pictures_of
from vistaline.actions.sets import frame_like
from vistaline.core.errors import CoreError
from vistaline.core.picture.contrasting import contrasting_colour
from vistaline.core.sheet.sheet import EVERYTHING
from vistaline.core.timing import RATE_PRESETS
from vistaline.store.models import ACTIVE, JobState, PictureRole, TaskKind
from vistaline.web import tasks
from vistaline.web.context import person_id, services, session
from vistaline.web.frames import SIZES, usual_size
from vistaline.web.sheets import Opened, open_sheet, page, send_still

__all__ = ["blueprint"]

blueprint = Blueprint("separate", __name__, url_prefix="/pictures")

STEP_NAMES = {
    "outline": "Outline",
    "likeness": "Likeness",
    "paint": "Brush",
    "guess": "Guess",
    "band": "Slice",
    "plane": "Plane",
    "adjust": "Adjust",
}


def _cuttings() -> Cuttings:
    return Cuttings(services().library)


@blueprint.get("/<int:picture_id>/separate")
@login_required
def bench(picture_id: int) -> Any:
    """The Separate bench."""
    opened = open_sheet(picture_id)
    return page(
        "sheet/separate.html",
        opened,
        "separate",
        sizes=SIZES,
        preset=usual_size(opened.picture.width, opened.picture.height),
        shots=shots_of(session(), opened.picture.project_id),
        frame=frame_like((opened.picture.width, opened.picture.height)),
        rates=RATE_PRESETS,
    )


@blueprint.get("/<int:picture_id>/separate.json")
@login_required
def state(picture_id: int) -> Any:
    """Send what the canvas draws: the masks by name, the mattes that are solved, the plates."""
    opened = open_sheet(picture_id)
    picture, sheet, cuttings = opened.picture, opened.sheet, _cuttings()
    cutouts = []
    for n, mask in enumerate(cuttings.masks(picture.file, sheet)):
        cutout = sheet.cutset.cutouts[n]
        matte = cuttings.matte_name(picture.file, sheet, n, mask)
        cutouts.append(
            {
                "id": cutout.id,
                "name": cutout.name,
                "mask": mask.name,
                "empty": not mask.array.any(),
                "error": mask.error,
                "matte": matte if cuttings.matte(matte) else None,
                "care": cutout.edge_care,
                "steps": [step.model_dump(mode="json") for step in cutout.steps],
                "hair": [stroke.model_dump(mode="json") for stroke in cutout.hair],
            }
        )
    pyramid = services().library.pyramid(picture.file)
    return {
        "version": opened.row.version,
        "content": Path(picture.file).stem[:16],
        "size": [picture.width, picture.height],
        "levels": len(pyramid.levels),
        "overlay": contrasting_colour(pyramid, picture.file),
        "cutouts": cutouts,
        "depth": {
            "name": cuttings.depth_name(picture.file, sheet),
            "says": sheet.depth.says,
            "steps": [step.model_dump(mode="json") for step in sheet.depth.steps],
        },
        "plates": {use.behind: cuttings.plate_name(use) for use in sheet.plates},
    }


# --- panels -----------------------------------------------------------------------------------


@blueprint.get("/<int:picture_id>/panels/cutout")
@login_required
def cutout_panel(picture_id: int) -> Any:
    """The chosen cutout: its mask's steps, its edge."""
    opened = open_sheet(picture_id)
    key = request.args.get("cutout", "")
    found = next((cutout for cutout in opened.sheet.cutset.cutouts if cutout.id == key), None)
    maps = [
        each
        for each in pictures_of(session(), opened.picture.project_id)
        if each.id != picture_id and each.role is PictureRole.ORIGINAL
    ]
    maps.sort(key=lambda each: "depth" not in each.name.lower())
    return page(
        "sheet/_cutout.html",
        opened,
        "separate",
        cutout=found,
        whole=next(
            (each for each in opened.sheet.cutset.cutouts if found and each.id == found.part_of),
            None,
        ),
        names=STEP_NAMES,
        maps=maps,
    )


@blueprint.get("/<int:picture_id>/panels/plate")
@login_required
def plate_panel(picture_id: int) -> Any:
    """What is filled behind a cutout, or behind everything, and how to fill it again."""
    return _plate(picture_id, "sheet/_plate.html")


@blueprint.get("/<int:picture_id>/panels/shadow")
@login_required
def shadow_panel(picture_id: int) -> Any:
    """The offer to fill the soft shadow beside a hole, too; nothing where there is none.

    Asked for when it comes into sight: it takes too long to be told with every stroke.
    """
    opened = open_sheet(picture_id)
    asked = opened.picture.file, opened.sheet, request.args.get("behind", "")
    try:
        dark = _cuttings().shadow(*asked)
        more = float(dark.sum()) / max(1, int(_cuttings().hole(*asked)[1].sum()))
    except CoreError:
        return ""
    values = {"behind": asked[2], "hole": _cuttings().hole_name(*asked), "more": more}
    return page("sheet/_shadow.html", opened, "separate", **values) if more else ""


@blueprint.get("/<int:picture_id>/panels/tries")
@login_required
def tries_panel(picture_id: int) -> Any:
    """The tries side by side; asks for itself again while one is under way."""
    return _plate(picture_id, "sheet/_tries.html")


def _plate(picture_id: int, template: str) -> Any:
    opened = open_sheet(picture_id)
    behind = request.args.get("behind", "")
    sheet = opened.sheet
    if behind and behind not in {cutout.id for cutout in sheet.cutset.cutouts}:
        behind = ""
    found = picture_tasks.tasks_of(
        session(), opened.picture.project_id, (TaskKind.FILL,), picture_id=picture_id
    )
    tries = [task for task in found if task.arguments.get("behind", "") == behind]
    hole = ""
    if any(cutout.steps for cutout in sheet.cutset.cutouts):
        with suppress(CoreError):
            hole = _cuttings().hole_name(opened.picture.file, sheet, behind)
    done = [str(task.id) for task in tries if task.state is JobState.DONE]
    fresh = "done" in request.args and request.args["done"] != ",".join(done)
    answer = page(
        template,
        opened,
        "separate",
        behind=behind,
        use=sheet.plate(behind),
        tries=tries,
        hole=hole,
        done=",".join(done),
        active=any(task.state in ACTIVE for task in tries),
    )
    trigger = f'{{"sheetchange": {{"version": {opened.row.version}}}}}'
    return answer, 200, {"HX-Trigger": trigger} if fresh else {}


@blueprint.get("/<int:picture_id>/panels/cutouts")
@login_required
def cutouts_panel(picture_id: int) -> Any:
    """The cutouts near to far, and the plate, as pictures of themselves."""
    opened = open_sheet(picture_id)
    use = opened.sheet.plate(EVERYTHING)
    return page(
        "sheet/_cutouts.html",
        opened,
        "separate",
        chosen=request.args.get("cutout", ""),
        plate_name=_cuttings().plate_name(use) if use else Path(opened.picture.file).stem[:16],
    )


# --- work -------------------------------------------------------------------------------------


@blueprint.post("/<int:picture_id>/edges")
@login_required
def solve_edges(picture_id: int) -> Any:
    """Solve the edges of all cutouts that are not solved yet."""
    opened = open_sheet(picture_id)
    known = picture_tasks.tasks_of(
        session(), opened.picture.project_id, (TaskKind.EDGES,), picture_id=picture_id
    )
    for task in known:
        if task.state in ACTIVE:
            picture_tasks.stop_task(session(), task)
        session().delete(task)
    task = _start(opened, TaskKind.EDGES, opened.picture.name, {})
    return _tasks_panel(opened, task)


@blueprint.post("/<int:picture_id>/fills")
@login_required
def fill(picture_id: int) -> Any:
    """Ask for another try at filling."""
    opened = open_sheet(picture_id)
    form = request.form
    wish = plates.checked_wish(
        opened.sheet,
        behind=form.get("behind", ""),
        method=form.get("method", "texture"),
        seed=form.get("seed", 1, type=int),
        near=form.get("near", 0.5, type=float),
        take=form.get("take", "[]"),
        avoid=form.get("avoid", "[]"),
        shadow="shadow" in form,
        unlike="unlike" in form,
    )
    task = _start(opened, TaskKind.FILL, opened.picture.name, wish)
    tasks.announce(task)
    return _plate_again()


@blueprint.post("/<int:picture_id>/fills/painted")
@login_required
def painted(picture_id: int) -> Any:
    """Take in a plate that was painted elsewhere."""
    opened = open_sheet(picture_id)
    file = request.files.get("plate")
    if file is None or not file.filename:
        raise Refused("No file was sent. Choose the painted plate first.")
    behind = request.form.get("behind", "")
    with closing(file):
        plates.receive_painted(
            session(),
            services().library,
            opened.picture,
            opened.row,
            plates.Sent(file.filename, cast(BinaryIO, file.stream)),
            behind=behind,
            person_id=person_id(),
        )
    session().commit()
    if request.headers.get("HX-Request") or request.accept_mimetypes.best == "application/json":
        return _plate_again()
    return redirect(url_for("separate.bench", picture_id=picture_id))


@blueprint.post("/fills/<int:task_id>/<any(stop, resume, forget):deed>")
@login_required
def fill_deed(task_id: int, deed: str) -> Any:
    """Stop a try, do it again, or throw it away."""
    task = picture_tasks.find_task(session(), person_id(), task_id)
    if task.picture_id is None or task.kind is not TaskKind.FILL:
        raise NotFound("There is no such try.")
    opened = open_sheet(task.picture_id)
    if deed == "stop":
        picture_tasks.stop_task(session(), task)
    elif deed == "resume":
        picture_tasks.resume_task(session(), task, services().queue)
    else:
        use = opened.sheet.plate(task.arguments.get("behind", ""))
        if use and use.file == task.result.get("file"):
            raise Refused("This try is in use. Choose another first, or leave it unfilled.")
        picture_tasks.forget_task(session(), task)
    session().commit()
    return _plate_again()


@blueprint.post("/<int:picture_id>/send")
@login_required
def send(picture_id: int) -> Any:
    """Send the whole set to a new shot or to one there is."""
    opened = open_sheet(picture_id)
    form = request.form
    wish: dict[str, Any] = {"shot": form.get("shot", 0, type=int)}
    if not wish["shot"]:
        width, height = form.get("width", type=int), form.get("height", type=int)
        seconds = form.get("seconds", type=float)
        if not width or not height or not seconds or not 0 < seconds <= 3600:
            raise Refused("Give the frame's width and height in pixels and a length in seconds.")
        wish |= {
            "name": form.get("name", "").strip() or Path(opened.picture.name).stem,
            "width": width,
            "height": height,
            "rate": form.get("rate", "24"),
            "seconds": seconds,
        }
    else:
        row = projects.find_shot(session(), person_id(), wish["shot"])
        if row.project_id != opened.picture.project_id:
            raise Refused("That shot belongs to another project.")
    task = _start(opened, TaskKind.SEND, wish.get("name") or "the set", wish)
    return _tasks_panel(opened, task)


@blueprint.post("/<int:picture_id>/export")
@login_required
def export(picture_id: int) -> Any:
    """Write the whole set as OpenRaster."""
    opened = open_sheet(picture_id)
    task = _start(opened, TaskKind.EXPORT, Path(opened.picture.name).stem, {})
    return _tasks_panel(opened, task)


@blueprint.get("/<int:picture_id>/cutouts/<key>/layer.<kind>")
@login_required
def layer(picture_id: int, key: str, kind: str) -> Any:
    """Hand one cutout over, its edge solved."""
    opened = open_sheet(picture_id)
    picture, sheet = opened.picture, opened.sheet
    index = [cutout.id for cutout in sheet.cutset.cutouts].index(sheet.cutout(key).id)
    found = _cuttings().layer(picture.file, sheet, index)
    return send_still(found.rgba, kind, f"{Path(picture.name).stem}-{found.name}")


def _start(opened: Opened, kind: TaskKind, name: str, wish: dict[str, Any]) -> Any:
    task = picture_tasks.start_task(
        session(),
        opened.picture.project_id,
        kind,
        name,
        of=picture_tasks.Subject(picture_id=opened.picture.id),
        person_id=person_id(),
        arguments=wish,
    )
    session().commit()
    return task


def _tasks_panel(opened: Opened, task: Any) -> Any:
    tasks.announce(task)
    return tasks.panel(opened.picture.project_id, "separate", opened.picture.id)


def _plate_again() -> Any:
    """Answer an act on the tries: the panel asks for itself again."""
    return "", 200, {"HX-Trigger": "platechange", "HX-Reswap": "none"}
