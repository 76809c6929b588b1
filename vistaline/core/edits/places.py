"""The edits of places: marked, named, marked elsewhere, taken away."""

from __future__ import annotations

from pydantic import ValidationError

from vistaline.core.edits.registry import REGISTRY, free_id
from vistaline.core.errors import EditError, ShotError
from vistaline.core.shot.places import Place
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.places import point_on

__all__: list[str] = []

verb = REGISTRY.verb


@verb("mark a place")
def add_place(
    shot: Shot,
    *,
    layer: str,
    frame: int,
    x: float,
    y: float,
    name: str = "Place",
    alone: bool = False,
) -> Shot:
    """Mark the point of a layer that frame pixel ``x``, ``y`` shows; it goes where that goes."""
    words = " ".join(name.split())[:70] or "Place"
    taken = {each.name for each in shot.places}
    called = next(
        each
        for each in (words, *(f"{words} {n}" for n in range(2, len(taken) + 3)))
        if each not in taken
    )
    at, out = _point(shot, layer, frame, x, y, alone)
    place = Place(
        id=free_id("p", {each.id for each in shot.places}), name=called, of=layer, at=at, out=out
    )
    return shot.evolve(places=(*shot.places, place))


@verb("mark a place elsewhere")
def move_place(
    shot: Shot, *, place: str, layer: str, frame: int, x: float, y: float, alone: bool = False
) -> Shot:
    """Put a place on the point that frame pixel ``x``, ``y`` shows, of whatever layer."""
    found = _place(shot, place)
    at, out = _point(shot, layer, frame, x, y, alone)
    return _with(shot, found.evolve(of=layer, at=at, out=out))


@verb("rename a place")
def rename_place(shot: Shot, *, place: str, name: str) -> Shot:
    """Call a place something else; other programs know it by its name."""
    found = _place(shot, place)
    if not name.strip():
        raise EditError("A place needs a name. Type one.")
    try:
        return _with(shot, found.evolve(name=name.strip()))
    except (ShotError, ValidationError) as error:
        raise EditError(
            f"Another place is called {name.strip()!r}. Choose another name."
        ) from error


@verb("remove a place")
def remove_place(shot: Shot, *, place: str) -> Shot:
    """Take a place away."""
    gone = _place(shot, place)
    return shot.evolve(places=tuple(each for each in shot.places if each is not gone))


def _point(
    shot: Shot, layer: str, frame: int, x: float, y: float, alone: bool
) -> tuple[tuple[float, float], float]:
    if not layer:
        raise EditError("Nothing is seen there. Click on a layer.")
    found = shot.layer(layer)
    if found.is_backdrop:
        raise EditError(f"{found.name} stands at no distance; nothing can be marked on it.")
    state = evaluate(shot.evolve(cuts=()) if alone else shot, [frame])[0]
    card = next((each for each in state.cards if each.layer.id == layer), None)
    met = card and point_on(card, state.camera, x, y)
    if not met:
        raise EditError(f"{found.name} is not seen there. Click on it.")
    across, up = met[0]
    return (round(across, 6), round(up, 6)), round(met[1], 6)


def _place(shot: Shot, place: str) -> Place:
    found = next((each for each in shot.places if each.id == place), None)
    if found is None:
        raise EditError("That place is not there any more (it may have been removed).")
    return found


def _with(shot: Shot, place: Place) -> Shot:
    return shot.evolve(places=tuple(place if each.id == place.id else each for each in shot.places))
