"""Pictures that lie on one canvas become the layers of a shot, in register."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from pydantic import ValidationError
from sqlalchemy.orm import Session

from vistaline.actions.errors import Refused
from vistaline.actions.history import Change
from vistaline.actions.pictures import reference_to
from vistaline.actions.shots import change_shot, create_shot, current_shot
from vistaline.core.edits.hanging import side_by_side
from vistaline.core.errors import CoreError
from vistaline.core.explaining import explain
from vistaline.core.geometry.optics import DEFAULT_LENS, covering_focal_length
from vistaline.core.looks.blending import Blend
from vistaline.core.looks.frame_styles import READY_STYLES
from vistaline.core.shot.cameras import Camera
from vistaline.core.shot.layer import shown_as
from vistaline.core.shot.route import Framing, Route
from vistaline.core.shot.shot import FrameFormat, Layer, PictureRef, Shot, TakingCamera
from vistaline.core.shot.stands import Box, Taken
from vistaline.store.models import Picture, ShotRow

__all__ = [
    "Placed",
    "ShotWanted",
    "add_set",
    "first_distances",
    "frame_like",
    "start_row",
    "start_set",
]

NEAREST, FARTHEST = 2.0, 6.0
_LONGEST_FRAME = 1920
_WALL = "#2a2d33"


@dataclass(frozen=True, kw_only=True)
class Placed:
    """A picture and its place on the canvas."""

    picture: Picture
    box: Box
    name: str = ""
    opacity: float = 1.0
    blend: Blend = Blend.NORMAL

    @property
    def label(self) -> str:
        """Return what its layer is called."""
        return (self.name or Path(self.picture.name).stem)[:80] or "Layer"


@dataclass(frozen=True, kw_only=True)
class ShotWanted:
    """What somebody says of a shot before it is there."""

    name: str
    width: int
    height: int
    rate: str
    """As :func:`parse_rate` reads it."""
    duration: int
    """Frames."""

    @property
    def frame(self) -> FrameFormat:
        """The frame; ``ValidationError`` or ``ShotError`` if it makes no sense."""
        return FrameFormat(
            width=self.width,
            height=self.height,
            rate=self.rate,  # type: ignore[arg-type]
            duration=self.duration,
        )


def first_distances(count: int) -> list[float]:
    """Return first distances in metres, far to near: each a fixed ratio nearer than the last."""
    if count == 1:
        return [NEAREST]
    ratio = (NEAREST / FARTHEST) ** (1 / (count - 1))
    return [round(FARTHEST * ratio**i, 2) for i in range(count)]


def frame_like(canvas: tuple[int, int]) -> tuple[int, int]:
    """Return a frame of a canvas's shape, its sides even, its longer side at most 1920."""
    scale = min(1.0, _LONGEST_FRAME / max(canvas))
    width, height = (max(16, 2 * round(side * scale / 2)) for side in canvas)
    return width, height


def start_set(
    session: Session,
    project_id: int,
    canvas: tuple[int, int],
    placed: Sequence[Placed],
    wanted: ShotWanted,
    *,
    person_id: int | None,
) -> ShotRow:
    """Start a shot from pictures on a canvas, far to near; its framing is the canvas as it is."""
    pictures = _references([each.picture for each in placed])
    shot = _begun(wanted, canvas).evolve(pictures=pictures, layers=tuple(_layers(placed)))
    return create_shot(session, project_id, shot, person_id)


def start_row(
    session: Session,
    pictures: Sequence[Picture],
    wanted: ShotWanted,
    style: str,
    *,
    captions: bool,
    person_id: int | None,
) -> ShotRow:
    """Start a shot in which pictures hang side by side; ``style`` is one of the ready-made."""
    ready = (style, READY_STYLES[style]) if style in READY_STYLES else None
    names = [Path(picture.name).stem[:80] or "Print" for picture in pictures]
    begun = _begun(wanted, (wanted.width, wanted.height)).evolve(background=_WALL)
    shot = side_by_side(begun, _references(pictures), names, ready, captions=captions)
    return create_shot(session, pictures[0].project_id, shot, person_id)


def _begun(wanted: ShotWanted, canvas: tuple[int, int]) -> Shot:
    """Return a shot without layers, whose camera stands where a canvas was taken from."""
    try:
        frame = wanted.frame
        framings = [Framing(frame=0, name="First")]
        if frame.duration > 1:
            framings.append(Framing(frame=frame.duration - 1, name="Last"))
        return Shot(
            name=wanted.name.strip() or "Untitled",
            frame=frame,
            taking_camera=TakingCamera(
                width=canvas[0],
                height=canvas[1],
                focal_length=covering_focal_length(DEFAULT_LENS, frame=frame.size, picture=canvas),
            ),
            cameras=(Camera(route=Route(framings=tuple(framings))),),
        )
    except ValidationError as error:
        raise Refused(str(explain(error, Shot))) from error
    except CoreError as error:
        raise Refused(str(error)) from error


def add_set(
    session: Session,
    row: ShotRow,
    canvas: tuple[int, int],
    placed: Sequence[Placed],
    *,
    person_id: int | None,
) -> list[str]:
    """Add pictures, far to near, to a shot as it is now; returns remarks for the person.

    On a canvas of the same shape they are in register with what is there; else they fill it.
    """
    shot = current_shot(session, row)
    there = shot.taking_camera.canvas
    scale = min(there[0] / canvas[0], there[1] / canvas[1])
    left, top = ((there[i] - canvas[i] * scale) / 2 for i in (0, 1))
    layers = [
        layer.with_stands(box=(left + x * scale, top + y * scale, w * scale, h * scale))
        for layer, (x, y, w, h) in zip(_layers(placed), (each.box for each in placed), strict=True)
    ]
    change_shot(
        session,
        row,
        "add_layers",
        {
            "pictures": {
                key: ref.model_dump()
                for key, ref in _references([each.picture for each in placed]).items()
            },
            "layers": json.loads(json.dumps([layer.model_dump() for layer in layers])),
        },
        Change(version=row.version, person_id=person_id),
    )
    if abs(there[0] / there[1] - canvas[0] / canvas[1]) > 0.002:
        return [f"{row.name} has a canvas of another shape; the set stands in its middle."]
    return []


def _references(pictures: Sequence[Picture]) -> dict[str, PictureRef]:
    return {f"p{each.id}": reference_to(each) for each in pictures}


def _layers(placed: Sequence[Placed]) -> list[Layer]:
    return [
        Layer(
            name=each.label,
            shows=shown_as(f"p{each.picture.id}", reference_to(each.picture)),
            stands=Taken(box=each.box),
            distance=distance,
            opacity=each.opacity,
            blend=each.blend,
        )
        for each, distance in zip(placed, first_distances(len(placed)), strict=True)
    ]
