"""The shot model: frozen, checked when built, changed by copying. It is also the shot file.

``parse_shot`` reads a document (what JSON gives), ``dump_shot`` writes one, ``shot_schema`` is
the published JSON Schema; all three come from the classes below. A hand-written file may leave
out what its pictures tell; ``complete`` fills that in.
"""

from __future__ import annotations

import difflib
import re
from fractions import Fraction
from itertools import pairwise
from typing import Annotated, Any, Literal, Self

from pydantic import (
    BaseModel,
    BeforeValidator,
    Field,
    PlainSerializer,
    ValidationError,
    WithJsonSchema,
    model_validator,
)

from vistaline.core.blending import Blend
from vistaline.core.easing import NAMED_EASES, CubicBezier, parse_ease
from vistaline.core.errors import ShotError
from vistaline.core.fields import ColourField
from vistaline.core.lettering import Title
from vistaline.core.model import Degrees, Distance, HexColour, Length, Metres, Part
from vistaline.core.optics import DEFAULT_LENS, covering_focal_length
from vistaline.core.timing import parse_rate, rate_label

__all__ = [
    "SHOT_VERSION",
    "Box",
    "FrameFormat",
    "Framing",
    "Ground",
    "Layer",
    "PictureRef",
    "Route",
    "Shot",
    "Stays",
    "TakingCamera",
    "complete",
    "dump_shot",
    "explain",
    "fit_box",
    "parse_shot",
    "shot_schema",
]

SHOT_VERSION = 1


def _checked_ease(ease: Any) -> Any:
    parse_ease(tuple(ease) if isinstance(ease, list) else ease)
    return ease


Millimetres = Annotated[float, Field(gt=0, le=5000, allow_inf_nan=False)]
Position = tuple[Metres, Metres, Metres]
Box = tuple[float, float, Annotated[float, Field(gt=0)], Annotated[float, Field(gt=0)]]
"""x, y, width, height in the taking camera's pixels; x and y of the top left corner."""
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
Ease = Annotated[
    str | tuple[float, float, float, float],
    Field(
        json_schema_extra={
            "anyOf": [
                {"enum": sorted(NAMED_EASES)},
                {"type": "array", "items": {"type": "number"}, "minItems": 4, "maxItems": 4},
            ],
            "description": "A CSS ease by name, or its cubic-bezier handles x1, y1, x2, y2.",
        }
    ),
    BeforeValidator(_checked_ease),
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

    @property
    def canvas(self) -> tuple[int, int]:
        if self.width is None or self.height is None:
            raise ShotError(
                "The taking camera's canvas is not known yet: its picture has not been read.",
                field="taking_camera",
            )
        return self.width, self.height


class Layer(Part):
    """Something that stands on the stage: a picture, a title or a colour field, on a plane.

    A layer with a ``box`` is some of the taking camera's pixels, seen from it as they were taken
    at any distance. One without is a card: its size is in metres.
    """

    id: str = Field("", max_length=80)
    name: str = Field(min_length=1, max_length=80)
    picture: str = Field("", description="A key of the shot's pictures, or one of the next two.")
    title: Title | None = None
    field: ColourField | None = None
    box: Box | None = Field(
        None, description="Place in the taking camera's canvas: x, y, width, height in pixels."
    )
    width: Length | None = Field(None, description="A card with a picture: its width in metres.")
    distance: Distance = Field(2.0, description="Metres from the taking camera, along its axis.")
    across: Metres = Field(0.0, description="Metres to the right of where it was seen.")
    up: Metres = Field(0.0, description="Metres above where it was seen.")
    scale: float = Field(
        1.0, gt=0, le=1e6, allow_inf_nan=False, description="1 = exactly the framing as taken."
    )
    pan: Degrees = 0.0
    tilt: Degrees = 0.0
    roll: Degrees = 0.0
    stays: Stays = Field("stage", description="On the stage, with the lens, or facing it.")
    opacity: float = Field(1.0, ge=0, le=1)
    blend: Blend = Field(Blend.NORMAL, description="What is done with the colour behind.")
    hidden: bool = False
    locked: bool = False

    @model_validator(mode="after")
    def _shows_one_thing(self) -> Self:
        if bool(self.picture) + (self.field is not None) + (self.title is not None) != 1:
            raise ShotError(
                f"Layer {self.name!r} must show one thing: a picture, a title or a colour field.",
                field="picture",
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

    @property
    def texture(self) -> str:
        """What its look is known by among the shot's: a picture's key, or its own id."""
        return self.picture or f"~{self.id}"


class Framing(Part):
    """What the camera sees at one frame; ``ease`` shapes the travel that arrives here."""

    frame: int = Field(ge=0)
    name: str = Field("", max_length=80)
    position: Position = Field(
        (0.0, 0.0, 0.0), description="Metres: right, up, towards the viewer."
    )
    pan: Degrees = 0.0
    tilt: Degrees = 0.0
    roll: Degrees = 0.0
    lens: Millimetres = DEFAULT_LENS
    ease: Ease = "ease-in-out"

    @property
    def curve(self) -> CubicBezier:
        return parse_ease(self.ease)


class Ground(Part):
    """The level ground the picture was taken on."""

    horizon: float = Field(
        ge=-100_000, le=100_000, description="Canvas pixels from the top to the horizon."
    )
    eye_height: Length = Field(1.6, description="Metres from the ground to the taking camera.")


class Route(Part):
    """The camera's framings in order of time."""

    framings: tuple[Framing, ...] = Field((Framing(frame=0),), min_length=1)

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        frames = [framing.frame for framing in self.framings]
        for i, (earlier, later) in enumerate(pairwise(frames)):
            if later <= earlier:
                raise ShotError(
                    f"Framing {i + 2} is at frame {later}, not after framing {i + 1} at frame "
                    f"{earlier}. Give each framing a later frame than the one before.",
                    field=f"route.framings.{i + 1}.frame",
                )
        return self


class Shot(Part):
    """Everything that makes one shot."""

    vistaline: Literal[1] = Field(1, description="Version of the shot file.")
    name: str = Field("Untitled", min_length=1, max_length=120)
    frame: FrameFormat
    background: HexColour = "#000000"
    taking_camera: TakingCamera = TakingCamera()
    ground: Ground | None = None
    pictures: dict[str, PictureRef] = Field(default_factory=dict)
    layers: tuple[Layer, ...] = Field(
        (), max_length=500, description="Of two at one distance, the later is in front."
    )
    route: Route = Route()

    @model_validator(mode="after")
    def _consistent(self) -> Self:
        for i, layer in enumerate(self.layers):
            if layer.picture and layer.picture not in self.pictures:
                raise ShotError(
                    f"Layer {layer.name!r} uses picture {layer.picture!r}, which is not among "
                    "the shot's pictures.",
                    field=f"layers.{i}.picture",
                )
        last = self.route.framings[-1]
        if last.frame >= self.frame.duration:
            raise ShotError(
                f"The last framing is at frame {last.frame}, but the shot ends with frame "
                f"{self.frame.duration - 1}. Make the shot longer or move the framing.",
                field=f"route.framings.{len(self.route.framings) - 1}.frame",
            )
        identified = tuple(_with_ids(self.layers))
        if identified != self.layers:
            object.__setattr__(self, "layers", identified)
        return self

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


def parse_shot(document: Any) -> Shot:
    """Return the shot a document describes.

    Raises
    ------
    ShotError
        With one sentence that names the field, and that field's path in ``field``.
    """
    if not isinstance(document, dict) or "vistaline" not in document:
        raise ShotError(
            'This is not a shot file: it has no "vistaline" entry with its version at the top.',
            field="vistaline",
        )
    version = document["vistaline"]
    if isinstance(version, int) and version > SHOT_VERSION:
        raise ShotError(
            f"This shot file is version {version}; this Vistaline reads up to version "
            f"{SHOT_VERSION}. Open it with a newer Vistaline.",
            field="vistaline",
        )
    try:
        return Shot.model_validate(document)
    except ValidationError as error:
        raise explain(error, Shot) from error


def dump_shot(shot: Shot) -> dict[str, Any]:
    """Return the document of a shot: what JSON can hold, with defaults left out."""
    document = shot.model_dump(mode="json", exclude_defaults=True)
    return {"vistaline": shot.vistaline, "name": shot.name} | document


def shot_schema() -> dict[str, Any]:
    """Return the JSON Schema (draft 2020-12) of the shot file."""
    schema = Shot.model_json_schema()
    schema["required"] = sorted({*schema.get("required", ()), "vistaline"})
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Vistaline shot file, version 1",
    } | schema


def explain(error: ValidationError, model: type[BaseModel] | None = None) -> ShotError:
    """Turn pydantic's first finding into one sentence that names the field and what to do."""
    first = error.errors(include_url=False)[0]
    cause = first.get("ctx", {}).get("error")
    place = [str(part) for part in first["loc"]]
    field = ".".join(place)
    if isinstance(cause, ShotError):
        inner = cause.field.split(".")[-1] if cause.field else ""
        return ShotError(str(cause), field=cause.field if "." in cause.field else field or inner)
    if first["type"] == "extra_forbidden":
        known = _known_fields(model, place[:-1]) if model else []
        near = difflib.get_close_matches(place[-1], known, n=1)
        hint = f"Did you mean {near[0]!r}?" if near else "Remove it."
        return ShotError(f"{field} is not a known field. {hint}", field=field)
    if first["type"] in ("missing", "missing_keyword_only_argument"):
        return ShotError(f"{field} is missing; it must be given.", field=field)
    rule = re.sub(r"^(Input|Value|String|Tuple|List) should", "must", first["msg"])
    given = repr(first["input"])
    return ShotError(f"{field or 'the document'} {rule}; got {given[:60]}.", field=field)


def _known_fields(model: type[BaseModel], place: list[str]) -> list[str]:
    schema: dict[str, Any] = model.model_json_schema()
    part = schema
    for step in place:
        part = part.get("items") or part.get("properties", {}).get(
            step, part.get("additionalProperties") or {}
        )
        if "$ref" in part:
            part = schema["$defs"][part["$ref"].rsplit("/", 1)[-1]]
    return list(part.get("properties", ()))


def fit_box(picture: tuple[int, int], canvas: tuple[int, int]) -> Box:
    """Return where a picture stands in a canvas when nothing else is known.

    The same size: in register. Another size: as it is if it fits, else made to fit; centred.

    >>> fit_box((400, 300), (400, 300))
    (0.0, 0.0, 400.0, 300.0)
    >>> fit_box((100, 200), (400, 300))
    (150.0, 50.0, 100.0, 200.0)
    """
    scale = min(1.0, canvas[0] / picture[0], canvas[1] / picture[1])
    width, height = picture[0] * scale, picture[1] * scale
    return (canvas[0] - width) / 2, (canvas[1] - height) / 2, width, height


def complete(shot: Shot, sizes: dict[str, tuple[int, int]]) -> Shot:
    """Fill in what a hand-written shot leaves to its pictures.

    ``sizes`` gives (width, height) in pixels by picture key. Filled in: picture sizes, the taking
    camera's canvas (the farthest layer's picture), its lens (so that the picture just covers the
    frame of the first framing), each layer's box.
    """
    pictures = {
        key: picture.evolve(width=sizes[key][0], height=sizes[key][1])
        for key, picture in shot.pictures.items()
    }
    camera = shot.taking_camera
    if camera.width is None or camera.height is None:
        seen = [layer for layer in shot.layers if not layer.is_card]
        farthest = max(seen, key=lambda layer: layer.distance, default=None)
        canvas = sizes[farthest.picture] if farthest else shot.frame.size
        camera = camera.evolve(width=canvas[0], height=canvas[1])
    if camera.focal_length is None:
        lens = covering_focal_length(
            shot.route.framings[0].lens, frame=shot.frame.size, picture=camera.canvas
        )
        camera = camera.evolve(focal_length=lens)
    layers = tuple(
        layer
        if layer.box or layer.is_card
        else layer.evolve(box=fit_box(sizes[layer.picture], camera.canvas))
        for layer in shot.layers
    )
    return shot.evolve(pictures=pictures, taking_camera=camera, layers=layers)
