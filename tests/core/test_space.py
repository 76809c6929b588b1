"""Poses and projection against SciPy's rotations and OpenCV's pinhole camera."""

import cv2
import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from vistaline.core.geometry import space


@pytest.mark.parametrize("angles", [(0, 0, 0), (30, 0, 0), (0, -20, 0), (12, 34, -56), (400, 5, 9)])
def test_rotation_is_scipys_intrinsic_yxz(angles: tuple[float, float, float]) -> None:
    expected = Rotation.from_euler("YXZ", angles, degrees=True).as_matrix()
    np.testing.assert_allclose(space.rotation(*angles), expected, atol=1e-12)


def test_projection_is_opencvs(rng: np.random.Generator) -> None:
    """cv2.projectPoints looks along +Z with y down: our camera turned half about X."""
    world_from_camera = space.pose((0.3, -0.2, 1.5), pan=12, tilt=-7, roll=4)
    camera_from_world = space.inverse_pose(world_from_camera)
    width, height, focal = 320, 240, 410.0
    points = rng.uniform((-2, -2, -9), (2, 2, -2), (50, 3))
    image_from_world = space.image_from_camera(focal, width, height) @ camera_from_world[:3]
    flip = np.diag([1.0, -1.0, -1.0])
    rotation = flip @ camera_from_world[:3, :3]
    expected, _ = cv2.projectPoints(
        points,
        cv2.Rodrigues(rotation)[0],
        flip @ camera_from_world[:3, 3],
        np.array([[focal, 0, width / 2], [0, focal, height / 2], [0, 0, 1]]),
        None,
    )
    np.testing.assert_allclose(
        space.project(image_from_world, points), expected.reshape(-1, 2), atol=1e-6
    )


def test_opengl_clip_space_agrees_with_the_image(rng: np.random.Generator) -> None:
    width, height, focal = 320, 240, 300.0
    points = rng.uniform((-1, -1, -9), (1, 1, -1), (20, 3))
    clip = space.clip_from_camera(focal, width, height, near=0.1, far=100)
    homogeneous = np.column_stack([points, np.ones(20)]) @ clip.T
    device = homogeneous[:, :3] / homogeneous[:, 3:]
    pixels = (device[:, :2] * (1, -1) + 1) / 2 * (width, height)
    image_from_camera = space.image_from_camera(focal, width, height)
    image = space.project(np.column_stack([image_from_camera, np.zeros(3)]), points)
    np.testing.assert_allclose(pixels, image, atol=1e-9)
    assert np.all(np.abs(device[:, 2]) < 1)


def test_what_is_behind_the_near_plane_is_cut_away() -> None:
    square = np.array([[-1, 0, -2], [1, 0, -2], [1, 0, 2], [-1, 0, 2.0]])
    clipped = space.clip_polygon_near(square, 0.5)
    assert len(clipped) == 4
    assert clipped[:, 2].max() == pytest.approx(-0.5)
    assert len(space.clip_polygon_near(square + np.array([0, 0, 9]), 0.5)) == 0
