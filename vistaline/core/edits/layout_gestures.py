"""What a drag in the picture does to a layout: it is moved, sized and turned by its one picture."""

from __future__ import annotations

import math

from vistaline.core.errors import EditError
from vistaline.core.geometry.guides import ACTION_SAFE, TITLE_SAFE
from vistaline.core.keyable import keyables_of
from vistaline.core.shot.layouts import Layout, LayoutKind
from vistaline.core.shot.shot import Shot

__all__ = ["dragged_layout", "sized_layout", "turned_layout", "with_layout"]

_FREE = (LayoutKind.CORNER, LayoutKind.PART)
_REACH = 0.012
"""Of the frame's width: how near to a guide a picture is drawn to it."""


def with_layout(shot: Shot, layout: Layout) -> Shot:
    """Return the shot with a layout in the place of the one with its id."""
    return shot.evolve(
        layouts=tuple(layout if each.id == layout.id else each for each in shot.layouts)
    )


def dragged_layout(shot: Shot, layout: Layout, layer: str, dx: float, dy: float) -> Layout:
    """Return a layout whose picture is moved by frame pixels, and drawn to guides that are near.

    Guides: thirds and middle for the picture's middle, the safe areas for its edges.

    Raises
    ------
    EditError
        Its pictures have places that follow from gap and margin.
    """
    _must_be_free(layout, layer, "moved")
    width, height = shot.frame.size
    across, up = layout.across + dx / width, layout.up - dy / height
    # As high as the frame is at that width: a window of another shape is aligned by its width.
    half = layout.size / 2
    return _with(
        layout,
        across=_drawn_to(across, half, _REACH),
        up=_drawn_to(up, half, _REACH * width / height),
    )


def sized_layout(layout: Layout, ratio: float) -> Layout:
    """Return a layout whose picture is as much larger."""
    _must_be_free(layout, layout.layers[0], "sized")
    return _with(layout, size=layout.size * ratio)


def turned_layout(layout: Layout, degrees: float, whole: float) -> Layout:
    """Return a layout with its picture turned further; to multiples of ``whole``, if not 0."""
    _must_be_free(layout, layout.layers[0], "turned")
    turn = layout.turn + degrees
    return _with(layout, turn=math.floor(turn / whole + 0.5) * whole if whole else turn)


def _must_be_free(layout: Layout, layer: str, what: str) -> None:
    if layout.kind not in _FREE or layer not in layout.layers:
        raise EditError(
            f"In {layout.name} places follow from gap, margin and room; none is {what} by itself. "
            "Change those, or take the layout away."
        )


def _drawn_to(middle: float, half: float, reach: float) -> float:
    """Return a place, from the frame's middle, drawn to the nearest guide within reach."""
    guides = [0.0, -1 / 6, 1 / 6]
    for safe in (ACTION_SAFE, TITLE_SAFE):
        guides += [safe / 2 - half, half - safe / 2]
    nearest = min(guides, key=lambda guide: abs(guide - middle))
    return nearest if abs(nearest - middle) < reach else middle


def _with(layout: Layout, **values: float) -> Layout:
    """Return a layout with values changed, as far as they may go."""
    known = keyables_of(layout)
    return layout.evolve(
        **{
            name: min(max(value, known[name].low), known[name].high)
            for name, value in values.items()
        }
    )
