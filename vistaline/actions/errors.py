"""Refusals that are not about pictures or shots themselves; those come from core."""

from __future__ import annotations

__all__ = ["ActionError", "Conflict", "NotFound", "Refused"]


class ActionError(Exception):
    """A refusal with a sentence a person can act on."""


class NotFound(ActionError):
    """It does not exist, or this person may not know that it does."""


class Conflict(ActionError):
    """Somebody changed it meanwhile."""


class Refused(ActionError):
    """It cannot be done as asked."""
