"""Tables, migrations and the file store."""

import io
from pathlib import Path

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import create_engine

from vistaline.store.database import migrate
from vistaline.store.files import FileStore
from vistaline.store.models import Base


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
