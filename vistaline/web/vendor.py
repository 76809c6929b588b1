"""Scripts, styles and fonts of others, from the npm packages that set-up installed."""

from __future__ import annotations

from pathlib import Path

from flask import Blueprint, Response, abort, send_from_directory

__all__ = ["blueprint"]

blueprint = Blueprint("vendor", __name__, url_prefix="/vendor")

_PACKAGES = Path(__file__).parents[2] / "node_modules"
_FONT = "@fontsource-variable/source-sans-3/files/source-sans-3"
_FILES = {
    "bootstrap.css": "bootstrap/dist/css/bootstrap.min.css",
    "htmx.js": "htmx.org/dist/htmx.min.js",
    "three.module.js": "three/build/three.module.js",
    "three.core.js": "three/build/three.core.js",
    "text.woff2": f"{_FONT}-latin-wght-normal.woff2",
    "text-ext.woff2": f"{_FONT}-latin-ext-wght-normal.woff2",
}


@blueprint.get("/<name>")
def file(name: str) -> Response:
    """Send one of the listed files."""
    if name not in _FILES:
        abort(404)
    return send_from_directory(_PACKAGES, _FILES[name], max_age=86400)
