"""What can be chosen of each output, as fields of the Output bench's form."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal, get_args, get_origin

from vistaline.core.formats.encoders import Encoder
from vistaline.core.formats.outputs import ENCODERS

__all__ = ["FieldOfOutput", "chosen_of", "fields_of", "outputs_by_use"]


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
}


def fields_of(encoder: Encoder) -> list[FieldOfOutput]:
    """Return what can be chosen of an output, with its usual values."""
    found = []
    for name, info in encoder.options.model_fields.items():
        shared: dict[str, Any] = {
            "name": f"{encoder.key}.{name}",
            "label": _LABELS.get(name, name.capitalize()),
            "about": info.description or "",
        }
        if get_origin(info.annotation) is Literal:
            shared |= {"choices": get_args(info.annotation), "value": str(info.default)}
        elif info.annotation is bool:
            shared["ticked"] = bool(info.default)
        else:
            limits = {
                key: value
                for each in info.metadata
                for key in ("ge", "gt", "le")
                if (value := getattr(each, key, None)) is not None
            }
            shared |= {"least": limits.get("ge", limits.get("gt")), "most": limits.get("le")}
            shared["value"] = "" if info.default is None else str(info.default)
        found.append(FieldOfOutput(**shared))
    return found


def outputs_by_use() -> dict[str, list[Encoder]]:
    """Return the outputs that are offered, by what they are good for."""
    found: dict[str, list[Encoder]] = {}
    for encoder in ENCODERS.values():
        found.setdefault(encoder.use, []).append(encoder)
    return found


def chosen_of(key: str, form: Mapping[str, str]) -> dict[str, str]:
    """Return what a form chooses of an output; what is left empty is as usual."""
    mine = f"{key}."
    return {
        name.removeprefix(mine): value.strip()
        for name, value in form.items()
        if name.startswith(mine) and value.strip()
    }
