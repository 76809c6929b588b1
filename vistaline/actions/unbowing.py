"""What a lens has bowed is made straight: the plate, and what was cut out of it or filled in it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from vistaline.actions.errors import Refused
from vistaline.actions.pictures import Admitted, Library, reference_to
from vistaline.actions.tasks import Run
from vistaline.core.geometry.bowing import straight_box, straighten_picture
from vistaline.core.picture.colour import straight_codes
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.shot.stands import Box
from vistaline.core.stage.seen import bow_in, plate_of
from vistaline.store.models import Picture, PictureTask

__all__ = [
    "BowedPart",
    "StraightPart",
    "added_parts",
    "bowed_parts",
    "check_bowed",
    "straight_parts",
]


@dataclass(frozen=True, kw_only=True)
class BowedPart:
    """A picture of the plate's family, as a layer shows it."""

    key: str
    box: Box
    picture: int | None
    """Its id in the project; None if it is not there any more."""


@dataclass(frozen=True, kw_only=True)
class StraightPart:
    """What became of it."""

    of: BowedPart
    admitted: Admitted
    box: Box


def check_bowed(shot: Shot) -> float:
    """Return how much the plate's lens bows edges, as marked; refused if none is."""
    bow = bow_in(shot.taking_camera)
    if bow is None:
        raise Refused("No edge is marked as bowed. Drag the middle of one onto the picture's edge.")
    plate = plate_of(shot)
    if plate.relief:
        raise Refused(
            f"{plate.name} is a relief, and its map would not fit any more. Lay it flat, "
            "straighten it, and raise it again."
        )
    return bow


def bowed_parts(session: Session, shot: Shot, project_id: int) -> list[BowedPart]:
    """Return the plate's picture, first, and those of one origin with it that were seen with it.

    Those are what was cut out of it and what was filled behind; another photograph in the same
    canvas was taken through another lens.
    """
    plate = plate_of(shot)
    files = {shot.pictures[key].file for layer in shot.layers for key in layer.pictures}
    known = {
        each.file: each
        for each in session.query(Picture).filter(
            Picture.project_id == project_id, Picture.file.in_(files)
        )
    }

    def origin(layer: Layer) -> int | str:
        file = shot.pictures[layer.picture].file
        found = known.get(file)
        return (found.source_id or found.id) if found else file

    found: dict[tuple[str, Box], BowedPart] = {}
    others = [layer for layer in shot.layers if layer is not plate]
    for layer in [plate, *others]:
        if not (layer.picture and layer.box) or layer.relief:
            continue
        if origin(layer) == origin(plate):
            picture = known.get(shot.pictures[layer.picture].file)
            found[layer.picture, layer.box] = BowedPart(
                key=layer.picture, box=layer.box, picture=picture.id if picture else None
            )
    return list(found.values())


def straight_parts(run: Run, shot: Shot, parts: list[BowedPart]) -> Iterator[StraightPart]:
    """Yield what lenses bowed, straightened and kept as files, in the same order.

    The plate fills its own box as before; what was cut out may have become larger.
    """
    bow, taking, library = check_bowed(shot), shot.taking_camera, run.library
    middle = np.array(taking.principal_point)
    for n, part in enumerate(parts):

        def told(share: float, n: int = n) -> None:
            run.progress(0.9 * (n + 0.8 * share) / len(parts), "straightening")

        into = part.box if n == 0 else straight_box(part.box, bow, taking.canvas, middle)
        source = library.pyramid(shot.pictures[part.key].file).picture
        straight = straighten_picture(
            source, bow, taking.canvas, middle, part.box, into, progress=told
        )
        kept = library.keep_codes(straight_codes(straight))
        yield StraightPart(of=part, admitted=library.admit(kept, "straightened.png"), box=into)


def added_parts(
    library: Library, session: Session, task: PictureTask, parts: list[StraightPart]
) -> list[dict[str, Any]]:
    """Add straightened pictures to the project; returns them as ``use_straightened`` takes them."""
    values = []
    for part in parts:
        old = part.of.picture and session.get(Picture, part.of.picture)
        about: dict[str, Any] = {}
        name = "Picture"
        if old:
            name = Path(old.name).stem
            about = {"role": old.role, "source_id": old.source_id}
        if old and old.placing and old.placing.get("canvas"):
            about["placing"] = old.placing | {"at": [round(side) for side in part.box[:2]]}
        picture, _ = library.add(
            session, task.project_id, f"{name}, straightened.png", part.admitted, **about
        )
        values.append(
            {
                "old": part.of.key,
                "was": part.of.box,
                "key": f"p{picture.id}",
                "picture": reference_to(picture).model_dump(mode="json"),
                "box": part.box,
            }
        )
    return values
