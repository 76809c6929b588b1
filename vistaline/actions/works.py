"""All kinds of background tasks, and what each does."""

from __future__ import annotations

from vistaline.actions.cloth_work import CLOTH_WORKS
from vistaline.actions.handing_work import HANDING_WORKS
from vistaline.actions.package_work import PACKAGE_WORKS
from vistaline.actions.picture_work import PICTURE_WORKS
from vistaline.actions.relief_work import RELIEF_WORKS
from vistaline.actions.room_work import ROOM_WORKS
from vistaline.actions.tasks import Work
from vistaline.store.models import TaskKind

__all__ = ["WORKS"]

WORKS: dict[TaskKind, Work] = {
    **PICTURE_WORKS,
    **RELIEF_WORKS,
    **ROOM_WORKS,
    **CLOTH_WORKS,
    **HANDING_WORKS,
    **PACKAGE_WORKS,
}
