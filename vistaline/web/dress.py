"""The Dress bench: light and air of a shot."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, render_template, request
from flask_login import login_required

from vistaline.actions.kept_looks import looks_in
from vistaline.actions.pictures import pictures_of
from vistaline.core.easing import EASE_NAMES
from vistaline.core.edits.lamps import brightest_in
from vistaline.core.edits.starts import STARTS
from vistaline.core.geometry.light import COOLEST, HOTTEST
from vistaline.core.looks.gobos import GoboShape
from vistaline.core.picture.scopes import Scope
from vistaline.core.shot.air import Particles
from vistaline.core.shot.dressing import AnyEffect, row_name
from vistaline.core.shot.effects import Effect
from vistaline.core.shot.lamps import Falloff, LampKind
from vistaline.core.shot.mounts import FOLLOWS
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.keyed import shot_at_frame
from vistaline.core.stage.particles import MOST_ALIVE, alive_of
from vistaline.web.context import session
from vistaline.web.dress_fields import fields_of, groups_of, sliders_of
from vistaline.web.effect_fields import (
    OF_LAYERS,
    SHOWS_IN_PROOF,
    curves_drawn,
    mask_facts,
    over_choices,
    over_word,
    points_of,
    starts_by_sort,
)
from vistaline.web.keys import keys_facts, pins_of, playhead_asked
from vistaline.web.shots import findings_of, open_shot

__all__ = ["blueprint"]

blueprint = Blueprint("dress", __name__, url_prefix="/shots")

TABS = (("lamps", "Light and air"), ("finish", "Finish"), ("keys", "Keys"))
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
_GOBOS = [
    ("none", "its light only"),
    (GoboShape.WINDOW.value, "a window"),
    (GoboShape.ARCH.value, "a round-headed window"),
    (GoboShape.BLINDS.value, "blinds"),
    (GoboShape.LEAVES.value, "leaves"),
    (GoboShape.PICTURE.value, "a picture"),
]
_KIND_WORDS = {
    "fog": "Fog",
    "veils": "Veils",
    "particles": "Particles",
    "shaft": "Shaft",
    "rays": "Rays",
    "glow": "Glow",
    "flare": "Flare",
}
_SCOPES = (
    (Scope.WAVEFORM.value, "waveform"),
    (Scope.PARADE.value, "red, green, blue"),
    (Scope.VECTORS.value, "colours"),
    (Scope.HISTOGRAM.value, "histogram"),
)
CURVES = (
    ("value", "all"),
    ("red", "R"),
    ("green", "G"),
    ("blue", "B"),
    ("lightness", "light"),
)
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
    wanted = request.args.get("layer", "")
    thing = next((each for each in shot.dressing if row_name(each) == wanted), None)
    if isinstance(thing, Effect) or request.args.get("tab") == "finish":
        effect = thing if isinstance(thing, Effect) else None
        shared["looks"] = looks_in(session(), row.project_id)
        shared["all_pictures"] = pictures_of(session(), row.project_id)
        return _finish(shot, effect, pins_of(shot, wanted, playhead), shared)
    return render_template(
        "dress/_lamps.html",
        tab="lamps",
        chosen=next((lamp for lamp in shot.lamps if f"lamp:{lamp.id}" == wanted), None),
        thing=thing,
        groups=groups_of(shot, thing) if thing else [],
        sliders=sliders_of(shot, thing) if thing else [],
        starts=_starts(),
        alive=alive_of(thing) if isinstance(thing, Particles) else 0,
        most_alive=MOST_ALIVE,
        listed=_listed(shot),
        exposure=shot.camera.exposure,
        brightest=brightest_in(shot, playhead) * 2**shot.camera.exposure if shot.lamps else 0.0,
        pin=pins_of(shot, wanted, playhead),
        exposure_pin=pins_of(shot, f"camera:{shot.camera.id}", playhead),
        kinds=KINDS,
        kind_choices=[(kind.value, words) for kind, (words, _) in KINDS.items()],
        falloff_choices=[(each.value, words) for each, words in _FALLOFFS.items()],
        temperatures=_KELVIN,
        gobo_shapes=_GOBOS,
        pictures=[(key, key) for key in shot.pictures],
        limits=(COOLEST, HOTTEST),
        standing=[(each.id, each.name) for each in shot.layers if each.is_lit],
        mounts=shot.mounts,
        follows=FOLLOWS,
        **shared,
    )


def _finish(shot: Shot, effect: AnyEffect | None, pin: Any, shared: dict[str, Any]) -> str:
    """Return the panel of effects: what can be added, the list, and the values of one."""
    mask = mask_facts(shot, effect) if effect else {}
    return render_template(
        "dress/_finish.html",
        tab="finish",
        thing=effect,
        groups=groups_of(shot, effect) if effect else [],
        sliders=sliders_of(shot, effect) if effect else [],
        mask=mask,
        masked=fields_of(shot, effect, mask["values"]) if effect else [],
        over=over_word(effect) if effect else "frame",
        overs=over_choices(shot),
        starts=starts_by_sort(),
        scopes=_SCOPES,
        in_proof=SHOWS_IN_PROOF,
        of_layers=OF_LAYERS,
        curves=CURVES,
        pin=pin,
        drawn=curves_drawn(effect) if effect else None,
        points=[
            (words, [(x, fields_of(shot, effect, [name])[0]) for x, name in found[curve]])
            for curve, words in CURVES
            if effect and curve in (found := points_of(effect))
        ],
        listed=_effects_listed(shot),
        **shared,
    )


def _effects_listed(shot: Shot) -> list[dict[str, Any]]:
    """Return what the list of effects has, in their order."""
    words = dict(over_choices(shot))
    return [
        {
            "of": row_name(each),
            "name": each.name,
            "on": each.on,
            "what": words.get(over_word(each), "nothing: it is gone").removeprefix("whole "),
            "verb": "set_dressing",
            "only": {"thing": row_name(each)},
        }
        for each in shot.dressing
        if isinstance(each, Effect)
    ]


def _starts() -> dict[str, list[tuple[str, str, str]]]:
    """Return the starting points by what they are: name, words and hint of each."""
    found: dict[str, list[tuple[str, str, str]]] = {"beams": [], "air": []}
    for name, start in STARTS.items():
        group = "beams" if start.thing.kind in ("shaft", "rays", "glow", "flare") else "air"
        found[group].append((name, start.words, start.hint))
    return found


def _listed(shot: Shot) -> list[dict[str, Any]]:
    """Return what the list has: lamps, then all else, in their order."""
    lamps = [
        {
            "of": f"lamp:{lamp.id}",
            "name": lamp.name,
            "on": lamp.on,
            "what": f"{KINDS[lamp.kind][0]}, {lamp.brightness * 100:.0f} %",
            "verb": "set_lamp",
            "only": {"lamp": lamp.id},
        }
        for lamp in shot.lamps
    ]
    return lamps + [
        {
            "of": row_name(each),
            "name": each.name,
            "on": each.on,
            "what": _KIND_WORDS[each.kind],
            "verb": "set_dressing",
            "only": {"thing": row_name(each)},
        }
        for each in shot.dressing
        if not isinstance(each, Effect)
    ]
