"""Bringing pictures in: received, checked, decoded once, kept with pyramid and preview."""

from __future__ import annotations

from pathlib import Path, PurePosixPath, PureWindowsPath
from typing import BinaryIO

from sqlalchemy import select
from sqlalchemy.orm import Session

from vistaline.actions.errors import Refused
from vistaline.core.formats.shotfile import write_atomically
from vistaline.core.picture.decode import decode_picture, inspect_picture
from vistaline.core.picture.preview import preview_webp
from vistaline.core.render.pyramid import Pyramid, PyramidStore
from vistaline.core.shot import Shot
from vistaline.store.files import FileStore
from vistaline.store.models import Picture

__all__ = ["Library", "pictures_of", "remove_picture"]

_PREVIEW = "w1"
_THUMBNAIL_SIDE = 480


class Library:
    """The pictures of all projects: files, pyramids, previews."""

    def __init__(self, files: FileStore) -> None:
        self.files = files
        self._pyramids = PyramidStore(files.root / "pyramids")

    def import_picture(
        self, session: Session, project_id: int, name: str, stream: BinaryIO
    ) -> tuple[Picture, bool]:
        """Bring a picture in; returns it, and whether it is new to the project.

        It is decoded whole before anything is kept: a broken file leaves no trace.

        Raises
        ------
        PictureError
            The file is not a picture, is broken, or has too many pixels.
        """
        # A name is for people only; whatever path it carries is dropped.
        name = PurePosixPath(PureWindowsPath(name).name).name.strip()[:200] or "picture"
        with self.files.receive(stream) as incoming:
            info = inspect_picture(incoming.path, name)
            known = session.scalar(
                select(Picture).where(
                    Picture.project_id == project_id, Picture.sha256 == incoming.sha256
                )
            )
            if known:
                return known, False
            pyramid = self._pyramids.get(
                incoming.sha256, lambda: decode_picture(incoming.path, name)
            )
            self._preview(incoming.sha256, pyramid, thumbnail=False)
            picture = Picture(
                project_id=project_id,
                name=name,
                file=self.files.keep(incoming, info.extension),
                sha256=incoming.sha256,
                width=info.width,
                height=info.height,
                format=info.format,
                bits=info.bits,
                has_alpha=not pyramid.opaque,
                size=incoming.size,
            )
            session.add(picture)
            session.flush()
            return picture, True

    def pyramid(self, file: str) -> Pyramid:
        """Return the pyramid of a stored picture, by its file name in the store."""
        path = self.files.path(file)
        return self._pyramids.get(Path(file).stem, lambda: decode_picture(path, path.name))

    def pyramids_of(self, shot: Shot) -> dict[str, Pyramid]:
        """Return the pyramids a shot's shown layers need, by picture key."""
        used = {layer.picture for layer in shot.layers if not layer.hidden}
        return {key: self.pyramid(shot.pictures[key].file) for key in sorted(used)}

    def preview(self, file: str, *, thumbnail: bool = False) -> Path:
        """Return the browser's version of a stored picture."""
        sha256 = Path(file).stem
        path = self._preview_path(sha256, thumbnail)
        return path if path.exists() else self._preview(sha256, self.pyramid(file), thumbnail)

    def _preview_path(self, sha256: str, thumbnail: bool) -> Path:
        kind = "thumb" if thumbnail else "full"
        return self.files.root / "previews" / f"{sha256}.{kind}.{_PREVIEW}.webp"

    def _preview(self, sha256: str, pyramid: Pyramid, thumbnail: bool) -> Path:
        path = self._preview_path(sha256, thumbnail)
        data = preview_webp(pyramid, _THUMBNAIL_SIDE, 80) if thumbnail else preview_webp(pyramid)
        write_atomically(path, data)
        return path


def pictures_of(session: Session, project_id: int) -> list[Picture]:
    """Return a project's pictures in the order they came."""
    query = select(Picture).where(Picture.project_id == project_id).order_by(Picture.id)
    return list(session.scalars(query))


def remove_picture(session: Session, picture: Picture, used_in: list[str]) -> None:
    """Take a picture out of its project, unless a shot shows it."""
    if used_in:
        raise Refused(
            f"{picture.name} is used in {', '.join(used_in)}. Remove its layers there first."
        )
    session.delete(picture)
    session.flush()
