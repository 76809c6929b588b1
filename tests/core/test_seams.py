"""Added from outside: a surface, a modifier of pixels and an output, none of them in core."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any, Self

import cv2
import numpy as np
import pytest
from pydantic import Field

from tests.conftest import make_shot, pyramid_of, textured
from tests.core.test_render import opaque, psnr
from vistaline.core.errors import RenderError
from vistaline.core.foresight.ahead import map_frame
from vistaline.core.formats import outputs
from vistaline.core.formats.encoders import ClipFormat, Layout
from vistaline.core.formats.outputs import encoder_called, encoder_for, options_for, register
from vistaline.core.model import Part
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render import modifiers
from vistaline.core.render.clip import Output, render_frames
from vistaline.core.render.frame import Renderer
from vistaline.core.render.modifier import Band, Placement
from vistaline.core.render.source import STANDARD, Asked
from vistaline.core.render.sources import source_on
from vistaline.core.render.tiling import TILE_HEIGHT, TILE_WIDTH
from vistaline.core.render.warp import BAND
from vistaline.core.scene.describe import describe_scene, pick_layer
from vistaline.core.shot.shot import Shot
from vistaline.core.shot.stands import FreeCard
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.surfaces import Surface, Traced, surface_as, surface_of

# --- a surface: a card with waves --------------------------------------------------------------


class Waves(FreeCard):
    """A card whose surface rises and falls along its width."""

    rise: float = 0.0
    count: float = 2.0


class WavySurface:
    """Found by marching along each ray, then halving: slow, but all that a new surface needs."""

    mesh = "wavy"

    def __init__(self, waves: Waves) -> None:
        self._waves = waves

    def points(self, card: Card) -> np.ndarray:
        return np.vstack([card.outline * [1, 1, 0] + [0, 0, z] for z in (-1.0, 1.0)])

    def bounds(self, card: Card, camera: CameraState) -> tuple[tuple[int, int, int, int], float]:
        return (0, 0, *camera.frame_size), np.inf

    def _height(self, card: Card, x: np.ndarray) -> np.ndarray:
        return self._waves.rise * np.sin(2 * np.pi * self._waves.count * x / card.width)

    def trace(self, card: Card, camera: CameraState, x: np.ndarray, y: np.ndarray) -> Traced:
        card_from_camera = np.linalg.inv(card.world_from_card) @ camera.world_from_camera
        points = np.stack([x, y, np.ones(np.shape(x))], axis=-1)
        ways = points @ (card_from_camera[:3, :3] @ np.linalg.inv(camera.image_from_camera)).T
        eye = card_from_camera[:3, 3]

        def above(depth: np.ndarray) -> np.ndarray:
            place = eye + depth[..., None] * ways
            return place[..., 2] - self._height(card, place[..., 0])

        near, far = np.full(np.shape(x), np.nan), np.full(np.shape(x), np.nan)
        before = np.full(np.shape(x), 0.05)
        for depth in np.linspace(0.05, 12, 400)[1:]:
            here = np.full(np.shape(x), depth)
            crosses = np.isnan(near) & (above(before) * above(here) <= 0)
            near, far = np.where(crosses, before, near), np.where(crosses, here, far)
            before = here
        for _ in range(40):
            middle = (near + far) / 2
            nearer = above(near) * above(middle) <= 0
            near, far = np.where(nearer, near, middle), np.where(nearer, middle, far)
        place = eye + near[..., None] * ways
        u, v = place[..., 0] / card.width + 0.5, 0.5 - place[..., 1] / card.height
        there = (abs(u - 0.5) <= 0.5) & (abs(v - 0.5) <= 0.5)
        return Traced(
            np.where(there, 1 / near, 0.0), np.where(there, u, np.nan), np.where(there, v, np.nan)
        )


@surface_as.register
def _(stands: Waves) -> Surface:
    return WavySurface(stands)


@pytest.fixture
def photo(rng: np.random.Generator) -> dict[str, Any]:
    return {"photo": pyramid_of(opaque(textured(rng, 320, 180)))}


def carded(stands: FreeCard) -> Shot:
    shot = make_shot({"photo": (320, 180)}, frame={"width": 320, "height": 180, "duration": 24})
    layer = shot.layers[0].evolve(stands=stands, distance=3.0, pan=20.0, tilt=-6.0)
    return shot.evolve(layers=(layer,))


def test_a_new_surface_without_waves_is_the_card_it_stands_as(photo: dict[str, Any]) -> None:
    card, waves = carded(FreeCard(width=2.0)), carded(Waves(width=2.0))
    ours, theirs = Renderer(waves, photo).rgb(12), Renderer(card, photo).rgb(12)
    seen = map_frame(card, photo, 12).bare
    inside = cv2.erode((~seen).astype(np.uint8), np.ones((7, 7))) > 0
    # One level of the pyramid for a whole block, where a card has one for every tile.
    assert psnr(ours, theirs, inside) > 32
    outside = cv2.dilate((~seen).astype(np.uint8), np.ones((7, 7))) == 0
    assert np.array_equal(ours[outside], theirs[outside])
    mine, other = map_frame(waves, photo, 12), map_frame(card, photo, 12)
    assert (mine.bare != other.bare).mean() < 0.002
    both = ~mine.bare & ~other.bare
    np.testing.assert_allclose(mine.stretch[both], other.stretch[both], rtol=0.05)


def test_waves_hide_are_picked_planned_and_told_to_the_browser(photo: dict[str, Any]) -> None:
    shot = carded(Waves(width=2.0, rise=0.2))
    state = evaluate(shot, [12])[0]
    assert pick_layer(state, 160, 90, lambda card, u, v: 1.0) == "photo"
    assert pick_layer(state, 2, 2, lambda card, u, v: 1.0) is None
    scene = describe_scene(shot, [12])
    assert scene["layers"][0]["body"] == "wavy" and scene["plan"]["above"]["areas"]["photo"]
    # Where a plane cuts through the waves, crests are before it and troughs behind.
    plane = shot.layers[0].evolve(id="plane", name="Plane", stands=FreeCard(width=2.4))
    for n, card in enumerate(((0.5, 0.0, 0.0), (0.0, 0.5, 0.0))):
        photo[f"flat{n}"] = pyramid_of(
            np.broadcast_to((np.array([*card, 1]) * 65535).astype(np.uint16), (64, 64, 4)).copy()
        )
    flat = shot.evolve(
        pictures={f"flat{n}": shot.pictures["photo"] for n in range(2)},
        layers=(
            shot.layers[0].with_shows(picture="flat0"),
            plane.with_shows(picture="flat1"),
        ),
    )
    frame = Renderer(flat, photo).rgb(12)
    met = surface_as(flat.layers[0].stands).trace(
        state.cards[0], state.camera, *np.meshgrid(np.arange(320) + 0.5, np.arange(180) + 0.5)
    )
    ahead = state.cards[0].nearness(state.camera)
    x, y = np.arange(320) + 0.5, np.arange(180)[:, None] + 0.5
    plane_near = ahead[0] * x + ahead[1] * y + ahead[2]
    crest = met.near > plane_near
    sure = (met.near > 0) & (abs(met.near - plane_near) > 2e-3)
    red = frame[..., 0] > frame[..., 1]
    assert 0.2 < crest[sure].mean() < 0.8
    assert (red[sure] == crest[sure]).mean() > 0.995


# --- a modifier: it knows how near, and where on the stage, each pixel is ------------------------


def test_a_modifier_is_given_rows_nearness_and_places(
    photo: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    """What lies to the left of the stage's middle is taken away, and only that."""
    shot = carded(FreeCard(width=2.0))
    card, camera = evaluate(shot, [12])[0].cards[0], evaluate(shot, [12])[0].camera
    heights = []

    class OnlyRight:
        def modify(self, band: Band) -> None:
            off = band.world - card.world_from_card[:3, 3]
            heights.append(np.abs(off @ card.world_from_card[:3, 2]))
            np.testing.assert_allclose(
                1 / band.near, -((band.world - camera.position) @ camera.world_from_camera[:3, 2])
            )
            band.pixels[band.world[..., 0] < 0] = 0

    def only_right(placed: Placement) -> list[OnlyRight]:
        return [OnlyRight()]

    monkeypatch.setattr(modifiers, "MODIFIERS", [*modifiers.MODIFIERS, only_right])
    frame = Renderer(shot, photo, threads=1).rgb(12)
    assert max(float(each.max()) for each in heights) < 1e-6, "the places lie on the card's plane"
    x, y = np.meshgrid(np.arange(320) + 0.5, np.arange(180) + 0.5)
    met = surface_as(shot.layers[0].stands).trace(card, camera, x, y)
    there = np.stack([(met.u - 0.5) * card.width, (0.5 - met.v) * card.height], axis=-1)
    across = there @ card.world_from_card[0, :2] + card.world_from_card[0, 3]
    assert not frame[(met.near > 0) & (across < -1e-3)].any()
    well_inside = (abs(met.u - 0.5) < 0.49) & (abs(met.v - 0.5) < 0.49)
    assert frame[well_inside & (across > 1e-3)].any(axis=1).mean() > 0.99


# --- any source, at any size ----------------------------------------------------------------------


def drawn(card: Card, camera: CameraState, look: Pyramid) -> np.ndarray:
    """A card alone on a raster of its own: (height, width, 4) uint16, edges not smoothed."""
    width, height = camera.frame_size
    tiles = -(-height // TILE_HEIGHT), -(-width // TILE_WIDTH)
    asked = Asked(STANDARD, opaque=False, cover=np.zeros(tiles))
    source = source_on(surface_of(card.layer), card, camera, {card.texture: look}, asked)
    bands = -(-height // BAND)
    out = np.zeros((bands * BAND, width, 4), np.uint16)
    for band in range(bands) if source else ():
        rows = slice(band * BAND, (band + 1) * BAND)
        source.rows(band, out[rows], np.zeros((BAND, width), np.float32))
    return out[:height]


@pytest.mark.parametrize("stands", [FreeCard(width=2.0), Waves(width=2.0, rise=0.1)])
def test_a_source_is_had_at_half_size_with_a_margin_round_the_frame(
    photo: dict[str, Any], stands: FreeCard
) -> None:
    shot = carded(stands)
    camera = evaluate(shot, [12])[0].camera
    near = replace(camera, lens=camera.lens * 2)  # so that it reaches beyond the frame
    card, look = evaluate(shot, [12])[0].cards[0], photo["photo"]
    half, wide = (drawn(card, near.on_raster(0.5, n), look) for n in (0, 24))
    assert half.shape == (90, 160, 4) and wide.shape == (138, 208, 4)
    inside = wide[24:-24, 24:-24]
    # The frame's tiles lie elsewhere, and with them where the pyramid's level changes.
    off = np.abs(inside.astype(int) - half)[2:-2, 2:-2] / 65535
    assert np.percentile(off, 99) < 0.02 and off.max() < 0.1
    assert wide[:20].any() and wide[:, :20].any(), "what lies beyond the frame is there"


# --- an output: all frames in one of NumPy's files -----------------------------------------------


class Numbers(Part):
    every: int = Field(1, ge=1, le=2)


class _NumpyWriter:
    def __init__(self, path: Path, every: int, written: Callable[[int], None]) -> None:
        self._path, self._every, self._written = path, every, written
        self._frames: list[np.ndarray] = []

    def __enter__(self) -> Self:
        return self

    def __exit__(self, kind: Any, error: Any, trace: Any) -> None:
        if error is None:
            np.save(self._path, np.array(self._frames))

    def has(self, frame: int) -> bool:
        return frame % self._every != 0

    def buffer(self) -> None:
        return None

    def write(self, frame: int, pixels: np.ndarray) -> None:
        self._frames.append(pixels)
        self._written(len(self._frames))


class NumpyFile:
    key, label, about = "npy", "Numbers", "linear light, 16 bit"
    ending, suffix = ".npy", ".npy"
    joined, plays = True, False
    use, options = "For nobody", Numbers

    def layout(self, options: Numbers) -> Layout:
        return Layout.LINEAR16

    def open(
        self,
        target: str,
        clip: ClipFormat,
        *,
        options: Numbers,
        threads: int,
        keep: bool,
        written: Callable[[int], None],
    ) -> _NumpyWriter:
        return _NumpyWriter(Path(target), options.every, written)

    def part(self, folder: Path, start: int) -> str:
        return str(folder / f"{start:06d}.npy")

    def parts(self, folder: Path, ranges: Sequence[tuple[int, int]]) -> list[Path]:
        return [Path(self.part(folder, start)) for start, _ in ranges]

    def join(
        self,
        parts: Sequence[Path],
        result: Path,
        clip: ClipFormat,
        options: Any,
        check: Callable[[], None],
    ) -> None:
        np.save(result, np.concatenate([np.load(part) for part in parts]))


def test_an_output_of_somebody_elses_encodes_and_joins(
    photo: dict[str, Any], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(outputs, "_REGISTERED", dict(outputs.ENCODERS))
    monkeypatch.setattr(outputs, "ENCODERS", outputs._REGISTERED)
    register(NumpyFile())
    shot = carded(FreeCard(width=2.0))
    renderer, encoder = Renderer(shot, photo), encoder_for("film.npy")
    assert encoder is encoder_called("npy")
    told: list[int] = []
    ranges = [(0, 5), (5, 9)]
    for start, stop in ranges:
        output = Output(encoder=encoder, target=encoder.part(tmp_path, start))
        render_frames(renderer, range(start, stop), output, progress=told.append)
    result = tmp_path / "film.npy"
    clip = ClipFormat(shot.frame.size, shot.frame.rate)
    encoder.join(encoder.parts(tmp_path, ranges), result, clip, encoder.options(), lambda: None)
    film = np.load(result)
    assert told == [1, 2, 3, 4, 5, 1, 2, 3, 4] and len(film) == 9
    for n in (0, 6):
        np.testing.assert_array_equal(film[n], renderer.linear(n))
    every = options_for(encoder, {"every": "2"})
    half = Output(encoder=encoder, target=str(tmp_path / "half.npy"), options=every)
    render_frames(renderer, range(9), half)
    np.testing.assert_array_equal(np.load(tmp_path / "half.npy"), film[::2])
    with pytest.raises(RenderError, match="Numbers: every must be less than or equal to 2"):
        options_for(encoder, {"every": "7"})
    with pytest.raises(RenderError, match="no output 'vhs'"):
        encoder_called("vhs")
