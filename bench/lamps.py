"""Five full cards in the light of three lamps, over the same without any."""

from __future__ import annotations

from bench import scene
from bench.figures import Figure, interleaved
from vistaline.core.render.frame import Renderer
from vistaline.core.shot.lamps import Falloff, Lamp, LampKind
from vistaline.core.shot.shot import Shot

ROUNDS = 21


def lighted() -> Shot:
    """Return the bench's scene with a warm lamp, a cool one with a range, and a spot."""
    lamps = (
        Lamp(id="a", name="Warm", position=(0.8, 0.5, -1.5), normal=1.5, kelvin=2700),
        Lamp(
            id="b",
            name="Cool",
            position=(-1.0, 0.2, -0.5),
            normal=2.0,
            kelvin=9000,
            falloff=Falloff.RANGE,
            reach=8.0,
        ),
        Lamp(
            id="c",
            name="Spot",
            kind=LampKind.SPOT,
            position=(0.0, 0.8, 0.2),
            tilt=-14.0,
            cone=40.0,
            softness=0.2,
            normal=2.5,
        ),
    )
    return scene.shot().evolve(lamps=lamps)


def measure() -> list[Figure]:
    """Return what a lit frame costs; how near it comes to light at every pixel, a test says."""
    plain, there = Renderer(scene.shot(), scene.pyramids()), Renderer(lighted(), scene.pyramids())
    took = interleaved({"plain": lambda _: plain.yuv(0), "lit": lambda _: there.yuv(0)}, ROUNDS)
    ratio = took["lit"] / took["plain"]
    return [Figure("three lamps on five cards, plain frames", ratio, "x", 2.0)]
