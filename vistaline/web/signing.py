"""Signing in and out."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlsplit

from flask import Blueprint, redirect, render_template, request, url_for
from flask_limiter import Limiter
from flask_limiter.util import get_remote_address
from flask_login import UserMixin, current_user, login_required, login_user, logout_user

from vistaline.actions import people
from vistaline.store.models import Person
from vistaline.web.context import session

__all__ = ["SignedIn", "blueprint", "limiter"]

blueprint = Blueprint("signing", __name__)
limiter = Limiter(get_remote_address)


class SignedIn(UserMixin):
    """What Flask-Login keeps of a person."""

    def __init__(self, person: Person) -> None:
        self.id = person.id
        self.name = person.name


def _tried_name() -> str:
    return f"{get_remote_address()}:{request.form.get('name', '')[:80].lower()}"


@blueprint.route("/sign-in", methods=["GET", "POST"])
@limiter.limit("10 per minute", key_func=_tried_name, methods=["POST"])
@limiter.limit("60 per minute", methods=["POST"])
def sign_in() -> Any:
    """Show the form; let in who knows the password."""
    if request.method == "GET":
        if current_user.is_authenticated:
            return redirect(url_for("projects.index"))
        return render_template("page/sign_in.html")
    name = request.form.get("name", "")
    person = people.sign_in(session(), name, request.form.get("password", ""))
    if person is None:
        message = "Name and password do not belong together. Check both."
        return render_template("page/sign_in.html", name=name, message=message), 422
    session().commit()
    login_user(SignedIn(person), remember=bool(request.form.get("remember")))
    return redirect(_safe(request.args.get("next")))


@blueprint.post("/sign-out")
@login_required
def sign_out() -> Any:
    """End the visit."""
    logout_user()
    return redirect(url_for("signing.sign_in"))


def _safe(target: str | None) -> str:
    """Return a way back within this site."""
    parts = urlsplit(target or "")
    if target and not parts.scheme and not parts.netloc and target.startswith("/"):
        return target
    return url_for("projects.index")
