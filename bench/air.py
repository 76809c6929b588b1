"""What is in the air of five full cards, over the same without; and a shot with all of it."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np

from bench import scene
from bench.figures import Figure, interleaved
from bench.lamps import lighted
from bench.peers import SoftwareGlPoints
from vistaline.core.picture.decode import decode_picture
from vistaline.core.picture.pyramid import Pyramid, build_levels
from vistaline.core.render.frame import Renderer
from vistaline.core.render.source import DRAFT
from vistaline.core.shot.air import Fog, Particles
from vistaline.core.shot.beams import Glow, Rays, Shaft
from vistaline.core.shot.dressing import Dressing
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.particles import flock_at
from vistaline.core.stage.sprites import sprites_of
from vistaline.demo.directed import lamp_room
from vistaline.demo.dressed import room_at_evening

__all__ = ["measure"]

ROUNDS = 11
_MOTES = Particles(
    id="d", name="d", rate=833, life=6, position=(0, 0, -3), size=(6, 4, 6), radius=0.004
)
_SHAFT = Shaft(
    id="d", name="d", position=(-1.0, 1.2, -2.5), pan=-60, tilt=-30, length=5.0, brightness=0.5
)
_THINGS: dict[str, tuple[Dressing, float]] = {
    "fog": (Fog(id="d", name="d", visibility=8.0), 0.25),
    "a shaft": (_SHAFT, 0.35),
    "5,000 particles": (_MOTES, 0.2),
    "50,000 particles": (_MOTES.evolve(rate=8330), 1.5),
    "glow": (Glow(id="d", name="d"), 0.3),
    "rays": (Rays(id="d", name="d", threshold=0.3), 0.8),
}


def measure() -> list[Figure]:
    """Return what each costs more than a plain frame, in plain frames."""
    looks = scene.pyramids()
    plain = Renderer(scene.shot(), looks)
    runs = {"plain": lambda _: plain.yuv(0)}
    for name, (thing, _) in _THINGS.items():
        runs[name] = _runs(Renderer(scene.shot().evolve(dressing=(thing,)), looks))
    draft = Renderer(scene.shot().evolve(dressing=(_THINGS["rays"][0],)), looks, quality=DRAFT)
    bare = Renderer(scene.shot(), looks, quality=DRAFT)
    runs |= {"rays, proof": _runs(draft), "proof": _runs(bare)}
    runs["GL points"] = SoftwareGlPoints(scene.states(), looks, _drawn())
    runs["shadows"] = _runs(Renderer(_shadowed(), looks))
    runs["lamp room"] = _runs(Renderer(*_room()))
    took = interleaved(runs, ROUNDS)
    figures = [
        Figure(
            f"{name} over five cards, plain frames more", took[name] / took["plain"] - 1, "x", most
        )
        for name, (_, most) in _THINGS.items()
    ]
    more = (took["rays, proof"] - took["proof"]) / took["plain"]
    points = (took["5,000 particles"] - took["plain"]) / took["GL points"]
    return [
        *figures,
        Figure("5,000 particles, over as many points of software OpenGL", points, "x", 0.4),
        Figure("rays in the proof, plain frames more", more, "x", 0.2),
        Figure(
            "three lamps' soft shadows, plain frames", took["shadows"] / took["plain"], "x", 3.2
        ),
        Figure(
            "the lamp room at evening, plain frames", took["lamp room"] / took["plain"], "x", 5.0
        ),
    ]


def _runs(renderer: Renderer):  # type: ignore[no-untyped-def]
    return lambda _: renderer.yuv(0)


def _drawn() -> np.ndarray:
    """Return the 5,000 particles as they are drawn."""
    shot = scene.shot().evolve(dressing=(_MOTES,))
    state = evaluate(shot, [0])[0]
    return sprites_of(flock_at(shot, _MOTES, 0.0), state, 0.0, blurs=False).drawn


def _shadowed() -> Shot:
    """Return the scene in the light of three lamps whose shadows four of its cards throw."""
    shot = lighted()
    return shot.evolve(
        lamps=tuple(each.evolve(shadows=True, size=0.15) for each in shot.lamps),
        layers=tuple(each.evolve(casts_shadows=n > 0) for n, each in enumerate(shot.layers)),
    )


def _room() -> tuple[Shot, dict[str, Pyramid]]:
    with tempfile.TemporaryDirectory() as folder:
        shot = room_at_evening(lamp_room(Path(folder)))
        looks = {
            key: _pyramid(decode_picture(Path(folder) / ref.file, key))
            for key, ref in shot.pictures.items()
        }
    return shot, looks


def _pyramid(picture: np.ndarray) -> Pyramid:
    height, width = picture.shape[:2]
    return Pyramid(
        width=width,
        height=height,
        opaque=bool((picture[..., 3] == 65535).all()),
        content=(0, 0, width, height),
        levels=tuple(build_levels(picture)),
    )
