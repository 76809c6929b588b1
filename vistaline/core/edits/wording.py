"""The edits of what titles say by a table, of styles kept by name, of boxes and paths."""

from __future__ import annotations

from typing import Annotated, Any

import numpy as np
from pydantic import Field, ValidationError

from vistaline.core.edits.registry import REGISTRY, When, frames_of, with_layers
from vistaline.core.errors import EditError
from vistaline.core.explaining import explain
from vistaline.core.looks.lettering import Title, TitleBox
from vistaline.core.looks.lines import path_of
from vistaline.core.looks.tables import column_of, read_table
from vistaline.core.shot.rows import Key, Row
from vistaline.core.shot.shot import Layer, Shot

__all__: list[str] = []

verb = REGISTRY.verb
_LOOKS = (
    "face", "weight", "size", "spacing", "line_spacing", "align", "fill", "outline",
    "outline_width", "box",
)  # fmt: skip
"""What of a title a style keeps: all but its words and the way they go."""
_MOST_PATH = 256


@verb("text by rows of a table")
def say_rows(
    shot: Shot,
    *,
    layer: str,
    table: str,
    column: int = 1,
    every: When = "2 s",
    playhead: int = 0,
) -> Shot:
    """Let a title say the rows of a table one after the other, by keys from the playhead on."""
    found = _title(shot, layer)
    texts, step = column_of(read_table(table), column), frames_of(shot, every)
    if step < 1:
        raise EditError("Each row is to be there for a frame at least.")
    last = playhead + step * (len(texts) - 1)
    if last > shot.frame.duration - 1:
        seconds = float(step * len(texts) / shot.frame.rate)
        raise EditError(
            f"{len(texts)} rows of {float(step / shot.frame.rate):.4g} s take {seconds:.4g} s from "
            "the playhead on; the shot is too short. Make it longer, or take less time for each."
        )
    of = f"layer:{layer}"
    try:
        for text in texts:
            found.title.evolve(text=text)  # type: ignore[union-attr]
        row = Row(
            of=of,
            value="text",
            keys=tuple(Key(frame=playhead + step * n, value=text) for n, text in enumerate(texts)),
        )
    except ValidationError as error:
        raise EditError(str(explain(error))) from error
    others = tuple(each for each in shot.rows if (each.of, each.value) != (of, "text"))
    return shot.evolve(rows=(*others, row))


@verb("keep a title style")
def keep_title_style(shot: Shot, *, layer: str, name: str) -> Shot:
    """Keep how a title looks by name; all titles that have that style look so from now on."""
    found, name = _title(shot, layer), name.strip()
    if not name:
        raise EditError("A title style needs a name. Type one.")
    title = found.title
    assert title
    kept = title.evolve(text="Aa", style="", bend=0.0, path=())
    look = {key: getattr(title, key) for key in _LOOKS}
    changed = []
    for each in shot.layers:
        if each.title and (each.title.style == name or each.id == layer):
            changed.append(each.with_shows(title=each.title.evolve(**look, style=name[:80])))
    return with_layers(shot, changed).evolve(title_styles=shot.title_styles | {name[:80]: kept})


@verb("put on a title style")
def put_title_style(shot: Shot, *, layers: list[str], style: str = "") -> Shot:
    """Let titles look as a style that was kept by name; empty: their looks are their own."""
    if style and style not in shot.title_styles:
        raise EditError(f"There is no title style {style!r} any more. Choose another.")
    changed = []
    for key in layers:
        found = _title(shot, key)
        assert found.title
        look: dict[str, Any] = {}
        if style:
            look = {name: getattr(shot.title_styles[style], name) for name in _LOOKS}
        changed.append(found.with_shows(title=found.title.evolve(**look, style=style)))
    return with_layers(shot, changed)


@verb("remove a title style")
def remove_title_style(shot: Shot, *, name: str) -> Shot:
    """Forget a title style; titles that have it keep their looks."""
    styles = {key: each for key, each in shot.title_styles.items() if key != name}
    changed = [
        each.with_shows(title=each.title.evolve(style=""))
        for each in shot.layers
        if each.title and each.title.style == name
    ]
    return with_layers(shot, changed).evolve(title_styles=styles)


@verb("box behind a title")
def set_title_box(
    shot: Shot,
    *,
    layer: str,
    none: bool = False,
    colour: str | None = None,
    opacity: Annotated[float, Field(ge=0, le=100)] | None = None,
    padding: float | None = None,
    corner: float | None = None,
) -> Shot:
    """Put a box behind a title, as large as its words ask for; shares and padding in percent."""
    found = _title(shot, layer)
    assert found.title
    if none:
        return _with(shot, found, box=None)
    shares = {"opacity": opacity, "padding": padding, "corner": corner}
    changes: dict[str, Any] = {k: value / 100 for k, value in shares.items() if value is not None}
    if colour is not None:
        changes["colour"] = colour
    try:
        return _with(shot, found, box=(found.title.box or TitleBox()).evolve(**changes))
    except ValidationError as error:
        raise EditError(str(explain(error))) from error


@verb("bend a title")
def bend_title(
    shot: Shot, *, layer: str, bend: float | None = None, along: str | None = None
) -> Shot:
    """Let a title follow an arc of so many degrees, or a line that is drawn; 0: straight again.

    ``along``: the line's layer. The path is the title's own from then on.
    """
    found = _title(shot, layer)
    assert found.title
    if not along:
        return _with(shot, found, bend=bend or 0.0, path=())
    line = shot.layer(along).line
    if line is None:
        raise EditError(f"{shot.layer(along).name} is no line. Choose a line that is drawn.")
    points = max(path_of(line.evolve(rough=0.0)), key=len)
    steps = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
    at = np.linspace(0, steps[-1], min(_MOST_PATH, max(24, len(points))))
    even = np.column_stack([np.interp(at, steps, points[:, k]) for k in (0, 1)])
    path = tuple(map(tuple, (even / found.title.size).round(4).tolist()))
    return _with(shot, found, bend=0.0, path=path)


def _title(shot: Shot, layer: str) -> Layer:
    found = shot.layer(layer)
    if found.title is None:
        raise EditError(f"{found.name} is not a title.")
    return found


def _with(shot: Shot, layer: Layer, **changes: Any) -> Shot:
    title: Title | None = layer.title
    assert title
    try:
        return with_layers(shot, [layer.with_shows(title=title.evolve(**changes))])
    except ValidationError as error:
        raise EditError(str(explain(error))) from error
