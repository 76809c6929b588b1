"""The look ahead: against brute force at every pixel, and against what is rendered."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from tests.conftest import make_shot, pyramid_of
from tests.core.test_render import flat, opaque
from tests.core.test_room import PHOTO, do, lodged
from vistaline.core.foresight.ahead import BARE, SOFT, UNCOUNTED, look_ahead, map_frame, ranges_of
from vistaline.core.geometry.bodies import hit_body
from vistaline.core.geometry.ordering import NEAR
from vistaline.core.render.frame import Renderer
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.cards import Card, cards_over
from vistaline.core.stage.evaluate import evaluate


def walked(**to: Any) -> Shot:
    """A room with a ball on its floor and a half-transparent cutout, walked into and aside."""
    shot = lodged((256, 144))
    shot = do(shot, "add_body", body="ball", x0=300, y0=220, x1=360, y1=300)
    cut = {
        "id": "cut",
        "name": "Cut",
        "shows": {"kind": "picture", "picture": "cut"},
        "stands": {"kind": "card", "width": 0.9},
        "distance": 1.8,
    }
    document = dump_shot(shot)
    document["pictures"]["cut"] = {"file": "cut.png", "width": 40, "height": 60}
    document["layers"] = [*document["layers"], cut]
    last = {"frame": 11, "position": (0.7, 0.2, -1.2), "pan": 14} | to
    document["cameras"] = [{"route": {"framings": [{"frame": 0}, last]}}]
    document["frame"]["duration"] = 12
    return parse_shot(document)


def pyramids() -> dict[str, Any]:
    half = flat((0.5, 0.5, 0.5), 1.0, (40, 60))
    half[:30] = 0
    return {
        "photo": pyramid_of(opaque(np.full((360, 640, 3), 90, np.uint8))),
        "cut": pyramid_of(half),
    }


def caught(card: Card, rays: np.ndarray, eye: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Depths (N,), inf where a ray (N, 3) misses, and unit coordinates (N, 2) of what it meets."""
    local = np.linalg.inv(card.world_from_card)
    start, ways = (local @ (*eye, 1))[:3], rays @ local[:3, :3].T
    if card.layer.body:
        half = np.array([card.width, card.height, card.depth]) / 2
        kind = card.layer.body.number
        depth = np.array([hit_body(kind, *(start / half), *way, NEAR) for way in ways / half])
    else:
        depth = -start[2] / ways[:, 2]
        places = start + depth[:, None] * ways
        off = (np.abs(places[:, :2]) > [card.width / 2, card.height / 2]).any(axis=1)
        depth = np.where(off | (depth < NEAR), np.inf, depth)
    there = start + np.where(np.isfinite(depth), depth, 0)[:, None] * ways
    if card.projector is None:
        return depth, there[:, :2] / [card.width, -card.height] + 0.5
    world = np.column_stack([there, np.ones(len(there))]) @ card.world_from_card.T
    thrown = world @ card.projector.T
    with np.errstate(invalid="ignore", divide="ignore"):
        unit = thrown[:, :2] / thrown[:, 2:]
    unit[thrown[:, 2] <= 0] = np.inf
    return depth, unit


def brute_force(shot: Shot, frame: int) -> np.ndarray:
    """Every pixel asks every card; stretch by stepping a hundredth of a pixel."""
    camera = camera_states(shot, [frame])[0]
    width, height = shot.frame.size
    x, y = np.meshgrid(np.arange(width) + 0.5, np.arange(height) + 0.5)
    shown = [layer for layer in shot.layers if not layer.hidden]
    cards = [cards_over(shot, layer, [frame], [camera])[0] for layer in shown]

    def asked(card: Card, dx: float = 0, dy: float = 0) -> tuple[np.ndarray, np.ndarray]:
        points = np.stack([x.ravel() + dx, y.ravel() + dy, np.ones(x.size)])
        ways = (np.linalg.inv(camera.image_from_camera) @ points).T
        rays = ways @ camera.world_from_camera[:3, :3].T
        return caught(card, rays, np.array(camera.position))

    best, value = np.full(x.size, np.inf), np.full(x.size, BARE)
    for card in cards:
        size = np.array([40, 60] if card.texture == "cut" else PHOTO)
        depth, unit = asked(card)
        seen = ((unit >= 0) & (unit <= 1)).all(axis=1) & np.isfinite(depth)
        if card.texture == "cut":
            seen &= np.floor(unit[:, 1] * 60) >= 30
        step = 1.0 if card.layer.body else 0.01
        (_, right), (_, down) = asked(card, step), asked(card, 0, step)
        with np.errstate(invalid="ignore"):
            jacobian = np.stack([right - unit, down - unit], axis=2) * size[:, None] / step
        least = np.linalg.svd(np.where(np.isfinite(jacobian), jacobian, 0), compute_uv=False)[:, 1]
        nearer = seen & (depth < best)
        best[nearer], value[nearer] = depth[nearer], least[nearer]
    return value.reshape(height, width)


@pytest.mark.parametrize("frame", [0, 11])
def test_maps_are_those_of_brute_force(frame: int) -> None:
    shot = walked()
    ours, theirs = map_frame(shot, pyramids(), frame).stretch, brute_force(shot, frame)
    assert np.mean((ours == BARE) != (theirs == BARE)) < 2e-4  # corners on a pixel's middle
    both = (ours != BARE) & (theirs != BARE)
    off = np.abs(ours[both] / np.maximum(theirs[both], 1e-9) - 1)
    assert np.quantile(off, 0.99) < 2e-3
    assert (ours == BARE).any() == (frame == 11)


def test_the_frames_are_counted_as_each_is_mapped() -> None:
    shot = walked()
    found = look_ahead(shot, pyramids(), threads=2)
    assert list(found.frames) == list(range(12))
    for frame in (0, 7, 11):
        seen = map_frame(shot, pyramids(), frame)
        assert found.bare[frame] == pytest.approx(seen.bare.mean(), abs=1e-12)
        told = seen.stretch[::4, ::4]
        soft = np.mean((told != BARE) & (told < SOFT))
        assert found.stretched[frame] == pytest.approx(soft, abs=0.01)
    assert found.barest == 11
    picture = found.pictures["photo"]
    assert picture.shape == (108, 192)
    # What is never in sight has no stretch; what is, never less than its frames say.
    assert np.isinf(picture).any() and np.isfinite(picture).mean() > 0.5


def test_bare_is_where_the_renderer_leaves_the_ground() -> None:
    shot = walked()
    frame = Renderer(shot, pyramids(), threads=1).linear(11)
    mapped = map_frame(shot, pyramids(), 11)
    # Along edges a pixel is covered in part: half and less is bare.
    disagree = mapped.bare != (frame[..., 3] < 32768)
    assert disagree.mean() < 0.01
    assert evaluate(shot, [11])[0].cards


def test_a_plain_layer_is_stretched_by_its_enlargement() -> None:
    """A picture seen flat: source pixels per output pixel are its size over the frame's, and a lens
    twice as long halves them."""
    shot = make_shot({"photo": (640, 360)}, frame={"width": 320, "height": 180, "duration": 24})
    photo = {"photo": pyramid_of(opaque(np.zeros((360, 640, 3), np.uint8)))}
    assert np.median(map_frame(shot, photo, 0).stretch) == pytest.approx(2.0)
    route = {"framings": [{"frame": 0, "hold": 1, "lens": 4 * shot.route.framings[0].lens}]}
    close = make_shot(
        {"photo": (640, 360)},
        frame={"width": 320, "height": 180, "duration": 2},
        taking_camera={"focal_length": shot.taking_camera.focal_length},
        route=route,
    )
    assert np.median(map_frame(close, photo, 0).stretch) == pytest.approx(0.5)
    ahead = look_ahead(close, photo)
    assert ahead.least[0] == pytest.approx(0.5, rel=0.1) and not ahead.bare.any()


def test_backdrops_and_titles_have_no_stretch_and_are_not_bare() -> None:
    field = {"name": "Sky", "field": {"backdrop": True}}
    shot = make_shot({}, layers=[field], frame={"width": 64, "height": 36, "duration": 24})
    seen = map_frame(shot, {shot_look(shot): pyramid_of(flat((1, 1, 1), 1, (8, 8)))}, 0)
    assert (seen.stretch == np.float32(UNCOUNTED)).all()
    assert ranges_of([0, 2, 4, 6], np.array([True, True, False, True])) == [(0, 2), (6, 6)]


def shot_look(shot: Shot) -> str:
    return f"~{shot.layers[0].id}"
