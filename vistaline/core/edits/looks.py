"""The edits of what layers look like: colours, occluders, frames, crops, mattes, other pictures."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from vistaline.core.edits.registry import (
    REGISTRY,
    pictures_used,
    unlocked,
    with_layer,
    with_layers,
    without_rows,
)
from vistaline.core.errors import EditError
from vistaline.core.geometry import space
from vistaline.core.looks.blending import Blend
from vistaline.core.looks.fields import ColourField, Stop
from vistaline.core.looks.frame_styles import Crop, FrameStyle, Shadow
from vistaline.core.looks.occluders import Occluder
from vistaline.core.model import HexColour
from vistaline.core.shot.layer import shown_as
from vistaline.core.shot.shot import Layer, Matte, PictureRef, Shot
from vistaline.core.shot.shows import FieldShown, OccluderShown
from vistaline.core.shot.stands import Backdrop, FreeCard
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.cards import put
from vistaline.core.stage.placing import stage_card
from vistaline.core.stage.poses import own_size, window_aspect

__all__: list[str] = []

verb = REGISTRY.verb
Percent = Annotated[float, Field(ge=0, le=100)]


def _given(**values: Any) -> dict[str, Any]:
    return {key: value for key, value in values.items() if value is not None}


def _share(percent: float | None) -> float | None:
    return None if percent is None else percent / 100


@verb("blend mode")
def set_blend(shot: Shot, *, layer: str, blend: Blend) -> Shot:
    """Set what is done with the colour behind a layer."""
    return with_layer(shot, layer, blend=blend)


_BEFORE, _MORE = 2.0, 1.02
"""Metres from the camera to a new field, and how much more than the frame it covers."""


@verb("add colour field")
def add_field(
    shot: Shot,
    *,
    kind: Literal["flat", "linear", "radial"],
    backdrop: bool = False,
    playhead: int = 0,
) -> Shot:
    """Add a colour field; a backdrop stands behind everything there is.

    Any other stands straight before the camera at the playhead, and fills its frame.
    """
    farthest = max((layer.distance for layer in shot.layers), default=2.0)
    stops = (Stop(at=0, colour="#2b3a67"), Stop(at=1, colour="#f2a65a"))
    field = ColourField(kind=kind, stops=stops[:1] if kind == "flat" else stops)
    layer = Layer(
        name="Backdrop" if backdrop else "Colour field",
        shows=FieldShown(field=field),
        stands=Backdrop() if backdrop else FreeCard(),
        distance=min(1e6, farthest * 1.5) if backdrop else 2.0,
    )
    if backdrop:
        return shot.evolve(layers=(layer, *shot.layers))
    added = shot.evolve(layers=(*shot.layers, layer))
    layer = added.layers[-1]
    camera = camera_states(shot, [playhead])[0]
    before = camera.world_from_camera @ space.pose(
        (camera.shift[0] * _BEFORE, camera.shift[1] * _BEFORE, -_BEFORE)
    )
    width, height = (side * _BEFORE / camera.focal_px for side in camera.frame_size)
    card = stage_card(added, layer)
    filling = _MORE * max(width / card.width, height / card.height)
    return with_layers(added, [put(added, layer, before, filling)])


@verb("change colour field")
def set_field(
    shot: Shot,
    *,
    layer: str,
    kind: Literal["flat", "linear", "radial"] | None = None,
    angle: float | None = None,
    stop: int | None = None,
    colour: str | None = None,
    at: Annotated[float, Field(ge=0, le=100)] | None = None,
    opacity: Annotated[float, Field(ge=0, le=100)] | None = None,
    add: bool = False,
    remove: bool = False,
) -> Shot:
    """Change a field's kind, its angle, or one of its stops (``at`` and ``opacity`` in percent)."""
    found = shot.layer(layer)
    if found.field is None:
        raise EditError(f"{found.name} is not a colour field.")
    stops = list(found.field.stops)
    if stop is not None:
        if not 0 <= stop < len(stops):
            raise EditError("There is no such colour any more. Reload the page.")
        changes = {
            "colour": colour,
            "at": None if at is None else at / 100,
            "opacity": None if opacity is None else opacity / 100,
        }
        stops[stop] = stops[stop].evolve(**{k: v for k, v in changes.items() if v is not None})
        if remove and len(stops) > 1:
            del stops[stop]
    if add or (kind not in (None, "flat") and len(stops) == 1):
        last = stops[-1]
        stops.append(last.evolve(id="", at=1.0 if last.at < 1 else 0.5))
    values = {"kind": kind, "angle": angle}
    field = found.field.evolve(
        stops=tuple(stops), **{k: v for k, v in values.items() if v is not None}
    )
    return with_layers(shot, [found.with_shows(field=field)])


# --- occluders --------------------------------------------------------------------------------


@verb("add occluder")
def add_occluder(shot: Shot, *, kind: Literal["shape", "edge", "window"]) -> Shot:
    """Add something dark near the camera, that is seen past."""
    nearest = min((each.distance for each in shot.layers if not each.is_backdrop), default=2.0)
    names = {"shape": "Dark shape", "edge": "Wall edge", "window": "Window"}
    # Half of what the frame sees there, in metres; most of it is left free.
    half = nearest / 2 * 18 / shot.route.framings[0].lens
    wide = half * {"shape": 0.7, "edge": 0.8, "window": 2.6}[kind]
    tall = {"shape": 0.6 * wide, "edge": 2 * half, "window": 0.7 * wide}[kind]
    occluder = Occluder(kind=kind, width=wide, height=tall)
    aside = {"shape": 0.6 * half, "edge": -0.78 * half - wide / 2, "window": 0.0}[kind]
    layer = Layer(
        name=names[kind],
        shows=OccluderShown(occluder=occluder),
        stands=FreeCard(),
        distance=nearest / 2,
        across=aside,
    )
    return shot.evolve(layers=(*shot.layers, layer))


@verb("change occluder")
def set_occluder(
    shot: Shot,
    *,
    layer: str,
    kind: Literal["shape", "edge", "window"] | None = None,
    colour: HexColour | None = None,
    softness: Percent | None = None,
    side: Literal["left", "right", "top", "bottom"] | None = None,
    wide: Percent | None = None,
    tall: Percent | None = None,
    bars: int | None = None,
    seed: int | None = None,
    height: float | None = None,
) -> Shot:
    """Change an occluder; softness and a window's opening in percent, its height in metres."""
    found = shot.layer(layer)
    if found.occluder is None:
        raise EditError(f"{found.name} is not an occluder.")
    opening = found.occluder.opening
    changes = _given(
        kind=kind,
        colour=colour,
        softness=_share(softness),
        side=side,
        bars=bars,
        seed=seed,
        height=None if height is None else height / found.scale,
    )
    if wide is not None or tall is not None:
        changes["opening"] = (
            opening[0] if wide is None else wide / 100,
            opening[1] if tall is None else tall / 100,
        )
    return with_layers(shot, [found.with_shows(occluder=found.occluder.evolve(**changes))])


# --- frames -----------------------------------------------------------------------------------


@verb("frame pictures")
def frame_layers(shot: Shot, *, layers: list[str], style: str = "") -> Shot:
    """Put a frame style round layers, or take it off; where they stand is kept."""
    if style and style not in shot.frame_styles:
        raise EditError(f"There is no frame style {style!r} any more. Choose another.")
    if not layers:
        raise EditError("Tick at least one layer to frame.")
    found = [unlocked(shot, key) for key in layers]
    for layer in found:
        if layer.is_backdrop and style:
            raise EditError(f"{layer.name} is a backdrop; it fills the frame and has no edge.")
    return with_layers(shot, [layer.evolve(frame_style=style) for layer in found])


@verb("keep a frame style")
def keep_frame_style(shot: Shot, *, name: str, layers: list[str] | None = None) -> Shot:
    """Keep a new frame style by name, and put it round layers at once."""
    name = name.strip()
    if not name:
        raise EditError("A frame style needs a name. Type one.")
    if name in shot.frame_styles:
        raise EditError(f"There is a frame style called {name} already. Give it another name.")
    styled = [shot.layer(key).frame_style for key in layers or ()]
    like = next((shot.frame_styles[each] for each in styled if each), FrameStyle(shadow=Shadow()))
    shot = shot.evolve(frame_styles=shot.frame_styles | {name: like})
    return frame_layers(shot, layers=layers, style=name) if layers else shot


@verb("change frame style")
def set_frame_style(
    shot: Shot,
    *,
    name: str,
    border: Percent | None = None,
    colour: HexColour | None = None,
    mat: Percent | None = None,
    mat_colour: HexColour | None = None,
    corner: Annotated[float, Field(ge=0, le=50)] | None = None,
    paper: Percent | None = None,
    shadow: bool | None = None,
    angle: float | None = None,
    distance: Annotated[float, Field(ge=0, le=500)] | None = None,
    softness: Annotated[float, Field(ge=0, le=500)] | None = None,
    strength: Percent | None = None,
) -> Shot:
    """Change a frame style, and so every frame that has it; all but colours and angle in percent.

    Widths are of the picture's shorter side; a shadow's distance and softness of the gap between
    it and what it falls on.
    """
    if name not in shot.frame_styles:
        raise EditError(f"There is no frame style {name!r} any more.")
    style = shot.frame_styles[name]
    changes = _given(
        border=_share(border),
        colour=colour,
        mat=_share(mat),
        mat_colour=mat_colour,
        corner=_share(corner),
        paper=_share(paper),
    )
    cast = _given(
        angle=angle,
        distance=_share(distance),
        softness=_share(softness),
        strength=_share(strength),
    )
    if shadow is False:
        changes["shadow"] = None
    elif shadow or cast:
        changes["shadow"] = (style.shadow or Shadow()).evolve(**cast)
    return shot.evolve(frame_styles=shot.frame_styles | {name: style.evolve(**changes)})


@verb("remove frame style")
def remove_frame_style(shot: Shot, *, name: str) -> Shot:
    """Take a frame style away, and off all that has it."""
    styles = {key: style for key, style in shot.frame_styles.items() if key != name}
    bare = [each.evolve(frame_style="") for each in shot.layers if each.frame_style == name]
    return with_layers(shot, bare).evolve(
        frame_styles=styles, rows=without_rows(shot, [f"style:{name}"])
    )


@verb("crop")
def set_crop(
    shot: Shot,
    *,
    layer: str,
    fit: Literal["fill", "fit"] | None = None,
    x: Percent | None = None,
    y: Percent | None = None,
    zoom: Annotated[float, Field(ge=100, le=2000)] | None = None,
    height: Annotated[float, Field(gt=0, le=1e6)] | None = None,
) -> Shot:
    """Set which part of its picture a layer's window shows, in percent; its height in metres."""
    found = unlocked(shot, layer)
    if not found.framable:
        raise EditError(f"{found.name} shows no picture that could be cropped.")
    crop = (found.crop or Crop()).evolve(
        **_given(fit=fit, x=_share(x), y=_share(y), zoom=_share(zoom))
    )
    cropped = found.with_shows(crop=crop)
    if height is not None:
        if found.box is not None:
            raise EditError(f"{found.name} is as high as it was taken. Make it a card first.")
        cropped = cropped.with_stands(height=height / found.scale)
    return with_layers(shot, [cropped])


@verb("swap picture")
def swap_picture(shot: Shot, *, layer: str, key: str, picture: PictureRef) -> Shot:
    """Show another picture in a layer's window; window, frame, place and motion are kept.

    It fills the window, or is shown whole in it if the layer's crop says so.
    """
    found = unlocked(shot, layer)
    if not found.framable:
        raise EditError(f"{found.name} shows no picture that could be swapped.")
    if found.body:
        raise EditError(
            f"{found.name} is a {found.body.value}: it shows what it catches from the taking "
            "camera. Swap the picture of a plane."
        )
    assert picture.width and picture.height, "a picture of the project"
    wide, tall = found.box[2:] if found.box is not None else own_size(shot, found)
    aspect = window_aspect(shot, found) or wide / tall
    agrees = abs(aspect / (picture.width / picture.height) - 1) < 1e-3
    kept = found.crop and found.crop.evolve(x=0.5, y=0.5, zoom=1)
    shows = shown_as(key, picture, found.shows)
    swapped = found.evolve(shows=shows.evolve(crop=kept or (None if agrees else Crop())))
    if found.box is None:
        high = None if agrees and not kept else tall
        swapped = swapped.evolve(stands=FreeCard(width=wide, height=high, stays=found.stays))
    shot = shot.evolve(pictures=shot.pictures | {key: picture})
    shot = with_layers(shot, [swapped])
    return shot.evolve(pictures=pictures_used(shot, shot.layers))


# --- mattes -----------------------------------------------------------------------------------


@verb("matte")
def set_matte(
    shot: Shot,
    *,
    layer: str,
    of: str | None = None,
    keep: Literal["inside", "outside"] | None = None,
    by: Literal["alpha", "lightness"] | None = None,
    none: bool = False,
) -> Shot:
    """Let another layer say where this one is seen; ``none`` takes the matte off."""
    found = shot.layer(layer)
    if none:
        return with_layer(shot, layer, matte=None)
    if of is not None:
        shot.layer(of)
    if of == layer:
        raise EditError(f"{found.name} cannot be its own matte. Choose another layer.")
    if found.matte is None and of is None:
        raise EditError("Choose the layer that is to be the matte first.")
    changes = _given(of=of, keep=keep, by=by)
    matte = found.matte.evolve(**changes) if found.matte else Matte(**changes)
    return with_layer(shot, layer, matte=matte)
