"""A picture's sheet: how it is prepared, what is cut out of it, what is painted behind,
and how far away it is.

One document, so that one undo serves both benches. Its edits are in ``edits``.
"""

from __future__ import annotations

from typing import Any

from pydantic import Field, ValidationError

from vistaline.core.depth.steps import Depth
from vistaline.core.errors import EditError
from vistaline.core.explaining import explain
from vistaline.core.model import Part
from vistaline.core.prepare.steps import PrepareStep, geometry
from vistaline.core.separate.cutset import Cutout, CutSet
from vistaline.core.separate.separation import Clone

__all__ = ["EVERYTHING", "PlateUse", "Sheet", "dump_sheet", "parse_sheet"]

EVERYTHING = ""
"""Behind every cutout: the plate itself."""


class PlateUse(Part):
    """Which fill is used behind a cutout, and what was cloned over it by hand."""

    behind: str = EVERYTHING
    file: str = Field(max_length=255)
    clones: tuple[Clone, ...] = Field((), max_length=500)


class Sheet(Part):
    """The document."""

    size: tuple[int, int]
    """Width and height of the picture as it came."""
    prepare: tuple[PrepareStep, ...] = Field((), max_length=100)
    cutset: CutSet = CutSet()
    plates: tuple[PlateUse, ...] = ()
    depth: Depth = Depth()

    def cutout(self, key: str) -> Cutout:
        """Return a cutout by its id."""
        found = next((cutout for cutout in self.cutset.cutouts if cutout.id == key), None)
        if found is None:
            raise EditError("There is no such cutout any more. Choose another.")
        return found

    def plate(self, behind: str) -> PlateUse | None:
        """Return what is used behind a cutout."""
        return next((plate for plate in self.plates if plate.behind == behind), None)

    @property
    def prepared_size(self) -> tuple[int, int]:
        """Width and height after the steps."""
        return geometry(self.size, self.prepare)[-1][1]


def parse_sheet(document: Any) -> Sheet:
    """Return the sheet a document describes.

    Raises
    ------
    EditError
        With one sentence that names the field.
    """
    try:
        return Sheet.model_validate(document)
    except ValidationError as error:
        raise EditError(str(explain(error, Sheet))) from error


def dump_sheet(sheet: Sheet) -> Any:
    """Return the document."""
    return sheet.model_dump(mode="json")
