"""How the servers are, for whoever watches over a machine: ``/healthz`` and ``/readyz``."""

from __future__ import annotations

import json
import os
import resource
import shutil
import time
from pathlib import Path
from typing import Any

import redis
from flask import Blueprint, Response, current_app, g, request
from sqlalchemy import text
from sqlalchemy.exc import SQLAlchemyError

from vistaline.actions.measures import REQUESTS
from vistaline.core.kept import held
from vistaline.web.context import services

__all__ = ["blueprint"]

blueprint = Blueprint("health", __name__)

_LEAST_FREE = 200_000_000
"""Bytes; with less on the disk hardly a picture can be kept."""


@blueprint.get("/healthz")
def healthz() -> Any:
    """Answer 200 if all is well, else 503; either way with what was found, as JSON."""
    free = shutil.disk_usage(services().library.files.root).free
    told = {
        "database": _database(),
        "queue": _queue(),
        "processes": _processes(),
        "disk": {"ok": free >= _LEAST_FREE, "free": free},
    }
    parts = [*told["processes"].values(), *(told[name] for name in ("database", "queue", "disk"))]
    well = all(part["ok"] for part in parts)
    caches = held()
    memory = {
        "peak": 1024 * resource.getrusage(resource.RUSAGE_SELF).ru_maxrss,
        "private": private_bytes(),
        "caches": caches,
        "cached": sum(caches.values()),
        "pyramids_open": services().library.pyramids_open,
        "descriptors": len(os.listdir("/proc/self/fd")),
    }
    return {"ok": well, **told, "memory": memory}, 200 if well else 503


@blueprint.get("/readyz")
def readyz() -> Any:
    """Answer 200 if requests can be served: database, queue and files answer; else 503."""
    told = {"database": _database(), "queue": _queue(), "files": _files()}
    ready = all(part["ok"] for part in told.values())
    return {"ok": ready, **told}, 200 if ready else 503


@blueprint.before_app_request
def _begun() -> None:
    g.begun = time.perf_counter()


@blueprint.after_app_request
def _ended(response: Response) -> Response:
    # By the view, not by the address: there are as many addresses as shots.
    told = (request.method, request.endpoint or "none", str(response.status_code))
    REQUESTS.labels(*told).observe(time.perf_counter() - g.get("begun", time.perf_counter()))
    return response


def private_bytes() -> int:
    """Return the bytes of memory this process has for itself alone (Linux)."""
    rollup = Path("/proc/self/smaps_rollup").read_text().splitlines()
    kilobytes = [int(line.split()[1]) for line in rollup if line.startswith("Private_")]
    return 1024 * sum(kilobytes)


def _database() -> dict[str, Any]:
    try:
        with services().sessions() as session:
            session.execute(text("SELECT 1"))
    except SQLAlchemyError as error:
        return {"ok": False, "why": type(error).__name__}
    return {"ok": True}


def _queue() -> dict[str, Any]:
    client = redis.Redis.from_url(
        current_app.config["RATELIMIT_STORAGE_URI"], socket_connect_timeout=1, socket_timeout=2
    )
    try:
        client.ping()
    except redis.exceptions.RedisError as error:
        return {"ok": False, "why": type(error).__name__}
    finally:
        client.close()
    return {"ok": True}


def _files() -> dict[str, Any]:
    try:
        services().library.files.check()
    except OSError as error:
        return {"ok": False, "why": type(error).__name__}
    return {"ok": True}


def _processes() -> dict[str, dict[str, Any]]:
    """Return how those are that the start command watches, as it tells them in a file."""
    try:
        told = json.loads(Path(os.environ["VISTALINE_STATUS"]).read_text())
    except (KeyError, OSError, ValueError):
        return {}  # started in another way: nobody watches
    return {
        name: {
            "ok": bool(found["runs"]) and Path(f"/proc/{found['pid']}").exists(),
            "restarts": found["restarts"],
        }
        for name, found in told.items()
    }
