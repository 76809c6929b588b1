"""Surfaces seen straight on: against OpenCV's rectification and the rendered shot."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest

from tests.conftest import pyramid_of
from tests.core.test_render import opaque
from tests.core.test_room import do, lodged, rendered
from tests.core.test_surfaces import WALL, drawn, street
from vistaline.core.errors import EditError
from vistaline.core.picture.colour import codes_from_linear
from vistaline.core.render.frame import Renderer
from vistaline.core.render.straight import Beyond, Projector, open_share, straight_on, straight_size
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.cards import card_of
from vistaline.core.stage.poses import projector_of


def thrown(shot: Shot, photo: np.ndarray, layer: str) -> Projector:
    position = np.array(shot.taking_camera.position)
    return Projector(opaque(photo), projector_of(shot, shot.layer(layer)), position)


def test_a_wall_straight_on_is_opencvs_rectification(photo: np.ndarray) -> None:
    """getPerspectiveTransform of the four drawn corners, warpPerspective: in linear light."""
    shot = street()
    shot = do(shot, "project_on_plane", corners=drawn(shot, WALL))
    card = card_of(shot, shot.layers[-1])
    size = (300, 280)
    ours = straight_on(card, [thrown(shot, photo, shot.layers[-1].id)], size)
    square = np.float32([[0, 0], [300, 0], [300, 280], [0, 280]]) - 0.5
    corners = np.float32(drawn(shot, WALL)) - 0.5
    matrix = cv2.getPerspectiveTransform(corners, square)
    reference = cv2.warpPerspective(
        opaque(photo), matrix, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
    )
    off = np.abs(codes_from_linear(ours).astype(int) - codes_from_linear(reference))
    assert off.mean() < 0.6 and np.quantile(off, 0.99) <= 8
    assert (ours[..., 3] == 65535).all()


def test_a_straight_picture_shows_as_what_was_thrown(photo: np.ndarray) -> None:
    """Painted on nothing, the floor's picture on a card in its place renders as before."""
    shot = lodged()
    floor = shot.layers[2].id
    card, projector = card_of(shot, shot.layer(floor)), thrown(shot, photo, floor)
    size = straight_size(card, projector)
    assert max(size) <= 4096
    assert size[0] / size[1] == pytest.approx(card.width / card.height, rel=0.02)
    straight = straight_on(card, [projector], size)
    picture = {"file": "f.png", "width": size[0], "height": size[1]}
    shown = do(shot, "show_straight", layer=floor, key="floor", picture=picture)
    pyramids = {"photo": pyramid_of(opaque(photo)), "floor": pyramid_of(straight)}
    for frame in (0, 12):
        ours = Renderer(shown, pyramids, threads=1).rgb(frame).astype(int)
        off = np.abs(ours - rendered(shot, photo, frame))
        assert off.mean() < 1.5


def test_beyond_the_picture_it_is_open_mirrored_or_filled(photo: np.ndarray) -> None:
    shot = lodged()
    floor = shot.layers[2].id
    card = card_of(shot, shot.layer(floor))
    wide = replace(card, width=card.width * 2)
    assert open_share(wide) > open_share(card)
    projector = thrown(shot, photo, floor)
    open_, mirrored, filled = (straight_on(wide, [projector], (200, 160), each) for each in Beyond)
    bare = np.mean(open_[..., 3] == 0)
    assert 0.05 < bare < 0.95 and open_share(wide) == pytest.approx(bare, abs=0.02)
    assert (mirrored[..., 3] == 65535).all() and (filled[..., 3] == 65535).all()
    known = cv2.erode((open_[..., 3] == 65535).astype(np.uint8), np.ones((3, 3))) > 0
    for each in (mirrored, filled):
        np.testing.assert_array_equal(each[known], open_[known])
    behind = replace(card, world_from_card=card.world_from_card @ np.diag([1.0, 1, 1, 1]))
    behind.world_from_card[2, 3] = 50
    with pytest.raises(EditError, match="Nothing of the picture falls on"):
        straight_size(behind, projector)


def test_two_projectors_blend_by_angle_and_distance(photo: np.ndarray) -> None:
    """What one throws squarely and from near counts more; what stands between keeps it off."""
    shot = lodged()
    back = card_of(shot, shot.layers[1])
    first = thrown(shot, np.full_like(photo, 40), shot.layers[1].id)
    light = opaque(np.full_like(photo, 220))
    nearer = replace(first, picture=light, position=first.position + np.array([0, 0, -1.5]))
    both = straight_on(back, [first, nearer], (80, 60))
    one, two = (opaque(np.full((1, 1, 3), code, np.uint8))[0, 0, 0] for code in (40, 220))
    deep = -back.world_from_card[2, 3]
    weights = np.array([1 / deep**2, 1 / (deep - 1.5) ** 2])
    expected = (weights @ [one, two]) / weights.sum()
    assert both[30, 40, 0] == pytest.approx(expected, rel=0.01)
    screen = replace(back, world_from_card=back.world_from_card.copy(), width=back.width / 2)
    screen.world_from_card[2, 3] += 0.5
    barred = straight_on(back, [first, replace(nearer, barred=[screen])], (80, 60))
    assert barred[30, 40, 0] == pytest.approx(float(one), abs=1)
    assert barred[30, 2, 0] > 1.2 * one
