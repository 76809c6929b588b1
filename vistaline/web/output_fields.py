"""What can be chosen of each output, as fields of the Output bench's form."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal, get_args, get_origin

from vistaline.core.delivery.delivery import Delivery, parse_delivery
from vistaline.core.errors import RenderError
from vistaline.core.formats.encoders import Encoder
from vistaline.core.formats.outputs import ENCODERS

__all__ = ["FieldOfOutput", "delivery_in", "fields_of", "outputs_by_use", "stretch_in"]


@dataclass(frozen=True)
class FieldOfOutput:
    """One thing that can be chosen."""

    name: str
    """As the form sends it: the output's key, a point, the option."""
    label: str
    about: str
    choices: tuple[str, ...] = ()
    ticked: bool | None = None
    """Whether it is on; None: it is no switch."""
    value: str = ""
    least: float | None = None
    most: float | None = None


_LABELS = {
    "crf": "Quality",
    "mbit": "Mbit/s",
    "samples": "Samples",
    "rate": "Rate",
    "bits": "Bits",
    "alpha": "Transparent",
    "quality": "Quality",
    "depth": "Depth",
}


def fields_of(encoder: Encoder, chosen: Mapping[str, Any]) -> list[FieldOfOutput]:
    """Return what can be chosen of an output; what is not ``chosen`` has its usual values."""
    found = []
    for name, info in encoder.options.model_fields.items():
        value = chosen.get(name, info.default)
        shared: dict[str, Any] = {
            "name": f"{encoder.key}.{name}",
            "label": _LABELS.get(name, name.capitalize()),
            "about": info.description or "",
        }
        if get_origin(info.annotation) is Literal:
            shared |= {"choices": get_args(info.annotation), "value": str(value)}
        elif info.annotation is bool:
            shared["ticked"] = bool(value)
        else:
            limits = {
                key: limit
                for each in info.metadata
                for key in ("ge", "gt", "le")
                if (limit := getattr(each, key, None)) is not None
            }
            shared |= {"least": limits.get("ge", limits.get("gt")), "most": limits.get("le")}
            shared["value"] = "" if value is None else f"{value:g}"
        found.append(FieldOfOutput(**shared))
    return found


def outputs_by_use() -> dict[str, list[Encoder]]:
    """Return the outputs that are offered, by what they are good for."""
    found: dict[str, list[Encoder]] = {}
    for encoder in ENCODERS.values():
        found.setdefault(encoder.use, []).append(encoder)
    return found


def _chosen_of(key: str, form: Mapping[str, str]) -> dict[str, str]:
    """Return what a form chooses of an output; what is left empty is as usual."""
    mine = f"{key}."
    return {
        name.removeprefix(mine): value.strip()
        for name, value in form.items()
        if name.startswith(mine) and value.strip()
    }


def delivery_in(form: Mapping[str, str]) -> Delivery:
    """Return the delivery that a form asks for; RenderError if something in it makes no sense."""
    key = form.get("kind", "mp4")
    document: dict[str, Any] = {
        name: form[name].strip()
        for name in ("every", "handles", "number", "quality", "name")
        if form.get(name, "").strip()
    }
    document |= {"output": key, "options": _chosen_of(key, form)}
    if form.get("percent", "").strip():
        try:
            document["scale"] = float(form["percent"]) / 100
        except ValueError as error:
            raise RenderError("The size is a number of per cent. Type one.") from error
    return parse_delivery(document)


def stretch_in(form: Mapping[str, str], duration: int) -> tuple[int, int]:
    """Return the first and the last frame that a form asks for; all of ``duration`` if it does not.

    Raises
    ------
    RenderError
        They are no numbers.
    """
    told = (form.get("first") or "0").strip(), (form.get("last") or str(duration - 1)).strip()
    try:
        return int(told[0]), int(told[1])
    except ValueError as error:
        raise RenderError("First and last are numbers of frames. Type them.") from error
