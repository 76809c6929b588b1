"""The shot model: frozen, checked when built, changed by copying. It is also the shot file.

``document`` reads and writes it, and publishes its JSON Schema; all of that comes from the
classes below.
"""

from __future__ import annotations

import re
from collections.abc import Collection
from fractions import Fraction
from typing import Annotated, Literal, Self

from pydantic import (
    BeforeValidator,
    Field,
    PlainSerializer,
    WithJsonSchema,
    model_validator,
)

from vistaline.core.blending import Blend
from vistaline.core.bodies import Body
from vistaline.core.errors import ShotError
from vistaline.core.fields import ColourField
from vistaline.core.frame_styles import Crop, FrameStyle
from vistaline.core.lettering import Title
from vistaline.core.model import Degrees, Distance, HexColour, Length, Metres, Part, Position
from vistaline.core.mounts import Mount, Ride, standing_of
from vistaline.core.occluders import Occluder
from vistaline.core.optics import focal_length_px
from vistaline.core.perspective import Direction
from vistaline.core.route import Camera, Cut, EaseName, Millimetres, Route, Take
from vistaline.core.rows import Row
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


Box = tuple[float, float, Annotated[float, Field(gt=0)], Annotated[float, Field(gt=0)]]
"""x, y, width, height in the taking camera's pixels; x and y of the top left corner."""
Pivot = Annotated[float, Field(ge=-100, le=100, allow_inf_nan=False)]
Stays = Literal["stage", "lens", "facing"]
"""Where it is put; fixed to the frame, as it is seen in the first; or turned to the camera."""

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


class PictureRef(Part):
    """A picture the shot uses: a file path relative to the shot file, with ``/``."""

    file: str = Field(min_length=1, max_length=500)
    width: int | None = Field(None, ge=1)
    height: int | None = Field(None, ge=1)


Pixel = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]


class MarkedEdge(Part):
    """A straight edge marked in the picture: two points in canvas pixels, y down."""

    a: tuple[Pixel, Pixel]
    b: tuple[Pixel, Pixel]
    along: Direction = Field(description="Which way it runs in the world.")
    through: tuple[Pixel, Pixel] | None = Field(
        None, description="A point on it between its ends, if the lens has bowed it."
    )


class TakingCamera(Part):
    """The camera the picture is taken to have been seen from; it stands still."""

    width: int | None = Field(None, ge=1, description="Canvas in picture pixels.")
    height: int | None = Field(None, ge=1)
    focal_length: Millimetres | None = Field(
        None, description="Millimetres on a gate 36 mm long; left out: just covers the frame."
    )
    position: Position = (0.0, 0.0, 0.0)
    pan: Degrees = 0.0
    tilt: Degrees = 0.0
    roll: Degrees = 0.0
    centre: tuple[Pixel, Pixel] | None = Field(
        None,
        description="Where the lens looked: canvas pixels; left out: the canvas's middle.",
    )
    edges: tuple[MarkedEdge, ...] = Field((), max_length=200)
    held_level: bool = Field(False, description="Marks: the camera is known not to be rolled.")
    lens_known: bool = Field(False, description="Marks: its focal length is known, and kept.")
    centre_told: bool = Field(False, description="Marks: they are to tell its centre, too.")
    marked_within: float = Field(
        1.0, gt=0, le=100, description="How exactly edges' ends are marked: pixels, one deviation."
    )

    @property
    def canvas(self) -> tuple[int, int]:
        if self.width is None or self.height is None:
            raise ShotError(
                "The taking camera's canvas is not known yet: its picture has not been read.",
                field="taking_camera",
            )
        return self.width, self.height

    @property
    def principal_point(self) -> tuple[float, float]:
        """Where the lens looked, in canvas pixels."""
        width, height = self.canvas
        return self.centre or (width / 2, height / 2)

    @property
    def shift(self) -> tuple[float, float]:
        """How far to the right of the lens's axis and above it the canvas's middle is: tangents."""
        if self.centre is None or self.focal_length is None:
            return 0.0, 0.0
        width, height = self.canvas
        focal = focal_length_px(self.focal_length, width, height)
        return (width / 2 - self.centre[0]) / focal, (self.centre[1] - height / 2) / focal


class Matte(Part):
    """Another layer that says where this one is seen, as the frame shows both."""

    of: str = Field(description="The id of the other layer; it may be hidden.")
    keep: Literal["inside", "outside"] = "inside"
    by: Literal["alpha", "lightness"] = Field(
        "alpha", description="What counts: how opaque it is, or that times how light it is."
    )


class Layer(Part):
    """Something that stands on the stage, on a plane: a picture, a title, a field, an occluder.

    A layer with a ``box`` is some of the taking camera's pixels, seen from it as they were taken
    at any distance. One without is a card: its size is in metres.
    """

    id: str = Field("", max_length=80)
    name: str = Field(min_length=1, max_length=80)
    picture: str = Field("", description="A key of the shot's pictures, or one of the next three.")
    title: Title | None = None
    field: ColourField | None = None
    occluder: Occluder | None = None
    box: Box | None = Field(
        None, description="Place in the taking camera's canvas: x, y, width, height in pixels."
    )
    width: Length | None = Field(None, description="A card with a picture: its width in metres.")
    height: Length | None = Field(
        None, description="A card's window, if it is not as its picture: its height in metres."
    )
    crop: Crop | None = Field(None, description="Which part of the picture its window shows.")
    projection: Box | None = Field(
        None,
        description="A card that catches its picture from the taking camera: where the picture "
        "lies in that one's canvas.",
    )
    body: Body | None = Field(
        None, description="What it is, if it is not flat; its card is the section in its middle."
    )
    depth: Length | None = Field(None, description="A body: metres from its front to its back.")
    known_size: tuple[Length, Length] | None = Field(
        None, description="What its width and height are in truth, in metres: a check."
    )
    frame_style: str = Field("", max_length=80, description="A name among the frame styles.")
    distance: Distance = Field(2.0, description="Metres from the taking camera, along its axis.")
    across: Metres = Field(0.0, description="Metres to the right of where it was seen.")
    up: Metres = Field(0.0, description="Metres above where it was seen.")
    scale: float = Field(
        1.0, gt=0, le=1e6, allow_inf_nan=False, description="1 = exactly the framing as taken."
    )
    pan: Degrees = 0.0
    tilt: Degrees = 0.0
    roll: Degrees = 0.0
    pivot: tuple[Pivot, Pivot] = Field(
        (0.0, 0.0),
        description="What it turns about: shares of its width and height from its middle.",
    )
    foot: tuple[Pivot, Pivot] = Field(
        (0.0, -0.5), description="Where it touches the ground, as shares like the pivot."
    )
    ride: Ride | None = None
    group: str = Field("", max_length=80, description="The name of the group it belongs to.")
    paired: str = Field("", description="The id of the title it is kept in register with.")
    stays: Stays = Field("stage", description="On the stage, with the lens, or facing it.")
    opacity: float = Field(1.0, ge=0, le=1)
    blend: Blend = Field(Blend.NORMAL, description="What is done with the colour behind.")
    matte: Matte | None = None
    hidden: bool = False
    locked: bool = False

    @model_validator(mode="after")
    def _shows_one_thing(self) -> Self:
        drawn = (self.title, self.field, self.occluder)
        if bool(self.picture) + sum(each is not None for each in drawn) != 1:
            raise ShotError(
                f"Layer {self.name!r} must show one thing: a picture, a title, a colour field or "
                "an occluder.",
                field="picture",
            )
        if self.projection is not None and (
            not self.picture or self.box or self.width is None or self.height is None
        ):
            raise ShotError(
                f"Layer {self.name!r} catches a picture from the taking camera: it needs a "
                "picture, a width and a height, and no box.",
                field="projection",
            )
        if (self.body is None) != (self.depth is None) or (self.body and not self.projection):
            raise ShotError(
                f"Layer {self.name!r} is a body: it needs a depth, and a picture that it catches "
                "from the taking camera.",
                field="body",
            )
        return self

    @property
    def is_card(self) -> bool:
        """Whether its size is its own, in metres, and not what the taking camera saw."""
        return self.width is not None or not self.picture

    @property
    def is_backdrop(self) -> bool:
        """Whether it fills the frame behind everything, and so stands nowhere on the stage."""
        return self.field is not None and self.field.backdrop


class Ground(Part):
    """The level ground the picture was taken on."""

    horizon: float = Field(
        ge=-100_000, le=100_000, description="Canvas pixels from the top to the horizon."
    )
    eye_height: Length = Field(1.6, description="Metres from the ground to the taking camera.")


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
        identified = tuple(_with_ids(self.layers))
        if identified != self.layers:
            object.__setattr__(self, "layers", identified)
        ids = {layer.id for layer in self.layers}
        mounts = {mount.id for mount in self.mounts}
        if len(mounts) < len(self.mounts):
            raise ShotError("Two mounts have one id; each needs its own.", field="mounts")
        for i, layer in enumerate(self.layers):
            for field, named, known, kind in (
                ("picture", layer.picture, self.pictures, "picture"),
                ("frame_style", layer.frame_style, self.frame_styles, "frame style"),
                ("ride", layer.ride and layer.ride.on, mounts, "mount"),
                ("matte", layer.matte and layer.matte.of, ids - {layer.id}, "other layer"),
                ("paired", layer.paired, ids - {layer.id}, "other layer"),
            ):
                if named and named not in known:
                    raise ShotError(
                        f"Layer {layer.name!r} uses {kind} {named!r}, which is not in the shot.",
                        field=f"layers.{i}.{field}",
                    )
        for mount in self.mounts:
            standing_of(mount, self.mounts)
        kept = (*(each.route for each in self.cameras), *(each.route for each in self.takes))
        for route in (self.route, *kept):
            if route.ride and route.ride.on not in mounts:
                raise ShotError(
                    f"The camera rides on {route.ride.on!r}, which is not among the mounts.",
                    field="route.ride",
                )
            self._check_route(route, ids)
        self._check_cuts()
        self._check_rows(ids, mounts)
        return self

    def _check_rows(self, layers: Collection[str], mounts: Collection[str]) -> None:
        known = {"layer": layers, "mount": mounts, "style": self.frame_styles}
        end, seen = self.frame.duration - 1, set()
        for i, row in enumerate(self.rows):
            kind, _, name = row.of.partition(":")
            if name not in known[kind]:
                raise ShotError(
                    f"There are keys for {kind} {name!r}, which is not in the shot.",
                    field=f"rows.{i}.of",
                )
            if (row.of, row.value) in seen:
                raise ShotError(
                    f"{row.about.label} of {row.of} has two rows of keys; put them in one.",
                    field=f"rows.{i}",
                )
            seen.add((row.of, row.value))
            if row.keys[-1].frame > end:
                raise ShotError(
                    f"{row.about.label} of {row.of} has a key at frame {row.keys[-1].frame}, but "
                    f"the shot ends with frame {end}. Make the shot longer, or the key earlier.",
                    field=f"rows.{i}.keys",
                )

    def _check_cuts(self) -> None:
        if len({take.name for take in self.takes}) < len(self.takes):
            raise ShotError("Two takes have one name; each needs its own.", field="takes")
        known = [self.camera, *(camera.id for camera in self.cameras)]
        if len({*known}) < len(known):
            raise ShotError("Two cameras have one id; each needs its own.", field="cameras")
        before = 0
        for i, cut in enumerate(self.cuts):
            if cut.camera not in known:
                raise ShotError(
                    f"Cut {i + 1} is to camera {cut.camera!r}, which the shot does not have.",
                    field=f"cuts.{i}.camera",
                )
            if not before < cut.frame < self.frame.duration:
                raise ShotError(
                    f"Cut {i + 1} is at frame {cut.frame}: cuts must follow each other, within the "
                    "shot. Move it or remove it.",
                    field=f"cuts.{i}.frame",
                )
            before = cut.frame

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

    def _check_route(self, route: Route, layers: Collection[str]) -> None:
        last, end = route.framings[-1], self.frame.duration - 1
        if last.last > end:
            place = "is at" if last.frame > end else "is held to"
            raise ShotError(
                f"The last framing {place} frame {max(last.frame, last.last)}, but the shot ends "
                f"with frame {end}. Make the shot longer, or the framing earlier or shorter.",
                field=f"route.framings.{len(route.framings) - 1}.frame",
            )
        if route.aim and route.aim.at not in layers:
            raise ShotError(
                f"The camera aims at {route.aim.at!r}, which is not among the layers.",
                field="route.aim",
            )
        for i, framing in enumerate(route.framings):
            if framing.keeps and framing.keeps not in layers:
                raise ShotError(
                    f"Framing {i + 1} keeps the size of {framing.keeps!r}, which is not among the "
                    "layers.",
                    field=f"route.framings.{i}.keeps",
                )

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


def _with_ids(layers: tuple[Layer, ...]) -> list[Layer]:
    taken: set[str] = set()
    identified = []
    for i, layer in enumerate(layers):
        if layer.id in taken:
            raise ShotError(
                f"Two layers have the id {layer.id!r}; each needs its own.", field=f"layers.{i}.id"
            )
        layer_id = layer.id
        if not layer_id:
            base = re.sub(r"[^a-z0-9]+", "-", layer.name.lower()).strip("-") or "layer"
            others = taken | {other.id for other in layers}
            layer_id, n = base, 1
            while layer_id in others:
                n += 1
                layer_id = f"{base}-{n}"
        taken.add(layer_id)
        identified.append(layer if layer.id else layer.evolve(id=layer_id))
    return identified
