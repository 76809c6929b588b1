"""Type that people bring into their projects."""

from __future__ import annotations

from pathlib import Path
from typing import BinaryIO

from sqlalchemy import select
from sqlalchemy.orm import Session

from vistaline.actions.errors import Refused
from vistaline.actions.pictures import plain_name
from vistaline.core.looks.typefaces import FACES, OWN, open_type
from vistaline.store.files import FileStore
from vistaline.store.models import Typeface

__all__ = ["bring_type", "faces_of"]

_KINDS = (".ttf", ".otf", ".woff2")
_LARGEST = 32 << 20


def bring_type(
    session: Session, files: FileStore, project_id: int, name: str, stream: BinaryIO
) -> Typeface:
    """Keep a TTF, OTF or WOFF2 file for a project's titles.

    Raises
    ------
    ShotError
        It is not a font.
    Refused
        It is of another kind, or too large.
    """
    name = plain_name(name)
    kind = Path(name).suffix.lower()
    if kind not in _KINDS:
        raise Refused(f"{name} is not a kind of font that is read. Bring in TTF, OTF or WOFF2.")
    with files.receive(stream) as incoming:
        if incoming.size > _LARGEST:
            raise Refused(f"{name} is larger than {_LARGEST >> 20} MB. Bring in a smaller font.")
        words = open_type(incoming.path, name)
        face = f"{OWN}{incoming.sha256}"
        known = session.scalar(
            select(Typeface).where(Typeface.project_id == project_id, Typeface.face == face)
        )
        if known:
            return known
        file = files.keep_type(incoming, kind.removeprefix("."))
    typeface = Typeface(project_id=project_id, face=face, name=words[:200], file=file)
    session.add(typeface)
    session.flush()
    return typeface


def faces_of(session: Session, project_id: int) -> list[tuple[str, str]]:
    """Return the faces a project's titles may use, with what people call them."""
    query = select(Typeface).where(Typeface.project_id == project_id).order_by(Typeface.name)
    own = [(each.face, each.name) for each in session.scalars(query)]
    return [(key, face.words) for key, face in FACES.items()] + own
