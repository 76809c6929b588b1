"""Bringing pictures in: received, checked, decoded once, kept with pyramid and preview."""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from functools import partial
from pathlib import Path, PurePosixPath, PureWindowsPath
from typing import Any, BinaryIO

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from vistaline.actions.errors import NotFound, Refused
from vistaline.core.arrays import Rgba16
from vistaline.core.files import write_atomically
from vistaline.core.formats.incoming import clip_of, header_of, keep_pyramid, sound_clip
from vistaline.core.formats.moving import MovingFrames
from vistaline.core.looks.cloth_kept import MOTIONS
from vistaline.core.looks.pieces import Sheet
from vistaline.core.looks.typefaces import OWN, shelve
from vistaline.core.picture.clip import Clip
from vistaline.core.picture.decode import PictureInfo
from vistaline.core.picture.preview import alpha_at, preview_webp
from vistaline.core.picture.pyramid import Pyramid, PyramidStore
from vistaline.core.picture.still import encode_png
from vistaline.core.render.copies import copy_webp
from vistaline.core.render.nested import NestedFrames
from vistaline.core.shot.shot import PictureRef, Shot
from vistaline.core.stage.drawn import Looks, look_called, sheet_called
from vistaline.core.stage.focused import LIVE_COPIES
from vistaline.core.stage.textures import PiecesLook, texture_called
from vistaline.core.timing import parse_rate, rate_label
from vistaline.store.files import FileStore
from vistaline.store.models import Picture

__all__ = [
    "Admitted",
    "Library",
    "known_picture",
    "pictures_of",
    "plain_name",
    "reference_to",
    "remove_picture",
    "share_pictures",
]

_PREVIEW = "w1"
_THUMBNAIL_SIDE = 480


@dataclass(frozen=True, kw_only=True)
class Admitted:
    """A stored picture that was decoded whole: it can be used."""

    file: str
    sha256: str
    info: PictureInfo
    has_alpha: bool
    size: int
    clip: Clip | None = None
    """What moves of it."""

    def facts(self) -> dict[str, Any]:
        """Return what a picture's row says of its file."""
        return {
            "file": self.file,
            "width": self.info.width,
            "height": self.info.height,
            "format": self.info.format,
            "bits": self.info.bits,
            "has_alpha": self.has_alpha,
            "size": self.size,
            "moving": self.clip
            and {
                "frames": self.clip.frames,
                "rate": rate_label(self.clip.rate),
                "remarks": list(self.clip.remarks),
            },
        }


class Library:
    """The pictures of all projects: files, pyramids, previews."""

    def __init__(self, files: FileStore) -> None:
        self.files = files
        shelve(files.root / "type")
        MOTIONS.keep_on(files.shelf("cloth"))
        self._pyramids = PyramidStore(files.root / "pyramids")

    def import_picture(
        self, session: Session, project_id: int, name: str, stream: BinaryIO, **about: Any
    ) -> tuple[Picture, bool]:
        """Bring a picture in; returns it, and whether it is new to the project.

        ``about`` may say more of it: ``role``, ``source_id``, ``placing``, the ``rate`` of frames.
        It is decoded whole before anything is kept: a broken file leaves no trace.

        Raises
        ------
        PictureError
            The file is not a picture, is broken, or has too many pixels.
        """
        name = plain_name(name)
        with self.files.receive(stream) as incoming:
            header_of(incoming.path, name)
            known = known_picture(session, project_id, incoming.sha256)
            if known:
                return known, False
            rate = about.pop("rate", None)
            admitted = self._admitted(incoming.path, incoming.sha256, name, rate)
            self.files.keep(incoming, admitted.info.extension)
        return self.add(session, project_id, name, admitted, **about)

    def foresee(self, path: Path) -> None:
        """Make what will be shown of a file, so that bringing it in is quick then.

        Several may be foreseen side by side. Raises as :meth:`import_picture`.
        """
        with path.open("rb") as stream, self.files.receive(stream) as incoming:
            self._admitted(incoming.path, incoming.sha256, path.name)

    def admit(
        self,
        file: str,
        name: str,
        rate: Fraction | None = None,
        progress: Callable[[float, str], None] = lambda share, words: None,
    ) -> Admitted:
        """Decode a stored picture whole and make what is shown of it; nothing is added yet.

        ``rate``: of frames that are stills; ``progress`` is told how many frames of one that
        moves have been looked at, and may raise to stop.

        Raises
        ------
        PictureError
            As :meth:`import_picture`.
        """
        return self._admitted(self.files.path(file), Path(file).stem, name, rate, progress)

    def _admitted(
        self,
        path: Path,
        sha256: str,
        name: str,
        rate: Fraction | None = None,
        progress: Callable[[float, str], None] = lambda share, words: None,
    ) -> Admitted:
        info = header_of(path, name)
        clip = None
        if info.moves:
            clip = sound_clip(path, name, clip_of(path, name, rate), progress)
        pyramid = self._pyramids.get_written(sha256, partial(keep_pyramid, path, name))
        if not self._preview_path(sha256, thumbnail=False).exists():
            self._preview(sha256, pyramid, thumbnail=False)
        return Admitted(
            file=f"pictures/{sha256[:2]}/{sha256}.{info.extension}",
            sha256=sha256,
            info=info,
            has_alpha=not pyramid.opaque,
            size=path.stat().st_size,
            clip=clip,
        )

    def add(
        self, session: Session, project_id: int, name: str, admitted: Admitted, **about: Any
    ) -> tuple[Picture, bool]:
        """Add an admitted picture to a project; returns it, and whether it is new there."""
        known = known_picture(session, project_id, admitted.sha256)
        if known:
            return known, False
        picture = Picture(
            project_id=project_id,
            name=plain_name(name),
            original=admitted.file,
            sha256=admitted.sha256,
            **admitted.facts(),
            **about,
        )
        session.add(picture)
        session.flush()
        return picture, True

    def keep_codes(self, codes: np.ndarray, *, level: int = 1) -> str:
        """Store (height, width, 3 or 4) uint8 or uint16 codes as PNG; returns its file name.

        ``level`` is how hard PNG tries to be small; 1 is fast.
        """
        with self.files.receive(io.BytesIO(encode_png(codes, level=level))) as incoming:
            return self.files.keep(incoming, "png")

    def pyramid(self, file: str) -> Pyramid:
        """Return the pyramid of a stored picture, by its file name in the store."""
        path = self.files.path(file)
        return self._pyramids.get_written(Path(file).stem, partial(keep_pyramid, path, path.name))

    @property
    def pyramids_open(self) -> int:
        """How many pyramids this process holds open."""
        return self._pyramids.open_now

    def looks_of(self, shot: Shot) -> Looks:
        """Return what a shot's layers and shadows look like, each made when first asked for."""
        self.bring_type(shot)
        return Looks(
            shot,
            self._pyramids,
            lambda key: self.pyramid(shot.pictures[key].file),
            NestedFrames(self.looks_of),
            MovingFrames(lambda key: self._clip_file(shot.pictures[key])),
        )

    def bring_type(self, shot: Shot) -> None:
        """Have the type here that people brought in and that a shot's titles are set in."""
        faces = {layer.title.face for layer in shot.layers if layer.title}
        self.files.bring_type([each.removeprefix(OWN) for each in faces if each.startswith(OWN)])

    def _clip_file(self, ref: PictureRef) -> tuple[Path, Fraction | None]:
        return self.files.path(ref.file), ref.rate

    def drawn(
        self,
        shot: Shot,
        texture: str,
        name: str,
        *,
        thumbnail: bool = False,
        copy: int | None = None,
    ) -> Path:
        """Return the browser's version of the look called ``texture``, drawn as ``name`` says.

        ``copy``: one of its blurred copies, by its number.

        Raises
        ------
        NotFound
            The shot has no such look any more.
        """
        drawing = look_called(shot, texture)
        if drawing is None or drawing.name != name:
            raise NotFound("The shot has no such drawing any more.")
        if copy is not None:
            return self._copy(name, copy, lambda: self.looks_of(shot)[texture])
        path = self._preview_path(name, thumbnail)
        if path.exists():
            return path
        return self._preview(name, self.looks_of(shot)[texture], thumbnail)

    def pieces(self, shot: Shot, texture: str, name: str) -> Sheet:
        """Return the pieces of a title; errors as :meth:`drawn`."""
        drawing = look_called(shot, texture)
        look = texture_called(texture, shot.pictures, [each.id for each in shot.layers])
        if drawing is None or drawing.name != name or not isinstance(look, PiecesLook):
            raise NotFound("The shot has no such title any more.")
        return sheet_called(shot, look, self.looks_of(shot))

    def relief(self, shot: Shot, texture: str, name: str) -> Rgba16:
        """Return the maps of a relief; errors as :meth:`drawn`."""
        drawing = look_called(shot, texture)
        if drawing is None or drawing.name != name:
            raise NotFound("The shot has no such relief any more.")
        return self.looks_of(shot)[texture].picture

    def alpha(self, shot: Shot, texture: str, u: float, v: float) -> float:
        """Return the alpha (0..1) of one of a shot's looks at unit texture coordinates."""
        return alpha_at(self.looks_of(shot)[texture], u, v)

    def preview(self, file: str, *, thumbnail: bool = False) -> Path:
        """Return the browser's version of a stored picture."""
        sha256 = Path(file).stem
        path = self._preview_path(sha256, thumbnail)
        return path if path.exists() else self._preview(sha256, self.pyramid(file), thumbnail)

    def blurred(self, file: str, copy: int) -> Path:
        """Return one of the blurred copies of a stored picture, by its number.

        Raises
        ------
        NotFound
            There is none of that number.
        """
        return self._copy(Path(file).stem, copy, lambda: self.pyramid(file))

    def _copy(self, name: str, copy: int, pyramid: Callable[[], Pyramid]) -> Path:
        if not 0 <= copy < len(LIVE_COPIES):
            raise NotFound("There is no such copy.")
        path = self.files.root / "previews" / f"{name}.blurred{copy}.{_PREVIEW}.webp"
        if not path.exists():
            write_atomically(path, copy_webp(pyramid(), copy))
        return path

    def _preview_path(self, sha256: str, thumbnail: bool) -> Path:
        kind = "thumb" if thumbnail else "full"
        return self.files.root / "previews" / f"{sha256}.{kind}.{_PREVIEW}.webp"

    def _preview(self, sha256: str, pyramid: Pyramid, thumbnail: bool) -> Path:
        path = self._preview_path(sha256, thumbnail)
        data = preview_webp(pyramid, _THUMBNAIL_SIDE, 80) if thumbnail else preview_webp(pyramid)
        write_atomically(path, data)
        return path


def plain_name(name: str) -> str:
    """Return a file's name for people; whatever path it carries is dropped."""
    return PurePosixPath(PureWindowsPath(name).name).name.strip()[:200] or "picture"


def reference_to(picture: Picture) -> PictureRef:
    """Return what a shot keeps of a picture."""
    moving = picture.moving or {}
    return PictureRef(
        file=picture.file,
        width=picture.width,
        height=picture.height,
        frames=moving.get("frames"),
        rate=parse_rate(moving["rate"]) if moving else None,
    )


def known_picture(session: Session, project_id: int, sha256: str) -> Picture | None:
    """Return the project's picture with this content, if it has come in already."""
    return session.scalar(
        select(Picture).where(Picture.project_id == project_id, Picture.sha256 == sha256)
    )


def pictures_of(session: Session, project_id: int) -> list[Picture]:
    """Return a project's pictures in the order they came."""
    query = select(Picture).where(Picture.project_id == project_id).order_by(Picture.id)
    return list(session.scalars(query))


def share_pictures(session: Session, source_id: int, target_id: int) -> None:
    """Bring the pictures of one project into another; their files are kept once."""
    there = {picture.sha256 for picture in pictures_of(session, target_id)}
    for picture in pictures_of(session, source_id):
        if picture.sha256 in there or picture.source_id:
            continue
        columns = {
            column.name: getattr(picture, column.name)
            for column in Picture.__table__.columns
            if column.name not in ("id", "project_id", "created")
        }
        session.add(Picture(project_id=target_id, **columns))
    session.flush()


def remove_picture(session: Session, picture: Picture, used_in: list[str]) -> None:
    """Take a picture out of its project, unless a shot shows it."""
    if used_in:
        raise Refused(
            f"{picture.name} is used in {', '.join(used_in)}. Remove its layers there first."
        )
    session.delete(picture)
    session.flush()
