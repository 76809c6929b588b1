"""Rooms: projected planes beside cards, bodies beside them, the whole beside software OpenGL."""

from __future__ import annotations

import time
from typing import Any

import moderngl
import numpy as np

from bench import scene
from bench.figures import Figure, interleaved
from vistaline.core import edits
from vistaline.core.foresight.ahead import look_ahead
from vistaline.core.geometry.bodies import Body, mesh_of
from vistaline.core.render.frame import Renderer
from vistaline.core.shot.document import complete, parse_shot
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.cards import Card
from vistaline.core.stage.evaluate import evaluate

ROUNDS = 31
_CAUGHT: dict[str, Any] = {"picture": "p0", "projection": (0, 0, *scene.SIZE)}


def _shot(layers: list[dict[str, Any]], frames: int = scene.FRAMES, **last: Any) -> Shot:
    document = {
        "vistaline": 1,
        "frame": {"width": scene.FRAME[0], "height": scene.FRAME[1], "duration": frames},
        "taking_camera": {
            "focal_length": 33,
            "width": scene.SIZE[0],
            "height": scene.SIZE[1],
        },
        "pictures": {"p0": {"file": "p0"}},
        "layers": layers,
        "route": {
            "framings": [
                {"frame": 0, "lens": 35},
                {"frame": frames - 1, "lens": 35, "position": [0.1, 0.05, -0.15], **last},
            ]
        },
    }
    return complete(parse_shot(document), {"p0": scene.SIZE})


def room(frames: int = scene.FRAMES) -> Shot:
    """Return floor, ceiling and three walls, two grown planes, a box, a ball and a cylinder."""
    width, height = scene.SIZE
    whole = {"name": "Room", "picture": "p0", "box": [0, 0, width, height], "distance": 9}
    shot = _shot([whole], frames, position=[0.5, 0.2, -0.9], pan=4)
    shot = edits.apply(shot, "set_ground", {"horizon": height / 2, "eye_height": 1.6})
    wall = {"x0": 0.36 * width, "x1": 0.64 * width, "y0": 0.34 * height, "y1": 0.66 * height}
    shot = edits.apply(shot, "project_on_room", wall)
    for layer, side in ((shot.layers[2].id, "left"), (shot.layers[4].id, "top")):
        grow = {"layer": layer, "side": side, "length": 0.4}
        shot = edits.apply(shot, "grow_surface", grow)
    for body, x in (("box", 0.4), ("ball", 0.52), ("cylinder", 0.64)):
        at = {"x0": x * width, "x1": (x + 0.08) * width, "y0": 0.6 * height, "y1": 0.78 * height}
        shot = edits.apply(shot, "add_body", {"body": body, **at})
    return shot


def _filling(**layer: Any) -> Shot:
    return _shot([{"name": "It", **layer}])


def measure() -> list[Figure]:
    """Return costs per pixel beside a card's, the look ahead, and software OpenGL's time."""
    pyramids = {"p0": scene.pyramids()["p0"]}
    wide = {"width": 6.4, "height": 3.6, "distance": 2.9}
    # Each fills the frame, so frames compare as pixels do; all lean alike.
    contenders = {
        "card": _filling(picture="p0", pan=12, **wide),
        "plane": _filling(pan=12, **wide, **_CAUGHT),
        "box": _filling(body="box", depth=2, pan=12, **(wide | {"distance": 3.9}), **_CAUGHT),
        "ball": _filling(body="ball", width=8, height=8, depth=8, distance=6.5, **_CAUGHT),
    }
    renderers = {name: Renderer(each, pyramids) for name, each in contenders.items()}

    def drawn(name: str) -> Any:
        return lambda n: renderers[name].yuv(n % scene.FRAMES)

    times = interleaved({name: drawn(name) for name in contenders}, ROUNDS)
    figures = [Figure("room, a card that fills the frame", times["card"] * 1000, "ms")]
    for name, floor in (("plane", 1.15), ("box", 2.5), ("ball", 2.5)):
        ratio = times[name] / times["card"]
        figures.append(Figure(f"room, projected {name} over a card, per pixel", ratio, "x", floor))
    shot = room()
    renderer, gl = Renderer(shot, pyramids), ProjectedGl(shot)
    both = interleaved({"ours": lambda n: renderer.yuv(n % scene.FRAMES), "gl": gl}, ROUNDS)
    name = gl.renderer.split(",")[0]
    figures += [
        Figure("room of 10 surfaces, ours", both["ours"] * 1000, "ms"),
        Figure(f"room of 10 surfaces, software OpenGL ({name})", both["gl"] * 1000, "ms"),
        Figure("room of 10 surfaces, ours over OpenGL", both["ours"] / both["gl"], "x", 1.0),
    ]
    long = room(240)
    look_ahead(long, pyramids)
    began = time.perf_counter()
    look_ahead(long, pyramids)
    took = time.perf_counter() - began
    figures.append(Figure("look ahead, 10 s of 10 surfaces at 1080p", took, "s", 10.0))
    return figures


_VERTEX = """
#version 330
uniform mat4 clip; uniform mat4 world; uniform mat4x3 projector; in vec3 place; out vec3 caught;
void main() {
    vec4 there = world * vec4(place, 1.0);
    caught = projector * there;
    gl_Position = clip * there;
}"""
_FRAGMENT = """
#version 330
uniform sampler2D picture; in vec3 caught; out vec4 colour;
void main() {
    vec2 at = caught.xy / caught.z;
    if (caught.z <= 0.0 || any(lessThan(at, vec2(0.0))) || any(greaterThan(at, vec2(1.0)))) discard;
    colour = texture(picture, at);
}"""


class ProjectedGl:
    """The same surfaces as triangles with projected texture, a depth buffer and the read-back."""

    def __init__(self, shot: Shot) -> None:
        self.states = evaluate(shot, range(scene.FRAMES))
        self.context = context = moderngl.create_context(
            standalone=True, backend="egl", require=330
        )
        self.renderer = context.info["GL_RENDERER"]
        self.program = context.program(vertex_shader=_VERTEX, fragment_shader=_FRAGMENT)
        self.meshes = {body: self._mesh(*mesh_of(body)) for body in Body}
        flat = np.array([[-1, -1, 0], [1, -1, 0], [1, 1, 0], [-1, 1, 0]], float)
        self.quad = self._mesh(flat, np.array([[0, 1, 2], [0, 2, 3]]))
        self.target = context.framebuffer(
            [context.texture(scene.FRAME, 4)], context.depth_renderbuffer(scene.FRAME)
        )
        pyramid = scene.pyramids()["p0"]
        codes = scene.straight_codes(pyramid)
        self.texture = context.texture((pyramid.width, pyramid.height), 4, codes.tobytes())
        self.texture.build_mipmaps()
        self.texture.filter = (moderngl.LINEAR_MIPMAP_LINEAR, moderngl.LINEAR)
        context.enable(moderngl.DEPTH_TEST)

    def _mesh(self, points: np.ndarray, faces: np.ndarray) -> moderngl.VertexArray:
        buffer = self.context.buffer(points.astype("f4"))
        return self.context.vertex_array(
            self.program, buffer, "place", index_buffer=self.context.buffer(faces.astype("i4"))
        )

    def __call__(self, n: int) -> bytes:
        state = self.states[n % len(self.states)]
        self.target.use()
        self.context.clear()
        self.texture.use()
        self.program["clip"].write(state.camera.clip_from_world.T.astype("f4").tobytes())
        for card in state.cards:
            self._draw(card)
        return self.target.read(components=4)

    def _draw(self, card: Card) -> None:
        half = np.diag([card.width / 2, card.height / 2, card.depth / 2, 1])
        self.program["world"].write((card.world_from_card @ half).T.astype("f4").tobytes())
        assert card.projector is not None
        self.program["projector"].write(card.projector.T.astype("f4").tobytes())
        (self.meshes[card.layer.body] if card.layer.body else self.quad).render()
