"""What every bench with a versioned document shares: a form's values, its version, the answer."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any, TypedDict

from flask import Response, redirect, request, send_file

from vistaline.actions.errors import Refused
from vistaline.actions.history import Change
from vistaline.store.models import Revised
from vistaline.web.context import person_id, session

__all__ = ["arguments", "asked", "change_asked_for", "changed", "playhead", "send_kept"]


class Playhead(TypedDict):
    """What an edit of a shot is told besides its values; see :func:`vistaline.core.edits.apply`."""

    at: int
    auto_key: bool


_FLAGS = {
    "hidden", "locked", "edge_care", "takes_away", "invert", "backdrop", "add",
    "known", "remove", "none", "shadow", "shift", "at_playhead",
}  # fmt: skip
_MAY_BE_EMPTY = ("name", "camera")
_LISTS = ("layers", "follows", "casts", "takes")


def arguments() -> dict[str, Any]:
    """Return the form's values; an empty field means: leave as it is."""
    form: dict[str, Any] = {
        key: value for key, value in request.form.items() if value != "" or key in _MAY_BE_EMPTY
    }
    for key in ("csrf_token", "version", "playhead", "auto_key"):
        form.pop(key, None)
    # A box that is not ticked sends nothing; its form says that it was there.
    for flag in request.form.getlist("flags"):
        form.setdefault(flag, "false")
    form.pop("flags", None)
    for name in _LISTS:
        if name in request.form:
            form[name] = [each for each in request.form.getlist(name) if each]
    return {key: value == "true" if key in _FLAGS else value for key, value in form.items()}


def playhead() -> Playhead:
    """Return where an edit is made in time, and whether it sets keys there."""
    form = request.form
    return {
        "at": form.get("playhead", 0, type=int),
        "auto_key": form.get("auto_key") == "true",
    }


class Asked(TypedDict):
    """What an edit is made against, and what it is called; see ``actions.history``."""

    version: int
    key: str


def asked() -> Asked:
    """Return which version of its document an edit is for, and the edit's own key."""
    found = request.form.get("version", type=int)
    if found is None:
        raise Refused("The edit does not say which version it is for. Reload the page.")
    return {"version": found, "key": request.headers.get("X-Edit-Key", "")[:40]}


def change_asked_for() -> Change:
    """Return the change that the request asks for, by whom, and against which version."""
    return Change(**asked(), person_id=person_id())


def changed(event: str, row: Revised, otherwise: str, **more: Any) -> Any:
    """Commit, and say which version was reached: as ``event``, or by going back to the page.

    ``more`` is said with it.
    """
    session().commit()
    said = {"version": row.version, **more}
    if request.headers.get("HX-Request") or request.accept_mimetypes.best == "application/json":
        trigger = json.dumps({event: said})
        return said, 200, {"HX-Trigger": trigger, "HX-Reswap": "none"}
    return redirect(request.referrer or otherwise)


def send_kept(path: Path, mimetype: str = "image/webp") -> Response:
    """Send a file whose content never changes under its address, for the browser to keep."""
    response = send_file(path, mimetype=mimetype, conditional=True)
    response.cache_control.private = True
    response.cache_control.max_age = 86400
    return response
