"""A bucket as the file store, at a service of moto's: two machines that share nothing else."""

import io
import os
import threading
import time
import zipfile
from collections.abc import Iterator
from pathlib import Path

import boto3
import pytest
from moto.server import ThreadedMotoServer

from tests.core.test_formats import run
from tests.web.conftest import PASSWORD
from vistaline.actions import renders
from vistaline.actions.people import add_person
from vistaline.actions.pictures import Library
from vistaline.actions.projects import create_project
from vistaline.actions.rendering import work_on
from vistaline.actions.shots import import_shot_file
from vistaline.actions.typefaces import bring_type
from vistaline.core.delivery.delivery import Delivery
from vistaline.core.looks.typefaces import OWN, PACKAGES
from vistaline.store.bucket import BucketStore, store_of
from vistaline.store.database import connect
from vistaline.store.files import FileStore, StoreAway
from vistaline.store.models import JobState, RenderJob
from vistaline.store.settings import Settings
from vistaline.web.app import create_app

BUCKET = "s3://studio/pictures and all"


@pytest.fixture(scope="module")
def service() -> Iterator[ThreadedMotoServer]:
    server = ThreadedMotoServer("127.0.0.1", 0, verbose=False)
    server.start()
    yield server
    server.stop()


@pytest.fixture(autouse=True)
def bucket(service: ThreadedMotoServer, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    host, port = service.get_host_and_port()
    for name, value in (
        ("AWS_ENDPOINT_URL", f"http://{host}:{port}"),
        ("AWS_ACCESS_KEY_ID", "studio"),
        ("AWS_SECRET_ACCESS_KEY", "made up"),
        ("AWS_DEFAULT_REGION", "us-east-1"),
    ):
        monkeypatch.setenv(name, value)
    client = boto3.client("s3")
    client.create_bucket(Bucket="studio")
    yield
    for each in client.list_objects_v2(Bucket="studio").get("Contents", []):
        client.delete_object(Bucket="studio", Key=each["Key"])


def names() -> set[str]:
    """What lies in the bucket, as its own library lists it."""
    listed = boto3.client("s3").list_objects_v2(Bucket="studio").get("Contents", [])
    return {each["Key"].removeprefix("pictures and all/") for each in listed}


def machine(tmp_path: Path, name: str, **more: float) -> BucketStore:
    return BucketStore(tmp_path / name, BUCKET, **{"patience": 0.5, **more})


def kept(files: FileStore, data: bytes, extension: str = "png") -> str:
    with files.receive(io.BytesIO(data)) as incoming:
        return files.keep(incoming, extension)


def test_what_one_machine_keeps_another_finds(tmp_path: Path) -> None:
    one, two = machine(tmp_path, "one"), machine(tmp_path, "two")
    name = kept(one, b"a picture")
    assert two.path(name).read_bytes() == b"a picture"
    assert not two.path("pictures/no/such.png").exists()
    assert not list((tmp_path / "two" / "incoming").iterdir())

    one.shelf("aheads").keep("known.npz", b"seen")
    found = two.shelf("aheads").find("known.npz")
    assert found and found.read_bytes() == b"seen"
    assert two.shelf("aheads").find("unknown.npz") is None
    for n in range(3):
        one.shelf("aheads").keep(f"{n}.npz", b"more")
        os.utime(one.derived("aheads", f"{n}.npz"), (n, n))
    one.prune("aheads", 2)
    assert len({each for each in names() if "aheads" in each}) == 2

    frames = [one.render_folder(7) / f"{n:06d}.png" for n in range(20)]
    for frame in frames:
        frame.write_bytes(frame.name.encode())
        one.share(frame)
        one.release(frame)
    there = [two.render_folder(7) / frame.name for frame in frames]
    two.bring(there)
    assert [path.read_bytes().decode() for path in there] == [path.name for path in frames]
    two.discard_render(7)
    one.remove(one.root / name)
    assert not any(each.startswith(("renders", "pictures/")) for each in names())


def test_an_address_that_is_none_is_refused(tmp_path: Path) -> None:
    for wrong in ("studio", "s3://", "https://studio"):
        with pytest.raises(ValueError, match="s3://name/folder"):
            BucketStore(tmp_path, wrong)


def test_the_cache_stays_within_its_bounds(tmp_path: Path) -> None:
    one, two = machine(tmp_path, "one"), machine(tmp_path, "two", limit=2500)
    stored = [kept(one, bytes([n]) * 1000) for n in range(4)]
    old = time.time() - 7200
    for name in stored[:3]:
        os.utime(two.path(name), (old, old))
    part = two.render_folder(1) / "000000.mp4"
    part.write_bytes(b"x" * 1000)
    os.utime(part, (old, old))
    two._looked = -1e9
    two.path(stored[3])
    here = [name for name in stored if (two.root / name).exists()]
    assert here == [stored[3]] and part.exists(), "what is under way stays, and what was just used"
    assert two.path(stored[0]).read_bytes() == b"\0" * 1000, "and what went comes again"


def test_a_service_that_is_away_is_waited_for(
    service: ThreadedMotoServer, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    one = machine(tmp_path, "one")
    name = kept(one, b"a picture")
    address = os.environ["AWS_ENDPOINT_URL"]
    monkeypatch.setenv("AWS_ENDPOINT_URL", "http://127.0.0.1:9")  # nobody listens there
    two = machine(tmp_path, "two")
    with pytest.raises(StoreAway):
        two.path(name)
    with pytest.raises(StoreAway):
        kept(two, b"another")
    with pytest.raises(StoreAway):
        two.check()
    assert not [path for path in two.root.rglob("*.part")]
    patient = machine(tmp_path, "three", patience=30.0)

    def back() -> None:
        monkeypatch.setenv("AWS_ENDPOINT_URL", address)
        patient._opened = None

    threading.Timer(1.0, back).start()
    assert patient.path(name).read_bytes() == b"a picture"


@pytest.mark.timeout(300)
def test_a_render_goes_through_machines_that_share_the_bucket_alone(
    servers: tuple[str, str], shot_file: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def settings(name: str) -> Settings:
        return Settings(
            database_url=servers[0],
            redis_url=servers[1],
            data=tmp_path / name,
            bucket=BUCKET,
            secret_key="test",
        )

    _, sessions = connect(servers[0])
    desk = Library(store_of(settings("desk")))
    with sessions.begin() as session:
        person = add_person(session, "bucketeer", PASSWORD)
        project = create_project(session, person.id, "Bucket")
        row = import_shot_file(session, desk, project.id, shot_file, person.id)
        font = next(PACKAGES.glob("@fontsource/bebas-neue/files/*latin-400*.woff2"))
        with font.open("rb") as stream:
            face = bring_type(session, desk.files, project.id, font.name, stream).face
        (job,) = renders.start_renders(session, row, Delivery(output="png", name="{frame}"))
        ranges = len(job.ranges)
    workers = [Library(store_of(settings(name))) for name in ("one", "two")]
    workers[1].files.bring_type([face.removeprefix(OWN)])
    assert list((tmp_path / "two" / "type").iterdir())
    # The first renders one range and goes; the second does the rest, and joins.
    assert work_on(sessions, workers[0], job.id, "one", leave=lambda: True) and ranges > 1
    work_on(sessions, workers[1], job.id, "two")

    app = create_app(settings("web"))
    app.config.update(TESTING=True, WTF_CSRF_ENABLED=False)
    client = app.test_client()
    form = {"name": "bucketeer", "password": PASSWORD}
    client.post("/sign-in", data=form, base_url="https://localhost")
    client.environ_base["wsgi.url_scheme"] = "https"
    with sessions() as session:
        assert session.get_one(RenderJob, job.id).state is JobState.DONE
    assert client.get("/readyz").json["files"]["ok"]
    with client.get(f"/renders/{job.id}/newest.jpg") as answer:
        assert answer.content_type == "image/jpeg"
    with client.get(f"/renders/{job.id}/result") as answer:
        result = answer.data
    assert len([each for each in names() if each.startswith(f"renders/{job.id}/")]) == 2
    with zipfile.ZipFile(io.BytesIO(result)) as archive:
        run("render", shot_file, "-o", "alone/%04d.png", "--frames", "14-17", folder=tmp_path)
        frames = [name for name in archive.namelist() if name.endswith(".png")]
        assert len(frames) == job.frames
        for name in frames[14:18]:
            assert archive.read(name) == (tmp_path / "alone" / name).read_bytes()

    monkeypatch.setenv("AWS_ENDPOINT_URL", "http://127.0.0.1:9")
    app.extensions["vistaline"].library.files._opened = None
    told = client.get("/readyz")
    assert (told.status_code, told.json["files"]["ok"]) == (503, False)
    app.extensions["vistaline"].sessions.kw["bind"].dispose()
