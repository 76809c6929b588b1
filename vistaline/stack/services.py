"""Private instances of MariaDB and Redis in a folder of their own."""

from __future__ import annotations

import os
import shutil
import signal
import socket
import subprocess
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from pathlib import Path

import pymysql
import redis

__all__ = ["Ports", "free_port", "services"]

_PATIENCE = 60.0


@dataclass(frozen=True)
class Ports:
    """Loopback ports."""

    database: int = 33731
    queue: int = 33732
    web: int = 33730


def free_port() -> int:
    """Return a loopback port nobody listens on."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


@contextmanager
def services(folder: Path, ports: Ports) -> Iterator[tuple[str, str]]:
    """Run MariaDB and Redis; yields the database's and the queue's address.

    Both are children of this process and end with it, whichever way it ends the block.
    """
    folder = folder.resolve()
    folder.mkdir(parents=True, exist_ok=True)
    with ExitStack() as stack:
        stack.enter_context(_mariadb(folder, ports.database))
        stack.enter_context(_redis(folder, ports.queue))
        yield (
            f"mysql+pymysql://vistaline@127.0.0.1:{ports.database}/vistaline?charset=utf8mb4",
            f"redis://127.0.0.1:{ports.queue}/0",
        )


@contextmanager
def _process(command: list[str], log: Path) -> Iterator[subprocess.Popen[bytes]]:
    """Run a server in a group of its own, so that Ctrl-C reaches it only through us."""
    with log.open("ab") as output:
        process = subprocess.Popen(
            command, stdout=output, stderr=output, stdin=subprocess.DEVNULL, start_new_session=True
        )
    try:
        yield process
    finally:
        process.send_signal(signal.SIGTERM)
        try:
            process.wait(20)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()


def _program(*names: str) -> str:
    for name in names:
        if found := shutil.which(name, path=os.environ["PATH"] + ":/usr/sbin:/usr/local/sbin"):
            return found
    raise SystemExit(f"{names[0]} is not installed. Run `make setup` as root, or install it.")


@contextmanager
def _mariadb(folder: Path, port: int) -> Iterator[None]:
    data = folder / "mariadb"
    user = ["--user=root"] if os.geteuid() == 0 else []
    if not (data / "mysql").exists():
        subprocess.run(
            [
                _program("mariadb-install-db", "mysql_install_db"),
                "--no-defaults",
                f"--datadir={data}",
                "--auth-root-authentication-method=normal",
                "--skip-test-db",
                *user,
            ],
            check=True,
            stdout=subprocess.DEVNULL,
        )
    command = [
        _program("mariadbd", "mysqld"),
        "--no-defaults",
        *user,
        f"--datadir={data}",
        f"--port={port}",
        "--bind-address=127.0.0.1",
        # Unix socket paths are short by law of the kernel: relative to the data folder.
        "--socket=m.sock",
        f"--pid-file={data}/mariadb.pid",
        "--character-set-server=utf8mb4",
        "--innodb-buffer-pool-size=64M",
        "--innodb-log-file-size=32M",
        "--max-allowed-packet=64M",
        "--skip-log-bin",
    ]
    with _process(command, folder / "mariadb.log") as process:
        _create_database(port, process, folder / "mariadb.log")
        yield


def _create_database(port: int, process: subprocess.Popen[bytes], log: Path) -> None:
    deadline = time.monotonic() + _PATIENCE
    while True:
        try:
            connection = pymysql.connect(host="127.0.0.1", port=port, user="root")
            break
        except pymysql.err.OperationalError as error:
            if process.poll() is not None or time.monotonic() > deadline:
                raise SystemExit(f"MariaDB did not start; see {log}.") from error
            time.sleep(0.1)
    with connection, connection.cursor() as cursor:
        cursor.execute("CREATE DATABASE IF NOT EXISTS vistaline")
        cursor.execute("CREATE USER IF NOT EXISTS vistaline@'127.0.0.1'")
        cursor.execute("CREATE USER IF NOT EXISTS vistaline@localhost")
        cursor.execute("GRANT ALL ON vistaline.* TO vistaline@'127.0.0.1'")
        cursor.execute("GRANT ALL ON vistaline.* TO vistaline@localhost")


@contextmanager
def _redis(folder: Path, port: int) -> Iterator[None]:
    (folder / "redis").mkdir(exist_ok=True)
    command = [
        _program("redis-server"),
        *("--port", str(port), "--bind", "127.0.0.1", "--dir", str(folder / "redis")),
        *("--save", "60 1", "--appendonly", "no", "--daemonize", "no"),
    ]
    with _process(command, folder / "redis.log") as process:
        client = redis.Redis(port=port)
        deadline = time.monotonic() + _PATIENCE
        while True:
            try:
                client.ping()
                break
            except redis.exceptions.RedisError as error:
                if process.poll() is not None or time.monotonic() > deadline:
                    raise SystemExit(f"Redis did not start; see {folder / 'redis.log'}.") from error
                time.sleep(0.05)
        client.close()
        yield
