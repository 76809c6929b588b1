"""Looks that are drawn from a description instead of read from a file, and where all are found."""

from __future__ import annotations

import hashlib
import math
from collections import OrderedDict
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import assert_never

from vistaline.core.arrays import Rgba16
from vistaline.core.kept import Kept
from vistaline.core.looks.bent import draw_bent
from vistaline.core.looks.draping import draped
from vistaline.core.looks.drifting import drifted
from vistaline.core.looks.fields import draw_field
from vistaline.core.looks.frame_styles import draw_framed, window_of
from vistaline.core.looks.gobos import GoboShape, draw_gobo
from vistaline.core.looks.lettering import draw_title, extents
from vistaline.core.looks.lines import draw_line, line_extents
from vistaline.core.looks.occluders import draw_occluder
from vistaline.core.looks.pieces import Sheet, lay_pieces, sheet_of
from vistaline.core.looks.swaying import swayed
from vistaline.core.picture.pyramid import BORDER, Pyramid, PyramidStore, drawn_levels
from vistaline.core.shot.callouts import callout_of
from vistaline.core.shot.layouts import layout_of
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.cards import cards_over
from vistaline.core.stage.looking import layer_looking, many_looks
from vistaline.core.stage.passing import Passing, arrivals_of, moves_of, passing_at, room_of
from vistaline.core.stage.poses import (
    aspect_of,
    drop_of,
    framed_as,
    largest_drawn,
    line_shown,
    texture_of,
    window_aspect,
)
from vistaline.core.stage.relief_looks import raised_name, relief_parts
from vistaline.core.stage.runs import runs_of
from vistaline.core.stage.shadows import draw_shadow, dropped
from vistaline.core.stage.textures import (
    DrapedLook,
    DrawnLook,
    GoboLook,
    MovingLook,
    NestedLook,
    PassingLook,
    PictureLook,
    PiecesLook,
    RaisedLook,
    ShadowLook,
    is_of_many,
    texture_called,
)
from vistaline.core.stage.tracks import track_of
from vistaline.core.stage.waving import hung_of

__all__ = ["Looks", "drawing_of", "look_called", "passing_called", "sheet_called"]

_EVERY = 12
_SMALLEST_EM, _LARGEST_EM = 32.0, 4096.0
_SHADOW_SOURCE = 512
_MOST_PASSING = 8
_SHEETS: Kept[Sheet] = Kept("sheets", weigh=lambda sheet: sum(each.nbytes for each in sheet.levels))


@dataclass(frozen=True)
class Drawing:
    """A look by the hash of its description, and how to draw it from those it is made of."""

    name: str
    draw: Callable[[Mapping[str, Pyramid]], Rgba16]


class Looks(Mapping[str, Pyramid]):
    """The looks of a shot's layers and shadows by their textures, each made when asked for."""

    def __init__(
        self,
        shot: Shot,
        store: PyramidStore,
        picture: Callable[[str], Pyramid],
        nested: Callable[[Shot, str, int], Rgba16] | None = None,
        moving: Callable[[str, float], Rgba16] | None = None,
    ) -> None:
        """``picture`` gives the pyramid of one of the shot's pictures by its key.

        ``nested`` renders a frame of one of the shots that its layers show: asked with the shot,
        the other's key and the frame. ``moving`` gives a frame, or two mixed, of one of its
        pictures that move: asked with the picture's key and the frame.
        """
        self._nested, self._moving = nested, moving
        self._shot, self._store, self._picture = shot, store, picture
        self._found: dict[str, Pyramid] = {}
        self._passing: OrderedDict[str, Pyramid] = OrderedDict()
        """The last titles on their way: another one in each frame."""

    def __getitem__(self, texture: str) -> Pyramid:
        # Every frame asks for every look; what one is drawn from is found out once.
        if texture in self._found:
            return self._found[texture]
        look = texture_called(texture, self._shot.pictures, [x.id for x in self._shot.layers])
        if isinstance(look, NestedLook):
            if self._nested is None or look.key not in self._shot.shots:
                raise KeyError(texture)
            render = self._nested
            return self._one_of_many(
                texture, lambda: _in_memory(render(self._shot, look.key, look.frame))
            )
        if isinstance(look, MovingLook):
            if self._moving is None:
                return self._picture(look.key)
            move = self._moving
            return self._one_of_many(texture, lambda: _in_memory(move(look.key, look.frame)))
        if isinstance(look, RaisedLook):
            layer = self._shot.layer(look.layer)
            self._found |= relief_parts(self._shot, layer, self, self._store)
            return self._found[texture]
        if isinstance(look, DrapedLook):
            return self._one_of_many(texture, lambda: _in_memory(_draped(self._shot, look, self)))
        if isinstance(look, PassingLook):
            return self._one_of_many(texture, lambda: _passing(self._shot, look, self))
        if isinstance(look, DrawnLook) and look.frame is not None:
            layer = self._shot.layer(look.layer)
            drawing = look_called(self._shot, texture)
            if drawing and many_looks(self._shot, layer):
                return self._one_of_many(texture, lambda: _in_memory(drawing.draw(self)))
        self._found[texture] = self._look(texture)
        return self._found[texture]

    def _one_of_many(self, texture: str, make: Callable[[], Pyramid]) -> Pyramid:
        """Return a look that is another one in each frame; the last few are kept."""
        if texture not in self._passing:
            self._passing[texture] = make()
            while len(self._passing) > _MOST_PASSING:
                self._passing.popitem(last=False)
        return self._passing[texture]

    def _look(self, texture: str) -> Pyramid:
        if texture in self._shot.pictures:
            return self._picture(texture)
        drawing = look_called(self._shot, texture)
        if drawing is None:
            raise KeyError(texture)
        return self._store.get(drawing.name, lambda: drawing.draw(self))

    def __iter__(self) -> Iterator[str]:
        return iter(sorted(self._shown))

    def __len__(self) -> int:
        return len(self._shown)

    @cached_property
    def _shown(self) -> set[str]:
        shot = self._shot
        frames = range(shot.frame.duration)
        shown = [layer for layer in shot.layers if not layer.hidden]
        drawn = {texture_of(shot, layer) for layer in shown if layer.is_backdrop}
        standing = [layer for layer in shown if not layer.is_backdrop]
        for layer in standing:
            textures = {*track_of(shot, layer, frames).textures}
            if many_looks(shot, layer):
                # Each is made for its frame.
                made = {each for each in textures if "@" in each or is_of_many(each)}
                textures -= made
            drawn |= textures
        # What is on its way is made for its frame, of the whole.
        passing = {each for each in drawn if each.startswith("passing ")}
        return (drawn - passing) | {each.split(" ", 2)[2] for each in passing}


def look_called(shot: Shot, texture: str) -> Drawing | None:
    """Return how the look of this name is drawn; None if it is a picture, or unknown."""
    layers = {layer.id: layer for layer in shot.layers}
    look = texture_called(texture, shot.pictures, layers)
    match look:
        case None | PictureLook():
            return None
        case GoboLook(lamp):
            gobo = next((each.gobo for each in shot.lamps if each.id == lamp), None)
            if gobo is None or gobo.shape is GoboShape.PICTURE:
                return None
            # What is keyed of it changes how it falls, not what is drawn.
            said = gobo.evolve(blur=0.0, width=1.0)
            return Drawing(_named("gobo 1", said.model_dump_json()), lambda _: draw_gobo(said))
        case DrawnLook(layer, frame):
            drawn = shot, layers[layer]
            if frame is None:
                return drawing_of(*drawn)
            return drawing_of(*layer_looking(*drawn, frame), frame)
        case NestedLook(at, key):
            if key not in shot.shots:
                return None
            return Drawing(
                _named("nested 1", shot.shots[key].digest, str(at), str(max(shot.frame.size))),
                lambda looks: looks[texture].picture,
            )
        case MovingLook(moment, key):
            return Drawing(
                _named("moving 1", shot.pictures[key].file, f"{moment:.10g}"),
                lambda looks: looks[texture].picture,
            )
        case RaisedLook(part, layer):
            name = raised_name(shot, layers[layer], part)
            return Drawing(name, lambda looks: looks[texture].picture) if name else None
        case DrapedLook(at, layer):
            hung, (shown,) = hung_of(shot, layers[layer]), _textures(shot, layers[layer], [at])
            return Drawing(
                _named("draped 1", shown, str(at), repr(hung)), lambda looks: looks[texture].picture
            )
        case PassingLook(at, of):
            inner = look_called(shot, str(of))
            _, passing = passing_called(shot, look)
            assert inner
            when = f"{at} {passing.begins} {passing.goes} {passing.passage.model_dump_json()}"
            # As it was made for the frame: such looks are not kept in files.
            return Drawing(
                _named("passing 1", inner.name, when), lambda looks: looks[texture].picture
            )
        case PiecesLook(by, of):
            inner = look_called(shot, str(of))
            assert inner
            return Drawing(
                _named("pieces 1", by.value, inner.name),
                lambda looks: sheet_called(shot, look, looks).levels[0],
            )
        case ShadowLook(steps, of):
            source = str(of)
            inner = look_called(shot, source)
            named = inner.name if inner else shot.pictures[source].file
            return Drawing(
                _named("shadow 1", str(steps), named),
                lambda looks: draw_shadow(_about(looks[source], _SHADOW_SOURCE), steps),
            )
    assert_never(look)


def drawing_of(shot: Shot, layer: Layer, frame: int | None = None) -> Drawing | None:
    """Return how a layer's look is drawn; None if it is a picture as it is.

    ``frame``: it is another look in other frames, and drawn for this one.
    """
    if layer.field is not None:
        field = layer.field
        return Drawing(_named("field 1", field.model_dump_json()), lambda _: draw_field(field))
    if layer.occluder is not None:
        occluder = layer.occluder
        return Drawing(
            _named("occluder 1", occluder.model_dump_json()), lambda _: draw_occluder(occluder)
        )
    if layer.title is not None:
        title, em = layer.title, _sharpest_em(shot, layer, layer.title.size)
        return Drawing(
            _named("title 1", f"{em} {title.model_dump_json()}"),
            lambda _: draw_bent(title, em=em) if title.bends else draw_title(title, em=em),
        )
    if layer.line is not None:
        line, fine = line_shown(shot, layer), _finest(shot, layer)
        return Drawing(
            _named("line 1", f"{fine} {line.model_dump_json()}"),
            lambda _: draw_line(line, fine=fine),
        )
    style, crop, drop = framed_as(shot, layer), layer.crop, drop_of(shot, layer)
    drifts, sway = layer.drifts, layer.sway
    moves = drifts or sway
    if style is None and crop is None and drop is None and not moves:
        return None
    aspect = window_aspect(shot, layer)
    key, content = _pixels_of(shot, layer)
    # A shadow is no part of what is drawn.
    drawn_style = style.evolve(shadow=None) if style else None
    said = [drawn_style.model_dump_json() if drawn_style else "", crop and crop.model_dump_json()]
    largest = largest_drawn(shot, layer)
    if moves:
        # It is drawn in each frame: no finer than it is seen there.
        tall = _sharpest_em(shot, shot.layer(layer.id), 1.0, frame)
        across = tall * max(1.0, aspect_of(shot, layer))
        largest = min(largest, math.ceil(across))
        said += [each.model_dump_json() for each in (drifts, sway) if each]
    told = f"{said} {aspect and round(aspect, 6)}"
    told += f" {largest} {drop}" if moves or layout_of(shot, layer.id) else ""

    def draw(looks: Mapping[str, Pyramid]) -> Rgba16:
        # No more of it is read than is drawn; enlarged in its window, it needs as much more.
        picture = _about(looks[key], int(largest * (crop.zoom if crop else 1)))
        if drifts:
            picture = drifted(picture, drifts.passed)
        if style is None and crop is None and drop is None:
            return swayed(picture, sway, 0.0, largest) if sway else picture
        look = draw_framed(picture, drawn_style, crop, aspect, largest)
        if drop:
            look = dropped(look, *drop, window_of(_size(picture), aspect, largest))
        return swayed(look, sway, 0.0) if sway else look

    return Drawing(_named("framed 1", content, told), draw)


def _pixels_of(shot: Shot, layer: Layer) -> tuple[str, str]:
    """Return the look of what a layer shows without crop and frame, and what names its content."""
    runs = runs_of(shot, layer)
    if runs:
        look = runs.look(runs.runs.begin)
        drawing = look_called(shot, look)
        assert drawing
        return look, drawing.name
    return layer.picture, shot.pictures[layer.picture].file


def sheet_called(shot: Shot, look: PiecesLook, looks: Mapping[str, Pyramid]) -> Sheet:
    """Return the pieces of a title."""
    layer = shot.layer(look.of.layer)
    seen = layer if look.of.frame is None else layer_looking(shot, layer, look.of.frame)[1]
    drawing = look_called(shot, str(look.of))
    assert drawing and seen.title
    title = seen.title

    def cut() -> Sheet:
        picture = looks[str(look.of)].picture
        return sheet_of(
            title, look.by, picture, picture.shape[0] / (extents(title)[1] / title.size)
        )

    return _SHEETS.get((drawing.name, look.by), cut)


def passing_called(shot: Shot, look: PassingLook) -> tuple[Layer, Passing]:
    """Return the title that is on its way, as it looks then, and how it goes."""
    layer = shot.layer(look.of.layer)
    seen = layer if look.of.frame is None else layer_looking(shot, layer, look.of.frame)[1]
    passing = passing_at(layer, arrivals_of(shot), [look.frame])[0]
    assert isinstance(passing, Passing)
    return seen, passing


def _textures(shot: Shot, layer: Layer, frames: Sequence[int]) -> Sequence[str]:
    track = track_of(shot, layer, frames)
    return track.textures * (len(frames) if track.still else 1)


def _draped(shot: Shot, look: DrapedLook, looks: Mapping[str, Pyramid]) -> Rgba16:
    """Return what throws the shadow of a cloth: no finer than a shadow is."""
    layer = shot.layer(look.layer)
    hung = hung_of(shot, layer)
    if hung is None:
        raise KeyError(str(look))
    (shown,) = _textures(shot, layer, [look.frame])
    seconds = look.frame / float(shot.frame.rate)
    return draped(_about(looks[shown], _SHADOW_SOURCE), hung, seconds, _SHADOW_SOURCE)


def _in_memory(picture: Rgba16) -> Pyramid:
    height, width = picture.shape[:2]

    def fill(out: Rgba16) -> None:
        out[:] = picture

    return Pyramid(
        width=width,
        height=height,
        opaque=int(picture[..., 3].min()) == 65535,
        content=(0, 0, width, height),
        levels=tuple(drawn_levels((width, height), fill, to_its_edges=True)),
    )


def _passing(shot: Shot, look: PassingLook, looks: Mapping[str, Pyramid]) -> Pyramid:
    seen, passing = passing_called(shot, look)
    sheet = sheet_called(shot, PiecesLook(passing.passage.by, look.of), looks)
    across, up = (round(more * sheet.em) for more in room_of(seen, passing))
    moves = moves_of(seen, passing, look.frame)
    width, height = sheet.size[0] + 2 * across, sheet.size[1] + 2 * up
    levels = drawn_levels((width, height), lambda out: lay_pieces(sheet, moves, (across, up), out))
    return Pyramid(
        width=width,
        height=height,
        opaque=False,
        content=(0, 0, width, height),
        levels=tuple(levels),
    )


def _size(picture: Rgba16) -> tuple[int, int]:
    return picture.shape[1], picture.shape[0]


def _about(pyramid: Pyramid, side: int) -> Rgba16:
    """Return a look of which the longer side has about so many pixels, or the next more."""
    longer = max(pyramid.width, pyramid.height)
    n = min(max(0, int(math.log2(max(1.0, longer / side)))), len(pyramid.levels) - 1)
    inside = pyramid.levels[n][BORDER:-BORDER, BORDER:-BORDER]
    return inside[: max(1, pyramid.height >> n), : max(1, pyramid.width >> n)]


def _named(*parts: str) -> str:
    return hashlib.sha256(" ".join(parts).encode()).hexdigest()


def _finest(shot: Shot, layer: Layer) -> float:
    """Return pixels a metre that the closest framing of the route shows of a line, rounded up."""
    height = line_extents(line_shown(shot, layer))[1]
    return _sharpest_em(shot, layer, height) / height


def _sharpest_em(shot: Shot, layer: Layer, size: float, frame: int | None = None) -> float:
    """Return pixels to the em that the closest framing of the route shows, rounded up.

    ``frame``: that this frame shows.

    In steps of a square root of two, so that a small move asks for no other drawing.
    """
    callout = callout_of(shot, layer.id)
    if callout:
        # As large on the screen in every frame; a line is drawn as fine as its label.
        em = callout.size * shot.frame.width if layer.title else shot.frame.width / 8
        return float(2 ** (math.ceil(2 * math.log2(max(_SMALLEST_EM, em))) / 2))
    closest = 1.0
    frames = [*range(0, shot.frame.duration, _EVERY), shot.frame.duration - 1]
    frames = frames if frame is None else [frame]
    # As large as it stands there: its height tells the em, whatever its keys make of it.
    em = size / extents(layer.title)[1] if layer.title else 1.0  # a line's: its whole height
    cameras = camera_states(shot, frames)
    for camera, card in zip(cameras, cards_over(shot, layer, frames, cameras), strict=True):
        depth = -(camera.camera_from_world @ card.world_from_card)[2, 3]
        if depth > 0:
            closest = max(closest, camera.focal_px / depth * card.height * em)
    steps = math.ceil(2 * math.log2(min(max(closest, _SMALLEST_EM), _LARGEST_EM)))
    return float(2 ** (steps / 2))
