"""What each kind of task on a picture does. The heavy part changes nothing; ``finish`` does."""

from __future__ import annotations

import io
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from vistaline.actions.cuttings import Cuttings
from vistaline.actions.depths import stand_layers
from vistaline.actions.errors import Refused
from vistaline.actions.estimating import DepthService
from vistaline.actions.history import Change
from vistaline.actions.pictures import Admitted, Library
from vistaline.actions.sets import Placed, ShotWanted, add_set, start_set
from vistaline.actions.sheets import change_sheet, current_sheet, sheet_of
from vistaline.actions.tasks import Finish, Run, Work
from vistaline.core.errors import FillError, PictureError
from vistaline.core.formats.documents import Document
from vistaline.core.formats.incoming import (
    clip_of,
    frames_of_clip,
    inspect_upload,
    part_as_picture,
    picture_codes,
)
from vistaline.core.formats.openraster import RasterLayer, write_openraster
from vistaline.core.picture.colour import codes_from_linear, straight_codes
from vistaline.core.picture.exemplar import ExemplarSettings
from vistaline.core.picture.still import encode_png
from vistaline.core.picture.strokes import Stroke, painted
from vistaline.core.picture.transfer import linear_from_clip
from vistaline.core.prepare.step import Prepared
from vistaline.core.prepare.steps import PrepareStep, prepare
from vistaline.core.separate.separation import SeparatedLayer, fill_hole
from vistaline.core.sheet.sheet import EVERYTHING, Sheet
from vistaline.core.timing import parse_rate
from vistaline.store.models import (
    JobState,
    Picture,
    PictureRole,
    PictureTask,
    ShotRow,
    TaskKind,
)
from vistaline.store.settings import Settings

__all__ = ["PICTURE_WORKS"]

_KEPT_EXPORTS = 20
_ENOUGH = 0.25
"""Of what lies beside a hole, what must be left to take texture from."""


# --- bringing in ------------------------------------------------------------------------------


def _import(run: Run) -> Finish:
    task, library = run.task, run.library
    arguments = task.arguments
    file = arguments["file"]
    path = library.files.path(file)
    run.progress(0.05, "reading")
    if "part" in arguments:
        return _import_part(run, path)
    if "frame" in arguments:
        return _import_frame(run, path)
    found = inspect_upload(path, task.name)
    if isinstance(found, Document):
        return _ask(found)
    try:
        rate = arguments.get("rate")
        admitted = library.admit(
            file,
            task.name,
            parse_rate(rate) if rate else None,
            lambda share, words: run.progress(0.1 + 0.7 * share, words),
        )
    except PictureError:
        _drop_unused(run, file)
        raise
    return _adding(library, admitted, task.name)


def _ask(document: Document) -> Finish:
    def finish(session: Session, task: PictureTask) -> dict[str, Any]:
        task.state, task.finished = JobState.ASKING, None
        return {
            "kind": document.kind,
            "scalable": document.scalable,
            "canvas": document.canvas,
            "parts": [asdict(part) for part in document.parts],
            "remarks": list(document.remarks),
        }

    return finish


def _import_part(run: Run, path: Path) -> Finish:
    task, library = run.task, run.library
    index = task.arguments["part"]
    document = inspect_upload(path, task.arguments["document"])
    height = task.arguments["height"]
    data, extension = part_as_picture(path, task.name, index, height=height)
    run.progress(0.4, "reading")
    with library.files.receive(io.BytesIO(data)) as incoming:
        file = library.files.keep(incoming, extension)
    admitted = library.admit(file, task.name)
    placing = None
    if isinstance(document, Document) and document.canvas:
        part = document.parts[index]
        placing = {
            "canvas": list(document.canvas),
            "at": [part.x, part.y],
            "opacity": part.opacity,
            "blend": part.blend,
            "depth": index,
            "name": part.name,
        }
    return _adding(library, admitted, f"{task.name}.{extension}", placing=placing)


def _import_frame(run: Run, path: Path) -> Finish:
    """Bring one frame of a picture that moves in as a picture of its own."""
    library, name = run.library, run.task.name
    clip = clip_of(path, name)
    frame = min(run.task.arguments["frame"], clip.frames - 1)
    linear = linear_from_clip(frames_of_clip(path, name, clip, frame, 1)[0], clip.tags)
    run.progress(0.4, "keeping it")
    codes = straight_codes(linear) if clip.has_alpha else codes_from_linear(linear)
    return _adding(library, library.admit(library.keep_codes(codes), name), name)


def _adding(library: Library, admitted: Admitted, name: str, **about: Any) -> Finish:
    def finish(session: Session, task: PictureTask) -> dict[str, Any]:
        picture, new = library.add(session, task.project_id, name, admitted, **about)
        return {"picture": picture.id, "new": new, "name": picture.name}

    return finish


def _drop_unused(run: Run, file: str) -> None:
    """Remove the file of a picture that could not be used."""
    with run.sessions() as session:
        if not session.query(Picture).filter_by(original=file).first():
            run.library.files.remove(run.library.files.root / file)


# --- preparing --------------------------------------------------------------------------------


def _prepare(run: Run) -> Finish:
    library = run.library
    picture, sheet = _loaded(run)
    steps = [step for step in sheet.prepare if step.on]
    run.progress(0.02, "reading")
    if steps:
        codes = prepared_codes(
            picture_codes(library.files.path(picture.original), picture.name),
            steps,
            progress=lambda share, words: run.progress(0.05 + 0.7 * share, words),
        )
        run.progress(0.8, "keeping it")
        file = library.keep_codes(codes)
    else:
        file = picture.original
    admitted = library.admit(file, picture.name)

    def finish(session: Session, task: PictureTask) -> dict[str, Any]:
        row = session.get_one(Picture, picture.id)
        for key, value in admitted.facts().items():
            setattr(row, key, value)
        return {"picture": row.id}

    return finish


def prepared_codes(codes: np.ndarray, steps: list[PrepareStep], **more: Any) -> np.ndarray:
    """Return (height, width, 3 or 4) codes after the steps.

    8-bit codes stay so if pixels are only moved; any other change is kept at 16 bits.
    """
    full = np.iinfo(codes.dtype).max
    opaque = bool(codes[..., 3].min() == full)
    start = Prepared(
        colour=codes[..., :3].astype(np.float32) / full,
        alpha=None if opaque else codes[..., 3].astype(np.float32) / full,
    )
    done = prepare(start, steps, **more)
    kept = codes.dtype == np.uint8 and all(step.exact for step in steps)
    depth: Any = np.uint8 if kept else np.uint16
    top = float(np.iinfo(depth).max)
    colour = np.rint(done.colour * top).astype(depth)
    if done.alpha is None:
        return colour
    return np.dstack([colour, np.rint(done.alpha * top).astype(depth)])


def _loaded(run: Run) -> tuple[Picture, Sheet]:
    with run.sessions.begin() as session:
        picture = session.get_one(Picture, run.task.picture_id)
        row = sheet_of(session, run.library.files, picture)
        return picture, current_sheet(session, row)


# --- separating -------------------------------------------------------------------------------


def _edges(run: Run) -> Finish:
    picture, sheet = _loaded(run)
    _layers(run, picture, sheet, 0.0, 1.0)
    return lambda session, task: {}


def _layers(
    run: Run, picture: Picture, sheet: Sheet, start: float, stop: float
) -> list[SeparatedLayer]:
    """Return the cutouts that are used and have a mask, near to far, with solved edges."""
    cuttings = Cuttings(run.library)
    masks = cuttings.masks(picture.file, sheet)
    shown = [
        n
        for n, cutout in enumerate(sheet.cutset.cutouts)
        if not cutout.hidden and bool((masks[n].array > 127).any())
    ]
    layers = []
    for done, n in enumerate(shown):
        share = start + (stop - start) * done / len(shown)
        run.progress(share, f"the edge of {sheet.cutset.cutouts[n].name}")
        layers.append(cuttings.layer(picture.file, sheet, n))
    return layers


def _fill(run: Run) -> Finish:
    picture, sheet = _loaded(run)
    cuttings, wish = Cuttings(run.library), run.task.arguments
    behind = wish["behind"]
    name, hole = cuttings.hole(picture.file, sheet, behind)
    if wish.get("shadow"):
        hole = hole | cuttings.shadow(picture.file, sheet, behind)
    sources = _sources(run, picture, sheet, hole)
    exact = cuttings.exact_codes(picture.file)
    settings = ExemplarSettings(
        seed=wish.get("seed", 1), near=wish.get("near", 0.5), level=wish.get("level", 1.0)
    )
    filled = fill_hole(
        np.ascontiguousarray(exact[..., :3]),
        hole,
        filling=wish["method"],
        sources=sources,
        settings=settings,
        progress=lambda share, words: run.progress(0.9 * share, words),
    )
    run.progress(0.92, "keeping it")
    file = run.library.keep_codes(filled)
    run.library.admit(file, picture.name)

    def finish(session: Session, task: PictureTask) -> dict[str, Any]:
        task.result = {"file": file, "hole": name}
        use_if_first(session, run.library, task, file, behind)
        return task.result

    return finish


def _sources(run: Run, picture: Picture, sheet: Sheet, hole: np.ndarray) -> np.ndarray | None:
    """Return where a fill may take texture from (bool); None: from everywhere."""
    wish, size = run.task.arguments, hole.shape[::-1]
    take, avoid = (
        [Stroke.model_validate(stroke) for stroke in wish.get(key, ())] for key in ("take", "avoid")
    )
    sources = np.ones(hole.shape, bool)
    if take:
        sources = painted(take, size) > 127
    elif wish.get("unlike") and wish["method"] == "texture":
        unlike = ~Cuttings(run.library).alike(picture.file, sheet, wish["behind"])
        # Where nearly everything looks like the subject, that says nothing.
        if (unlike & ~hole).sum() > _ENOUGH * (~hole).sum():
            sources = unlike
    if avoid:
        sources = sources & ~(painted(avoid, size) > 127)
    if (take or avoid) and not (sources & ~hole).any():
        raise FillError(
            "Nothing is left to take texture from. Paint more of what it may be taken from."
        )
    return None if sources.all() else sources


def use_if_first(
    session: Session, library: Library, task: PictureTask, file: str, behind: str
) -> None:
    """Put a fill to use where none is in use yet; otherwise somebody chooses."""
    row = sheet_of(session, library.files, session.get_one(Picture, task.picture_id))
    sheet = current_sheet(session, row)
    known = {EVERYTHING, *(cutout.id for cutout in sheet.cutset.cutouts)}
    if sheet.plate(behind) is None and behind in known:
        change_sheet(
            session,
            row,
            "use_plate",
            {"file": file, "behind": behind},
            Change(version=row.version, person_id=task.person_id),
        )


# --- depth ------------------------------------------------------------------------------------


def _depth(run: Run) -> Finish:
    """Ask the depth service for a map, and take it as a step of the picture's depth."""
    picture, _ = _loaded(run)
    library = run.library
    service = DepthService(address=Settings.from_environment().depth_service)
    codes = service.estimate(Cuttings(library).codes(picture.file), run.progress)
    run.progress(0.95, "keeping it")
    file = library.keep_codes(np.dstack([codes] * 3))

    def finish(session: Session, task: PictureTask) -> dict[str, Any]:
        row = sheet_of(session, library.files, session.get_one(Picture, picture.id))
        # Known as this picture's from here on: an edit may name it.
        task.result = {"file": file}
        session.flush()
        change_sheet(
            session,
            row,
            "add_depth_map",
            {"file": file, "name": "asked for"},
            Change(version=row.version, person_id=task.person_id),
        )
        return {"file": file}

    return finish


# --- handing on -------------------------------------------------------------------------------


def _send(run: Run) -> Finish:
    picture, sheet = _loaded(run)
    library, stem = run.library, Path(picture.name).stem
    layers = _layers(run, picture, sheet, 0.0, 0.7)
    if not layers:
        raise Refused("Nothing is cut out yet. Cut something out, then send the set to a shot.")
    canvas = (picture.width, picture.height)
    run.progress(0.72, "the plate")
    ready: list[tuple[str, Admitted, tuple[int, int, int, int], PictureRole]] = []
    file = library.keep_codes(Cuttings(library).final_plate(picture.file, sheet))
    ready.append(("Plate", library.admit(file, stem), (0, 0, *canvas), PictureRole.PLATE))
    for n, layer in enumerate(reversed(layers)):
        run.progress(0.78 + 0.2 * n / len(layers), f"keeping {layer.name}")
        file = library.keep_codes(np.ascontiguousarray(layer.rgba))
        ready.append((layer.name, library.admit(file, layer.name), layer.box, PictureRole.CUTOUT))
    if sheet.depth.says:
        run.progress(0.98, "how far away it is")
        Cuttings(library).depth(picture.file, sheet)  # kept for when the layers stand

    def finish(session: Session, task: PictureTask) -> dict[str, Any]:
        placed: list[Placed] = []
        for depth, (name, admitted, box, role) in enumerate(reversed(ready)):
            kept, _ = library.add(
                session,
                task.project_id,
                f"{stem}, {name}.png",
                admitted,
                role=role,
                source_id=picture.id,
                placing={
                    "canvas": list(canvas),
                    "at": list(box[:2]),
                    "depth": depth,
                    "name": name,
                },
            )
            place = (float(box[0]), float(box[1]), float(box[2]), float(box[3]))
            placed.insert(0, Placed(picture=kept, box=place, name=name))
        row, remarks = _shot_for(session, task, canvas, placed)
        if sheet.depth.says and not task.arguments.get("shot"):
            session.flush()
            change = Change(version=row.version, person_id=task.person_id)
            stand_layers(session, library, picture, sheet, row, change)
            remarks.append("Its layers stand where the picture's depth says.")
        if sheet.plate(EVERYTHING) is None:
            remarks.append("The plate is not filled: what was cut out shows on it, too.")
        left = sum(not cutout.hidden for cutout in sheet.cutset.cutouts) - len(layers)
        if left:
            remarks.append(f"{left} cutout{'s have' if left > 1 else ' has'} nothing to show.")
        return {"shot": row.id, "name": row.name, "remarks": remarks}

    return finish


def _shot_for(
    session: Session, task: PictureTask, canvas: tuple[int, int], placed: list[Placed]
) -> tuple[ShotRow, list[str]]:
    wish = task.arguments
    if wish.get("shot"):
        row = session.get(ShotRow, wish["shot"])
        if row is None or row.project_id != task.project_id:
            raise Refused("That shot is gone. Send the set to another, or to a new one.")
        return row, add_set(session, row, canvas, placed, person_id=task.person_id)
    rate = parse_rate(wish["rate"])
    row = start_set(
        session,
        task.project_id,
        canvas,
        placed,
        ShotWanted(
            name=wish["name"],
            width=wish["width"],
            height=wish["height"],
            rate=str(rate),
            duration=max(1, round(wish["seconds"] * rate)),
        ),
        person_id=task.person_id,
    )
    return row, []


def _export(run: Run) -> Finish:
    """The whole set as OpenRaster."""
    picture, sheet = _loaded(run)
    cuttings = Cuttings(run.library)
    layers = _layers(run, picture, sheet, 0.0, 0.7)
    run.progress(0.75, "writing")
    raster = [
        RasterLayer(name=layer.name, png=encode_png(layer.rgba), x=layer.box[0], y=layer.box[1])
        for layer in layers
    ]
    plate = cuttings.final_plate(picture.file, sheet)
    raster.append(RasterLayer(name="Plate", png=encode_png(plate)))
    path = run.library.files.derived("exports", f"{run.task.id}.ora")
    write_openraster(path, (picture.width, picture.height), raster)
    run.library.files.prune("exports", _KEPT_EXPORTS)
    result = {"file": run.library.files.share(path), "size": path.stat().st_size}
    return lambda session, task: result


PICTURE_WORKS: dict[TaskKind, Work] = {
    TaskKind.IMPORT: _import,
    TaskKind.PREPARE: _prepare,
    TaskKind.EDGES: _edges,
    TaskKind.FILL: _fill,
    TaskKind.SEND: _send,
    TaskKind.EXPORT: _export,
    TaskKind.DEPTH: _depth,
}
