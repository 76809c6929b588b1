"""How a layer looks over time: since which frame it looks as it does, and how that is.

Keys, numbers that count, another shot's frames and the windows of a layout change what is drawn of
a layer, and not only where it stands. A look lasts for whole frames, and is known by its first.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import ArrayLike

from vistaline.core.arrays import FloatArray
from vistaline.core.kept import Kept
from vistaline.core.looks.counts import Count, counted
from vistaline.core.looks.drifting import Drift
from vistaline.core.looks.frame_styles import Crop
from vistaline.core.shot.layouts import Layout, layout_of
from vistaline.core.shot.rows import Row, values_at
from vistaline.core.shot.running import Running
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.shot.stands import FreeCard
from vistaline.core.stage.keyed import rows_of, valued
from vistaline.core.stage.laid import LEAST, Laid, laid_at
from vistaline.core.stage.poses import aspect_of, border_of
from vistaline.core.stage.runs import Runs, runs_of

__all__ = [
    "AskedOfLayout",
    "asked_of_layout",
    "laid_by",
    "layer_looking",
    "look_frames",
    "many_looks",
]

_NEAR = 2e-3
"""By which share a window's shape may differ from its picture's: nothing is cropped then."""
_LAID: Kept[dict[str, Laid]] = Kept("layouts")
_FIRST: Kept[np.ndarray] = Kept("looks' beginnings")


@dataclass(frozen=True)
class AskedOfLayout:
    """What the places of a layout's layers are kept by."""

    layout: Layout
    rows: tuple[Row, ...]
    frame: tuple[int, int]
    aspects: tuple[float, ...]
    """Of what its layers show, in their order."""
    borders: tuple[float, ...]
    """How wide what is drawn round them is; see :func:`laid_at`."""


def asked_of_layout(shot: Shot, layer: Layer) -> AskedOfLayout | None:
    """Return what the places of the layout are kept by that lays a layer; None if none does."""
    layout = layout_of(shot, layer.id)
    if layout is None:
        return None
    return AskedOfLayout(
        layout=layout,
        rows=rows_of(shot, f"layout:{layout.id}"),
        frame=shot.frame.size,
        aspects=tuple(aspect_of(shot, shot.layer(key)) for key in layout.lays),
        borders=tuple(border_of(shot, shot.layer(key)) for key in layout.lays),
    )


def laid_by(asked: AskedOfLayout, layer: str, frames: FloatArray) -> Laid:
    """Return where a layer of a layout is at ``frames`` (N,)."""
    rows = {row.value: row for row in asked.rows}
    aspects = dict(zip(asked.layout.lays, asked.aspects, strict=True))
    borders = dict(zip(asked.layout.lays, asked.borders, strict=True))
    found = _LAID.get(
        (asked, frames.tobytes()),
        lambda: laid_at(asked.layout, rows, frames, asked.frame, aspects, borders),
    )
    return found[layer]


def many_looks(shot: Shot, layer: Layer) -> bool:
    """Return whether a layer looks different too often for its looks to be kept in files."""
    if layer.line or layer.looks_by_time:
        return True
    if not layout_of(shot, layer.id):
        return False
    found = look_frames(shot, layer, np.arange(shot.frame.duration))
    return found is not None and len(np.unique(found)) > 1


def look_frames(shot: Shot, layer: Layer, frames: ArrayLike) -> np.ndarray | None:
    """Return at which frame (N,) the look that a layer has at ``frames`` (N,) was there first.

    None if no key changes its look. A look lasts for whole frames.
    """
    style = f"style:{layer.frame_style}" if layer.frame_style else ""
    laid = asked_of_layout(shot, layer)
    # In a layout a shadow is drawn with its picture.
    rows = tuple(
        row
        for row in shot.rows
        if row.of in (f"layer:{layer.id}", style)
        and (row.about.looks or (laid and row.of == style))
    )
    runs = runs_of(shot, layer)
    if not rows and not laid and not layer.looks_by_time:
        return None
    duration, rate = shot.frame.duration, shot.frame.rate
    first = _FIRST.get(
        (
            rows,
            duration,
            layer.counts,
            rate,
            laid,
            layer if laid else None,
            runs,
            layer.drifts,
            layer.sway,
        ),
        lambda: _first_alike(
            rows,
            duration,
            layer.counts,
            rate,
            _windows(shot, layer, laid),
            _seen(runs, layer, rows, duration, rate),
        ),
    )
    whole = np.rint(np.asarray(frames, dtype=np.float64)).astype(int)
    return np.asarray(first[np.clip(whole, 0, len(first) - 1)])


def _seen(
    runs: Runs | None,
    layer: Layer,
    rows: tuple[Row, ...],
    duration: int,
    rate: Fraction,
) -> FloatArray | None:
    """Return what moves of a layer's picture in each frame: which is seen, or how it has passed."""
    every = np.arange(duration, dtype=np.float64)
    if layer.sway:
        return every
    if layer.drifts:
        return layer.drifts.speed * every
    return runs.seen(rows, duration, rate) if runs else None


def _windows(shot: Shot, layer: Layer, laid: AskedOfLayout | None) -> FloatArray | None:
    """Return what a layout's windows ask of a picture's look in every frame: (frames, 3)."""
    if laid is None or not layer.framable:
        return None
    every = np.arange(shot.frame.duration, dtype=np.float64)
    found = laid_by(laid, layer.id, every)
    inside = (every >= laid.layout.starts) & (every < laid.layout.ends)
    # What is too small to be seen has no shape, either.
    inside &= (found.width > 10 * LEAST) & (found.height > 10 * LEAST)
    lift = next((row for row in laid.rows if row.value == "lift"), None)
    values = [
        found.aspects(laid.frame),
        _zooms(layer, found),
        values_at(lift, every) if lift else np.full(len(every), laid.layout.lift),
    ]
    # Where it is not seen it looks as it did last, or will first.
    told = np.stack([np.asarray(each, float) for each in values], axis=-1)
    first = int(np.argmax(inside))
    return told[np.maximum.accumulate(np.where(inside, np.arange(len(every)), first))]


def _zooms(layer: Layer, laid: Laid) -> FloatArray:
    """Return how far a picture in a layout is enlarged in its window."""
    return np.asarray((layer.crop or Crop()).zoom ** laid.cropped)


_UNSEEN = np.array([5e-4, 1e-4, 1e-2])
"""By which shares a window's shape, zoom and lift may be off: no pixel of it moves."""


def _steps(windows: FloatArray) -> list[int]:
    """Return the frames from which windows (frames, 3) need to be drawn anew."""
    found, last = [], windows[0]
    for frame, asked in enumerate(windows):
        if (np.abs(asked - last) > _UNSEEN * np.abs(last) + 1e-12).any():
            found.append(frame)
            last = asked
    return found


def _first_alike(
    rows: tuple[Row, ...],
    duration: int,
    counts: Count | None,
    rate: Fraction,
    windows: FloatArray | None,
    seen: FloatArray | None,
) -> np.ndarray:
    every = np.arange(duration)
    changes = np.zeros(duration, bool)
    if seen is not None:
        changes[1:] |= seen[1:] != seen[:-1]
    if windows is not None:
        changes[_steps(windows)] = True
    for row in rows:
        values = np.asarray(values_at(row, every))
        changes[1:] |= values[1:] != values[:-1]
    if counts:
        written = np.array([counted("#", counts, frame, rate) for frame in range(duration)])
        changes[1:] |= written[1:] != written[:-1]
    return np.maximum.accumulate(np.where(changes, every, 0))


def layer_looking(shot: Shot, layer: Layer, frame: int) -> tuple[Shot, Layer]:
    """Return a layer, and a shot with its frame style, as they look at ``frame``."""
    rows = [row for row in rows_of(shot, f"layer:{layer.id}") if row.about.looks]
    looking = valued(layer, rows, frame)
    if looking.counts and looking.title:
        text = counted(looking.title.text, looking.counts, frame, shot.frame.rate)
        looking = looking.with_shows(title=looking.title.evolve(text=text))
    runs = runs_of(shot, layer)
    if runs:
        seen = runs.seen(tuple(rows), shot.frame.duration, shot.frame.rate)
        at = float(seen[min(max(frame, 0), len(seen) - 1)])
        looking = looking.with_shows(runs=Running(seen=at, blends=runs.runs.blends))
    seconds = frame / float(shot.frame.rate)
    if looking.sway:
        looking = looking.evolve(sway=looking.sway.evolve(delay=looking.sway.delay - seconds))
    if looking.drifts:
        passed = looking.drifts.passed + looking.drifts.speed * seconds
        looking = looking.with_shows(drifts=Drift(speed=0.0, passed=passed % 1.0))
    laid = asked_of_layout(shot, layer)
    if laid:
        shot, looking = _windowed(shot, looking, laid, frame)
    style = shot.frame_styles.get(layer.frame_style)
    if style is None:
        return shot, looking
    drawn = valued(style, rows_of(shot, f"style:{layer.frame_style}"), frame)
    styles = shot.frame_styles | {layer.frame_style: drawn}
    # Not checked anew: nothing but one style's values differs, and they were.
    return shot.model_copy(update={"frame_styles": styles}), looking


def _windowed(shot: Shot, layer: Layer, laid: AskedOfLayout, frame: int) -> tuple[Shot, Layer]:
    """Return a layer cropped to the window that its layout has for it at ``frame``."""
    lift = [row for row in laid.rows if row.value == "lift"]
    if lift:
        layout = valued(laid.layout, lift, frame)
        others = (layout if each.id == layout.id else each for each in shot.layouts)
        shot = shot.model_copy(update={"layouts": tuple(others)})
    if not layer.framable:
        return shot, layer
    windows = _windows(shot, layer, laid)
    assert windows is not None
    aspect, zoom, _ = windows[min(max(frame, 0), len(windows) - 1)].tolist()
    own = aspect_of(shot, layer)
    crop = (layer.crop or Crop()).evolve(zoom=max(1.0, zoom))
    plain = abs(aspect / own - 1) < _NEAR and crop.zoom < 1 + _NEAR
    card = FreeCard(width=1.0, height=None if plain else 1 / aspect, stays=layer.stays)
    seen = layer.evolve(stands=card, scale=1.0).with_shows(crop=None if plain else crop)
    return shot, seen
