"""What the Output bench foretells: seconds a frame, pixels, sizes, names of files."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from typing import Any

from vistaline.actions import expecting
from vistaline.core.delivery.delivery import Delivery, Span, names_of, span_of
from vistaline.core.delivery.foretold import Cost, an_hour_of, foretold_bytes, foretold_seconds
from vistaline.core.delivery.naming import name_by, name_facts
from vistaline.core.errors import CoreError
from vistaline.core.film.film import Film
from vistaline.core.film.timeline import Timeline
from vistaline.core.formats.outputs import ENCODERS
from vistaline.core.render.reel import reel_at
from vistaline.core.shot.shot import Shot
from vistaline.store.models import FilmRow, ShotRow
from vistaline.web.context import services, session
from vistaline.web.output_fields import delivery_in, stretch_in

__all__ = ["cost_of", "duration_in", "expectation"]


def expectation(
    row: ShotRow | FilmRow, reel: Shot | Film, form: Mapping[str, str]
) -> dict[str, Any]:
    """Return what is foretold of a form as it stands; measured once for each version.

    What makes no sense in it is told as ``wrong``.
    """
    duration = duration_in(reel)
    told: dict[str, Any] = {"seconds": {}, "wrong": ""}
    if not duration:
        return told
    try:
        told["seconds"] = services().kept.expected.get(
            _version(row), lambda: expecting.expected_seconds(session(), row, services().library)
        )
        delivery = delivery_in(form)
        span = span_of(delivery, *stretch_in(form, duration), duration=duration)
    except CoreError as error:
        return told | {"wrong": str(error)}
    except OSError:
        return told | {"wrong": "A picture of it cannot be read. Bring it in again on Pictures."}
    size, rate = reel_at(reel, delivery.scale).frame.size, float(reel.frame.rate)
    exact = [side * delivery.scale for side in reel.frame.size]
    costs = _usual_costs(row, delivery.every)
    if chosen := cost_of(row, delivery):
        costs[delivery.output] = chosen
    offered = {key: _usual(key, delivery.every) for key in costs} | {delivery.output: delivery}
    bytes_of = {
        key: foretold_bytes(cost, offered[key], span, size, rate) for key, cost in costs.items()
    }
    return told | {
        "size": size,
        "rounded": any(abs(a - b) > 1e-6 for a, b in zip(size, exact, strict=True)),
        "exact": exact,
        "bytes": bytes_of,
        "hour": {key: an_hour_of(each, span, rate) for key, each in bytes_of.items()},
        "output": delivery.output,
        "frames": span.count,
        "wait": foretold_seconds(told["seconds"].get(delivery.quality, 0.0), delivery, span),
        "called": _called(row, reel, delivery, span, size, form),
    }


def duration_in(reel: Shot | Film) -> int:
    """Return how many frames a shot, or a film that says how long its shots are, has."""
    return reel.duration if isinstance(reel, Shot) else Timeline(reel).duration


def cost_of(row: ShotRow | FilmRow, delivery: Delivery) -> Cost | None:
    """Return what small frames cost as a delivery codes them; None of what cannot be drawn."""
    if delivery.options == _usual(delivery.output).options:
        return _usual_costs(row, delivery.every).get(delivery.output)
    return _costs(row, [delivery]).get(delivery.output)


def _usual_costs(row: ShotRow | FilmRow, every: int) -> dict[str, Cost]:
    return _costs(row, [_usual(key, every) for key in ENCODERS])


def _usual(key: str, every: int = 1) -> Delivery:
    return Delivery(output=key, every=every)


def _costs(row: ShotRow | FilmRow, deliveries: Sequence[Delivery]) -> dict[str, Cost]:
    """Return costs by outputs, measured once for each version: on frames drawn for all of them."""
    coded = tuple((each.output, json.dumps(each.options, sort_keys=True)) for each in deliveries)
    found = services().kept.costs.get(
        (*_version(row), deliveries[0].every, coded),
        lambda: expecting.costs_of(session(), row, services().library, deliveries),
    )
    keys = (each.output for each in deliveries)
    return dict(zip(keys, found, strict=True)) if found else {}


def _version(row: ShotRow | FilmRow) -> tuple[str, int, int]:
    return type(row).__name__, row.id, row.version


def _called(
    row: ShotRow | FilmRow,
    reel: Shot | Film,
    delivery: Delivery,
    span: Span,
    size: tuple[int, int],
    form: Mapping[str, str],
) -> str:
    """Return what the first file will be called."""
    told = name_facts(
        project=row.project.name,
        shot=reel.name,
        take=form.get("take", ""),
        camera=form.get("camera", ""),
        size=size,
        day=datetime.now(UTC).date(),
        render="1",
    )
    encoder = delivery.encoder
    if encoder.joined:
        return name_by(delivery.name, told) + encoder.ending
    return names_of(delivery, told, span)(0) + "." + encoder.ending.rsplit(".", 1)[-1]
