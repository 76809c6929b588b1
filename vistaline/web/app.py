"""The Flask application: factory, security headers, errors, sessions."""

from __future__ import annotations

import os
import secrets
from pathlib import Path
from typing import Any

from flask import Flask, Response, g, redirect, render_template, request, url_for
from flask_login import LoginManager
from flask_talisman import Talisman
from flask_wtf.csrf import CSRFError, CSRFProtect
from redis.exceptions import RedisError
from sqlalchemy.exc import InterfaceError, OperationalError, SQLAlchemyError
from sqlalchemy.orm import Session
from werkzeug.exceptions import HTTPException, RequestEntityTooLarge

from vistaline.actions.errors import ActionError, Conflict, NotFound, Refused
from vistaline.actions.pictures import Library
from vistaline.actions.queue import CeleryQueue, Queue, celery_app
from vistaline.core.errors import CoreError, EditError
from vistaline.core.timing import parse_rate, rate_label, time_in, timecode
from vistaline.store.bucket import store_of
from vistaline.store.database import connect
from vistaline.store.files import StoreAway
from vistaline.store.models import Person
from vistaline.store.settings import Settings
from vistaline.web import (
    cloths,
    context,
    depths,
    direct,
    dress,
    film,
    finish,
    health,
    layouts,
    listing,
    output,
    pictures,
    prepare,
    projects,
    renders,
    room,
    separate,
    sheets,
    shots,
    signing,
    stage,
    tasks,
    tiles,
    vendor,
)

__all__ = ["create_app"]

_POLICY = {
    "default-src": "'self'",
    "script-src": "'self'",
    "style-src": "'self'",
    # three.js hands decoded pictures to the graphics card by blob addresses.
    "img-src": ["'self'", "blob:", "data:"],
    "connect-src": ["'self'", "blob:"],
    "object-src": "'none'",
    "base-uri": "'none'",
    "form-action": "'self'",
    "frame-ancestors": "'none'",
}


def create_app(settings: Settings | None = None, *, queue: Queue | None = None) -> Flask:
    """Return the application; ``settings`` come from the environment if not given."""
    settings = settings or Settings.from_environment()
    app = Flask(__name__)
    app.config.update(
        SECRET_KEY=settings.secret_key or secrets.token_hex(32),
        MAX_CONTENT_LENGTH=settings.upload_limit,
        SESSION_COOKIE_HTTPONLY=True,
        SESSION_COOKIE_SAMESITE="Lax",
        SESSION_COOKIE_SECURE=True,
        REMEMBER_COOKIE_SECURE=True,
        REMEMBER_COOKIE_HTTPONLY=True,
        REMEMBER_COOKIE_SAMESITE="Lax",
        DEPTH_SERVICE=settings.depth_service,
        WTF_CSRF_TIME_LIMIT=None,
        WTF_CSRF_SSL_STRICT=False,
        RATELIMIT_STORAGE_URI=settings.redis_url,
        RATELIMIT_HEADERS_ENABLED=True,
        # Without the queue each process counts by itself; nobody is kept out for that.
        RATELIMIT_IN_MEMORY_FALLBACK_ENABLED=True,
        RATELIMIT_STORAGE_OPTIONS={"socket_connect_timeout": 1, "socket_timeout": 2},
    )
    _, sessions = connect(settings.database_url)
    app.extensions["vistaline"] = context.Services(
        sessions=sessions,
        library=Library(store_of(settings)),
        queue=queue or CeleryQueue(celery_app(settings.redis_url)),
    )
    CSRFProtect(app)
    # On loopback there is no TLS to force; cookies are marked secure all the same, as browsers
    # treat loopback as trustworthy.
    Talisman(app, force_https=False, content_security_policy=_POLICY, session_cookie_secure=True)
    _sign_in(app)
    signing.limiter.init_app(app)
    for blueprint in (
        signing.blueprint,
        projects.blueprint,
        pictures.blueprint,
        listing.blueprint,
        tasks.blueprint,
        sheets.blueprint,
        prepare.blueprint,
        separate.blueprint,
        depths.blueprint,
        tiles.blueprint,
        shots.blueprint,
        cloths.blueprint,
        stage.blueprint,
        layouts.blueprint,
        film.blueprint,
        direct.blueprint,
        dress.blueprint,
        finish.blueprint,
        output.blueprint,
        renders.blueprint,
        room.blueprint,
        vendor.blueprint,
        health.blueprint,
    ):
        app.register_blueprint(blueprint)
    app.jinja_env.globals.update(asset=_asset(Path(app.static_folder or "")))
    app.jinja_env.filters.update(
        lasting=_lasting,
        timecode=timecode,
        length_of=time_in,
        rate=rate_label,
        number=_number,
        size=_size,
        about=_about,
        duration=_duration,
    )
    app.teardown_appcontext(context.close_session)
    _errors(app)

    @app.get("/")
    def home() -> Any:
        return redirect(url_for("projects.index"))

    @app.after_request
    def _told(response: Response) -> Response:
        if said := g.get("said"):
            response.headers["X-Notice"] = said
        return response

    @app.after_request
    def _fresh(response: Response) -> Response:
        # Pages and panels hold what may change any moment; pictures say for themselves.
        if response.mimetype in ("text/html", "application/json"):
            response.headers.setdefault("Cache-Control", "no-store")
        return response

    return app


def _sign_in(app: Flask) -> None:
    manager = LoginManager(app)
    manager.login_view = "signing.sign_in"
    manager.login_message = ""

    @manager.user_loader
    def _load(person_id: str) -> signing.SignedIn | None:
        if g.get("database_away"):
            return None  # pages that tell of it ask who is signed in, too
        person = context.session().get(Person, int(person_id))
        return signing.SignedIn(person) if person else None


def _errors(app: Flask) -> None:
    def answer(message: str, status: int, title: str = "That did not work", **more: Any) -> Any:
        _undone()
        if request.headers.get("HX-Request") or _wants_json():
            if _wants_json():
                return {"error": message, **more}, status
            headers = {"HX-Retarget": "#notice", "HX-Reswap": "innerHTML"}
            return (
                render_template("page/_notice.html", message=message, reload=more.get("reload")),
                status,
                headers,
            )
        page = "page/away.html" if status == 503 else "page/error.html"
        return render_template(page, title=title, message=message), status

    @app.errorhandler(CoreError)
    @app.errorhandler(Refused)
    def _refused(error: Exception) -> Any:
        if isinstance(error, EditError) and error.field:
            return answer(str(error), 422, field=error.field, rule=error.rule)
        return answer(str(error), 422)

    @app.errorhandler(Conflict)
    def _conflict(error: Conflict) -> Any:
        return answer(str(error), 409, reload=True)

    @app.errorhandler(NotFound)
    def _missing(error: NotFound) -> Any:
        return answer(str(error), 404, "Not here")

    @app.errorhandler(ActionError)
    def _other(error: ActionError) -> Any:
        return answer(str(error), 400)

    @app.errorhandler(CSRFError)
    def _csrf(error: CSRFError) -> Any:
        return answer("This page has been open too long. Reload it and try again.", 400)

    @app.errorhandler(RequestEntityTooLarge)
    def _too_large(error: RequestEntityTooLarge) -> Any:
        limit = app.config["MAX_CONTENT_LENGTH"] // (1024 * 1024)
        return answer(f"The upload is larger than {limit} MB. Send fewer or smaller files.", 413)

    @app.errorhandler(429)
    def _too_often(error: HTTPException) -> Any:
        return answer("Too many tries to sign in. Wait a minute, then try again.", 429)

    @app.errorhandler(OperationalError)
    @app.errorhandler(InterfaceError)
    def _away(error: SQLAlchemyError) -> Any:
        app.logger.error("database: %s", error)
        g.database_away = True
        return answer(
            "The database does not answer. Nothing was lost; try again shortly.",
            503,
            "Not just now",
        )

    @app.errorhandler(RedisError)
    def _queue_away(error: RedisError) -> Any:
        app.logger.error("queue: %s", error)
        return answer("The queue does not answer. Try again shortly.", 503, "Not just now")

    @app.errorhandler(StoreAway)
    def _store_away(error: StoreAway) -> Any:
        app.logger.error("file store: %s", error)
        return answer(
            "The file store does not answer. Nothing was kept; try again shortly.",
            503,
            "Not just now",
        )

    @app.errorhandler(OSError)
    def _disk(error: OSError) -> Any:
        app.logger.exception("files")
        return answer(f"The server could not store that: {error.strerror}. Nothing was kept.", 507)

    @app.errorhandler(HTTPException)
    def _http(error: HTTPException) -> Any:
        return answer(error.description or error.name, error.code or 500, error.name)


def _undone() -> None:
    """Drop what the request has not committed; a database that is away has nothing to drop."""
    session: Session | None = g.get("session")
    if session:
        try:
            session.rollback()
        except SQLAlchemyError:
            session.invalidate()


def _wants_json() -> bool:
    return request.accept_mimetypes.best == "application/json"


def _asset(static: Path) -> Any:
    """Return addresses of static files that change when the file does."""

    def asset(name: str) -> str:
        stamp = int(os.stat(static / name).st_mtime)
        return url_for("static", filename=name, v=stamp)

    return asset


def _lasting(moving: dict[str, Any]) -> str:
    """Return how long a moving picture is, as ``6.5 s``."""
    return f"{float(moving['frames'] / parse_rate(moving['rate'])):.3g} s"


def _number(value: float | None, places: int = 2) -> str:
    """Return a number with at most ``places`` decimals; nothing where there is none."""
    if value is None:
        return ""
    text = f"{value:.{places}f}"
    text = text.rstrip("0").rstrip(".") if "." in text else text
    return "0" if text == "-0" else text


def _size(count: int) -> str:
    if count >= 1e9:
        return f"{count / 1e9:.1f} GB"
    return f"{count / 1e6:.1f} MB" if count >= 100_000 else f"{count / 1e3:.0f} kB"


def _about(count: float) -> str:
    """Return a size that was only estimated: two digits of it."""
    digits = 10 ** max(0, len(str(round(count))) - 2)
    rounded = round(count / digits) * digits
    for unit, name in ((1e9, "GB"), (1e6, "MB"), (1e3, "kB")):
        if rounded >= unit:
            return (
                f"{rounded / unit:.2g} {name}"
                if rounded < 100 * unit
                else (f"{rounded / unit:.0f} {name}")
            )
    return "1 kB"


def _duration(seconds: float) -> str:
    whole = max(0, round(seconds))
    return f"{whole // 60} min {whole % 60} s" if whole >= 60 else f"{whole} s"
