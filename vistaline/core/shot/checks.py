"""Checks across the parts of a shot: every id that is named exists, every frame is in its time."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Sequence
from typing import Any, Protocol

from vistaline.core.errors import ShotError
from vistaline.core.shot import callouts, layouts
from vistaline.core.shot.callouts import Callout
from vistaline.core.shot.cameras import Camera, Cut, Take
from vistaline.core.shot.dressing import Dressing, row_name
from vistaline.core.shot.effects import Effect, On
from vistaline.core.shot.lamps import Lamp
from vistaline.core.shot.layer import Layer
from vistaline.core.shot.layouts import Layout
from vistaline.core.shot.mounts import Mount, standing_of
from vistaline.core.shot.places import Place, misplaced
from vistaline.core.shot.route import Route
from vistaline.core.shot.rows import Row

__all__ = ["check_shot", "with_ids"]


class ShotParts(Protocol):
    """What the checks read of a shot. (A protocol, as the module of the shot imports this one.)"""

    @property
    def layers(self) -> Sequence[Layer]: ...
    @property
    def mounts(self) -> Sequence[Mount]: ...
    @property
    def pictures(self) -> Collection[str]: ...
    @property
    def shots(self) -> Collection[str]: ...
    @property
    def frame_styles(self) -> Collection[str]: ...
    @property
    def directed(self) -> str: ...
    @property
    def callouts(self) -> Sequence[Callout]: ...
    @property
    def places(self) -> Sequence[Place]: ...
    @property
    def layouts(self) -> Sequence[Layout]: ...
    @property
    def lamps(self) -> Sequence[Lamp]: ...
    @property
    def dressing(self) -> Sequence[Dressing]: ...
    @property
    def solo(self) -> str: ...
    @property
    def cameras(self) -> Sequence[Camera]: ...
    @property
    def takes(self) -> Sequence[Take]: ...
    @property
    def cuts(self) -> Sequence[Cut]: ...
    @property
    def rows(self) -> Sequence[Row]: ...
    @property
    def duration(self) -> int:
        """Length in frames."""
        ...


Findings = Iterator[ShotError]


def check_shot(shot: ShotParts) -> None:
    """Raise ``ShotError`` for the first part that does not fit; ``field`` is its path.

    Its ``also`` has what else does not fit.
    """
    findings = [*_misfits(shot)]
    if findings:
        findings[0].also = [str(each) for each in findings[1:]]
        raise findings[0]


def _misfits(shot: ShotParts) -> Findings:
    ids = {layer.id for layer in shot.layers}
    mounts = {mount.id for mount in shot.mounts}
    if len(mounts) < len(shot.mounts):
        yield ShotError("Two mounts have one id; each needs its own.", field="mounts")
    yield from _layers(shot, ids, mounts)
    for i, mount in enumerate(shot.mounts):
        try:
            standing_of(mount, shot.mounts)
        except ShotError as error:
            error.field = f"mounts.{i}.ride"
            yield error
    routes = {f"cameras.{i}.route": camera.route for i, camera in enumerate(shot.cameras)}
    routes |= {f"takes.{i}.route": take.route for i, take in enumerate(shot.takes)}
    for i, camera in enumerate(shot.cameras):
        if camera.focusing.follows and camera.focusing.follows not in ids:
            yield ShotError(
                f"Camera {camera.name} is kept focused on {camera.focusing.follows!r}, which is "
                "not among the layers.",
                field=f"cameras.{i}.focusing.follows",
            )
    for place, route in routes.items():
        if route.ride and route.ride.on not in mounts:
            yield ShotError(
                f"The camera rides on {route.ride.on!r}, which is not among the mounts.",
                field=f"{place}.ride",
            )
        yield from _route(shot, route, ids, place)
    yield from layouts.misfits(shot.layouts, shot.layers)
    yield from callouts.misfits(shot.callouts, shot.layers)
    yield from misplaced(shot.places, shot.layers)
    yield from _lamps(shot, ids, mounts)
    yield from _dressing(shot, ids, mounts)
    yield from _cuts(shot)
    yield from _rows(shot, ids, mounts)


def _layers(shot: ShotParts, ids: Collection[str], mounts: Collection[str]) -> Findings:
    cameras = {camera.id for camera in shot.cameras}
    for i, layer in enumerate(shot.layers):
        others = set(ids) - {layer.id}
        for field, named, known, kind in (
            ("shows.picture", layer.picture, shot.pictures, "picture"),
            ("stands.depth", layer.relief and layer.relief.depth, shot.pictures, "picture"),
            ("shows.shot", layer.nested and layer.nested.shot, shot.shots, "shot"),
            ("frame_style", layer.frame_style, shot.frame_styles, "frame style"),
            ("ride", layer.ride and layer.ride.on, mounts, "mount"),
            ("matte", layer.matte and layer.matte.of, others, "other layer"),
            ("seen_by", layer.seen_by, cameras, "camera"),
            ("paired", layer.paired, others, "other layer"),
            ("cloth.before", layer.cloth and layer.cloth.before, others, "other layer"),
            ("shows.line.round", layer.line and layer.line.round, others, "other layer"),
        ):
            if named and named not in known:
                yield ShotError(
                    f"Layer {layer.name!r} uses {kind} {named!r}, which is not in the shot.",
                    field=f"layers.{i}.{field}",
                )


def _lamps(shot: ShotParts, layers: Collection[str], mounts: Collection[str]) -> Findings:
    if len({lamp.id for lamp in shot.lamps}) < len(shot.lamps):
        yield ShotError("Two lamps have one id; each needs its own.", field="lamps")
    nowhere = {layer.id for layer in shot.layers if layer.is_backdrop}
    for i, lamp in enumerate(shot.lamps):
        for field, does in (("aim", "aims at"), ("rides_with", "travels with")):
            if getattr(lamp, field) in nowhere:
                yield ShotError(
                    f"Lamp {lamp.name!r} {does} the backdrop {getattr(lamp, field)!r}, which is at "
                    "no distance.",
                    field=f"lamps.{i}.{field}",
                )
        for field, named, known, kind in (
            ("aim", lamp.aim, layers, "aims at"),
            ("rides_with", lamp.rides_with, layers, "travels with"),
            ("ride", lamp.ride and lamp.ride.on, mounts, "rides on"),
            ("gobo", lamp.gobo and lamp.gobo.picture, shot.pictures, "throws"),
        ):
            if named and named not in known:
                yield ShotError(
                    f"Lamp {lamp.name!r} {kind} {named!r}, which is not in the shot.",
                    field=f"lamps.{i}.{field}",
                )


def _dressing(shot: ShotParts, layers: Collection[str], mounts: Collection[str]) -> Findings:
    if len({each.id for each in shot.dressing}) < len(shot.dressing):
        yield ShotError("Two things in the air have one id; each needs its own.", field="dressing")
    lamps = {lamp.id for lamp in shot.lamps}
    nowhere = {layer.id for layer in shot.layers if layer.is_backdrop}
    for i, each in enumerate(shot.dressing):
        if getattr(each, "layer", "") in nowhere:
            yield ShotError(
                f"{each.name} comes from a backdrop, which is at no distance. Choose another.",
                field=f"dressing.{i}.layer",
            )
        ride = getattr(each, "ride", None)
        for field, named, known, kind in (
            ("lamp", getattr(each, "lamp", ""), lamps, "lamp"),
            ("layer", getattr(each, "layer", ""), layers, "layer"),
            ("picture", getattr(each, "picture", ""), shot.pictures, "picture"),
            ("ride", ride and ride.on, mounts, "mount"),
            *(("layers", layer, layers, "layer") for layer in getattr(each, "layers", ())),
            *_named_by(each, layers),
        ):
            if named and named not in known:
                yield ShotError(
                    f"{each.name} uses {kind} {named!r}, which is not in the shot.",
                    field=f"dressing.{i}.{field}",
                )
    if shot.solo and shot.solo not in {
        *map(row_name, shot.dressing),
        *(f"lamp:{x}" for x in lamps),
    }:
        yield ShotError(f"Only {shot.solo!r} is to be on, which is not in the shot.", field="solo")


def _named_by(
    thing: Dressing, layers: Collection[str]
) -> Iterator[tuple[str, str, Collection[str], str]]:
    """Yield what an effect names: field, name, all that there are, and what they are.

    A group is there as long as a layer is in it; on one that is gone it does nothing.
    """
    if not isinstance(thing, Effect):
        return
    if thing.over.kind is On.LAYER:
        yield "over.of", thing.over.of, layers, "layer"
    if thing.mask:
        yield "mask.of", thing.mask.of, layers, "layer"
        yield "mask.fixed", thing.mask.fixed.removeprefix("*stage"), layers, "layer"
    yield "fixed", getattr(thing, "fixed", ""), layers, "layer"


def _rows(shot: ShotParts, layers: Collection[str], mounts: Collection[str]) -> Findings:
    cameras = {camera.id for camera in shot.cameras}
    known: dict[str, Any] = {
        "layer": layers,
        "mount": mounts,
        "style": shot.frame_styles,
        "camera": cameras,
        "lamp": {lamp.id for lamp in shot.lamps},
        "layout": {layout.id for layout in shot.layouts},
        "callout": {callout.id for callout in shot.callouts},
    }
    for each in shot.dressing:
        known.setdefault(each.kind, set()).add(each.id)
    end, seen = shot.duration - 1, set()
    for i, row in enumerate(shot.rows):
        kind, _, name = row.of.partition(":")
        if name not in known.get(kind, ()):
            yield ShotError(
                f"There are keys for {kind} {name!r}, which is not in the shot.",
                field=f"rows.{i}.of",
            )
        if (row.of, row.value) in seen:
            yield ShotError(
                f"{row.about.label} of {row.of} has two rows of keys; put them in one.",
                field=f"rows.{i}",
            )
        seen.add((row.of, row.value))
        if row.keys[-1].frame > end:
            yield ShotError(
                f"{row.about.label} of {row.of} has a key at frame {row.keys[-1].frame}, but "
                f"the shot ends with frame {end}. Make the shot longer, or the key earlier.",
                field=f"rows.{i}.keys",
            )


def _cuts(shot: ShotParts) -> Findings:
    if len({take.name for take in shot.takes}) < len(shot.takes):
        yield ShotError("Two takes have one name; each needs its own.", field="takes")
    known = [camera.id for camera in shot.cameras]
    if len({*known}) < len(known):
        yield ShotError("Two cameras have one id; each needs its own.", field="cameras")
    if shot.directed not in known:
        yield ShotError(
            f"Camera {shot.directed!r} is directed, which the shot does not have.",
            field="directed",
        )
    before = -1
    for i, cut in enumerate(shot.cuts):
        if cut.camera not in known:
            yield ShotError(
                f"Cut {i + 1} is to camera {cut.camera!r}, which the shot does not have.",
                field=f"cuts.{i}.camera",
            )
        if not before < cut.frame < shot.duration:
            yield ShotError(
                f"Cut {i + 1} is at frame {cut.frame}: cuts must follow each other, within the "
                "shot. Move it or remove it.",
                field=f"cuts.{i}.frame",
            )
        before = cut.frame


def _route(shot: ShotParts, route: Route, layers: Collection[str], place: str) -> Findings:
    last, end = route.framings[-1], shot.duration - 1
    if last.last > end:
        how = "is at" if last.frame > end else "is held to"
        yield ShotError(
            f"The last framing {how} frame {max(last.frame, last.last)}, but the shot ends "
            f"with frame {end}. Make the shot longer, or the framing earlier or shorter.",
            field=f"{place}.framings.{len(route.framings) - 1}.frame",
        )
    if route.aim and route.aim.at not in layers:
        yield ShotError(
            f"The camera aims at {route.aim.at!r}, which is not among the layers.",
            field=f"{place}.aim",
        )
    for i, framing in enumerate(route.framings):
        if framing.keeps and framing.keeps not in layers:
            yield ShotError(
                f"Framing {i + 1} keeps the size of {framing.keeps!r}, which is not among the "
                "layers.",
                field=f"{place}.framings.{i}.keeps",
            )


def with_ids(layers: tuple[Layer, ...]) -> list[Layer]:
    """Return layers that all have ids of their own, made from their names where there are none."""
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
