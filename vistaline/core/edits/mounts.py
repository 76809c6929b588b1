"""The edits of mounts, and of what rides on them. Riding on or off moves nothing."""

from __future__ import annotations

from typing import Annotated, Any

import numpy as np
from pydantic import Field

from vistaline.core.edits.dressing import with_dress
from vistaline.core.edits.lamps import with_lamp
from vistaline.core.edits.registry import REGISTRY, on_stage, with_layers, without_rows
from vistaline.core.errors import EditError
from vistaline.core.geometry import space
from vistaline.core.shot.dressing import DRESSINGS, Dressing, Riding, row_name
from vistaline.core.shot.mounts import FOLLOWS, Follow, Mount, Ride, Standing, carry_of, standing_of
from vistaline.core.shot.route import Framing, Route
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.cards import put
from vistaline.core.stage.placing import stage_card
from vistaline.core.stage.sheet import PlanView, lifted

__all__ = ["riders_of"]

verb = REGISTRY.verb
CAMERA = "camera"


@verb("add mount")
def add_mount(shot: Shot, *, layers: list[str] | None = None, name: str = "") -> Shot:
    """Add a mount in the middle of some layers, which ride on it at once; or before the camera."""
    riders = [on_stage(shot, key) for key in layers or ()]
    if riders:
        middles = [stage_card(shot, each).world_from_card[:3, 3] for each in riders]
        x, y, z = np.mean(middles, axis=0).tolist()
    else:
        distances = sorted(each.distance for each in shot.layers if not each.is_backdrop)
        x, y, z = 0.0, 0.0, -(distances[len(distances) // 2] if distances else 2.0)
    taken = {mount.id for mount in shot.mounts}
    n = next(n for n in range(1, len(taken) + 2) if f"m{n}" not in taken)
    mount = Mount(id=f"m{n}", name=name.strip() or f"Mount {n}", position=(x, y, z))
    shot = shot.evolve(mounts=(*shot.mounts, mount))
    for layer in riders:
        shot = ride_on(shot, rider=f"layer:{layer.id}", mount=mount.id)
    return shot


@verb("change mount")
def set_mount(
    shot: Shot,
    *,
    mount: str,
    name: str | None = None,
    across: float | None = None,
    up: float | None = None,
    forward: float | None = None,
    pan: float | None = None,
    tilt: float | None = None,
    roll: float | None = None,
    percent: Annotated[float, Field(gt=0, le=1e6)] | None = None,
) -> Shot:
    """Set where a mount stands (metres), how it is turned (degrees), its size in percent."""
    found = shot.mount(mount)
    x, y, z = found.position
    values = {
        "name": name.strip() if name and name.strip() else None,
        "pan": pan,
        "tilt": tilt,
        "roll": roll,
        "scale": None if percent is None else percent / 100,
    }
    position = (
        x if across is None else across,
        y if up is None else up,
        z if forward is None else -forward,
    )
    changes = {key: value for key, value in values.items() if value is not None}
    return _with_mount(shot, found.evolve(position=position, **changes))


@verb("move mount")
def drag_mount(
    shot: Shot, *, mount: str, dx: float, dy: float, view: PlanView = PlanView.ABOVE
) -> Shot:
    """Move a mount on the plan by metres of the sheet; what rides on it comes too."""
    found = shot.mount(mount)
    way = lifted(dx, dy, view)
    carry = carry_of(found.ride, shot.mounts)
    if carry.moves:
        way = carry.turn.T @ way / carry.scale
    x, y, z = (np.array(found.position) + way).tolist()
    return _with_mount(shot, found.evolve(position=(x, y, z)))


@verb("remove mount")
def remove_mount(shot: Shot, *, mount: str) -> Shot:
    """Take a mount off the stage; what rode on it stays where it is."""
    shot.mount(mount)
    for rider in riders_of(shot, mount):
        shot = ride_off(shot, rider=rider)
    return shot.with_routes(lambda route: _route_off(route, shot, mount)).evolve(
        mounts=tuple(each for each in shot.mounts if each.id != mount),
        rows=without_rows(shot, [f"mount:{mount}"]),
    )


@verb("ride on a mount")
def ride_on(shot: Shot, *, rider: str, mount: str, follows: list[Follow] | None = None) -> Shot:
    """Let something ride on a mount: ``camera``, ``layer:``, ``lamp:``, ``mount:`` or what is in
    the air, with its id.

    ``follows``: which of the mount's changes it takes part in; left out, all of them. It stays
    where it is seen.
    """
    if follows is not None and not follows:
        raise EditError(
            "A rider must follow something: tick position, rotation or scale, or let it ride off."
        )
    target = shot.mount(mount)
    kind, _, key = rider.partition(":")
    if kind == "mount":
        _must_not_circle(shot, shot.mount(key), target)
    shot = ride_off(shot, rider=rider)
    since = Standing(**_standing_values(standing_of(shot.mount(mount), shot.mounts)))
    chosen = tuple(each for each in FOLLOWS if follows is None or each in follows)
    ride = Ride(on=mount, follows=chosen, since=since)
    if kind == CAMERA:
        return shot.with_camera(route=shot.route.evolve(ride=ride))
    if kind == "mount":
        return _with_mount(shot, shot.mount(key).evolve(ride=ride))
    if kind == "lamp":
        if shot.lamp(key).with_camera:
            raise EditError(f"{shot.lamp(key).name} travels with the camera. Let it stay first.")
        if shot.lamp(key).rides_with:
            raise EditError(f"{shot.lamp(key).name} travels with a layer. Let it stay first.")
        return with_lamp(shot, shot.lamp(key).evolve(ride=ride))
    if kind in DRESSINGS:
        thing = shot.dress(rider)
        if not isinstance(thing, Riding):
            raise EditError(f"{thing.name} has no place that could ride on anything.")
        return with_dress(shot, thing.evolve(ride=ride))
    return with_layers(shot, [on_stage(shot, key).evolve(ride=ride)])


@verb("ride off")
def ride_off(shot: Shot, *, rider: str) -> Shot:
    """Take something off what it rides on; it stays where it is seen."""
    kind, _, key = rider.partition(":")
    if kind == CAMERA:
        return shot.with_camera(route=_route_off(shot.route, shot))
    if kind == "mount":
        mount = shot.mount(key)
        if mount.ride is None:
            return shot
        values = _standing_values(standing_of(mount, shot.mounts))
        return _with_mount(shot, mount.evolve(ride=None, **values))
    if kind == "lamp":
        lamp = shot.lamp(key)
        pose = carry_of(lamp.ride, shot.mounts).pose(space.pose(lamp.position, lamp.pan, lamp.tilt))
        pan, tilt, _ = space.angles_of(pose[:3, :3])
        x, y, z = pose[:3, 3].tolist()
        return with_lamp(shot, lamp.evolve(ride=None, position=(x, y, z), pan=pan, tilt=tilt))
    if kind in DRESSINGS:
        thing = shot.dress(rider)
        if not isinstance(thing, Riding) or thing.ride is None:
            return shot
        angles = (getattr(thing, name, 0.0) for name in ("pan", "tilt"))
        pose = carry_of(thing.ride, shot.mounts).pose(space.pose(thing.position, *angles))
        pan, tilt, _ = space.angles_of(pose[:3, :3])
        x, y, z = pose[:3, 3].tolist()
        turned = {"pan": pan, "tilt": tilt} if hasattr(thing, "pan") else {}
        return with_dress(shot, thing.evolve(ride=None, position=(x, y, z), **turned))
    if kind != "layer":
        raise EditError(f"{rider!r} is nothing that rides. Reload the page.")
    layer = on_stage(shot, key)
    if layer.ride is None:
        return shot
    carry = carry_of(layer.ride, shot.mounts)
    pose = stage_card(shot, layer).world_from_card
    return with_layers(shot, [put(shot, layer.evolve(ride=None), pose, float(carry.scale))])


def riders_of(shot: Shot, mount: str) -> list[str]:
    """Return what rides on a mount, as ``ride_on`` names riders."""
    return [
        *([CAMERA] if shot.route.ride and shot.route.ride.on == mount else []),
        *(f"mount:{m.id}" for m in shot.mounts if m.ride and m.ride.on == mount),
        *(f"layer:{x.id}" for x in shot.layers if x.ride and x.ride.on == mount),
        *(f"lamp:{x.id}" for x in shot.lamps if x.ride and x.ride.on == mount),
        *(row_name(x) for x in shot.dressing if _on(x, mount)),
    ]


def _on(thing: Dressing, mount: str) -> bool:
    return isinstance(thing, Riding) and thing.ride is not None and thing.ride.on == mount


def _with_mount(shot: Shot, mount: Mount) -> Shot:
    return shot.evolve(mounts=tuple(mount if each.id == mount.id else each for each in shot.mounts))


def _standing_values(standing: Standing) -> dict[str, Any]:
    return {name: getattr(standing, name) for name in Standing.model_fields}


def _must_not_circle(shot: Shot, rider: Mount, target: Mount) -> None:
    chain = [target]
    while chain[-1].id != rider.id:
        above = chain[-1].ride
        if above is None:
            return
        chain.append(shot.mount(above.on))
    if len(chain) == 1:
        raise EditError(f"{rider.name} cannot ride on itself. Choose another mount.")
    through = " and so on ".join(each.name for each in chain[1:])
    raise EditError(
        f"{rider.name} cannot ride on {target.name}, which rides on {through}. "
        f"Let {target.name} ride off first."
    )


def _route_off(route: Route, shot: Shot, mount: str | None = None) -> Route:
    """Return a route off what it rides on, if that is ``mount`` or whatever it is."""
    if route.ride is None or mount not in (None, route.ride.on):
        return route
    carry = carry_of(route.ride, shot.mounts)

    def carried(framing: Framing) -> Framing:
        own = framing.pan, framing.tilt, framing.roll
        pose = carry.pose(space.pose(framing.position, *own))
        # Whole turns are lost in a matrix; a route that goes round keeps them.
        turned = [
            found + 360 * round((before - found) / 360)
            for before, found in zip(own, space.angles_of(pose[:3, :3]), strict=True)
        ]
        x, y, z = pose[:3, 3].tolist()
        return framing.evolve(position=(x, y, z), pan=turned[0], tilt=turned[1], roll=turned[2])

    framings = tuple(carried(framing) for framing in route.framings)
    return route.evolve(framings=framings, ride=None)
