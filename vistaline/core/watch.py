"""What looks wrong with a shot before anything is rendered, in sentences."""

from __future__ import annotations

import numpy as np

from vistaline.core.evaluate import evaluate
from vistaline.core.shot import Shot

__all__ = ["findings"]


def findings(shot: Shot) -> list[str]:
    """Return one sentence for each thing a person should look at; empty if all is well."""
    found: list[str] = []
    shown = [layer for layer in shot.layers if not layer.hidden]
    if not shown:
        return ["No layer is shown: the frame is empty. Add a layer or show a hidden one."]
    states = evaluate(shot, range(shot.frame.duration))
    for i, layer in enumerate(shown):
        behind = [frame for frame, state in enumerate(states) if i not in state.order]
        if behind:
            found.append(
                f"Layer {layer.name} is behind the camera from frame {behind[0]}"
                + (f" to {behind[-1]}" if behind[-1] < len(states) - 1 else "")
                + ". Set it farther away or stop the camera before it."
            )
    by_place: dict[tuple[float, ...], str] = {}
    for layer in shown:
        place = tuple(np.round((layer.distance, layer.pan, layer.tilt), 6))
        if place in by_place:
            found.append(
                f"Layers {by_place[place]} and {layer.name} stand at one distance "
                f"({layer.distance:g} m): {layer.name} is drawn in front."
            )
        by_place[place] = layer.name
    return found
