"""Starting a shot from pictures somebody chose."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy.orm import Session

from vistaline.actions.errors import Refused
from vistaline.actions.pictures import Library
from vistaline.actions.sets import Placed, ShotWanted, start_row, start_set
from vistaline.core.looks.blending import Blend
from vistaline.core.picture.register import find_place
from vistaline.core.shot.document import fit_box
from vistaline.core.shot.stands import Box
from vistaline.store.models import Picture, ShotRow

__all__ = ["start_shot"]


def start_shot(
    session: Session,
    library: Library,
    pictures: Sequence[Picture],
    wanted: ShotWanted,
    *,
    person_id: int,
    round_them: str = "",
    captions: bool = False,
) -> tuple[ShotRow, list[str]]:
    """Start a shot from pictures of one project, far to near.

    Several photographs, none of which is a detail of the largest, become cards side by side, with
    the ready-made frame style ``round_them`` and their names as ``captions``. Otherwise the first
    picture without transparency, else the largest, is taken as the photo: it is the taking
    camera's canvas and stands farthest. A cutout of the same size is in register; a smaller one is
    looked for in the photo. Pictures that came with a place on one canvas, as the layers of an
    OpenRaster file do, keep it. Returns the shot and remarks for the person.
    """
    if not pictures:
        raise Refused("Choose at least one picture to start a shot from.")
    shared = _shared_canvas(pictures)
    remarks: list[str] = []
    if shared:
        canvas, placed = shared, _as_placed(pictures)
    else:
        photo = _photo(pictures)
        canvas = (photo.width, photo.height)
        ordered = [photo, *(picture for picture in pictures if picture is not photo)]
        boxes, remarks, lost = _places(library, photo, ordered)
        if lost and all(not picture.has_alpha for picture in pictures):
            return start_row(
                session, pictures, wanted, round_them, captions=captions, person_id=person_id
            ), ["Each photograph is a card of its own, a metre high: move, turn and size them."]
        placed = [Placed(picture=picture, box=boxes[picture.id]) for picture in ordered]
    row = start_set(
        session,
        pictures[0].project_id,
        canvas,
        placed,
        wanted,
        person_id=person_id,
    )
    return row, remarks


def _shared_canvas(pictures: Sequence[Picture]) -> tuple[int, int] | None:
    canvases = {tuple((picture.placing or {}).get("canvas", ())) for picture in pictures}
    (canvas, *others) = canvases
    return (canvas[0], canvas[1]) if canvas and not others else None


def _as_placed(pictures: Sequence[Picture]) -> list[Placed]:
    """Return pictures far to near by the places they came with."""
    placings = [(picture, picture.placing or {}) for picture in pictures]
    ordered = sorted(placings, key=lambda pair: -pair[1].get("depth", 0))
    return [
        Placed(
            picture=picture,
            box=(*map(float, placing["at"]), float(picture.width), float(picture.height)),  # type: ignore[arg-type]
            opacity=placing.get("opacity", 1.0),
            blend=Blend(placing.get("blend", "normal")),
        )
        for picture, placing in ordered
    ]


def _photo(pictures: Sequence[Picture]) -> Picture:
    opaque = [picture for picture in pictures if not picture.has_alpha]
    return max(opaque or pictures, key=lambda picture: picture.width * picture.height)


def _places(
    library: Library, photo: Picture, pictures: Sequence[Picture]
) -> tuple[dict[int, Box], list[str], bool]:
    """Return where pictures lie in the photo, what to say of it, and whether one is not in it."""
    canvas = (photo.width, photo.height)
    boxes: dict[int, Box] = {}
    remarks = []
    pixels, lost = None, False
    for picture in pictures:
        box = fit_box((picture.width, picture.height), canvas)
        # One without transparency would hide all of the photo, were it in register with it.
        if picture is not photo and (
            (picture.width, picture.height) != canvas or not picture.has_alpha
        ):
            if pixels is None:
                pixels = library.pyramid(photo.file).picture
            cutout = library.pyramid(picture.file).picture
            place = find_place(cutout, pixels)
            if place:
                box = (float(place[0]), float(place[1]), picture.width, picture.height)
            else:
                lost = True
            if not place and picture.has_alpha:
                remarks.append(
                    f"{picture.name} was not found in {photo.name}; it stands in the middle."
                )
        boxes[picture.id] = box
    return boxes, remarks, lost
