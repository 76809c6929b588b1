"""Edits of what is painted behind cutouts: sheet -> new sheet."""

from __future__ import annotations

from typing import Annotated

from vistaline.core.errors import EditError
from vistaline.core.separate.separation import Clone
from vistaline.core.sheet.sheet import EVERYTHING, PlateUse, Sheet
from vistaline.core.sheet.verbs import verb
from vistaline.core.verbs import FROM_JSON

__all__: list[str] = []


@verb("choose fill")
def use_plate(sheet: Sheet, *, file: str, behind: str = EVERYTHING) -> Sheet:
    """Use a fill behind a cutout, or behind everything."""
    if behind != EVERYTHING:
        sheet.cutout(behind)
    others = tuple(plate for plate in sheet.plates if plate.behind != behind)
    return sheet.evolve(plates=(*others, PlateUse(behind=behind, file=file)))


@verb("leave unfilled")
def drop_plate(sheet: Sheet, *, behind: str = EVERYTHING) -> Sheet:
    """Use no fill behind a cutout."""
    return sheet.evolve(plates=tuple(plate for plate in sheet.plates if plate.behind != behind))


@verb("clone")
def clone_plate(
    sheet: Sheet, *, clone: Annotated[Clone, FROM_JSON], behind: str = EVERYTHING
) -> Sheet:
    """Copy from beside with a brush, over the fill in use."""
    plate = sheet.plate(behind)
    if plate is None:
        raise EditError("Choose a fill first; the clone brush works on it.")
    others = tuple(each for each in sheet.plates if each.behind != behind)
    changed = plate.evolve(clones=(*plate.clones, clone))
    return sheet.evolve(plates=(*others, changed))
