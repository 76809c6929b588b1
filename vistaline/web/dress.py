"""The Dress bench: light and air of a shot."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, render_template, request
from flask_login import login_required

from vistaline.core.easing import EASE_NAMES
from vistaline.core.geometry.light import COOLEST, HOTTEST
from vistaline.core.shot.lamps import Falloff, LampKind
from vistaline.core.shot.mounts import FOLLOWS
from vistaline.core.stage.keyed import shot_at_frame
from vistaline.web.keys import keys_facts, pins_of, playhead_asked
from vistaline.web.shots import findings_of, open_shot

__all__ = ["blueprint"]

blueprint = Blueprint("dress", __name__, url_prefix="/shots")

TABS = (("lamps", "Lamps"), ("keys", "Keys"))
KINDS = {
    LampKind.POINT: ("Point", "Shines to all sides, as a bulb does"),
    LampKind.SPOT: ("Spot", "Shines in a cone"),
    LampKind.PARALLEL: ("Sun", "Shines the same way everywhere"),
    LampKind.AMBIENT: ("All round", "A light from everywhere"),
}
_FALLOFFS = {
    Falloff.SQUARE: "as light does",
    Falloff.RANGE: "to nothing at its range",
    Falloff.NONE: "not at all",
}
_KELVIN = (1900, 2700, 3200, 4300, 5600, 7500)
"""A candle, a bulb, a studio's tungsten lamp, morning, daylight, shade (common practice, no
source)."""


@blueprint.get("/<int:shot_id>/panels/dress")
@login_required
def panel(shot_id: int) -> Any:
    """The list of lamps with the values of the chosen one, or the keys that are chosen."""
    row, kept = open_shot(shot_id)
    playhead = playhead_asked(kept)
    shot = shot_at_frame(kept, playhead)
    shared = {
        "row": row,
        "shot": shot,
        "tabs": TABS,
        "unit": request.cookies.get("vistaline-unit", "frames"),
        "findings": findings_of(row, kept),
    }
    if request.args.get("tab") == "keys":
        facts = keys_facts(kept, playhead)
        return render_template("direct/_keys.html", tab="keys", eases=EASE_NAMES, **facts, **shared)
    wanted = request.args.get("layer", "").removeprefix("lamp:")
    return render_template(
        "dress/_lamps.html",
        tab="lamps",
        chosen=next((lamp for lamp in shot.lamps if lamp.id == wanted), None),
        pin=pins_of(shot, f"lamp:{wanted}", playhead),
        kinds=KINDS,
        kind_choices=[(kind.value, words) for kind, (words, _) in KINDS.items()],
        falloff_choices=[(each.value, words) for each, words in _FALLOFFS.items()],
        temperatures=_KELVIN,
        limits=(COOLEST, HOTTEST),
        standing=[(each.id, each.name) for each in shot.layers if each.is_lit],
        mounts=shot.mounts,
        follows=FOLLOWS,
        **shared,
    )
