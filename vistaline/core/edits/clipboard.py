"""Layers copied from one shot and pasted into another, with all that is theirs.

Pictures, styles and mounts, lamps that travel with them, and what comes from them into the air.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Any

from pydantic import BeforeValidator, Field

from vistaline.core.edits.registry import REGISTRY, free_key, shots_used
from vistaline.core.errors import EditError
from vistaline.core.looks.frame_styles import FrameStyle
from vistaline.core.model import Part
from vistaline.core.shot.dressing import MOST_DRESSING, MOST_EFFECTS, Dressing, Riding, row_name
from vistaline.core.shot.effects import Effect, On
from vistaline.core.shot.lamps import MOST_LAMPS, Lamp
from vistaline.core.shot.migrations import migrated_layer
from vistaline.core.shot.mounts import Mount, Ride
from vistaline.core.shot.rows import Row
from vistaline.core.shot.running import NestedShot
from vistaline.core.shot.shot import Layer, PictureRef, Shot, TakingCamera
from vistaline.core.stage.cards import put
from vistaline.core.stage.keyed import row_of
from vistaline.core.stage.placing import as_card, stage_card

__all__ = ["clip_of"]

verb = REGISTRY.verb


class Clip(Part):
    """Some layers of a shot, with what they use, and the lamps and the air that are theirs."""

    taking_camera: TakingCamera
    pictures: dict[str, PictureRef] = Field(default_factory=dict)
    shots: dict[str, NestedShot] = Field(default_factory=dict)
    frame_styles: dict[str, FrameStyle] = Field(default_factory=dict)
    mounts: tuple[Mount, ...] = ()
    layers: tuple[Annotated[Layer, BeforeValidator(migrated_layer)], ...] = Field(min_length=1)
    rows: tuple[Row, ...] = ()
    lamps: tuple[Lamp, ...] = ()
    dressing: tuple[Dressing, ...] = ()


def clip_of(shot: Shot, layers: list[str]) -> Clip:
    """Return some layers of a shot with all they use; ShotError if one is not there."""
    if not layers:
        raise EditError("Choose a layer to copy first.")
    wanted = {shot.layer(key).id for key in layers}
    chosen = tuple(layer for layer in shot.layers if layer.id in wanted)
    lamps = tuple(each for each in shot.lamps if each.rides_with in wanted)
    shining = {each.id for each in lamps}
    dressing = tuple(
        each
        for each in shot.dressing
        if getattr(each, "layer", "") in wanted
        or getattr(each, "lamp", "") in shining
        or (isinstance(each, Effect) and each.over.kind is On.LAYER and each.over.of in wanted)
    )
    riding = [getattr(each, "ride", None) for each in (*chosen, *dressing)]
    ridden = [ride.on for ride in riding if ride]
    for key in ridden:
        above = shot.mount(key).ride
        if above and above.on not in ridden:
            ridden.append(above.on)
    return Clip(
        taking_camera=shot.taking_camera,
        pictures={key: shot.pictures[key] for key in _pictures(chosen, lamps, dressing)},
        shots=shots_used(shot, chosen),
        frame_styles={
            x.frame_style: shot.frame_styles[x.frame_style] for x in chosen if x.frame_style
        },
        mounts=tuple(mount for mount in shot.mounts if mount.id in ridden),
        layers=chosen,
        rows=tuple(row for row in shot.rows if row.of in _called(chosen, ridden, lamps, dressing)),
        lamps=lamps,
        dressing=dressing,
    )


def _pictures(
    layers: Iterable[Layer], lamps: Iterable[Lamp], dressing: Iterable[Dressing]
) -> set[str]:
    found = {key for each in layers for key in each.pictures}
    found |= {each.gobo.picture for each in lamps if each.gobo}
    return (found | {getattr(each, "picture", "") for each in dressing}) - {""}


def _called(
    layers: Iterable[Layer],
    mounts: Iterable[str],
    lamps: Iterable[Lamp],
    dressing: Iterable[Dressing],
) -> set[str]:
    """Return what rows call all these, and the frame styles of the layers; mounts by id."""
    found = {f"layer:{layer.id}" for layer in layers} | {f"mount:{key}" for key in mounts}
    found |= {f"lamp:{lamp.id}" for lamp in lamps} | {row_name(each) for each in dressing}
    return found | {f"style:{layer.frame_style}" for layer in layers if layer.frame_style}


@verb("paste layers")
def paste_layers(shot: Shot, *, clip: Any) -> Shot:
    """Put copied layers on the stage, where they stood.

    What another taking camera saw comes as a card of the size it had there.
    """
    clip = Clip.model_validate(clip)
    pictures = {key: free_key(key, ref, shot.pictures) for key, ref in clip.pictures.items()}
    shots = {key: free_key(key, ref, shot.shots) for key, ref in clip.shots.items()}
    styles = {
        key: free_key(key, style, shot.frame_styles) for key, style in clip.frame_styles.items()
    }
    mounts = {
        each.id: free_key(each.id, None, {m.id: m for m in shot.mounts}) for each in clip.mounts
    }

    def taking(name: str, taken: set[str]) -> str:
        found = free_key(name, None, dict.fromkeys(taken))
        taken.add(found)
        return found

    taken = {layer.id for layer in shot.layers}
    ids = {}
    for layer in clip.layers:
        ids[layer.id] = taking(layer.id, taken)

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
            "cloth": layer.cloth and layer.cloth.evolve(before=ids.get(layer.cloth.before, "")),
            "ride": renamed(layer.ride),
            "seen_by": layer.seen_by if layer.seen_by in cameras else "",
        }
        shown = layer.with_shows(picture=pictures[layer.picture]) if layer.picture else layer
        if layer.relief:
            shown = shown.with_stands(depth=pictures[layer.relief.depth])
        if layer.nested:
            shown = layer.with_shows(shot=shots[layer.nested.shot])
        if layer.line and layer.line.round:
            round_ = ids.get(layer.line.round, "")
            shown = layer.with_shows(line=layer.line.evolve(round=round_))
        added.append(shown.evolve(**changes))
    pasted = shot.evolve(
        pictures=shot.pictures | {pictures[key]: ref for key, ref in clip.pictures.items()},
        shots=shot.shots | {shots[key]: ref for key, ref in clip.shots.items()},
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
    taken_lamps = {each.id for each in shot.lamps}
    lamps = {each.id: taking(each.id, taken_lamps) for each in clip.lamps}
    taken_air = {each.id for each in shot.dressing}
    airs = {each.id: taking(each.id, taken_air) for each in clip.dressing}
    names |= {f"lamp:{old}": f"lamp:{new}" for old, new in lamps.items()}
    came = [
        each.evolve(
            id=airs[each.id],
            **_renamed(each, "layer", ids),
            **_renamed(each, "lamp", lamps),
            **_renamed(each, "picture", pictures),
            **({"ride": renamed(each.ride)} if isinstance(each, Riding) else {}),
            **(_effect_here(each, ids) if isinstance(each, Effect) else {}),
        )
        for each in clip.dressing
    ]
    names |= {row_name(old): row_name(new) for old, new in zip(clip.dressing, came, strict=True)}
    both = [*shot.dressing, *came]
    effects = sum(isinstance(each, Effect) for each in both)
    if (
        len(taken_lamps) > MOST_LAMPS
        or len(both) - effects > MOST_DRESSING
        or effects > MOST_EFFECTS
    ):
        raise EditError(
            f"What comes with these layers is too much: a shot has {MOST_LAMPS} lamps, "
            f"{MOST_DRESSING} things in the air and {MOST_EFFECTS} effects at most."
        )
    return pasted.evolve(
        layers=(*shot.layers, *added),
        rows=(*shot.rows, *_rows_here(shot, clip.rows, names)),
        lamps=(*shot.lamps, *(_lamp_here(each, lamps, ids, pictures) for each in clip.lamps)),
        dressing=(*shot.dressing, *came),
    )


def _renamed(thing: Dressing, field: str, names: dict[str, str]) -> dict[str, str]:
    """Return the change of a field that names something that has another name here."""
    name = getattr(thing, field, "")
    return {field: names.get(name, "")} if name else {}


def _effect_here(effect: Effect, layers: dict[str, str]) -> dict[str, Any]:
    """Return the changes of an effect that came with a layer it is on."""
    found: dict[str, Any] = {
        "over": effect.over.evolve(of=layers[effect.over.of]),
        **({"fixed": layers.get(each, "")} if (each := getattr(effect, "fixed", "")) else {}),
    }
    mask = effect.mask
    if mask:
        fixed = mask.fixed if mask.fixed == "*stage" else layers.get(mask.fixed, "")
        found["mask"] = mask.evolve(of=layers.get(mask.of, ""), fixed=fixed)
    return found


def _lamp_here(
    lamp: Lamp, lamps: dict[str, str], layers: dict[str, str], pictures: dict[str, str]
) -> Lamp:
    gobo = lamp.gobo and lamp.gobo.evolve(picture=pictures.get(lamp.gobo.picture, ""))
    return lamp.evolve(
        id=lamps[lamp.id],
        rides_with=layers[lamp.rides_with],
        aim=layers.get(lamp.aim, ""),
        gobo=gobo,
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
