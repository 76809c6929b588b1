"""Boxes, balls, cylinders and arches: against trimesh's ray casting and a brute-force frame."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from tests.conftest import make_shot, pyramid_of
from tests.core.test_render import opaque, psnr
from vistaline.core.geometry.bodies import Body, hit_body, mesh_of
from vistaline.core.picture.colour import encode_srgb
from vistaline.core.render.frame import Renderer
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.cards import card_of
from vistaline.core.stage.rays import rays_of

WITHIN = {Body.BOX: 1e-9, Body.BALL: 4e-3, Body.CYLINDER: 4e-3, Body.ARCH: 4e-3}
"""A mesh of facets lies this far inside what is round."""


def _reference(body: Body) -> trimesh.Trimesh:
    """A box, an icosphere and a cylinder of trimesh's own making; the arch is our mesh."""
    if body is Body.BOX:
        return trimesh.creation.box((2, 2, 2))
    if body is Body.BALL:
        return trimesh.creation.icosphere(subdivisions=5)
    if body is Body.CYLINDER:
        upright = trimesh.transformations.rotation_matrix(np.pi / 2, (1, 0, 0))
        return trimesh.creation.cylinder(1, 2, sections=256, transform=upright)
    points, faces = mesh_of(body)
    return trimesh.Trimesh(points, faces, process=False)


@pytest.mark.parametrize("body", list(Body))
@pytest.mark.parametrize("inside", [False, True])
def test_rays_meet_bodies_where_trimesh_says(
    body: Body, inside: bool, rng: np.random.Generator
) -> None:
    mesh = _reference(body)
    origins = rng.uniform(-0.4, 0.4, (300, 3)) if inside else rng.normal(0, 3, (300, 3))
    targets = rng.uniform(-1, 1, (300, 3))
    ways = targets - origins
    outside = np.linalg.norm(origins, axis=1) > 2
    keep = np.full(300, True) if inside else outside
    origins, ways = origins[keep], ways[keep]
    places, rays, _ = mesh.ray.intersects_location(origins, ways, multiple_hits=True)
    first = np.full(len(origins), np.inf)
    along = np.einsum("ij,ij->i", places - origins[rays], ways[rays])
    along /= np.einsum("ij,ij->i", ways[rays], ways[rays])
    np.minimum.at(first, rays, along)
    ours = np.array(
        [hit_body(body.number, *o, *d, 1e-9) for o, d in zip(origins, ways, strict=True)]
    )
    both = np.isfinite(first) & np.isfinite(ours)
    # Facets and what they stand for differ at the rim only.
    assert np.mean(np.isfinite(first) == np.isfinite(ours)) > 0.98
    assert both.sum() > 50
    off = np.abs(first[both] - ours[both]) * np.linalg.norm(ways[both], axis=1)
    grazing = np.quantile(off, 0.95)
    assert grazing < max(WITHIN[body] * 5, 1e-9)


@pytest.mark.parametrize("body", list(Body))
def test_the_live_views_mesh_lies_on_the_body(body: Body) -> None:
    points, faces = mesh_of(body)
    middles = points[faces].mean(axis=1)
    shares = [hit_body(body.number, 0, 0, 0, *middle, 1e-9) for middle in middles]
    np.testing.assert_allclose(np.array(shares), 1, atol=WITHIN[body])
    mesh = trimesh.Trimesh(points, faces)
    assert body is Body.ARCH or (mesh.is_watertight and mesh.volume > 0), "its faces look outwards"


def bodied(body: Body, **at: object) -> Shot:
    """A photo thrown on a body, and on a wall behind it that it cuts through, seen from aside."""
    caught = {"picture": "photo", "projection": (0, 0, 640, 360)}
    wall = {"name": "Wall", "width": 9, "height": 6, "distance": 4, **caught}
    round_ = {
        "name": "Body", "body": body.value, "width": 1.2, "height": 1.2, "depth": 1.6,
        "distance": 3.4, "pan": 20, "tilt": 12, **caught,
    }  # fmt: skip
    seen = {
        "frame": 0,
        "position": (0.9, 0.3, 0.2),
        "pan": 14,
        "tilt": -4,
        "lens": 35,
        "hold": 1,
    } | at
    return make_shot(
        {"photo": (640, 360)},
        layers=[wall, round_],
        frame={"width": 160, "height": 90, "duration": 2},
        taking_camera={"width": 640, "height": 360, "focal_length": 35},
        route={"framings": [seen]},
    )


@pytest.mark.parametrize("body", list(Body))
def test_a_body_is_rendered_as_every_ray_sees_it(body: Body, photo: np.ndarray) -> None:
    """Against a frame that asks each ray by itself, nearest first, 4 x 4 rays a pixel."""
    shot = bodied(body)
    picture = opaque(photo)
    frame = Renderer(shot, {"photo": pyramid_of(picture)}, threads=1).rgb(0)
    camera = camera_states(shot, [0])[0]
    wall, thing = (card_of(shot, layer) for layer in shot.layers)
    origin, rays, unit_from_body = rays_of(thing, camera)
    step = (np.arange(160 * 4) + 0.5) / 4
    x, y = np.meshgrid(step, step[: 90 * 4])
    points = np.stack([x.ravel(), y.ravel(), np.ones(x.size)])
    ways = rays @ points
    t = np.array([hit_body(body.number, *origin, *way, 0.01) for way in ways.T])
    deep = 1 / (wall.nearness(camera) @ points)
    on_wall = np.linalg.inv(wall.image_from_unit(camera)) @ points
    with np.errstate(invalid="ignore"):
        met = origin[:, None] + np.where(np.isfinite(t), t, 0) * ways
    on_body = unit_from_body @ np.vstack([met, np.ones(x.size)])
    nearer = t < deep
    unit = np.where(nearer, on_body[:2] / on_body[2], on_wall[:2] / on_wall[2])
    shown = ((unit >= 0) & (unit <= 1)).all(axis=0)
    column, row = (unit * [[640], [360]] - 0.5).clip(0, [[638.999], [358.999]])
    i, j, a, b = row.astype(int), column.astype(int), row % 1, column % 1
    colours = picture[..., :3].astype(float)
    light = sum(
        (w * colours[i + k // 2, j + k % 2].T).T
        for k, w in enumerate(((1 - a) * (1 - b), (1 - a) * b, a * (1 - b), a * b))
    ) * shown[:, None]  # fmt: skip
    mean = light.reshape(90, 4, 160, 4, 3).mean(axis=(1, 3)) / 65535
    reference = np.rint(encode_srgb(mean) * 255)
    assert nearer.mean() > 0.04
    assert psnr(frame, reference, np.full((90, 160), True)) > 34


def test_seen_from_the_taking_camera_a_body_is_the_picture(photo: np.ndarray) -> None:
    shot = bodied(Body.BALL, position=(0, 0, 0), pan=0, tilt=0)
    pyramids = {"photo": pyramid_of(opaque(photo))}
    flat = shot.evolve(layers=shot.layers[:1])
    caught = Renderer(shot, pyramids, threads=1).rgb(0).astype(int)
    assert np.abs(caught - Renderer(flat, pyramids, threads=1).rgb(0)).mean() < 0.5
