"""Shot + frames -> every matrix, opacity, lens and the draw order at those times."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from vistaline.core.arrays import FloatArray
from vistaline.core.geometry.ordering import draw_order, parallel_order
from vistaline.core.looks.frame_styles import FrameStyle
from vistaline.core.shot.callouts import Callout, callout_of
from vistaline.core.shot.dressing import row_name
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.callouts import called_out
from vistaline.core.stage.camera import CameraState, camera_states, live_cameras
from vistaline.core.stage.cards import Card, backdrop_of, followed, tracked
from vistaline.core.stage.dressing import InAir, dressing_at
from vistaline.core.stage.exposure import gains_at
from vistaline.core.stage.haze import Haze, haze_of
from vistaline.core.stage.keyed import rows_of, valued
from vistaline.core.stage.lamps import Light, lights_at
from vistaline.core.stage.presence import present_at
from vistaline.core.stage.shadows import Cast, Fallen, casts_of
from vistaline.core.stage.tracks import Track, track_of

__all__ = ["FrameState", "evaluate"]


@dataclass(frozen=True, kw_only=True, eq=False)
class _Stage:
    """What the frames of one evaluation share: the tracks of all that is shown."""

    shot: Shot
    times: FloatArray
    shown: Sequence[Layer]
    sources: Sequence[Layer]
    """Those that say where others are seen, hidden ones too."""
    tracks: Mapping[str, Track]
    """By layers' ids; backdrops have none."""
    fallen: Fallen = field(default_factory=dict)
    """Shadows of what stands on what stands: the same in every frame."""

    @cached_property
    def unmoved(self) -> Mapping[str, Card]:
        """The cards that are the same in every frame, by their layers' ids."""
        return {
            layer.id: tracked(layer, self.tracks[layer.id], 0)
            for layer in (*self.shown, *self.sources)
            if not layer.is_backdrop and layer.stays == "stage" and self.tracks[layer.id].still
        }

    @cached_property
    def follows(self) -> bool:
        """Whether what is shown faces the camera or stays with its lens."""
        return any(layer.stays != "stage" for layer in self.shown if not layer.is_backdrop)

    @cached_property
    def stacked(self) -> tuple[FloatArray, FloatArray]:
        """Poses (N, layers, 4, 4) and sizes (N, layers, 2) of all that is shown and no backdrop.

        N is 1 if they are the same at all times.
        """
        tracks = [self.tracks[layer.id] for layer in self.shown if not layer.is_backdrop]
        count = max((len(track.poses) for track in tracks), default=1)
        poses, sizes = np.empty((count, len(tracks), 4, 4)), np.empty((count, len(tracks), 2))
        for i, track in enumerate(tracks):
            poses[:, i], sizes[:, i] = track.poses, track.sizes
        return poses, sizes

    @cached_property
    def still(self) -> _Layout | None:
        """What is the same in every frame; None if something moves besides the camera."""
        shadows = any(row.about.path[0] == "shadow" for row in self.shot.rows)
        if shadows or any(layer.id not in self.unmoved for layer in (*self.shown, *self.sources)):
            return None
        return _Layout(self, 0, None)

    def card(self, layer: Layer, n: int, camera: CameraState | None) -> Card:
        """Return a layer's card at time ``n`` before ``camera``; what stands needs none."""
        if layer.id in self.unmoved or camera is None:
            return self.unmoved[layer.id]
        callout = callout_of(self.shot, layer.id)
        if callout:
            return self._called_out(layer, callout, n, camera)
        if layer.is_backdrop:
            return backdrop_of(layer, camera)
        card = tracked(layer, self.tracks[layer.id], n)
        return followed(self.shot, card, camera) if layer.stays != "stage" else card

    def _called_out(self, layer: Layer, callout: Callout, n: int, camera: CameraState) -> Card:
        """Return the card of a layer of a callout, by where its point is seen at time ``n``."""
        target, title = self.shot.layer(callout.of), self.shot.layer(callout.label)
        if target.id not in self.tracks:
            track = track_of(self.shot, target, self.times)
        else:
            track = self.tracks[target.id]
        pointed = tracked(target, track, n)
        if target.stays != "stage":
            pointed = followed(self.shot, pointed, camera)
        rows = rows_of(self.shot, f"callout:{callout.id}")
        now = valued(callout, rows, float(self.times[n])) if rows else callout
        card = tracked(layer, self.tracks[layer.id], n)
        return called_out(self.shot, now, card, title, pointed, camera)

    def styles(self, n: int) -> Mapping[str, FrameStyle]:
        """Return the frame styles at time ``n``."""
        styles = self.shot.frame_styles
        rows = {name: rows_of(self.shot, f"style:{name}") for name in styles}
        return {
            name: valued(style, rows[name], float(self.times[n])) if rows[name] else style
            for name, style in styles.items()
        }  # type: ignore[return-value]


@dataclass(frozen=True, eq=False)
class _Layout:
    """The cards of one frame, or of all; computed as it is asked for."""

    stage: _Stage
    n: int
    camera: CameraState | None

    @cached_property
    def cards(self) -> Sequence[Card]:
        return [self.stage.card(layer, self.n, self.camera) for layer in self.stage.shown]

    @cached_property
    def mattes(self) -> Mapping[str, Card]:
        stage = self.stage
        return {layer.id: stage.card(layer, self.n, self.camera) for layer in stage.sources}

    @cached_property
    def casts(self) -> Sequence[Cast]:
        return casts_of(self.stage.styles(self.n), self.cards, self.stage.fallen)

    @cached_property
    def upright(self) -> tuple[list[int], FloatArray, FloatArray]:
        """Which cards are no backdrops, their poses (N, 4, 4) and sizes (N, 2)."""
        stage = self.stage
        rest = [i for i, layer in enumerate(stage.shown) if not layer.is_backdrop]
        if not stage.follows:
            # No card need be made for who only asks which is in front.
            poses, sizes = stage.stacked
            n = self.n % len(poses)
            return rest, poses[n], sizes[n]
        cards = [self.cards[i] for i in rest]
        poses = np.array([card.world_from_card for card in cards])
        sizes = np.array([(card.width, card.height) for card in cards])
        return rest, poses, sizes

    @cached_property
    def parallel(self) -> bool:
        normals = self.upright[1][:, :3, 2]
        return bool(np.all(normals @ normals[0] > 1 - 1e-12)) if len(normals) else True


@dataclass(frozen=True, kw_only=True, eq=False)
class FrameState:
    """Everything a renderer needs for one frame, whatever draws it.

    The camera is there at once; all else is computed when it is first asked for.
    """

    camera: CameraState
    layout: _Layout
    present: Sequence[bool]
    """Which of ``cards`` are seen at this time, by this camera."""
    lamps: Sequence[Light] = ()
    """All lamps of the shot, those that are off, too."""
    dressing: Sequence[InAir] = ()
    """What else there is for its light and air, what is off, too."""
    seconds: float = 0.0
    """The time since the shot's first frame."""
    gain: float = 1.0
    """How much brighter all is taken, by the camera's exposure."""
    kept: dict[Any, Any] = field(default_factory=dict, init=False)
    """What renderers have found out about it, for the next layer of the same frame."""

    @cached_property
    def lights(self) -> Sequence[Light]:
        """The lamps that are on; without any, layers are seen as they are."""
        solo = self.layout.stage.shot.solo
        return [
            light for light in self.lamps if light.lamp.on and solo in ("", f"lamp:{light.lamp.id}")
        ]

    @cached_property
    def air(self) -> Sequence[InAir]:
        """What is on in its light and air."""
        solo = self.layout.stage.shot.solo
        return [
            each for each in self.dressing if each.thing.on and solo in ("", row_name(each.thing))
        ]

    @cached_property
    def haze(self) -> Haze:
        """What the air does to what is seen through it."""
        taking = np.array(self.layout.stage.shot.taking_camera.position)
        return haze_of(self.air, taking, self.seconds)

    def seen_by(self, camera: CameraState) -> FrameState:
        """Return the same time as another camera sees it."""
        layout = self.layout
        if layout.camera is not None:
            layout = _Layout(layout.stage, layout.n, camera)
        return replace(self, camera=camera, layout=layout)

    @property
    def cards(self) -> Sequence[Card]:
        """The shown layers' cards, in the shot's order; ``order`` has those that are seen now."""
        return self.layout.cards

    def card_of(self, layer_id: str) -> Card:
        """Return a shown layer's card."""
        return next(card for card in self.cards if card.layer.id == layer_id)

    @property
    def mattes(self) -> Mapping[str, Card]:
        """The cards that say where others are seen, hidden ones too, by their layers' ids."""
        return self.layout.mattes

    @property
    def casts(self) -> Sequence[Cast]:
        """The shadows of what is seen now."""
        if all(self.present):
            return self.layout.casts
        return [cast for cast in self.layout.casts if self.present[cast.caster]]

    @property
    def parallel(self) -> bool:
        """All cards face one way, so the order holds all over the frame; else it may not."""
        return self.layout.parallel

    @cached_property
    def order(self) -> Sequence[int]:
        """Indices into ``cards`` of what is seen now, far to near; without what lies behind.

        Backdrops are behind everything, whatever it is.
        """
        rest, poses, sizes = self.layout.upright
        layers = self.layout.stage.shown
        behind = [i for i, each in enumerate(layers) if each.is_backdrop and self.present[i]]
        if not rest:
            return behind
        camera = self.camera
        if self.parallel:
            ahead = -camera.world_from_camera[:3, 2]
            found = parallel_order(poses, sizes, np.array(camera.position), ahead).tolist()
        else:
            seen = camera.camera_from_world @ poses
            found = draw_order(seen, sizes, camera.image_from_camera)
        return [*behind, *(rest[i] for i in found if self.present[rest[i]])]


def evaluate(shot: Shot, frames: ArrayLike, *, exposing: float | None = None) -> list[FrameState]:
    """Return the state at each of ``frames``; times before and after the route stand still.

    ``exposing``: the frame that is exposed at those times. They are then seen by the camera that
    is live at that frame, and with the layers that are there then, whatever is cut meanwhile.
    """
    times = np.atleast_1d(np.asarray(frames, dtype=np.float64))
    shown = [layer for layer in shot.layers if not layer.hidden]
    if exposing is None:
        present = present_at(shot, shown, times).tolist()
    else:
        present = present_at(shot, shown, exposing).tolist() * len(times)
        if shot.cuts:
            live = live_cameras(shot, np.array([exposing]))[0]
            shot = shot.directed_by(live).evolve(cuts=())
    named = {layer.matte.of for layer in shown if layer.matte}
    sources = [layer for layer in shot.layers if layer.id in named]
    stage = _Stage(
        shot=shot,
        times=times,
        shown=shown,
        sources=sources,
        tracks={
            layer.id: track_of(shot, layer, times)
            for layer in (*shown, *sources)
            if not layer.is_backdrop
        },
    )
    cameras = camera_states(shot, times)
    lights = lights_at(shot, times, cameras)
    dressing = dressing_at(shot, times, lights)
    seconds = (times / float(shot.frame.rate)).tolist()
    gains = gains_at(shot, times)
    return [
        FrameState(
            camera=camera,
            layout=stage.still or _Layout(stage, n, camera),
            present=present[n],
            lamps=lights[n],
            dressing=dressing[n],
            seconds=seconds[n],
            gain=gains[n],
        )
        for n, camera in enumerate(cameras)
    ]
