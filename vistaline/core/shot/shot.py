"""The shot model: frozen, checked when built, changed by copying. It is also the shot file.

``document`` reads and writes it, and publishes its JSON Schema; all of that comes from the
classes here and in ``layer``, ``taking`` and ``route``.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal, Self

from pydantic import (
    Field,
    model_validator,
)

from vistaline.core.easing import EaseName
from vistaline.core.errors import ShotError
from vistaline.core.looks.frame_styles import FrameStyle
from vistaline.core.looks.lettering import Title
from vistaline.core.model import HexColour, Part
from vistaline.core.shot.callouts import Callout
from vistaline.core.shot.cameras import Camera, Cut, Take
from vistaline.core.shot.checks import check_shot, with_ids
from vistaline.core.shot.dressing import MOST_DRESSING, MOST_EFFECTS, Dressing, row_name
from vistaline.core.shot.frame_format import FrameFormat
from vistaline.core.shot.lamps import MOST_LAMPS, Lamp
from vistaline.core.shot.layer import Layer, Matte, PictureRef
from vistaline.core.shot.layouts import Layout
from vistaline.core.shot.markers import MOST_MARKERS, Marker
from vistaline.core.shot.mounts import Mount
from vistaline.core.shot.places import Place
from vistaline.core.shot.route import Route
from vistaline.core.shot.rows import Row
from vistaline.core.shot.running import NestedShot
from vistaline.core.shot.taking import Ground, MarkedEdge, TakingCamera

__all__ = [
    "FrameFormat",
    "Ground",
    "Layer",
    "MarkedEdge",
    "Matte",
    "PictureRef",
    "Shot",
    "TakingCamera",
]


class Shot(Part):
    """Everything that makes one shot."""

    vistaline: Literal[2] = Field(2, description="Version of the shot file.")
    name: str = Field("Untitled", min_length=1, max_length=120)
    frame: FrameFormat
    background: HexColour = "#000000"
    taking_camera: TakingCamera = TakingCamera()
    ground: Ground | None = None
    pictures: dict[str, PictureRef] = Field(default_factory=dict)
    shots: dict[str, NestedShot] = Field(
        default_factory=dict, max_length=50, description="Other shots that layers show."
    )
    frame_styles: dict[str, FrameStyle] = Field(default_factory=dict, max_length=200)
    title_styles: dict[str, Title] = Field(
        default_factory=dict, max_length=200, description="How titles look, kept by name."
    )
    mounts: tuple[Mount, ...] = Field((), max_length=200)
    layers: tuple[Layer, ...] = Field(
        (), max_length=500, description="Of two at one distance, the later is in front."
    )
    layouts: tuple[Layout, ...] = Field(
        (), max_length=100, description="Pictures laid out in the frame itself, for a time."
    )
    callouts: tuple[Callout, ...] = Field(
        (), max_length=200, description="Labels tied to points on layers."
    )
    places: tuple[Place, ...] = Field(
        (), max_length=200, description="Points without looks, for somebody else's effects."
    )
    lamps: tuple[Lamp, ...] = Field(
        (), max_length=MOST_LAMPS, description="Without any, layers are seen as they are."
    )
    dressing: tuple[Dressing, ...] = Field(
        (),
        max_length=MOST_DRESSING + MOST_EFFECTS,
        description="What is in its light and air besides lamps, and its effects, in their order.",
    )
    solo: str = Field(
        "",
        max_length=200,
        description="The one lamp or dressing that is on, as rows call it; empty: all that are.",
    )
    cameras: tuple[Camera, ...] = Field((Camera(),), min_length=1, max_length=50)
    directed: str = Field("a", description="The id of the camera whose route is worked on.")
    cuts: tuple[Cut, ...] = Field(
        (),
        max_length=1000,
        description="In order of time; before them the first camera is seen.",
    )
    takes: tuple[Take, ...] = Field((), max_length=100, description="Other routes, to compare.")
    markers: tuple[Marker, ...] = Field(
        (), max_length=MOST_MARKERS, description="Frames that have names, in order of time."
    )
    motion_blur: bool = Field(
        False, description="Whether what moves is blurred as by the cameras' shutters."
    )
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

    @property
    def camera(self) -> Camera:
        """The camera that is directed: whose route is worked on."""
        return next(each for each in self.cameras if each.id == self.directed)

    @property
    def route(self) -> Route:
        """The route of the camera that is directed."""
        return self.camera.route

    @property
    def opening(self) -> str:
        """The id of the camera that is seen first: the first that was made."""
        return min(camera.id for camera in self.cameras)

    def directed_by(self, camera_id: str) -> Shot:
        """Return the shot with another of its cameras as the one that is directed.

        Raises
        ------
        ShotError
            There is no such camera.
        """
        if all(each.id != camera_id for each in self.cameras):
            raise ShotError(f"There is no camera {camera_id!r} in this shot.")
        return self if camera_id == self.directed else self.evolve(directed=camera_id)

    def with_camera(self, **changes: Any) -> Shot:
        """Return the shot with values of the directed camera changed: its route, its name."""
        changed = self.camera.evolve(**changes)
        return self.evolve(
            cameras=tuple(changed if each.id == changed.id else each for each in self.cameras)
        )

    def with_routes(self, change: Callable[[Route], Route]) -> Shot:
        """Return the shot with every camera's and every take's route changed alike."""
        return self.evolve(
            cameras=tuple(each.evolve(route=change(each.route)) for each in self.cameras),
            takes=tuple(each.evolve(route=change(each.route)) for each in self.takes),
        )

    def mount(self, mount_id: str) -> Mount:
        """Return the mount with this id; ShotError if there is none."""
        for mount in self.mounts:
            if mount.id == mount_id:
                return mount
        raise ShotError(f"There is no mount {mount_id!r} in this shot (it may have been removed).")

    def lamp(self, lamp_id: str) -> Lamp:
        """Return the lamp with this id; ShotError if there is none."""
        for lamp in self.lamps:
            if lamp.id == lamp_id:
                return lamp
        raise ShotError(f"There is no lamp {lamp_id!r} in this shot (it may have been removed).")

    def layout(self, layout_id: str) -> Layout:
        """Return the layout with this id; ShotError if there is none."""
        for layout in self.layouts:
            if layout.id == layout_id:
                return layout
        raise ShotError(
            f"There is no layout {layout_id!r} in this shot (it may have been removed)."
        )

    def dress(self, thing: str) -> Dressing:
        """Return what rows call ``thing``, such as ``fog:d1``; ShotError if there is none."""
        for each in self.dressing:
            if row_name(each) == thing:
                return each
        raise ShotError(f"There is no {thing!r} in this shot (it may have been removed).")

    def layer(self, layer_id: str) -> Layer:
        """Return the layer with this id; ShotError if there is none."""
        for layer in self.layers:
            if layer.id == layer_id:
                return layer
        raise ShotError(f"There is no layer {layer_id!r} in this shot (it may have been removed).")
