"""What an edit added to a shot, so that it can be chosen at once."""

from __future__ import annotations

from vistaline.core.shot.dressing import row_name
from vistaline.core.shot.shot import Shot

__all__ = ["made_by"]


def made_by(before: Shot, after: Shot) -> dict[str, object]:
    """Return what is new in ``after``: layers, a mount, a lamp (ids), a thing in the
    air (as rows call it), a framing (its index), a layout (its first layer, and a ``frame`` in
    which all of it is there).

    Only kinds of which something is new are there; with several new framings, the last.
    """
    found: dict[str, object] = {}
    layers = {each.id for each in before.layers}
    if new := [each.id for each in after.layers if each.id not in layers]:
        found["layers"] = new
    mounts = {each.id for each in before.mounts}
    if new := [each.id for each in after.mounts if each.id not in mounts]:
        found["mount"] = new[-1]
    lamps = {each.id for each in before.lamps}
    if new := [each.id for each in after.lamps if each.id not in lamps]:
        found["lamp"] = new[0]  # what else comes with the first goes without saying
    things = {row_name(each) for each in before.dressing}
    if new := [row_name(each) for each in after.dressing if row_name(each) not in things]:
        found["thing"] = new[-1]
    called = {each.id for each in before.callouts}
    if new := [each.label for each in after.callouts if each.id not in called]:
        found["layers"] = new[-1:]  # its line and its mark are found from there
    laid = {each.id for each in before.layouts}
    if new_layouts := [each for each in after.layouts if each.id not in laid]:
        layout = new_layouts[-1]
        found |= {"layout": layout.layers[0], "frame": layout.complete}
    # New framings come in one run, and may shift those after them in time.
    old, now = ([each.evolve(frame=0) for each in shot.route.framings] for shot in (before, after))
    if before.directed == after.directed and len(now) > len(old):
        first = next((n for n, each in enumerate(old) if each != now[n]), len(old))
        found["framing"] = first + len(now) - len(old) - 1
    return found
