"""Who may sign in. Passwords are kept as argon2id hashes."""

from __future__ import annotations

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from sqlalchemy import select
from sqlalchemy.orm import Session

from vistaline.actions.errors import Refused
from vistaline.store.models import Person

__all__ = ["add_person", "sign_in"]

_hasher = PasswordHasher()
# Checked when there is no such person, so that the answer takes as long either way.
_nobody = _hasher.hash("nobody has this password")


def add_person(session: Session, name: str, password: str) -> Person:
    """Let somebody sign in; the name must be new, the password eight characters or more."""
    name = name.strip()
    if not name or len(name) > 80:
        raise Refused("A name has 1 to 80 characters.")
    if len(password) < 8:
        raise Refused("A password has at least 8 characters.")
    if session.scalar(select(Person).where(Person.name == name)):
        raise Refused(f"There is somebody called {name} already. Choose another name.")
    person = Person(name=name, password_hash=_hasher.hash(password))
    session.add(person)
    session.flush()
    return person


def sign_in(session: Session, name: str, password: str) -> Person | None:
    """Return the person if name and password belong together."""
    person = session.scalar(select(Person).where(Person.name == name.strip()))
    try:
        _hasher.verify(person.password_hash if person else _nobody, password)
    except (VerifyMismatchError, InvalidHashError):
        return None
    if person and _hasher.check_needs_rehash(person.password_hash):
        person.password_hash = _hasher.hash(password)
    return person
