"""Rectangles, heights, bowed edges and found ones: against OpenCV and Criminisi's cross-ratios."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from tests.core.rooms import SIZE, room, seen
from tests.core.test_render import opaque
from vistaline.core.errors import PerspectiveError
from vistaline.core.geometry import space
from vistaline.core.geometry.bowing import bow_of, bowed, straighten_picture, straightened
from vistaline.core.geometry.edges import Direction, Edge
from vistaline.core.geometry.heights import length_on_ground, upright_height
from vistaline.core.geometry.lines import find_edges, find_segments
from vistaline.core.geometry.perspective import recover_camera
from vistaline.core.geometry.rectangles import (
    check_corners,
    edges_of_rectangle,
    in_order,
    rectangle_pose,
)
from vistaline.core.picture.colour import codes_from_linear

ACROSS, UP, DEEP = Direction


def test_a_rectangle_stands_where_solvepnp_puts_it(rng: np.random.Generator) -> None:
    """OpenCV's solvePnP (IPPE), for a rectangle of known size; exact corners."""
    for _ in range(40):
        focal, aspect = rng.uniform(1500, 5000), rng.uniform(0.3, 3)
        turn = Rotation.from_euler("yxz", rng.uniform([-60, -50, -20], [60, 50, 20]), degrees=True)
        place = np.array([*rng.uniform(-0.4, 0.4, 2), -4.0]) * rng.uniform(1, 3)
        corners = np.array([[-0.5, aspect / 2], [0.5, aspect / 2], [0.5, -aspect / 2]])
        corners = np.vstack([corners, [-0.5, -aspect / 2]])
        there = np.column_stack([corners, np.zeros(4)]) @ turn.as_matrix().T + place
        pixels = there[:, :2] / -there[:, 2:] * [focal, -focal] + np.array(SIZE) / 2
        found = rectangle_pose([tuple(p) for p in pixels], focal, (1500, 1000))
        assert found.aspect == pytest.approx(aspect, rel=1e-4)
        assert found.miss < 0.05
        # OpenCV's camera looks along +Z with y down; its object lies with y up, as ours.
        lens = np.array([[focal, 0, 1500], [0, focal, 1000], [0, 0, 1.0]])
        flat = np.column_stack([corners, np.zeros(4)])
        good, vector, shift = cv2.solvePnP(flat, pixels, lens, None, flags=cv2.SOLVEPNP_IPPE)
        assert good
        flip = np.diag([1.0, -1.0, -1.0])
        theirs = flip @ cv2.Rodrigues(vector)[0]
        between = Rotation.from_matrix(found.camera_from_card[:3, :3].T @ theirs)
        assert np.degrees(between.magnitude()) < 0.05
        np.testing.assert_allclose(found.camera_from_card[:3, 3], flip @ shift[:, 0], rtol=2e-3)


def test_a_drawn_rectangle_tells_lens_and_turn(rng: np.random.Generator) -> None:
    focal, turn = 2600.0, space.rotation(38, -6, 1)
    corners = [(-1.5, 1.4, -6), (1.8, 1.4, -6), (1.8, -1.2, -6), (-1.5, -1.2, -6)]
    drawn = in_order([seen(np.array(c) @ np.eye(3), focal, turn) for c in corners][::-1])
    found = recover_camera(edges_of_rectangle(drawn, ACROSS, UP), SIZE, deviation=1e-3)
    assert found.focal_px == pytest.approx(focal, rel=1e-6)
    np.testing.assert_allclose(found.world_from_camera, turn, atol=1e-7)


@pytest.mark.parametrize(
    ("corners", "says"),
    [
        ([(0, 0), (50, 0.2), (100, 0), (40, 80)], "second corner lies in one line"),
        ([(0, 0), (100, 0), (0, 80), (100, 80)], "sides of this rectangle cross"),
        ([(0, 0), (100, 0), (40, 30), (0, 80)], "third corner points inwards"),
        ([(0, 0), (100, 0), (100, 80)], "3 are marked"),
        ([(5, 5), (5, 5), (90, 80), (0, 80)], "corner lies in one line"),
    ],
)
def test_what_is_no_rectangle_says_which_corner_to_move(corners, says) -> None:
    with pytest.raises(PerspectiveError, match=says):
        check_corners(corners)


def test_a_heights_ratio_is_criminisis_cross_ratio(rng: np.random.Generator) -> None:
    """alpha Z = -|b x t| / ((l . b) |v x t|), equation 7 of Criminisi, Reid and Zisserman, Single
    view metrology, IJCV 2000: alpha from one known upright, then the height of another."""
    focal, turn, eye = 2400.0, space.rotation(25, -7, 1.5), 1.65
    lens = np.diag([focal, -focal, 1.0])
    lens[:2, 2] = -1500, -1000
    lens[2, 2] = -1
    camera = lens @ turn.T
    v = camera @ [0, 1, 0]
    horizon = np.cross(camera @ [1, 0, 0], camera @ [0, 0, 1])
    horizon /= np.linalg.norm(horizon)

    def ratio(base: np.ndarray, top: np.ndarray) -> float:
        b, t = (camera @ p for p in (base, top))
        b, t = b / b[2], t / t[2]
        crossed = np.linalg.norm(np.cross(b, t)) / np.linalg.norm(np.cross(v, t))
        return float(crossed / abs(horizon @ b))

    def upright(x: float, z: float, height: float) -> tuple[np.ndarray, np.ndarray]:
        return np.array([x, -eye, z]), np.array([x, height - eye, z])

    known = upright(-1.2, -6.0, 2.0)
    for height in (0.4, 1.1, 1.8, 3.5):
        other = upright(*rng.uniform([-2, -12], [2, -4]), height)
        theirs = 2.0 * ratio(*other) / ratio(*known)
        ours = upright_height(*other, eye)  # rays of any length
        assert ours == pytest.approx(height, rel=1e-9)
        assert theirs == pytest.approx(ours, rel=1e-9)
    here, there = np.array([-1.0, -eye, -5.0]), np.array([2.0, -eye, -9.0])
    assert length_on_ground(3 * here, 0.2 * there, eye) == pytest.approx(5.0)
    with pytest.raises(PerspectiveError, match="not below the horizon"):
        upright_height(np.array([0, 0.1, -1]), np.array([0, 0.5, -1]), eye)


@pytest.mark.parametrize("k", [-0.12, -0.03, 0.05])
def test_bowed_edges_are_straightened_as_opencv_does(k: float, rng: np.random.Generator) -> None:
    """cv2.undistortPoints with Brown's k1 alone, brought from focal lengths to half diagonals."""
    centre, focal = np.array(SIZE) / 2, 2500.0
    points = rng.uniform(0, SIZE, (200, 2))
    drawn = bowed(points, k, SIZE, centre)
    k1 = k * (focal / (np.hypot(*SIZE) / 2)) ** 2
    lens = np.array([[focal, 0, centre[0]], [0, focal, centre[1]], [0, 0, 1]])
    exactly = (cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, 200, 1e-12)
    theirs = cv2.undistortPoints(
        drawn[:, None], lens, np.array([k1, 0, 0, 0]), P=lens, criteria=exactly
    )
    np.testing.assert_allclose(straightened(drawn, k, SIZE, centre), theirs[:, 0], atol=1e-4)
    lines = []
    for start, end in rng.uniform(0, SIZE, (8, 2, 2)):
        way = start + np.linspace(0, 1, 5)[:, None] * (end - start)
        lines.append(bowed(way, k, SIZE, centre) + rng.normal(0, 0.3, (5, 2)))
    assert bow_of(lines, SIZE, tuple(centre)) == pytest.approx(k, abs=0.003)


def test_edges_are_found_and_told_apart(rng: np.random.Generator) -> None:
    """A street drawn from a known camera, with lines of no direction among the others."""
    focal, turn = 1500 * 35 / 24, space.rotation(34, 3, 0)
    canvas = np.full((2000, 3000, 3), 235, np.uint8)
    for way in np.eye(3):
        drawn = 0
        while drawn < 14:
            start = rng.uniform([-8, -3, -16], [8, 5, -2])
            ends = [seen(p, focal, turn) for p in (start, start + way * rng.uniform(1, 6))]
            if None in ends or np.hypot(*np.subtract(*ends)) < 400:
                continue
            cv2.line(canvas, *(tuple(map(round, e)) for e in ends), (60, 50, 40), 5, cv2.LINE_AA)
            drawn += 1
    for start in rng.uniform(0, SIZE, (12, 2)):
        end = start + rng.uniform(-500, 500, 2)
        cv2.line(
            canvas, *(tuple(map(round, e)) for e in (start, end)), (90, 90, 90), 5, cv2.LINE_AA
        )
    edges, found = find_edges(find_segments(canvas), SIZE)
    assert {edge.along for edge in edges} == set(Direction)
    assert found.focal_px == pytest.approx(focal, rel=0.02)
    off = Rotation.from_matrix(found.world_from_camera.T @ turn)
    # Which of the two level directions runs away from the camera is a matter of names.
    level = min(off.magnitude() % (np.pi / 2), np.pi / 2 - off.magnitude() % (np.pi / 2))
    assert np.degrees(level) < 1
    with pytest.raises(PerspectiveError, match="Mark them by hand"):
        find_edges(find_segments(np.zeros((400, 600, 3), np.uint8)), (600, 400))


def test_the_principal_point_is_told_by_three_directions(rng: np.random.Generator) -> None:
    made = room(rng, ways=tuple(Direction), lines=4, noise=0)
    cut = np.array([500.0, 160.0])
    moved = [
        Edge(tuple(np.array(e.a) - cut), tuple(np.array(e.b) - cut), e.along) for e in made.edges
    ]
    found = recover_camera(moved, (2200, 1600), deviation=1e-3, free_centre=True)
    np.testing.assert_allclose(found.principal_point, np.array(SIZE) / 2 - cut, atol=1)
    assert found.focal_px == pytest.approx(made.focal_px, rel=1e-3)
    with pytest.raises(PerspectiveError, match="all three directions"):
        recover_camera([e for e in moved if e.along is not UP], SIZE, free_centre=True)


def test_marks_that_cannot_be_are_named(rng: np.random.Generator) -> None:
    with pytest.raises(PerspectiveError, match="Mark edges of two directions"):
        recover_camera([], SIZE)
    away = [Edge((0, 0), (900, 300), DEEP), Edge((0, 900), (900, 500), DEEP)]
    crossing = [Edge((200, 100), (800, 900), UP), Edge((800, 100), (200, 900), UP)]
    with pytest.raises(PerspectiveError, match=r"Edges 3 and 4 .* cross"):
        recover_camera([*away, *crossing], SIZE)
    # Edges that meet inside the picture, beyond their own ends, are those of any corridor.
    corridor = [Edge((200, 1800), (800, 1200), DEEP), Edge((2000, 1800), (1400, 1200), DEEP)]
    doors = [Edge((1000, 900), (2000, 930), ACROSS), Edge((1000, 1300), (2000, 1270), ACROSS)]
    assert recover_camera([*corridor, *doors], SIZE).disagreement < 1e-3
    mixed = [
        *(Edge((300, y), (2700, y - 900), ACROSS) for y in (1000, 1400, 1800)),
        Edge((100, 100), (900, 600), ACROSS),
        *(Edge((x, 200), (x, 1800), UP) for x in (400, 2500)),
    ]
    with pytest.raises(PerspectiveError, match="contradict each other: edge 4"):
        recover_camera(mixed, SIZE)


@pytest.mark.parametrize("k", [-0.1, 0.06])
def test_a_bowed_picture_is_straightened_as_opencv_does(k: float, photo: np.ndarray) -> None:
    """cv2.undistort with Brown's k1 alone; it samples linearly, we cubically."""
    soft = cv2.GaussianBlur(photo, (0, 0), 2)
    height, width = soft.shape[:2]
    centre, focal = np.array([width, height]) / 2, 600.0
    ours = straighten_picture(opaque(soft), k, (width, height), centre, (0, 0, width, height))
    k1 = k * (focal / (np.hypot(width, height) / 2)) ** 2
    # Its pixel centres count from 0, ours from .5.
    lens = np.array([[focal, 0, centre[0] - 0.5], [0, focal, centre[1] - 0.5], [0, 0, 1]])
    theirs = cv2.undistort(opaque(soft), lens, np.array([k1, 0, 0, 0]))
    off = np.abs(codes_from_linear(ours).astype(int) - codes_from_linear(theirs))[4:-4, 4:-4]
    inside = (ours[4:-4, 4:-4, 3] == 65535) & (theirs[4:-4, 4:-4, 3] == 65535)
    assert inside.mean() > 0.8 and off[inside].mean() < 0.5 and np.quantile(off[inside], 0.99) <= 3
    assert (k > 0) == (not (ours[..., 3] == 65535).all()), "a cushion's corners were never seen"
