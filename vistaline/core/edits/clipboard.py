"""Layers copied from one shot and pasted into another, with their pictures, styles and mounts."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Any

from pydantic import BeforeValidator, Field

from vistaline.core.edits.registry import REGISTRY
from vistaline.core.errors import EditError
from vistaline.core.looks.frame_styles import FrameStyle
from vistaline.core.model import Part
from vistaline.core.shot.migrations import migrated_layer
from vistaline.core.shot.mounts import Mount, Ride
from vistaline.core.shot.rows import Row
from vistaline.core.shot.shot import Layer, PictureRef, Shot, TakingCamera
from vistaline.core.stage.cards import put
from vistaline.core.stage.keyed import row_of
from vistaline.core.stage.placing import as_card, stage_card

__all__ = ["clip_of"]

verb = REGISTRY.verb


class Clip(Part):
    """Some layers of a shot, with the pictures, styles and mounts they use."""

    taking_camera: TakingCamera
    pictures: dict[str, PictureRef] = Field(default_factory=dict)
    frame_styles: dict[str, FrameStyle] = Field(default_factory=dict)
    mounts: tuple[Mount, ...] = ()
    layers: tuple[Annotated[Layer, BeforeValidator(migrated_layer)], ...] = Field(min_length=1)
    rows: tuple[Row, ...] = ()


def clip_of(shot: Shot, layers: list[str]) -> Clip:
    """Return some layers of a shot with all they use; ShotError if one is not there."""
    if not layers:
        raise EditError("Choose a layer to copy first.")
    wanted = {shot.layer(key).id for key in layers}
    chosen = tuple(layer for layer in shot.layers if layer.id in wanted)
    ridden = [layer.ride.on for layer in chosen if layer.ride]
    for key in ridden:
        above = shot.mount(key).ride
        if above and above.on not in ridden:
            ridden.append(above.on)
    return Clip(
        taking_camera=shot.taking_camera,
        pictures={x.picture: shot.pictures[x.picture] for x in chosen if x.picture},
        frame_styles={
            x.frame_style: shot.frame_styles[x.frame_style] for x in chosen if x.frame_style
        },
        mounts=tuple(mount for mount in shot.mounts if mount.id in ridden),
        layers=chosen,
        rows=tuple(row for row in shot.rows if row.of in _called(chosen, ridden)),
    )


def _called(layers: Iterable[Layer], mounts: Iterable[str]) -> set[str]:
    """Return what rows call layers, mounts by id, and the frame styles of those layers."""
    found = {f"layer:{layer.id}" for layer in layers} | {f"mount:{key}" for key in mounts}
    return found | {f"style:{layer.frame_style}" for layer in layers if layer.frame_style}


@verb("paste layers")
def paste_layers(shot: Shot, *, clip: Any) -> Shot:
    """Put copied layers on the stage, where they stood.

    What another taking camera saw comes as a card of the size it had there.
    """
    clip = Clip.model_validate(clip)
    pictures = {key: _free(key, ref, shot.pictures) for key, ref in clip.pictures.items()}
    styles = {key: _free(key, style, shot.frame_styles) for key, style in clip.frame_styles.items()}
    mounts = {each.id: _free(each.id, None, {m.id: m for m in shot.mounts}) for each in clip.mounts}
    taken = {layer.id for layer in shot.layers}
    ids = {}
    for layer in clip.layers:
        ids[layer.id] = _free(layer.id, None, dict.fromkeys(taken, layer))
        taken.add(ids[layer.id])

    def renamed(ride: Ride | None) -> Ride | None:
        return ride and ride.evolve(on=mounts[ride.on])

    cameras = {each.id for each in shot.cameras}
    added = []
    for layer in clip.layers:
        matte = (
            layer.matte.evolve(of=ids[layer.matte.of])
            if layer.matte and layer.matte.of in ids
            else None
        )
        changes = {
            "id": ids[layer.id],
            "frame_style": styles.get(layer.frame_style, ""),
            "paired": ids.get(layer.paired, ""),
            "matte": matte,
            "ride": renamed(layer.ride),
            "seen_by": layer.seen_by if layer.seen_by in cameras else "",
        }
        shown = layer.with_shows(picture=pictures[layer.picture]) if layer.picture else layer
        added.append(shown.evolve(**changes))
    pasted = shot.evolve(
        pictures=shot.pictures | {pictures[key]: ref for key, ref in clip.pictures.items()},
        frame_styles=shot.frame_styles
        | {styles[key]: each for key, each in clip.frame_styles.items()},
        mounts=(
            *shot.mounts,
            *(m.evolve(id=mounts[m.id], ride=renamed(m.ride)) for m in clip.mounts),
        ),
    )
    if clip.taking_camera != shot.taking_camera:
        # Beside the layers that are here: cameras may be aimed at them and kept focused on them.
        stands = (*shot.layers, *added)
        there = pasted.evolve(taking_camera=clip.taking_camera, layers=stands)
        added = [_as_card(there, pasted, layer) for layer in added]
    names = {f"layer:{old}": f"layer:{new}" for old, new in ids.items()}
    names |= {f"mount:{old}": f"mount:{new}" for old, new in mounts.items()}
    names |= {f"style:{old}": f"style:{new}" for old, new in styles.items()}
    return pasted.evolve(
        layers=(*shot.layers, *added), rows=(*shot.rows, *_rows_here(shot, clip.rows, names))
    )


def _rows_here(shot: Shot, rows: Iterable[Row], names: dict[str, str]) -> list[Row]:
    """Return copied rows for what they belong to here, as far as the shot lasts."""
    found = []
    for row in rows:
        keys = tuple(key for key in row.keys if key.frame < shot.frame.duration)
        here = row.evolve(of=names[row.of], keys=keys) if keys else None
        # A style that is here already has its own keys.
        if here and row_of(shot, here.of, here.value) is None:
            found.append(here)
    return found


def _as_card(there: Shot, here: Shot, layer: Layer) -> Layer:
    """Return a layer that stands here as it stood there; if it was seen there, as a card."""
    if layer.is_backdrop:
        return layer
    pose = stage_card(there, layer).world_from_card
    return put(here, as_card(there, layer), pose)


def _free(name: str, content: object, taken: dict[str, Any]) -> str:
    """Return a name under which nothing else is kept: the same one, or it with a number."""
    found, n = name, 1
    while found in taken and (content is None or taken[found] != content):
        n += 1
        found = f"{name[:74]}-{n}"
    return found
