"""Looks: lists of effects that are kept by a name and put on other layers, in any shot."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field, TypeAdapter

from vistaline.core.edits.effects import effect_called, over_of
from vistaline.core.edits.registry import REGISTRY, free_id, free_key, numbered
from vistaline.core.errors import EditError
from vistaline.core.shot.dressing import MOST_EFFECTS, AnyEffect
from vistaline.core.shot.effects import Effect, On, Over
from vistaline.core.shot.overlays import Overlay
from vistaline.core.shot.shot import PictureRef, Shot
from vistaline.core.verbs import FROM_JSON

__all__ = ["look_of"]

verb = REGISTRY.verb
_OWN = "*own"
"""What masks stay on that stayed on the layer the look was made for."""
_Kept = Annotated[AnyEffect, Field(discriminator="kind")]
Effects = Annotated[list[_Kept], FROM_JSON, Field(min_length=1, max_length=MOST_EFFECTS)]
Pictures = Annotated[dict[str, PictureRef], FROM_JSON]
_EFFECTS: TypeAdapter[list[AnyEffect]] = TypeAdapter(list[_Kept])


def look_of(shot: Shot, thing: str) -> dict[str, Any]:
    """Return, as a document, all effects that are on the same as one, in their order.

    ``effects``, and the ``pictures`` that they lay over others, by their keys.
    """
    over = effect_called(shot, thing).over
    found = [
        _changed(each, over.of if over.kind is On.LAYER else "", _OWN).evolve(over=Over())
        for each in shot.dressing
        if isinstance(each, Effect) and (each.over.kind, each.over.of) == (over.kind, over.of)
    ]
    laid = {each.picture for each in found if isinstance(each, Overlay)} & shot.pictures.keys()
    return {
        "effects": _EFFECTS.dump_python(found, mode="json"),  # type: ignore[arg-type]
        "pictures": {key: shot.pictures[key].model_dump(mode="json") for key in sorted(laid)},
    }


@verb("put a look on")
def put_look(
    shot: Shot, *, effects: Effects, over: str = "frame", pictures: Pictures | None = None
) -> Shot:
    """Put all effects of a look on something, at the end of the list.

    ``pictures``: those that they lay over others.
    """
    wanted = over_of(shot, over)
    there = sum(isinstance(each, Effect) for each in shot.dressing)
    if there + len(effects) > MOST_EFFECTS:
        raise EditError(f"A shot has {MOST_EFFECTS} effects at most. Remove some first.")
    known = {each.id for each in shot.layers}
    dressing = list(shot.dressing)
    came = pictures or {}
    keys = {key: free_key(key, each, shot.pictures) for key, each in came.items()}
    shot = shot.evolve(pictures=shot.pictures | {keys[key]: each for key, each in came.items()})
    for each in effects:
        made = _changed(each, _OWN, wanted.of if wanted.kind is On.LAYER else "")
        mask = made.mask
        if mask:
            fixed = mask.fixed if mask.fixed in {*known, "*stage"} else ""
            mask = mask.evolve(fixed=fixed, of=mask.of if mask.of in known else "")
        more = {"fixed": ""} if getattr(made, "fixed", "") not in {*known, ""} else {}
        if isinstance(made, Overlay):
            more["picture"] = keys.get(made.picture, "")
        dressing.append(
            made.evolve(
                id=free_id("e", {x.id for x in dressing}),
                name=numbered(made.name, {x.name for x in dressing}),
                over=wanted.evolve(distance=each.over.distance),
                mask=mask,
                **more,
            )
        )
    return shot.evolve(dressing=tuple(dressing))


def _changed(effect: AnyEffect, before: str, after: str) -> AnyEffect:
    """Return an effect that stays on another layer where it stayed on one."""
    if not before:
        return effect
    changes: dict[str, Any] = {}
    if getattr(effect, "fixed", "") == before:
        changes["fixed"] = after
    if effect.mask and effect.mask.fixed == before:
        changes["mask"] = effect.mask.evolve(fixed=after)
    return effect.evolve(**changes) if changes else effect
