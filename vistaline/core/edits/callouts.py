"""The edits of callouts: pointed, worded, marked, taken away."""

from __future__ import annotations

from typing import Any

import numpy as np
from pydantic import ValidationError

from vistaline.core.edits.registry import REGISTRY, free_id, free_name, with_layers, without
from vistaline.core.errors import EditError
from vistaline.core.explaining import explain
from vistaline.core.looks.lettering import Title
from vistaline.core.looks.lines import Line, LineShape
from vistaline.core.shot.callouts import Callout, MarkKind, callout_of
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.shot.shows import LineShown, TitleShown
from vistaline.core.shot.stands import FreeCard
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.surfaces import unit_at

__all__ = ["moved_by_label", "moved_by_mark", "sized_callout"]

verb = REGISTRY.verb
_COLOUR = "#f4efe2"


@verb("call out a point")
def add_callout(
    shot: Shot,
    *,
    layer: str,
    frame: int,
    x: float,
    y: float,
    text: str = "Label",
    mark: MarkKind = "ring",
    alone: bool = False,
) -> Shot:
    """Tie a label to the point of a layer that frame pixel ``x``, ``y`` shows."""
    at = _point_of(shot, layer, frame, x, y, alone)
    name = " ".join(text.split())[:50] or "Label"
    try:
        title = Layer(
            name=free_name(name, shot),
            shows=TitleShown(title=Title(text=text, fill=_COLOUR, align="left")),
            stands=FreeCard(stays="lens"),
        )
    except ValidationError as error:
        raise EditError(str(explain(error))) from error
    line = Layer(
        name=free_name(f"Line to {name}", shot),
        shows=LineShown(
            line=Line(
                shape=LineShape.STROKE,
                points=((-0.5, 0.0), (0.5, 0.0)),
                width=1.0,
                height=0.02,
                weight=0.02,
                colour=_COLOUR,
                blunt=True,
            )
        ),
        stands=FreeCard(stays="lens"),
    )
    marks = [_mark(shot, name, mark)] if mark != "none" else []
    before = {each.id for each in shot.layers}
    shot = shot.evolve(layers=(*shot.layers, line, *marks, title))
    made = [each.id for each in shot.layers if each.id not in before]
    callout = Callout(
        id=free_id("c", {each.id for each in shot.callouts}),
        of=layer,
        at=at,
        label=made[-1],
        line=made[0],
        mark=made[1] if marks else "",
        # To the side where there is more room.
        across=0.14 if x < shot.frame.width * 0.6 else -0.14,
        up=0.09 if y > shot.frame.height * 0.3 else -0.09,
    )
    return shot.evolve(callouts=(*shot.callouts, callout))


def _mark(shot: Shot, name: str, mark: MarkKind) -> Layer:
    shape: dict[str, Any] = {
        "ring": {"shape": LineShape.ELLIPSE, "width": 1.0, "height": 1.0, "weight": 0.16},
        # A ring so thick that nothing is left in its middle.
        "spot": {"shape": LineShape.ELLIPSE, "width": 0.5, "height": 0.5, "weight": 0.5},
        "arrow": {
            "shape": LineShape.OUTLINE,
            "points": ((-0.5, 0.0), (0.5, 0.4), (0.5, -0.4)),
            "width": 1.0,
            "height": 1.0,
            "weight": 0.3,
        },
    }[mark]
    return Layer(
        name=free_name(f"Mark of {name}", shot),
        shows=LineShown(line=Line(colour=_COLOUR, **shape)),
        stands=FreeCard(stays="lens"),
    )


def _point_of(
    shot: Shot, layer: str, frame: int, x: float, y: float, alone: bool
) -> tuple[float, float]:
    if not layer:
        raise EditError("Nothing is seen there. Click on a layer.")
    found = shot.layer(layer)
    if callout_of(shot, layer) or found.is_backdrop:
        raise EditError(f"{found.name} cannot be pointed at. Click on a picture.")
    state = evaluate(shot.evolve(cuts=()) if alone else shot, [frame])[0]
    card = next((each for each in state.cards if each.layer.id == layer), None)
    unit = card and unit_at(card, state.camera, x, y)
    if not unit:
        raise EditError(f"{found.name} is not seen there. Click on it.")
    return round(unit[0], 5), round(unit[1], 5)


@verb("change a callout")
def set_callout(
    shot: Shot,
    *,
    callout: str,
    across: float | None = None,
    up: float | None = None,
    type_size: float | None = None,
    mark_size: float | None = None,
    line_weight: float | None = None,
    mark: MarkKind | None = None,
    colour: str | None = None,
) -> Shot:
    """Change a callout; places and sizes in percent of the frame's width."""
    found = _callout(shot, callout)
    shares = {
        "across": across,
        "up": up,
        "size": type_size,
        "mark_size": mark_size,
        "weight": line_weight,
    }
    changes = {key: value / 100 for key, value in shares.items() if value is not None}
    try:
        changed = found.evolve(**changes)
        if mark is not None:
            shot, changed = _with_mark(shot, changed, mark)
        if colour is not None:
            shot = _coloured(shot, changed, colour)
    except ValidationError as error:
        raise EditError(str(explain(error))) from error
    return _with(shot, changed)


def _with_mark(shot: Shot, callout: Callout, mark: MarkKind) -> tuple[Shot, Callout]:
    label = shot.layer(callout.label)
    colour = (label.title and label.title.fill) or _COLOUR
    new = None if mark == "none" else _mark(shot, label.name, mark)
    if new:
        new = new.evolve(shows=LineShown(line=new.line.evolve(colour=colour)))  # type: ignore[union-attr]
    if callout.mark and new:
        old = shot.layer(callout.mark)
        return with_layers(shot, [old.evolve(shows=new.shows)]), callout
    if callout.mark:
        bare = callout.evolve(mark="")
        return without(_with(shot, bare), {callout.mark}), bare
    if new is None:
        return shot, callout
    shot = shot.evolve(layers=(*shot.layers, new))
    return shot, callout.evolve(mark=shot.layers[-1].id)


def _coloured(shot: Shot, callout: Callout, colour: str) -> Shot:
    changed = []
    for key in callout.parts:
        layer = shot.layer(key)
        if layer.title:
            changed.append(layer.with_shows(title=layer.title.evolve(fill=colour)))
        elif layer.line:
            changed.append(layer.with_shows(line=layer.line.evolve(colour=colour)))
    return with_layers(shot, changed)


@verb("point a callout elsewhere")
def point_callout(
    shot: Shot, *, callout: str, layer: str, frame: int, x: float, y: float, alone: bool = False
) -> Shot:
    """Let a callout point at what frame pixel ``x``, ``y`` shows; its label follows."""
    found = _callout(shot, callout)
    at = _point_of(shot, layer, frame, x, y, alone)
    return _with(shot, found.evolve(of=layer, at=at))


@verb("remove a callout")
def remove_callout(shot: Shot, *, callout: str) -> Shot:
    """Take a callout away, with its label, its line and its mark."""
    found = _callout(shot, callout)
    rest = shot.evolve(callouts=tuple(each for each in shot.callouts if each.id != callout))
    return without(rest, set(found.parts))


def moved_by_label(shot: Shot, callout: Callout, dx: float, dy: float) -> Shot:
    """Return the shot with a callout's label moved by frame pixels."""
    wide = shot.frame.width
    across, up = callout.across + dx / wide, callout.up - dy / wide
    return _with(shot, callout.evolve(across=min(max(across, -2), 2), up=min(max(up, -2), 2)))


def moved_by_mark(shot: Shot, callout: Callout, frame: int, dx: float, dy: float) -> Shot:
    """Return the shot with a callout's point moved by frame pixels, on the same layer."""
    camera = camera_states(shot, [frame])[0]
    card = evaluate(shot, [frame])[0].card_of(callout.of)
    seen = card.image_from_unit(camera) @ np.array([*callout.at, 1.0])
    x, y = seen[:2] / seen[2] + (dx, dy)
    at = _point_of(shot, callout.of, frame, float(x), float(y), alone=False)
    return _with(shot, callout.evolve(at=at))


def sized_callout(shot: Shot, callout: Callout, layer: str, ratio: float) -> Shot:
    """Return the shot with a callout's label, or its mark, as much larger."""
    name, least = ("size", 0.002) if layer == callout.label else ("mark_size", 0.001)
    size = min(max(getattr(callout, name) * ratio, least), 0.5)
    return _with(shot, callout.evolve(**{name: size}))


def _callout(shot: Shot, callout: str) -> Callout:
    found = next((each for each in shot.callouts if each.id == callout), None)
    if found is None:
        raise EditError(f"There is no callout {callout!r} any more (it may have been removed).")
    return found


def _with(shot: Shot, callout: Callout) -> Shot:
    return shot.evolve(
        callouts=tuple(callout if each.id == callout.id else each for each in shot.callouts)
    )
