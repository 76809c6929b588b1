"""A shot as another of its takes shows it, or as one of its cameras sees it throughout."""

from __future__ import annotations

from collections.abc import Iterable

from vistaline.core.errors import RenderError
from vistaline.core.shot.cameras import Cut
from vistaline.core.shot.shot import Shot

__all__ = ["shot_as"]


def shot_as(shot: Shot, *, take: str = "", camera: str = "") -> Shot:
    """Return the shot with a take as the route, or seen by one camera throughout.

    ``take`` is a take's name, ``camera`` a camera's; "" leaves the route, or the cuts, as they are.

    Raises
    ------
    RenderError
        There is no such take or camera; the sentence names those there are.
    """
    if take:
        routes = {each.name: each.route for each in shot.takes}
        if take not in routes:
            raise RenderError(f"There is no take {take!r}. There are: {_listed(routes)}.")
        directed = shot.camera.evolve(route=routes[take])
        cameras = tuple(directed if each.id == directed.id else each for each in shot.cameras)
        shot = shot.evolve(cameras=cameras)
    if camera:
        ids = {each.name: each.id for each in shot.cameras}
        if camera not in ids:
            raise RenderError(f"There is no camera {camera!r}. There are: {_listed(ids)}.")
        shot = shot.evolve(cuts=(Cut(frame=0, camera=ids[camera]),))
    return shot


def _listed(names: Iterable[str]) -> str:
    return ", ".join(names) or "none"
