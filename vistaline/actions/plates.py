"""Tries at filling what cutouts hid: what is asked for, and plates painted elsewhere."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any, BinaryIO

from pydantic import TypeAdapter, ValidationError
from sqlalchemy.orm import Session

from vistaline.actions.cuttings import Cuttings
from vistaline.actions.errors import Refused
from vistaline.actions.picture_work import use_if_first
from vistaline.actions.pictures import Library, plain_name
from vistaline.actions.sheets import current_sheet
from vistaline.actions.tasks import Subject, start_task
from vistaline.core.errors import PictureError
from vistaline.core.formats.incoming import header_of
from vistaline.core.picture.register import shift_between
from vistaline.core.picture.strokes import Stroke
from vistaline.core.sheet.sheet import EVERYTHING, Sheet
from vistaline.store.models import JobState, Picture, PictureTask, SheetRow, TaskKind, now

__all__ = ["METHODS", "checked_wish", "receive_painted"]

METHODS = {"texture": "By texture", "smooth": "Smoothly", "painted": "Painted"}
_STROKES: TypeAdapter[list[Stroke]] = TypeAdapter(list[Stroke])
_LARGEST_SHIFT = 0.75


def checked_wish(
    sheet: Sheet,
    *,
    behind: str,
    method: str,
    seed: int,
    near: float,
    take: str,
    avoid: str,
    shadow: bool = False,
    unlike: bool = False,
) -> dict[str, Any]:
    """Return a fill's settings as a task keeps them; ``take`` and ``avoid`` are JSON strokes.

    ``shadow``: the soft shadow beside the hole is filled, too; ``unlike``: no texture is taken
    from what looks like what was cut out.
    """
    if behind != EVERYTHING:
        sheet.cutout(behind)
    if not any(cutout.steps and not cutout.hidden for cutout in sheet.cutset.cutouts):
        raise Refused("Nothing is cut out yet, so there is nothing to fill behind. Cut first.")
    if method not in ("texture", "smooth"):
        raise Refused("Fill by texture or smoothly.")
    if not 0 <= seed <= 1_000_000 or not 0 <= near <= 8:
        raise Refused("The seed is a whole number from 0, nearness a number from 0 to 8.")
    wish: dict[str, Any] = {"behind": behind, "method": method, "seed": seed, "near": near}
    wish |= {"shadow": shadow, "unlike": unlike}
    for key, text in (("take", take), ("avoid", avoid)):
        try:
            strokes = _STROKES.validate_python(json.loads(text))
        except (ValueError, ValidationError) as error:
            raise Refused("The painted areas could not be understood. Paint them again.") from error
        wish[key] = [stroke.model_dump(mode="json") for stroke in strokes]
    return wish


@dataclass(frozen=True)
class Sent:
    """A file that somebody sends."""

    name: str
    stream: BinaryIO


def receive_painted(
    session: Session,
    library: Library,
    picture: Picture,
    row: SheetRow,
    sent: Sent,
    *,
    behind: str,
    person_id: int | None,
) -> PictureTask:
    """Take a plate that was painted elsewhere; it must have the picture's size.

    Where it shows what the picture shows it should lie exactly on it; what is measured is said.
    """
    name = plain_name(sent.name)
    sheet = current_sheet(session, row)
    if behind != EVERYTHING:
        sheet.cutout(behind)
    with library.files.receive(sent.stream) as incoming:
        info = header_of(incoming.path, name)
        if (info.width, info.height) != (picture.width, picture.height):
            raise PictureError(
                name,
                f"it has {info.width:,} × {info.height:,} pixels, but {picture.name} has "
                f"{picture.width:,} × {picture.height:,}. Save the plate at the picture's size.",
            )
        file = library.files.keep(incoming, info.extension)
    library.admit(file, name)
    cuttings = Cuttings(library)
    hole_name, hole = cuttings.hole(picture.file, sheet, behind)
    dx, dy = shift_between(cuttings.codes(file), cuttings.codes(picture.file), hole)
    words = "lies exactly on the picture"
    if max(abs(dx), abs(dy)) > _LARGEST_SHIFT:
        aside = [(dx, "right", "left"), (dy, "below", "above")]
        told = [f"{abs(d):.1f} px {a if d > 0 else b}" for d, a, b in aside if abs(d) >= 0.3]
        words = f"lies {' and '.join(told)} of the picture; move it back where it was painted"
    task = start_task(
        session,
        picture.project_id,
        TaskKind.FILL,
        name,
        of=Subject(picture_id=picture.id),
        person_id=person_id,
        arguments={"behind": behind, "method": "painted"},
    )
    task.state, task.share, task.started, task.finished = JobState.DONE, 1.0, now(), now()
    task.words = words[:120]
    task.result = {"file": file, "hole": hole_name}
    use_if_first(session, library, task, file, behind)
    session.flush()
    return task
