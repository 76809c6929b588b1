"""Tables, migrations and the file store."""

import io
from pathlib import Path

import pytest
from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import create_engine, text
from sqlalchemy.orm import Session

from tests.conftest import private_servers
from vistaline.actions.renders import delivery_of, span_of_job
from vistaline.core.delivery.delivery import Delivery
from vistaline.store.database import migrate, migrations_of
from vistaline.store.files import FileStore
from vistaline.store.models import Base, JobState, RenderJob


def test_migrations_make_what_the_models_say(servers: tuple[str, str]) -> None:
    migrate(servers[0])  # a second time: nothing to do
    engine = create_engine(servers[0])
    with engine.connect() as connection:
        difference = compare_metadata(MigrationContext.configure(connection), Base.metadata)
    engine.dispose()
    assert difference == []


def test_a_file_that_is_not_kept_leaves_no_trace(tmp_path: Path) -> None:
    files = FileStore(tmp_path)
    with pytest.raises(ZeroDivisionError), files.receive(io.BytesIO(b"half")):
        raise ZeroDivisionError
    with files.receive(io.BytesIO(b"kept")) as incoming:
        name = files.keep(incoming, "png")
    assert name.endswith(f"{incoming.sha256}.png")
    assert files.path(name).read_bytes() == b"kept"
    assert [path for path in tmp_path.rglob("*") if path.is_file()] == [files.path(name)]


def test_renders_of_before_are_deliveries() -> None:
    """What was asked for under the old columns is read as it was meant; and goes back, too."""
    with private_servers() as (database, _):
        config = migrations_of(database)
        command.downgrade(config, "0010")
        engine = create_engine(database)
        with engine.begin() as connection:
            for row in (
                "project (id, name, created) VALUES (1, 'Old', NOW())",
                "shot (id, project_id, name, position, version, created, changed) "
                "VALUES (1, 1, 'Bay', 1, 1, NOW(), NOW())",
                "render_job (id, shot_id, kind, name, document, scale, quality, options, frames, "
                "state, worker, error, result, size, created) VALUES "
                """(1, 1, 'hevc', 'Bay', '{"frame": {"width": 1921, "height": 1080}}', 0.5, """
                """'final', '{"crf": 30}', 48, 'done', '', '', 'x', 1, NOW()), """
                "(2, 1, 'png', 'Bay', '{}', 1, 'draft', NULL, 20, 'stopped', '', '', '', 0, NOW())",
                "render_range (job_id, start, stop, done, state, worker) VALUES "
                "(1, 0, 24, 24, 'done', ''), (1, 24, 48, 24, 'done', ''), "
                "(2, 100, 110, 10, 'done', ''), (2, 110, 120, 0, 'stopped', '')",
            ):
                connection.execute(text(f"INSERT INTO {row}"))
        command.upgrade(config, "head")
        with Session(engine) as session:
            first, second = session.query(RenderJob).order_by(RenderJob.id)
            told = delivery_of(first)
            assert (told.output, told.scale, told.quality) == ("hevc", 0.5, "final")
            assert told.options["crf"] == 30 and told.name == Delivery().name
            assert (first.width, first.height) == (960, 540)
            assert [(each.start, each.stop) for each in first.ranges] == [(0, 24), (24, 48)]
            span = span_of_job(second)
            assert [span.number_at(n) for n in (0, 19)] == [100, 119] and span.count == 20
            assert [(each.start, each.stop, each.done) for each in second.ranges] == [
                (0, 10, 0), (10, 20, 0)
            ]  # fmt: skip
            assert second.ranges[0].state is JobState.WAITING
        command.downgrade(config, "0010")
        with engine.connect() as connection:
            back = connection.execute(text("SELECT kind, scale, quality FROM render_job")).all()
            assert back == [("hevc", 0.5, "final"), ("png", 1.0, "draft")]
            starts = connection.execute(text("SELECT start FROM render_range ORDER BY id"))
            assert [start for (start,) in starts] == [0, 24, 100, 110]
        engine.dispose()
