"""Several photographs as cards side by side: how a shot of prints begins."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import accumulate

from vistaline.core.geometry.optics import gate_size
from vistaline.core.looks.frame_styles import FrameStyle
from vistaline.core.looks.lettering import Title
from vistaline.core.shot.layer import shown_as
from vistaline.core.shot.shot import Layer, PictureRef, Shot
from vistaline.core.shot.shows import TitleShown
from vistaline.core.shot.stands import FreeCard

__all__ = ["side_by_side"]

HEIGHT, GAP, CAPTION = 1.0, 0.2, 0.07
"""Metres: of each picture, between two of them, and of a caption's letters."""
_ROUND = 1.15
"""The row is seen with this much more than itself."""


def side_by_side(
    shot: Shot,
    pictures: Mapping[str, PictureRef],
    names: Sequence[str],
    style: tuple[str, FrameStyle] | None = None,
    *,
    captions: bool = False,
) -> Shot:
    """Return a shot with pictures hung in a row, so far away that its first framing sees it whole.

    ``names`` in the order of ``pictures``, which have sizes; ``style``: name and frame style to
    put round each; ``captions``: the names stand below.
    """
    widths = [HEIGHT * (ref.width or 1) / (ref.height or 1) for ref in pictures.values()]
    rim = 2 * style[1].border + 2 * style[1].mat if style else 0.0
    outer = [width + rim * min(width, HEIGHT) for width in widths]
    ends = [0.0, *accumulate(width + GAP for width in outer)]
    across, tall = ends[-1] - GAP, HEIGHT * (1 + rim) + (4 * CAPTION if captions else 0)
    width, height = gate_size(*shot.frame.size)
    lens = shot.route.framings[0].lens
    distance = round(_ROUND * max(across * lens / width, tall * lens / height), 2)
    layers = []
    for n, (key, name) in enumerate(zip(pictures, names, strict=True)):
        middle = ends[n] + outer[n] / 2 - across / 2
        card = Layer(
            name=name,
            shows=shown_as(key, pictures[key]),
            stands=FreeCard(width=widths[n]),
            frame_style=style[0] if style else "",
            distance=distance,
            across=middle,
            up=1.5 * CAPTION if captions else 0.0,
        )
        layers.append(card)
        if captions:
            title = Title(text=name, size=CAPTION, fill="#f7f2e6")
            below = card.up - HEIGHT * (1 + rim) / 2 - 1.4 * CAPTION
            layers.append(
                Layer(
                    name=f"Caption: {name}"[:80],
                    shows=TitleShown(title=title),
                    stands=FreeCard(),
                    distance=distance,
                    across=middle,
                    up=below,
                )
            )
    return shot.evolve(
        pictures=shot.pictures | dict(pictures),
        frame_styles=shot.frame_styles | ({style[0]: style[1]} if style else {}),
        layers=(*shot.layers, *layers),
    )
