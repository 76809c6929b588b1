"""The edits of titles, and of the pairs that stand behind and in front of a layer."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import ValidationError

from vistaline.core.edits.arranging import at_distance
from vistaline.core.edits.registry import REGISTRY, unlocked, with_layer, with_layers
from vistaline.core.errors import EditError
from vistaline.core.explaining import explain
from vistaline.core.looks.lettering import Title
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.shot.shows import TitleShown
from vistaline.core.shot.stands import FreeCard

__all__ = ["in_register"]

verb = REGISTRY.verb
_BESIDE = 1.01
"""How much farther, or nearer, than a layer a title behind or in front of it stands."""
_OWN_LOOK = ("fill", "outline", "outline_width")
"""What the two titles of a pair have each for itself."""


@verb("add title")
def add_title(shot: Shot, *, text: str = "Title") -> Shot:
    """Add a title, half as far away as the taking distance of what is in the middle."""
    distances = sorted(layer.distance for layer in shot.layers)
    distance = distances[len(distances) // 2] / 2 if distances else 2.0
    title = Title(text=text, size=0.12 * distance)
    return shot.evolve(
        layers=(
            *shot.layers,
            Layer(
                name=_title_name(text),
                shows=TitleShown(title=title),
                stands=FreeCard(),
                distance=distance,
            ),
        )
    )


def _title_name(text: str) -> str:
    return " ".join(text.split())[:60] or "Title"


@verb("change title")
def set_title(
    shot: Shot,
    *,
    layer: str,
    text: str | None = None,
    face: str | None = None,
    weight: int | None = None,
    size: float | None = None,
    spacing: float | None = None,
    line_spacing: float | None = None,
    align: Literal["left", "centre", "right"] | None = None,
    looks: Literal["fill", "outline", "both"] | None = None,
    fill: str | None = None,
    outline: str | None = None,
    outline_width: float | None = None,
) -> Shot:
    """Change a title's text or how it is set; spacing and widths in percent of an em."""
    found = shot.layer(layer)
    if found.title is None:
        raise EditError(f"{found.name} is not a title.")
    title = found.title
    values: dict[str, Any] = {
        "text": text,
        "face": face,
        "weight": weight,
        "size": size,
        "spacing": None if spacing is None else spacing / 100,
        "line_spacing": None if line_spacing is None else line_spacing / 100,
        "align": align,
        "fill": fill,
        "outline": outline,
        "outline_width": None if outline_width is None else outline_width / 100,
    }
    changes = {key: value for key, value in values.items() if value is not None}
    if looks is not None:
        changes["fill"] = None if looks == "outline" else title.fill or title.outline
        changes["outline"] = None if looks == "fill" else title.outline or title.fill
    try:
        changed = title.evolve(**changes)
    except ValidationError as error:
        raise EditError(str(explain(error))) from error
    named = {"name": _title_name(changed.text)} if found.name == _title_name(title.text) else {}
    return with_layers(shot, [found.evolve(**named).with_shows(title=changed)])


@verb("title behind and in front")
def pair_title(shot: Shot, *, layer: str, around: str) -> Shot:
    """Put a title behind a layer, filled, and its outline in front of it, in register.

    Seen from the taking camera both lie on one another, so the layer seems to stand in the word.
    Whatever is done to one of them from now on is done to the other.
    """
    found, other = unlocked(shot, layer), shot.layer(around)
    if found.title is None:
        raise EditError(f"{found.name} is not a title.")
    if found.paired:
        raise EditError(f"{found.name} is one of a pair already. Part the two first.")
    if layer == around:
        raise EditError("A title cannot stand round itself. Choose the layer that stands in it.")
    if other.is_backdrop:
        raise EditError(f"{other.name} is behind everything; no title can stand round it.")
    colour = found.title.fill or found.title.outline
    width = max(found.title.outline_width, 0.02)
    behind = found.evolve(
        shows=found.shows.evolve(title=found.title.evolve(fill=colour, outline=None)),
        **at_distance(found, other.distance * _BESIDE),
    )
    # The outline is drawn round the letters, so its card has more room: the letters' size agrees.
    front = found.evolve(
        id="",
        name=f"{found.name[:70]} outline",
        shows=found.shows.evolve(
            title=found.title.evolve(fill=None, outline=colour, outline_width=width)
        ),
        paired=layer,
        **at_distance(found, other.distance / _BESIDE),
    )
    layers = [behind if each.id == layer else each for each in shot.layers]
    shot = shot.evolve(layers=(*layers, front))
    return with_layer(shot, layer, paired=shot.layers[-1].id)


@verb("part the pair")
def part_pair(shot: Shot, *, layer: str) -> Shot:
    """Let the two titles of a pair go their own ways."""
    found = shot.layer(layer)
    if not found.paired:
        raise EditError(f"{found.name} is not one of a pair.")
    return with_layers(shot, [each.evolve(paired="") for each in (found, shot.layer(found.paired))])


def in_register(before: Shot, after: Shot) -> Shot:
    """Return a shot whose pairs lie on one another again, if only one of two was changed."""
    was = {layer.id: layer for layer in before.layers}
    changed = {layer.id for layer in after.layers if was.get(layer.id) != layer}
    follow = []
    for layer in after.layers:
        partner = layer.paired
        if layer.id in changed and partner and partner not in changed and layer.id in was:
            follow.append(_following(after.layer(partner), layer))
    return with_layers(after, follow) if follow else after


def _following(layer: Layer, lead: Layer) -> Layer:
    """Return the other of a pair, set as ``lead`` and seen where it is, at its own distance."""
    assert layer.title and lead.title, "only titles are paired"
    own = {name: getattr(layer.title, name) for name in _OWN_LOOK}
    there = at_distance(lead, layer.distance)
    stood = layer.with_stands(stays=lead.stays)
    return stood.evolve(
        shows=TitleShown(title=lead.title.evolve(**own), arrives=lead.arrives, leaves=lead.leaves),
        **there,
        pan=lead.pan,
        tilt=lead.tilt,
        roll=lead.roll,
        pivot=lead.pivot,
        ride=lead.ride,
        group=lead.group,
    )
