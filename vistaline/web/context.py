"""What every view needs: the database session of the request, the library, the queue."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from flask import current_app, g, request
from flask_login import current_user
from sqlalchemy.orm import Session, sessionmaker
from werkzeug.datastructures import FileStorage

from vistaline.actions.errors import Refused
from vistaline.actions.pictures import Library
from vistaline.actions.queue import Queue
from vistaline.core.delivery.foretold import Cost
from vistaline.core.foresight.overscan import Overscan
from vistaline.core.kept import Kept
from vistaline.core.prepare.step import Prepared

__all__ = [
    "Services",
    "close_session",
    "person_id",
    "say",
    "say_if_delayed",
    "sent_file",
    "services",
    "session",
]


@dataclass(frozen=True)
class KeptAnswers:
    """What views compute once and keep, under a key that says all it was computed from."""

    findings: Kept[list[str]] = field(default_factory=lambda: Kept("findings"))
    """By a shot and its version: what to look at."""
    overscans: Kept[Overscan | None] = field(default_factory=lambda: Kept("overscans"))
    """By a shot and its version: what covers the edges of all its frames."""
    expected: Kept[dict[str, float]] = field(default_factory=lambda: Kept("expected seconds"))
    """By a shot and its version: about how long a frame takes in each quality."""
    costs: Kept[list[Cost] | None] = field(default_factory=lambda: Kept("costs of frames"))
    """By a shot, its version, outputs and their options: how large small frames of it are."""
    prepared: Kept[Prepared] = field(default_factory=lambda: Kept("prepared"))
    """By a picture's file and the steps: a small copy after them."""


@dataclass(frozen=True)
class Services:
    """Opened once for the application."""

    sessions: sessionmaker[Session]
    library: Library
    queue: Queue
    kept: KeptAnswers = field(default_factory=KeptAnswers)


def services() -> Services:
    """Return the application's services."""
    found: Services = current_app.extensions["vistaline"]
    return found


def session() -> Session:
    """Return the session of this request; views commit, whatever is not committed is dropped."""
    if "session" not in g:
        g.session = services().sessions()
    opened: Session = g.session
    return opened


def say(words: str) -> None:
    """Tell the person something beside the answer; plain ASCII, as it goes in a header."""
    g.said = words


def say_if_delayed(announced: bool) -> None:
    """Say that what was kept begins later, if the workers could not be told of it."""
    if not announced:
        say("Kept. The workers cannot be reached just now; it begins by itself when they can.")


def sent_file(name: str) -> FileStorage:
    """Return the file that was sent as a picture, a package, a clip.

    Raises
    ------
    Refused
        None was.
    """
    file = request.files.get(name)
    if file is None or not file.filename:
        raise Refused(f"No file was sent. Choose a {name} first.")
    return file


def person_id() -> int:
    """Return who is signed in."""
    return int(current_user.id)


def close_session(_: Any = None) -> None:
    """End the request's session."""
    opened: Session | None = g.pop("session", None)
    if opened is not None:
        opened.close()
