"""What the Output bench foretells: seconds a frame, pixels, sizes, names of files."""

from __future__ import annotations

import json
from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Any

from vistaline.actions import expecting
from vistaline.core.delivery.delivery import Delivery, Span, names_of, span_of
from vistaline.core.delivery.foretold import Cost, foretold_bytes
from vistaline.core.delivery.naming import name_by
from vistaline.core.errors import RenderError
from vistaline.core.film.film import Film
from vistaline.core.film.timeline import Timeline
from vistaline.core.formats.outputs import ENCODERS
from vistaline.core.render.reel import reel_at
from vistaline.core.shot.shot import Shot
from vistaline.store.models import FilmRow, ShotRow
from vistaline.web.context import services, session
from vistaline.web.output_fields import delivery_in

__all__ = ["expectation"]

_HOUR = 3600


def expectation(
    row: ShotRow | FilmRow, reel: Shot | Film, form: Mapping[str, str]
) -> dict[str, Any]:
    """Return what is foretold of a form as it stands; measured once for each version.

    What makes no sense in it is told as ``wrong``.
    """
    duration = reel.duration if isinstance(reel, Shot) else Timeline(reel).duration
    told: dict[str, Any] = {"measured": True, "seconds": {}, "wrong": ""}
    if not duration:
        return told
    version = type(row).__name__, row.id, row.version
    kept = services().kept
    library = services().library
    told["seconds"] = kept.expected.get(
        version, lambda: expecting.expected_seconds(session(), row, library)
    )
    try:
        delivery = delivery_in(form)
        first, last = (
            int(form.get(name) or usual) for name, usual in (("first", 0), ("last", duration - 1))
        )
        span = span_of(delivery, first, last, duration=duration)
    except (RenderError, ValueError) as error:
        return told | {"wrong": str(error)}
    size, rate = reel_at(reel, delivery.scale).frame.size, float(reel.frame.rate)
    exact = [side * delivery.scale for side in reel.frame.size]
    offered = [
        delivery if key == delivery.output else delivery.evolve(output=key, options={})
        for key in ENCODERS
    ]

    def cost(each: Delivery) -> Cost | None:
        options = json.dumps(each.options, sort_keys=True)
        key = (*version, each.output, each.every, options)
        return kept.costs.get(key, lambda: expecting.cost_of(session(), row, library, [each])[0])

    costs = {each.output: cost(each) for each in offered}
    bytes_of = {
        each.output: foretold_bytes(found, each, span, size, rate)
        for each in offered
        if (found := costs[each.output]) is not None
    }
    seconds = span.count * span.every / rate
    return told | {
        "size": size,
        "rounded": any(abs(a - b) > 1e-6 for a, b in zip(size, exact, strict=True)),
        "exact": exact,
        "bytes": bytes_of,
        "hour": {key: each / seconds * _HOUR for key, each in bytes_of.items()},
        "output": delivery.output,
        "frames": span.count,
        "wait": told["seconds"].get(delivery.quality, 0.0) * delivery.scale**2 * span.count,
        "called": _called(row, reel, delivery, span, size, form),
    }


def _called(
    row: ShotRow | FilmRow,
    reel: Shot | Film,
    delivery: Delivery,
    span: Span,
    size: tuple[int, int],
    form: Mapping[str, str],
) -> str:
    """Return what the first file will be called."""
    facts = {
        "project": row.project.name,
        "shot": reel.name,
        "take": form.get("take", ""),
        "camera": form.get("camera", ""),
        "size": f"{size[0]}x{size[1]}",
        "date": datetime.now(UTC).date().isoformat(),
        "render": "1",
    }
    encoder = delivery.encoder
    if encoder.joined:
        return name_by(delivery.name, facts) + encoder.ending
    return names_of(delivery, facts, span)(0) + "." + encoder.ending.rsplit(".", 1)[-1]
