"""How a picture was seen: its lens and how the camera was turned, from edges that are parallel.

Edges of one direction in the world meet, in the picture, in a vanishing point; where that lies
tells how the camera was turned, and two of them at right angles tell its lens. A third point on
an edge tells how far the lens bows it. All marks are fitted at once, for lens, turn, bow and
centre, each weighed by how exactly its points were marked: maximum likelihood for normal errors.

Where the lens looked is known to some 3 percent only, and edges tell a little of it: the bow goes
about that point. So it is fitted along, held by what is known; the uncertainties count that.

Hartley and Zisserman, Multiple View Geometry, 2nd ed., ch. 8.6 and 8.8.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import cast

import numpy as np
from numpy.typing import ArrayLike
from scipy.optimize import least_squares

from vistaline.core.arrays import FloatArray, Matrix3
from vistaline.core.errors import PerspectiveError
from vistaline.core.geometry import space
from vistaline.core.geometry.bowing import LIMIT
from vistaline.core.geometry.edges import Direction, Edge
from vistaline.core.geometry.fitting import BOW, CENTRE, FOCAL, TURN, Fit, vanishing_points

__all__ = ["SeenFrom", "recover_camera"]

_NORMAL_95 = 1.959964
_CONTRADICTS = 0.02
"""Edges that miss by more than this share of the picture's longer side tell nothing together."""
_VAGUE = 0.3
"""One standard deviation: a lens known no better than within a factor of 1.8 (or a turn within 34
degrees) with 95 percent is not known."""
_BOW = LIMIT / 2
"""One standard deviation of what bows lenses have: wide, it only holds what marks do not tell."""
_STATED = 4
"""How many misses it takes to tell as much of how exactly edges are marked as is stated."""


@dataclass(frozen=True, kw_only=True, eq=False)
class SeenFrom:
    """The camera a picture was taken with, as far as its edges tell.

    Uncertainties are standard deviations, propagated from how exactly the edges were marked, from
    how far their bow is known, and from where the lens may have looked.
    """

    focal_px: float
    focal_deviation: float
    """Of the focal length, as a share of it."""
    world_from_camera: Matrix3
    rotation_deviation: FloatArray
    """(3,) degrees about the camera's own axes."""
    horizon_deviation: float
    """Pixels, of the horizon's row where the lens looked; inf if it is nowhere near."""
    principal_point: tuple[float, float]
    bow: float | None
    """By how much the lens bows edges, as in ``bowing``; None if no edge has a third point."""
    residuals: FloatArray
    """(N,) pixels: how far each edge's ends lie from its vanishing point's best line, signed."""

    @property
    def angles(self) -> tuple[float, float, float]:
        """Pan, tilt and roll in degrees."""
        return space.angles_of(self.world_from_camera)

    def focal_interval(self) -> tuple[float, float]:
        """Return what contains the focal length (pixels) with 95 percent."""
        reach = math.exp(_NORMAL_95 * self.focal_deviation)
        return self.focal_px / reach, self.focal_px * reach

    def vanishing_point(self, along: Direction) -> FloatArray:
        """Return where edges of a direction meet, homogeneous (3,); the last is 0 at infinity."""
        return vanishing_points(self.world_from_camera, self.focal_px, self.principal_point)[
            along.axis
        ]

    def horizon_at(self, x: float) -> float:
        """Return the picture row (pixels from the top) at which level ground ends, at column x.

        inf if the camera looks straight up or down.
        """
        across, deep = (self.vanishing_point(d) for d in (Direction.ACROSS, Direction.DEEP))
        a, b, c = np.cross(across, deep).tolist()
        return -(a * x + c) / b if abs(b) > 1e-12 * math.hypot(a, b, c) else math.inf

    @property
    def disagreement(self) -> float:
        """Pixels by which edges miss their vanishing points, root mean square."""
        return float(np.sqrt(np.mean(self.residuals**2)))


def recover_camera(
    edges: Sequence[Edge],
    size: tuple[int, int],
    *,
    principal_point: tuple[float, float] | None = None,
    deviation: float = 1.0,
    focal_px: float | None = None,
    level: bool = False,
    free_centre: bool = False,
    off_centre: float = 0.03,
) -> SeenFrom:
    """Return the camera that sees edges of one direction run together as they do.

    Parameters
    ----------
    edges
        Two or more of a direction; two directions, or one if ``focal_px`` is known and the
        camera was held ``level`` (its roll is 0). Those with a third point tell how far the lens
        bows all of them.
    size
        The picture's width and height in pixels.
    principal_point
        Where the lens looks, in pixels; the picture's middle if left out (it was not cropped).
    deviation
        How exactly the edges' points were marked: their standard deviation in pixels.
    focal_px
        The focal length, if it is known.
    free_centre
        The principal point is to be told by the edges, too: it takes all three directions.
    off_centre
        Otherwise, how far from ``principal_point`` the lens may have looked: one standard
        deviation, as a share of the longer side. Common practice for whole photographs, no source.

    Raises
    ------
    PerspectiveError
        The edges do not tell; the sentence says what to mark or to move.
    """
    fit = Fit.begun(
        edges, size, principal_point or (size[0] / 2, size[1] / 2), focal_px, level=level
    )
    if free_centre and len({edge.along for edge in edges}) < 3:
        raise PerspectiveError(
            "Where the lens looked is told by edges of all three directions only. Mark two or "
            "more of the third, or say where it looked."
        )
    bows = any(edge.through for edge in edges)
    moves = free_centre or off_centre > 0
    free = np.array([focal_px is None, *[True] * 3, *[moves] * 2, bows])

    def changed(values: FloatArray) -> FloatArray:
        changes = np.zeros(len(free))
        changes[free] = values
        return changes

    def misses(changes: FloatArray) -> FloatArray:
        roll = [math.radians(space.angles_of(fit.turned(changes))[2]) * 1e6] if level else []
        bow = [(fit.bow + changes[BOW]) / _BOW] if bows else []
        looked: ArrayLike = [] if free_centre or not moves else changes[CENTRE] / off_centre
        return np.concatenate([fit.misses(changes) / deviation, roll, bow, looked])

    found = least_squares(
        lambda values: misses(changed(values)),
        np.zeros(free.sum()),
        x_scale="jac",
        xtol=1e-13,
        ftol=1e-13,
    )
    best = changed(found.x)
    focal, residuals = fit.focal(best), fit.misses(best)[: len(edges)]
    if float(np.sqrt(np.mean(residuals**2))) > max(_CONTRADICTS * max(size), 5 * deviation):
        raise PerspectiveError(
            f"These directions contradict each other: {_worst(edges, residuals)}. Move it, or "
            "mark it as running another way.",
            edge=int(np.abs(residuals).argmax()),
        )
    told = _covariance(found.jac) * _noise(found.fun, free.sum())
    if not 0.1 < focal / max(size) < 60:
        raise PerspectiveError(
            f"These edges would ask for a lens of {focal / max(size) * 36:.3g} mm, which no "
            "picture is taken with. Check that each is marked along its own direction; "
            f"{_worst(edges, residuals)}."
        )
    covariance = np.zeros((len(free), len(free)))
    covariance[np.ix_(free, free)] = told
    spread = np.sqrt(np.diag(covariance))
    if spread[[FOCAL, 1, 2, 3]].max() > _VAGUE:
        raise _vague()
    horizon_deviation = math.inf
    if math.isfinite(fit.horizon(best)):
        slope = _slopes(fit.horizon, best)[0]
        horizon_deviation = float(np.sqrt(slope @ covariance @ slope))
    return SeenFrom(
        focal_px=focal,
        focal_deviation=float(spread[FOCAL]),
        world_from_camera=fit.turned(best),
        rotation_deviation=np.degrees(spread[TURN]),
        horizon_deviation=horizon_deviation,
        principal_point=fit.looked(best),
        bow=fit.bow + float(best[BOW]) if bows else None,
        residuals=residuals,
    )


def _covariance(slopes: FloatArray) -> FloatArray:
    """Return the covariance (N, N) of what misses of deviation 1 tell, by their slopes (M, N)."""
    weights = np.linalg.svd(slopes, compute_uv=False)
    if len(weights) < slopes.shape[1] or weights[-1] < 1e-6 * weights[0]:
        raise _vague()
    return cast(FloatArray, np.linalg.inv(slopes.T @ slopes))


def _vague() -> PerspectiveError:
    return PerspectiveError(
        "These edges run side by side in the picture, so they do not tell the lens. Mark edges "
        "that run away from you, or type the lens.",
        vague=True,
    )


def _noise(misses: FloatArray, free: int) -> float:
    """Return the variance of marks, as a share of the one that was stated.

    What was stated counts as much as ``_STATED`` misses; a scaled inverse chi-squared prior
    (Gelman et al., Bayesian Data Analysis, 3rd ed., ch. 2.6).
    """
    spare = len(misses) - free
    return (_STATED + float(misses @ misses)) / (_STATED + spare)


def _slopes(told: Callable[[FloatArray], FloatArray | float], at: FloatArray) -> FloatArray:
    """Return how what is told (M values, or one) changes with each of ``at`` (N,): (M, N)."""
    step = 1e-6
    columns = [
        (np.atleast_1d(told(at + way)) - np.atleast_1d(told(at - way))) / (2 * step)
        for way in np.eye(len(at)) * step
    ]
    return np.stack(columns, axis=1)


def _worst(edges: Sequence[Edge], misses: FloatArray) -> str:
    n = int(np.abs(misses).argmax())
    return f"edge {n + 1}, marked as running {edges[n].along.value}, fits worst"
