"""Raising a picture by its depth: the map is kept, its sheets are made, and a shot gets it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from vistaline.actions.cuttings import Cuttings
from vistaline.actions.errors import Refused
from vistaline.actions.history import Change
from vistaline.actions.pictures import Library, reference_to
from vistaline.actions.sets import Placed, ShotWanted, add_set, frame_like, start_set
from vistaline.actions.sheets import current_sheet, sheet_of
from vistaline.actions.shots import change_shot, current_shot
from vistaline.actions.tasks import Finish, Run, Work
from vistaline.core.relief.sheets import SHEETS
from vistaline.core.shot.layer import Layer
from vistaline.core.shot.shot import FrameFormat, PictureRef, Shot
from vistaline.core.shot.shows import PictureShown
from vistaline.core.shot.stands import Relief
from vistaline.core.stage.raising import told_heights
from vistaline.core.stage.textures import RaisedLook
from vistaline.store.models import Picture, PictureRole, PictureTask, ShotRow, TaskKind

__all__ = ["RELIEF_WORKS", "make_reliefs"]

_SECONDS = 6


def _raise(run: Run) -> Finish:
    library, wish = run.library, run.task.arguments
    with run.sessions.begin() as session:
        picture = session.get_one(Picture, run.task.picture_id)
        sheet = current_sheet(session, sheet_of(session, library.files, picture))
    run.progress(0.05, "how far away it is")
    nearness = Cuttings(library).depth(picture.file, sheet)
    codes = np.rint(nearness * 65535).astype(np.uint16)
    stem = Path(picture.name).stem
    admitted = library.admit(library.keep_codes(np.dstack([codes] * 3)), f"{stem}, depth")
    heights = told_heights(nearness)
    near, far, texture = sheet.depth.near, sheet.depth.far, bool(wish.get("texture", True))
    run.progress(0.2, "what is behind its edges")
    make_reliefs(library, _relief_of(picture.file, admitted.file, texture=texture))

    def finish(session: Session, task: PictureTask) -> dict[str, Any]:
        own = session.get_one(Picture, picture.id)
        kept, _ = library.add(
            session,
            task.project_id,
            f"{stem}, depth.png",
            admitted,
            role=PictureRole.DEPTH,
            source_id=own.id,
        )
        row, layer = _layer_for(session, task, own)
        ref = reference_to(kept).evolve(heights=heights)
        change_shot(
            session,
            row,
            "raise_layer",
            {
                "layer": layer,
                "pictures": {f"p{kept.id}": ref.model_dump()},
                "depth": f"p{kept.id}",
                "near": near,
                "far": far,
                "texture": texture,
            },
            Change(version=row.version, person_id=task.person_id),
        )
        return {"shot": row.id, "name": row.name, "remarks": []}

    return finish


def make_reliefs(library: Library, shot: Shot) -> None:
    """Make the sheets of a shot's reliefs, so that nobody has to wait for them who opens it."""
    looks = library.looks_of(shot)
    for layer in shot.layers:
        if layer.relief:
            looks[str(RaisedLook(SHEETS, layer.id))]  # all others are made with it


def _relief_of(picture: str, depth: str, *, texture: bool) -> Shot:
    """Return a shot of nothing but a relief of these files."""
    stands = Relief(depth="depth", at=1, near=0.5, far=2, texture=texture)
    shows = PictureShown(picture="picture")
    return Shot(
        name="relief",
        frame=FrameFormat(duration=1),
        pictures={"picture": PictureRef(file=picture), "depth": PictureRef(file=depth)},
        layers=(Layer(id="it", name="it", shows=shows, stands=stands),),
    )


def _layer_for(session: Session, task: PictureTask, picture: Picture) -> tuple[ShotRow, str]:
    """Return the shot, and the id of its layer that shows the picture, added if none does."""
    canvas = (picture.width, picture.height)
    whole = (0.0, 0.0, float(picture.width), float(picture.height))
    placed = [Placed(picture=picture, box=whole, name=Path(picture.name).stem)]
    wish = task.arguments
    if not wish.get("shot"):
        width, height = frame_like(canvas)
        wanted = ShotWanted(
            name=Path(picture.name).stem,
            width=width,
            height=height,
            rate="24",
            duration=24 * _SECONDS,
        )
        row = start_set(session, task.project_id, canvas, placed, wanted, person_id=task.person_id)
        session.flush()
        return row, current_shot(session, row).layers[0].id
    found = session.get(ShotRow, wish["shot"])
    if found is None or found.project_id != task.project_id:
        raise Refused("That shot is gone. Raise the picture in another, or in a new one.")
    there = [each for each in current_shot(session, found).layers if _shows(each, picture)]
    if not there:
        add_set(session, found, canvas, placed, person_id=task.person_id)
        session.flush()
        there = list(current_shot(session, found).layers[-1:])
    return found, there[0].id


def _shows(layer: Layer, picture: Picture) -> bool:
    return layer.picture == f"p{picture.id}" and bool(layer.box) and not layer.locked


RELIEF_WORKS: dict[TaskKind, Work] = {TaskKind.RAISE: _raise}
