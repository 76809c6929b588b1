"""The same frames by other means: skia on the processor, OpenGL on Mesa's software driver."""

from __future__ import annotations

import moderngl
import numpy as np
import skia

from bench import scene
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.stage.evaluate import FrameState

_VERTEX = """
#version 330
uniform mat3 image_from_unit; uniform vec2 frame; in vec2 unit; out vec2 place;
void main() {
    vec3 p = image_from_unit * vec3(unit, 1.0);
    gl_Position = vec4(p.x * 2.0 / frame.x - p.z, p.y * 2.0 / frame.y - p.z, 0.0, p.z);
    place = unit;
}"""
_POINT_VERTEX = """
#version 330
uniform vec2 frame; in vec4 there; in vec4 hue; out vec4 light;
void main() {
    gl_Position = vec4(there.xy / frame * 2.0 - 1.0, 0.0, 1.0);
    gl_PointSize = max(2.0 * there.z, 1.0);
    light = hue;
}"""
_POINT_FRAGMENT = """
#version 330
in vec4 light; out vec4 colour;
void main() {
    float away = length(gl_PointCoord - 0.5) * 2.0;
    colour = light * smoothstep(1.0, 0.0, away);
}"""
_FRAGMENT = """
#version 330
uniform sampler2D picture; in vec2 place; out vec4 colour;
void main() { colour = texture(picture, place); }"""


class SoftwareGl:
    """Trilinear RGBA8 quads in painter's order and the read-back, on Mesa's software driver."""

    def __init__(self, states: list[FrameState], pyramids: dict[str, Pyramid]) -> None:
        self.states = states
        self.context = moderngl.create_context(standalone=True, backend="egl", require=330)
        self.renderer = self.context.info["GL_RENDERER"]
        program = self.context.program(vertex_shader=_VERTEX, fragment_shader=_FRAGMENT)
        self.program = program
        units = np.array([[0, 0], [1, 0], [0, 1], [1, 1]], "f4")
        self.quad = self.context.vertex_array(program, self.context.buffer(units), "unit")
        self.target = self.context.framebuffer([self.context.texture(scene.FRAME, 4)])
        self.textures = {}
        for key, pyramid in pyramids.items():
            codes = scene.straight_codes(pyramid)
            texture = self.context.texture((pyramid.width, pyramid.height), 4, codes.tobytes())
            texture.build_mipmaps()
            texture.filter = (moderngl.LINEAR_MIPMAP_LINEAR, moderngl.LINEAR)
            self.textures[key] = texture
        program["frame"] = scene.FRAME
        self.context.enable(moderngl.BLEND)
        self.context.blend_func = (moderngl.ONE, moderngl.ONE_MINUS_SRC_ALPHA)

    def __call__(self, n: int) -> bytes:
        state = self.states[n % len(self.states)]
        self.target.use()
        self.context.clear()
        for i in state.order:
            card = state.cards[i]
            matrix = card.image_from_unit(state.camera).astype("f4")
            self.program["image_from_unit"].write(matrix.T.tobytes())
            self.textures[card.layer.picture].use()
            self.quad.render(moderngl.TRIANGLE_STRIP)
        return self.target.read(components=4)


class SoftwareGlPoints(SoftwareGl):
    """Soft round points alone, one for each particle, and the read-back."""

    def __init__(
        self, states: list[FrameState], pyramids: dict[str, Pyramid], drawn: np.ndarray
    ) -> None:
        """``drawn``: see ``stage.sprites.Sprites``."""
        super().__init__(states, pyramids)
        self.context.enable(moderngl.PROGRAM_POINT_SIZE)
        shaders = {"vertex_shader": _POINT_VERTEX, "fragment_shader": _POINT_FRAGMENT}
        program = self.context.program(**shaders)
        program["frame"] = scene.FRAME
        hue = np.column_stack([drawn[:, 6:9] / 65535, np.ones(len(drawn))]) * drawn[:, 9:10]
        told = np.column_stack([drawn[:, :2], drawn[:, 4], drawn[:, 4], hue]).astype("f4")
        data = self.context.buffer(np.ascontiguousarray(told))
        self.points = self.context.vertex_array(program, [(data, "4f 4f", "there", "hue")])
        self.count = len(drawn)

    def __call__(self, n: int) -> bytes:
        self.target.use()
        self.context.clear()
        self.points.render(moderngl.POINTS, vertices=self.count)
        return self.target.read(components=4)


class Skia:
    """The same quads as images with perspective matrices, linear with mipmaps."""

    def __init__(self) -> None:
        self.surface = skia.Surface(*scene.FRAME)
        self.images = {
            key: skia.Image.fromarray(
                scene.straight_codes(pyramid),
                colorType=skia.kRGBA_8888_ColorType,
            ).withDefaultMipmaps()
            for key, pyramid in scene.pyramids().items()
        }
        self.sampling = skia.SamplingOptions(skia.FilterMode.kLinear, skia.MipmapMode.kLinear)

    def __call__(self, n: int) -> np.ndarray:
        state = scene.states()[n % scene.FRAMES]
        canvas = self.surface.getCanvas()
        canvas.clear(skia.ColorBLACK)
        unit_from_texel = np.diag([1 / scene.SIZE[0], 1 / scene.SIZE[1], 1])
        for i in state.order:
            card = state.cards[i]
            matrix = card.image_from_unit(state.camera) @ unit_from_texel
            canvas.save()
            canvas.concat(skia.Matrix((matrix / matrix[2, 2]).ravel().tolist()))
            canvas.drawImage(self.images[card.layer.picture], 0, 0, self.sampling)
            canvas.restore()
        pixels: np.ndarray = self.surface.toarray(colorType=skia.kRGBA_8888_ColorType)
        return pixels
