"""Points joined by threads, in the wind: the kernels that move cloth on.

Extended position-based dynamics with small steps: Macklin, Mueller and Chentanez, XPBD, 2016;
Macklin and others, Small Steps in Physics Simulation, 2019: one pass over the threads a step, many
steps a frame. Threads that reach from each point to the nearest held one, and only pull, keep it
from stretching: Kim, Chentanez and Mueller-Fischer, Long Range Attachments, 2012.

The order of all sums is fixed, so the same cloth moves the same every time.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from vistaline.core.looks.obstacles import keep_out

__all__ = ["moved"]

GRAVITY = 9.80665
"""m/s^2: standard gravity, CGPM 1901."""
_SLANT = 1e-4
"""m/N: how much a cell's diagonals give; cloth shears more easily than it stretches."""
_FASTEST = 200.0
"""m/s: no point is moved faster by a step."""


@njit(cache=True, nogil=True)
def moved(  # type: ignore[no-untyped-def]
    place, speed, held, rest, reach, anchors, mass, time, step, steps, bend, damping, wall, thing,
    wind, swirls, gusts, air, waves,
):  # fmt: skip
    """Move points (rows, columns, 3) on by ``steps`` of ``step`` seconds, in place.

    ``reach``, ``anchors``: how far each may be from which held point (rows, columns, 2), or
    reach below 0; ``mass`` kg a point; ``bend``: compliance of threads across two cells in m/N,
    below 0 for none; ``wall``: z it stays before; ``thing``: what it does not go through, see
    :func:`told_obstacle`; ``wind`` (3,) m/s; ``air``: drag in kg/m^3; ``waves``
    (N, 8): where each goes (3), what it pushes (3), its turns a second, and where in its turn it
    begins.
    """
    before, push = np.empty_like(place), np.empty_like(place)
    slower = np.exp(-damping * step)
    for n in range(steps):
        push[:] = 0.0
        if air > 0.0:
            _blow(place, speed, push, time + n * step, wind, swirls, gusts, air, waves)
        before[:] = place
        _fall(place, speed, push, held, step, mass)
        _pull(place, held, rest, 1.0 / mass, bend, step)
        _bound(place, held, reach, anchors, wall, thing)
        speed[:] = slower * (place - before) / step


@njit(cache=True, nogil=True)
def _blow(place, speed, push, now, wind, swirls, gusts, air, waves):  # type: ignore[no-untyped-def]
    """Add to ``push`` (N at each point) what the wind does to each cell, by a quarter a corner."""
    gust = 1.0
    for k in range(waves.shape[0]):
        gust += gusts * 0.35 * np.sin(0.9 * waves[k, 6] * now + waves[k, 7])
    gust = max(gust, 0.0)
    strength = np.sqrt(wind[0] ** 2 + wind[1] ** 2 + wind[2] ** 2)
    blow = np.empty(3)
    for i in range(place.shape[0] - 1):
        for j in range(place.shape[1] - 1):
            # The cell's two diagonals: their cross product is twice its area along its normal.
            ax = place[i + 1, j + 1, 0] - place[i, j, 0]
            ay = place[i + 1, j + 1, 1] - place[i, j, 1]
            az = place[i + 1, j + 1, 2] - place[i, j, 2]
            bx = place[i + 1, j, 0] - place[i, j + 1, 0]
            by = place[i + 1, j, 1] - place[i, j + 1, 1]
            bz = place[i + 1, j, 2] - place[i, j + 1, 2]
            nx, ny, nz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
            size = np.sqrt(nx * nx + ny * ny + nz * nz)
            if size < 1e-12:
                continue
            for c in range(3):
                own = speed[i, j, c] + speed[i + 1, j, c]
                own += speed[i, j + 1, c] + speed[i + 1, j + 1, c]
                blow[c] = wind[c] * gust - 0.25 * own
            if swirls > 0.0:
                for k in range(waves.shape[0]):
                    turn = waves[k, 7] + 2 * np.pi * waves[k, 6] * now
                    for c in range(3):
                        turn -= 5.0 * waves[k, c] * place[i, j, c]
                    share = swirls * 0.35 * strength * np.sin(turn)
                    for c in range(3):
                        blow[c] += share * waves[k, 3 + c]
            across = (blow[0] * nx + blow[1] * ny + blow[2] * nz) / size
            # Pressure on what stands across the wind; a little drags along it, too.
            force = 0.5 * air * (0.5 * size)
            press = force * abs(across) * across / size
            drag = 0.04 * force * np.sqrt(blow[0] ** 2 + blow[1] ** 2 + blow[2] ** 2)
            for c in range(3):
                normal = nx if c == 0 else (ny if c == 1 else nz)
                quarter = 0.25 * (press * normal + drag * blow[c])
                push[i, j, c] += quarter
                push[i + 1, j, c] += quarter
                push[i, j + 1, c] += quarter
                push[i + 1, j + 1, c] += quarter


@njit(cache=True, nogil=True)
def _fall(place, speed, push, held, step, mass):  # type: ignore[no-untyped-def]
    """Let what is not held go where its weight, the wind and its own speed take it."""
    for i in range(held.shape[0]):
        for j in range(held.shape[1]):
            if held[i, j]:
                continue
            for c in range(3):
                faster = speed[i, j, c] + step * push[i, j, c] / mass
                if c == 1:
                    faster -= step * GRAVITY
                # However strong the wind, all stays finite.
                faster = min(max(faster, -_FASTEST), _FASTEST)
                place[i, j, c] += step * faster


@njit(cache=True, nogil=True)
def _pull(place, held, rest, inverse, bend, step):  # type: ignore[no-untyped-def]
    """Pull points together by their threads, one after the other, always in the same order."""
    rows, columns = held.shape
    slant, over = _SLANT / (step * step), bend / (step * step)
    for i in range(rows):
        for j in range(columns):
            if j + 1 < columns:
                _thread(place, held, rest, i, j, i, j + 1, inverse, 0.0)
            if i + 1 < rows:
                _thread(place, held, rest, i, j, i + 1, j, inverse, 0.0)
            if i + 1 < rows and j + 1 < columns:
                _thread(place, held, rest, i, j, i + 1, j + 1, inverse, slant)
                _thread(place, held, rest, i, j + 1, i + 1, j, inverse, slant)
            if bend >= 0.0:
                if j + 2 < columns:
                    _thread(place, held, rest, i, j, i, j + 2, inverse, over)
                if i + 2 < rows:
                    _thread(place, held, rest, i, j, i + 2, j, inverse, over)


@njit(cache=True, nogil=True)
def _bound(place, held, reach, anchors, wall, thing):  # type: ignore[no-untyped-def]
    """Keep what is free within its reach of what is held, and before the wall."""
    for i in range(held.shape[0]):
        for j in range(held.shape[1]):
            if held[i, j]:
                continue
            if reach[i, j] > 0.0:
                a, b = anchors[i, j, 0], anchors[i, j, 1]
                dx = place[i, j, 0] - place[a, b, 0]
                dy = place[i, j, 1] - place[a, b, 1]
                dz = place[i, j, 2] - place[a, b, 2]
                far = np.sqrt(dx * dx + dy * dy + dz * dz)
                if far > reach[i, j]:
                    share = reach[i, j] / far
                    place[i, j, 0] = place[a, b, 0] + dx * share
                    place[i, j, 1] = place[a, b, 1] + dy * share
                    place[i, j, 2] = place[a, b, 2] + dz * share
            place[i, j, 2] = max(place[i, j, 2], wall)
            if len(thing):
                x, y, z = keep_out(thing, place[i, j, 0], place[i, j, 1], place[i, j, 2])
                place[i, j, 0], place[i, j, 1], place[i, j, 2] = x, y, z


@njit(cache=True, nogil=True)
def _thread(place, held, rest, i, j, k, m, inverse, soft):  # type: ignore[no-untyped-def]
    """Pull two points to the distance that they have at rest, ``soft`` by compliance / step^2."""
    first = 0.0 if held[i, j] else inverse
    second = 0.0 if held[k, m] else inverse
    if first + second == 0.0:
        return
    dx = place[k, m, 0] - place[i, j, 0]
    dy = place[k, m, 1] - place[i, j, 1]
    dz = place[k, m, 2] - place[i, j, 2]
    rx = rest[k, m, 0] - rest[i, j, 0]
    ry = rest[k, m, 1] - rest[i, j, 1]
    far, own = np.sqrt(dx * dx + dy * dy + dz * dz), np.sqrt(rx * rx + ry * ry)
    if far < 1e-12:
        return
    by = (far - own) / (first + second + soft) / far
    place[i, j, 0] += first * by * dx
    place[i, j, 1] += first * by * dy
    place[i, j, 2] += first * by * dz
    place[k, m, 0] -= second * by * dx
    place[k, m, 1] -= second * by * dy
    place[k, m, 2] -= second * by * dz
