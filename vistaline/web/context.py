"""What every view needs: the database session of the request, the library, the queue."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from flask import current_app, g
from flask_login import current_user
from sqlalchemy.orm import Session, sessionmaker

from vistaline.actions.pictures import Library
from vistaline.actions.queue import Queue

__all__ = ["Services", "close_session", "person_id", "services", "session"]


@dataclass(frozen=True)
class Services:
    """Opened once for the application."""

    sessions: sessionmaker[Session]
    library: Library
    queue: Queue


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


def person_id() -> int:
    """Return who is signed in."""
    return int(current_user.id)


def close_session(_: Any = None) -> None:
    """End the request's session."""
    opened: Session | None = g.pop("session", None)
    if opened is not None:
        opened.close()
