"""The private servers let nobody in who has no password, and run as nobody who could do harm."""

from __future__ import annotations

import os
import pwd
import stat
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import psutil
import pymysql
import pytest
import redis
from sqlalchemy.engine import make_url

from vistaline.stack.services import Ports, Secrets, free_port, start_services
from vistaline.stack.supervising import Supervisor


@contextmanager
def started(folder: Path, ports: Ports) -> Iterator[tuple[Supervisor, str, str]]:
    supervisor = Supervisor()
    try:
        addresses = start_services(supervisor, folder, ports)
        yield supervisor, addresses.database, addresses.queue
    finally:
        supervisor.stop()


@pytest.fixture
def folder(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Path]:
    import tempfile

    with tempfile.TemporaryDirectory(dir="/dev/shm") as found:
        os.chmod(found, 0o711)
        yield Path(found)


def test_nobody_gets_in_without_the_password(folder: Path) -> None:
    ports = Ports(database=free_port(), queue=free_port())
    with started(folder, ports) as (supervisor, database, queue):
        for user, password in (("root", ""), ("vistaline", ""), ("mysql", ""), ("", "")):
            with pytest.raises(pymysql.err.OperationalError, match="Access denied"):
                pymysql.connect(host="127.0.0.1", port=ports.database, user=user, password=password)
        with pytest.raises(redis.exceptions.AuthenticationError):
            redis.Redis(port=ports.queue).ping()
        assert redis.Redis.from_url(queue).ping()
        assert redis.Redis.from_url(queue).config_get("save") == {"save": ""}

        url = make_url(database)
        connection = pymysql.connect(
            host=url.host, port=url.port, user=url.username, password=url.password, db="vistaline"
        )
        with connection, connection.cursor() as cursor:
            cursor.execute("SHOW GRANTS")
            grants = " ".join(row[0] for row in cursor.fetchall())
            assert "GRANT USAGE ON *.*" in grants and "FILE" not in grants
            for attempt in (
                "SELECT 'x' INTO OUTFILE '/tmp/vistaline-written'",
                "SELECT * FROM mysql.global_priv",
            ):
                with pytest.raises(pymysql.err.OperationalError, match="denied"):
                    cursor.execute(attempt)
            cursor.execute("SELECT LOAD_FILE('/etc/passwd'), @@secure_file_priv, @@local_infile")
            assert cursor.fetchone() == (None, f"{folder}/mariadb/no-files/", 0)
            # Shared with another server's, its temporary tables would go when that one starts.
            cursor.execute("SELECT @@tmpdir")
            assert cursor.fetchone() == (f"{folder}/mariadb/temporary",)
        # No list of processes shows a password, and none of them is root's.
        kept = Secrets.of(folder)
        for name in ("mariadb", "redis"):
            process = psutil.Process(supervisor.pid(name))
            assert not {kept.database, kept.queue} & set(" ".join(process.cmdline()).split())
            assert kept.queue not in " ".join(process.cmdline())
            if os.geteuid() == 0:
                assert process.uids().real == pwd.getpwnam(process.username()).pw_uid != 0


def test_the_data_is_closed_to_other_accounts(folder: Path) -> None:
    with started(folder, Ports(database=free_port(), queue=free_port())):
        assert stat.S_IMODE((folder / "mariadb").stat().st_mode) == 0o700
        assert stat.S_IMODE((folder / "secrets.json").stat().st_mode) == 0o600
        assert stat.S_IMODE((folder / "mariadb" / "first.sql").stat().st_mode) == 0o600
        if os.geteuid() == 0:
            for path in ("mariadb/first.sql", "secrets.json", "mariadb/ibdata1"):
                read = subprocess.run(
                    ["cat", str(folder / path)], user="nobody", group="nogroup", extra_groups=[],
                    capture_output=True,
                )  # fmt: skip
                assert read.returncode != 0 and b"Permission denied" in read.stderr


def test_secrets_are_made_once(folder: Path) -> None:
    first = Secrets.of(folder)
    assert Secrets.of(folder) == first
    assert len({first.database, first.queue, first.session}) == 3


def test_a_folder_of_an_earlier_version_is_mended(folder: Path) -> None:
    """Root and the application's account had no password, and the files were root's."""
    data = folder / "mariadb"
    subprocess.run(
        ["mariadb-install-db", "--no-defaults", f"--datadir={data}", "--skip-test-db",
         "--auth-root-authentication-method=normal",
         *(["--user=root"] if os.geteuid() == 0 else [])],
        check=True, stdout=subprocess.DEVNULL,
    )  # fmt: skip
    ports = Ports(database=free_port(), queue=free_port())
    with started(folder, ports) as (_, database, _queue):
        for user in ("root", "vistaline"):
            with pytest.raises(pymysql.err.OperationalError, match="Access denied"):
                pymysql.connect(host="127.0.0.1", port=ports.database, user=user)
        url = make_url(database)
        pymysql.connect(
            host=url.host, port=url.port, user=url.username, password=url.password, db="vistaline"
        ).close()
