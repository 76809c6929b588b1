"""The shot model: frozen, checked when built, changed by copying. It is also the shot file.

``document`` reads and writes it, and publishes its JSON Schema; all of that comes from the
classes here and in ``layer``, ``taking`` and ``route``.
"""

from __future__ import annotations

from fractions import Fraction
from typing import Annotated, Literal, Self

from pydantic import (
    BeforeValidator,
    Field,
    PlainSerializer,
    WithJsonSchema,
    model_validator,
)

from vistaline.core.errors import ShotError
from vistaline.core.looks.frame_styles import FrameStyle
from vistaline.core.model import HexColour, Part
from vistaline.core.shot.checks import check_shot, with_ids
from vistaline.core.shot.layer import Box, Layer, Matte, PictureRef, Stays
from vistaline.core.shot.mounts import Mount
from vistaline.core.shot.route import Camera, Cut, EaseName, Route, Take
from vistaline.core.shot.rows import Row
from vistaline.core.shot.taking import Ground, MarkedEdge, TakingCamera
from vistaline.core.timing import parse_rate, rate_label

__all__ = [
    "Box",
    "FrameFormat",
    "Ground",
    "Layer",
    "MarkedEdge",
    "Matte",
    "PictureRef",
    "Shot",
    "Stays",
    "TakingCamera",
]


Rate = Annotated[
    Fraction,
    BeforeValidator(parse_rate),
    PlainSerializer(rate_label, return_type=str),
    WithJsonSchema(
        {
            "anyOf": [{"type": "string"}, {"type": "number", "minimum": 1, "maximum": 240}],
            "description": "Frames a second: 24, 23.976 or 24000/1001.",
        }
    ),
]


class FrameFormat(Part):
    """The frame's size in pixels, its rate, and how many frames the shot lasts."""

    width: int = Field(1920, ge=16, le=8192, multiple_of=2)
    height: int = Field(1080, ge=16, le=8192, multiple_of=2)
    rate: Rate = Fraction(24)
    duration: int = Field(ge=1, le=1_000_000, description="Length of the shot in frames.")

    @property
    def size(self) -> tuple[int, int]:
        return self.width, self.height

    @property
    def seconds(self) -> Fraction:
        return self.duration / self.rate


class Shot(Part):
    """Everything that makes one shot."""

    vistaline: Literal[1] = Field(1, description="Version of the shot file.")
    name: str = Field("Untitled", min_length=1, max_length=120)
    frame: FrameFormat
    background: HexColour = "#000000"
    taking_camera: TakingCamera = TakingCamera()
    ground: Ground | None = None
    pictures: dict[str, PictureRef] = Field(default_factory=dict)
    frame_styles: dict[str, FrameStyle] = Field(default_factory=dict, max_length=200)
    mounts: tuple[Mount, ...] = Field((), max_length=200)
    layers: tuple[Layer, ...] = Field(
        (), max_length=500, description="Of two at one distance, the later is in front."
    )
    camera: str = Field("a", min_length=1, max_length=80, description="The route's camera's id.")
    camera_name: str = Field("A", min_length=1, max_length=80)
    route: Route = Route()
    cameras: tuple[Camera, ...] = Field((), max_length=50, description="All other cameras.")
    cuts: tuple[Cut, ...] = Field(
        (),
        max_length=1000,
        description="In order of time; before them the first camera is seen.",
    )
    takes: tuple[Take, ...] = Field((), max_length=100, description="Other routes, to compare.")
    rows: tuple[Row, ...] = Field((), max_length=2000, description="Values that have keys.")
    eases: dict[str, EaseName] = Field(
        default_factory=dict, max_length=200, description="Eases of one's own, kept by name."
    )

    @model_validator(mode="after")
    def _consistent(self) -> Self:
        identified = tuple(with_ids(self.layers))
        if identified != self.layers:
            object.__setattr__(self, "layers", identified)
        check_shot(self)
        return self

    @property
    def duration(self) -> int:
        """Length in frames."""
        return self.frame.duration

    def directed_by(self, camera_id: str) -> Shot:
        """Return the shot with another of its cameras as the one that is directed.

        Raises
        ------
        ShotError
            There is no such camera.
        """
        if camera_id == self.camera:
            return self
        found = next((each for each in self.cameras if each.id == camera_id), None)
        if found is None:
            raise ShotError(f"There is no camera {camera_id!r} in this shot.")
        mine = Camera(id=self.camera, name=self.camera_name, route=self.route)
        return self.evolve(
            camera=found.id,
            camera_name=found.name,
            route=found.route,
            cameras=tuple(mine if each is found else each for each in self.cameras),
        )

    @property
    def opening(self) -> str:
        """The id of the camera that is seen first: the first that was made."""
        return min((self.camera, *(camera.id for camera in self.cameras)))

    def mount(self, mount_id: str) -> Mount:
        """Return the mount with this id; ShotError if there is none."""
        for mount in self.mounts:
            if mount.id == mount_id:
                return mount
        raise ShotError(f"There is no mount {mount_id!r} in this shot (it may have been removed).")

    def layer(self, layer_id: str) -> Layer:
        """Return the layer with this id; ShotError if there is none."""
        for layer in self.layers:
            if layer.id == layer_id:
                return layer
        raise ShotError(f"There is no layer {layer_id!r} in this shot (it may have been removed).")
