"""The edits of what has frames of its own: shots put into a shot, and how they and clips run."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field, ValidationError

from vistaline.core.edits.registry import (
    REGISTRY,
    When,
    frames_of,
    free_key,
    free_name,
    with_layers,
)
from vistaline.core.errors import EditError
from vistaline.core.explaining import explain
from vistaline.core.shot.running import Held, NestedShot, Running
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.shot.shows import ShotShown
from vistaline.core.shot.stands import FreeCard
from vistaline.core.stage.runs import Runs, runs_of
from vistaline.core.timing import parse_time

__all__: list[str] = []

verb = REGISTRY.verb


@verb("add a shot")
def add_nested(shot: Shot, *, nested: NestedShot, playhead: int = 0) -> Shot:
    """Add another shot as a card, half as far away as what is in the middle; it runs from here."""
    same = {key: ref for key, ref in shot.shots.items() if ref.file == nested.file}
    key = next(iter(same)) if same else free_key("shot", nested, shot.shots)
    distances = sorted(layer.distance for layer in shot.layers if not layer.is_backdrop)
    distance = distances[len(distances) // 2] / 2 if distances else 2.0
    layer = Layer(
        name=free_name((nested.name or "Shot")[:70], shot),
        shows=ShotShown(shot=key, runs=Running(begins=playhead)),
        stands=FreeCard(width=0.5 * distance),
        distance=distance,
    )
    return shot.evolve(shots=shot.shots | {key: nested}, layers=(*shot.layers, layer))


@verb("how it runs")
def set_running(
    shot: Shot,
    *,
    layer: str,
    begins: When | None = None,
    first: When | None = None,
    last: When | None = None,
    percent: Annotated[float, Field(gt=0, le=10_000)] | None = None,
    backwards: bool | None = None,
    stands: bool | None = None,
    seen: Annotated[float, Field(ge=0, le=1_000_000)] | None = None,
    blends: bool | None = None,
    ends: Held | None = None,
    playhead: int = 0,
) -> Shot:
    """Set when another shot, or a picture that moves, runs and how; its own frames in its own time.

    ``stands``: it does not run by itself, and shows its frame ``seen``, which can have keys.
    """
    found = shot.layer(layer)
    inner = runs_of(shot, found)
    if inner is None:
        raise EditError(f"{found.name} has no frames of its own.")
    name = shot.shots[inner.key].name if inner.is_shot else found.name
    changes: dict[str, Any] = {"backwards": backwards, "blends": blends, "ends": ends}
    if begins is not None:
        changes["begins"] = frames_of(shot, begins)
    for end, when in (("first", first), ("last", last)):
        if when is None:
            continue
        frame = when if isinstance(when, int) else parse_time(when, inner.rate)
        changes[end] = _checked(frame, inner, name, "begin" if end == "first" else "end")
    if percent is not None:
        changes["pace"] = percent / 100
    if stands:
        own = tuple(row for row in shot.rows if row.of == f"layer:{found.id}")
        at = min(max(playhead, 0), shot.frame.duration - 1)
        changes["seen"] = float(inner.seen(own, shot.frame.duration, shot.frame.rate)[at])
    if seen is not None and inner.runs.seen is not None:
        changes["seen"] = _checked(seen, inner, name, "stand")
    values = {name: value for name, value in changes.items() if value is not None}
    if stands is False:
        values["seen"] = None
    try:
        return with_layers(shot, [found.with_shows(runs=inner.runs.evolve(**values))])
    except ValidationError as error:
        raise EditError(str(explain(error))) from error


def _checked(frame: float, inner: Runs, name: str, does: str) -> float:
    if not 0 <= frame < inner.frames:
        raise EditError(
            f"{name or 'The shot'} has frames 0 to {inner.frames - 1}; it cannot {does} with "
            f"{frame:g}. Choose one of them."
        )
    return frame
