"""Documents of older versions of the shot file, brought up to the present one as they are read.

There is one small function for each old version; it returns the document as the next version
would have written it.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

__all__ = ["migrated", "migrated_layer"]

Document = dict[str, Any]


def migrated(document: Document) -> Document:
    """Return a shot's document as the present version writes it; the old one stays as it is.

    Nothing is validated here: a mistake in the document stays in it until its fields are checked.
    """
    while (step := _STEPS.get(document.get("vistaline"))) is not None:  # type: ignore[arg-type]
        document = step(document)
    return document


# --- 1 to 2: a layer is what it shows times how it stands; all cameras are alike ---------------


def _from_1(document: Document) -> Document:
    own = {"id": document.get("camera", "a"), "name": document.get("camera_name", "A")}
    others = document.get("cameras", ())
    layers = document.get("layers", ())
    gone = {"camera", "camera_name", "route"}
    return {key: value for key, value in document.items() if key not in gone} | {
        "vistaline": 2,
        "cameras": [own | ({"route": document["route"]} if "route" in document else {}), *others],
        "directed": own["id"],
        "layers": [migrated_layer(layer) for layer in layers],
    }


_SHOWN = ("picture", "title", "field", "occluder", "line")
_STOOD = ("box", "width", "height", "projection", "body", "depth", "stays")


def migrated_layer(layer: Document) -> Document:
    """Return a layer of version 1 as version 2 writes it; one of version 2 as it is.

    Fields that version 1 stored but never used are dropped: a title's crop, or the width of a
    layer that has a box.
    """
    if not isinstance(layer, dict) or "shows" in layer:
        return layer
    kept = {key: value for key, value in layer.items() if key not in (*_SHOWN, *_STOOD, "crop")}
    shown = [key for key in _SHOWN if layer.get(key) not in (None, "")]
    if len(shown) != 1:
        return layer  # which is refused, with a sentence that names it
    shows = {"kind": shown[0], shown[0]: layer[shown[0]]}
    if shown == ["picture"] and layer.get("crop") is not None:
        shows["crop"] = layer["crop"]
    backdrop = False
    if shown == ["field"]:
        field = dict(layer["field"])
        backdrop = field.pop("backdrop", False)
        shows["field"] = field
    return kept | {"shows": shows, "stands": {"kind": "backdrop"} if backdrop else _stood(layer)}


def _stood(layer: Document) -> Document:
    had = {key: layer[key] for key in _STOOD if layer.get(key) is not None}
    if "projection" in had:
        kind, names = "body" if "body" in had else "plane", "projection width height body depth"
    elif "box" in had:
        kind, names = "taken", "box"
    elif layer.get("picture"):
        kind, names = "card" if "width" in had else "taken", "width height"
    else:
        kind, names = "card", ""
    return {"kind": kind} | {key: had[key] for key in (*names.split(), "stays") if key in had}


_STEPS: dict[int, Callable[[Document], Document]] = {1: _from_1}
"""By the version that each reads."""
