"""What Prometheus asks for, read by its own parser."""

import os
import subprocess
import sys
import time
import urllib.request
from pathlib import Path

import pytest
from prometheus_client.parser import text_string_to_metric_families

from vistaline.stack.metrics import counts_folder
from vistaline.stack.services import free_port
from vistaline.store.database import connect
from vistaline.store.models import PictureTask, Project, TaskKind

COUNTING = """
from vistaline.actions.measures import FAILURES, FRAMES, REQUESTS
FRAMES.inc(24)
FAILURES.labels("render").inc()
REQUESTS.labels("GET", "output.bench", "200").observe(0.2)
"""


def told(address: str) -> dict[tuple[str, tuple[tuple[str, str], ...]], float]:
    deadline = time.monotonic() + 60
    while True:
        try:
            with urllib.request.urlopen(f"http://{address}/metrics", timeout=10) as answer:
                text = answer.read().decode()
            break
        except OSError:
            assert time.monotonic() < deadline
            time.sleep(0.2)
    families = text_string_to_metric_families(text)
    return {
        (sample.name, tuple(sorted(sample.labels.items()))): sample.value
        for family in families
        for sample in family.samples
    }


@pytest.mark.timeout(180)
def test_counts_of_all_processes_and_what_waits_are_told(
    servers: tuple[str, str], tmp_path: Path
) -> None:
    _, sessions = connect(servers[0])
    with sessions.begin() as session:
        project = Project(name="Counted")
        session.add(project)
        session.flush()
        session.add(PictureTask(project_id=project.id, kind=TaskKind.FILL, name="waits"))
        waiting = session.query(PictureTask).filter_by(state="waiting").count()
    address = f"127.0.0.1:{free_port()}"
    folder = counts_folder(f"test-{os.getpid()}")
    environment = os.environ | {
        "VISTALINE_DATABASE": servers[0],
        "VISTALINE_DATA": str(tmp_path),
        "VISTALINE_METRICS": address,
        "PROMETHEUS_MULTIPROC_DIR": str(folder),
    }
    try:
        for _ in range(2):  # two processes that have ended: what they counted stays
            subprocess.run([sys.executable, "-c", COUNTING], env=environment, check=True)
        process = subprocess.Popen(
            [sys.executable, "-m", "vistaline.stack.metrics"], env=environment
        )
        try:
            found = told(address)
        finally:
            process.terminate()
            process.wait(30)
    finally:
        for file in folder.iterdir():
            file.unlink()
        folder.rmdir()
    assert found["vistaline_frames_total", ()] == 48
    assert found["vistaline_failures_total", (("what", "render"),)] == 2
    assert found["vistaline_queue", (("state", "waiting"), ("what", "task"))] == waiting >= 1
    assert found["vistaline_database_away", ()] == 0
    assert found["vistaline_free_bytes", ()] > 0
    labels = {"endpoint": "output.bench", "method": "GET", "status": "200"}
    below = tuple(sorted({**labels, "le": "0.3"}.items()))
    assert found["vistaline_request_seconds_bucket", below] == 2
