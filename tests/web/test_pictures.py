"""Both benches without a browser: files in, steps, cuts, fills, sets on, tasks that are lost."""

import io
import zipfile
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
from flask import Flask
from flask.testing import FlaskClient
from PIL import Image

from tests.core.test_beside import ground, scene
from tests.web.conftest import bring_in, do_tasks, signed_in, upload
from vistaline.actions.tasks import orphaned_tasks, work_on_task
from vistaline.core.formats.openraster import RasterLayer, write_openraster
from vistaline.core.picture.colour import encode_srgb
from vistaline.core.picture.still import encode_png
from vistaline.core.prepare.steps import STEPS
from vistaline.store.models import JobState, Picture, PictureTask, TaskKind
from vistaline.web.context import Services

FIGURE = [(230, 90), (390, 90), (390, 290), (230, 290)]


def edit(client: FlaskClient, picture: int, verb: str, **values: Any) -> Any:
    at = client.get(f"/pictures/{picture}/separate.json").json["version"]
    form = {key: value if isinstance(value, str) else _json(value) for key, value in values.items()}
    return client.post(f"/pictures/{picture}/edits/{verb}", data={"version": at, **form})


def _json(value: Any) -> str:
    import json

    return json.dumps(value)


@pytest.fixture
def picture(client: FlaskClient, project: str, picture_files: dict[str, Path]) -> int:
    return bring_in(client, project, "bay.jpg", picture_files["bay.jpg"].read_bytes())


@pytest.fixture
def cut(client: FlaskClient, picture: int) -> int:
    """The picture with one cutout: an outline."""
    assert edit(client, picture, "add_cutout", name="Rock").status_code == 200
    outline = {"kind": "outline", "points": [{"at": at} for at in FIGURE]}
    assert edit(client, picture, "add_mask_step", cutout="c1", step=outline).status_code == 200
    return picture


def decoded(answer: Any) -> np.ndarray:
    return np.asarray(Image.open(io.BytesIO(answer.data)))


# --- coming in --------------------------------------------------------------------------------


def test_the_layers_of_a_set_keep_their_places(
    app: Flask, client: FlaskClient, project: str, photo: np.ndarray, tmp_path: Path
) -> None:
    """OpenRaster in, asked for, brought in; a shot of them is the canvas, in register."""
    path = tmp_path / "set.ora"
    photo = photo[::2, ::2]
    rock = np.dstack([photo[45:145, 100:210], np.full((100, 110), 255, np.uint8)])
    layers = [
        RasterLayer(name="Rock", png=encode_png(rock), x=100, y=45, opacity=0.5, blend="multiply"),
        RasterLayer(name="Bay", png=encode_png(photo)),
    ]
    write_openraster(path, (320, 180), layers)
    upload(client, project, "set.ora", path.read_bytes())
    (task,) = do_tasks(app)
    assert task.state is JobState.ASKING and len(task.result["parts"]) == 2
    assert client.get(f"/tasks/{task.id}/parts/0.png").status_code == 200
    assert client.post(f"/tasks/{task.id}/parts", data={}).status_code == 422
    client.post(f"/tasks/{task.id}/parts", data={"part": [0, 1]})
    ids = [each.result["picture"] for each in do_tasks(app)]
    form = {"picture": ids, "size": "own", "width": 640, "height": 360, "seconds": 1}
    shot = client.post(f"{project}/shots", data=form).headers["Location"].removesuffix("/arrange")
    scene = client.get(f"{shot}/scene.json").json
    assert [layer["name"] for layer in scene["layers"]] == ["set, Bay", "set, Rock"]
    session = app.extensions["vistaline"].sessions()
    with session:
        placing = session.get(Picture, ids[0]).placing
    assert placing["blend"] == "multiply" and placing["at"] == [100, 45]


def test_a_file_that_breaks_off_is_told_of_and_not_kept(
    app: Flask, client: FlaskClient, project: str, picture_files: dict[str, Path]
) -> None:
    upload(client, project, "half.jpg", picture_files["bay.jpg"].read_bytes()[:9000])
    (task,) = do_tasks(app)
    assert task.state is JobState.FAILED and "half.jpg: the file breaks off" in task.error
    files = app.extensions["vistaline"].library.files.root / "pictures"
    assert not [path for path in files.rglob("*") if path.is_file()]
    project_id = project.rsplit("/", 1)[1]
    panel = client.get(f"/projects/{project_id}/tasks?bench=pictures").get_data(as_text=True)
    assert "half.jpg: the file breaks off" in panel


# --- preparing --------------------------------------------------------------------------------


def test_steps_make_another_picture_and_undo_brings_it_back(
    app: Flask, client: FlaskClient, picture: int
) -> None:
    assert edit(client, picture, "add_step", kind="crop").status_code == 200
    answer = edit(client, picture, "set_step", index="0", values={"box": [0.25, 0.5, 0.5, 0.5]})
    assert answer.status_code == 200
    do_tasks(app)
    still = client.get(f"/pictures/{picture}/picture.png16")
    assert decoded(still).shape[:2] == (180, 320) and still.data[24] == 16
    at = answer.json["version"]
    assert client.post(f"/pictures/{picture}/undo", data={"version": at - 1}).status_code == 409
    for _ in range(2):
        at = client.post(f"/pictures/{picture}/undo", data={"version": at}).json["version"]
    do_tasks(app)
    assert decoded(client.get(f"/pictures/{picture}/picture.png")).shape[:2] == (360, 640)


def test_cutouts_stay_on_what_they_were_put_on(client: FlaskClient, cut: int) -> None:
    edit(client, cut, "add_step", kind="crop")
    edit(client, cut, "set_step", index="0", values={"box": [0.25, 0, 0.5, 1]})
    step = client.get(f"/pictures/{cut}/separate.json").json["cutouts"][0]["steps"][0]
    assert [point["at"] for point in step["points"]] == [[x - 160, y] for x, y in FIGURE]


def test_the_same_steps_for_many(
    app: Flask, client: FlaskClient, project: str, picture: int, picture_files: dict[str, Path]
) -> None:
    other = bring_in(client, project, "rock.png", picture_files["rock.png"].read_bytes())
    edit(client, picture, "add_step", kind="turn")
    do_tasks(app)
    many = client.post(f"/pictures/{picture}/steps/many", data={"picture": [picture, other]})
    assert many.status_code == 200
    (task,) = do_tasks(app)
    assert task.kind is TaskKind.PREPARE and task.picture_id == other
    assert decoded(client.get(f"/pictures/{other}/picture.png")).shape == (640, 360, 4)
    assert client.post(f"/pictures/{picture}/steps/many", data={}).status_code == 422


@pytest.mark.parametrize(
    ("verb", "values", "sentence"),
    [
        ("add_step", {"kind": "magic"}, "no step called"),
        ("set_step", {"index": "7", "values": {}}, "no such step"),
        ("level_by_line", {"index": "0", "line": [0, 0, 0, 0]}, "no such step"),
        ("add_mask_step", {"cutout": "c1", "step": {"kind": "outline", "points": []}}, "points"),
        (
            "add_mask_step",
            {"cutout": "c1", "step": {"kind": "outline", "points": [{"at": [5, 5]}] * 4}},
            "one spot",
        ),
        (
            "add_mask_step",
            {"cutout": "c1", "step": {"kind": "plane",
                                      "corners": [[0, 0], [9, 9], [9, 0], [0, 9]]}},
            "crossing",
        ),
        ("guess_mask", {"cutout": "c1"}, "what the subject is"),
        ("paint_mask", {"cutout": "c9", "stroke": {"points": [[1, 1]]}}, "no such cutout"),
        ("paint_mask", {"cutout": "c1", "stroke": "[[["}, "Stroke must be JSON"),
        ("clone_plate", {"clone": {"stroke": {"points": [[1, 1]]}, "offset": [9, 9]}}, "fill"),
    ],
)  # fmt: skip
def test_edits_that_make_no_sense_change_nothing(
    client: FlaskClient, cut: int, verb: str, values: dict, sentence: str
) -> None:
    before = client.get(f"/pictures/{cut}/separate.json").json
    answer = edit(client, cut, verb, **values)
    assert answer.status_code == 422 and sentence in answer.json["error"]
    assert client.get(f"/pictures/{cut}/separate.json").json == before


def test_the_canvas_is_shown_what_comes_to_the_chosen_step(
    client: FlaskClient, picture: int
) -> None:
    """A crop is set on the picture as it comes to it; everything else on the result."""
    edit(client, picture, "add_step", kind="turn")
    edit(client, picture, "add_step", kind="crop")
    edit(client, picture, "set_step", index="1", values={"box": [0, 0, 0.5, 1]})
    chosen = client.get(f"/pictures/{picture}/prepare.json?step=1").json
    assert chosen["size"] == [360, 640] and chosen["upto"] == 1 and not chosen["divided"]
    whole = client.get(f"/pictures/{picture}/prepare.json").json
    assert whole["size"] == [180, 640] and whole["divided"]
    assert decoded(client.get(f"/pictures/{picture}/prepared.jpg?upto=1")).shape == (640, 360, 3)
    assert decoded(client.get(f"/pictures/{picture}/prepared.jpg")).shape == (640, 180, 3)


def test_every_step_has_a_panel_of_its_own(client: FlaskClient, picture: int) -> None:
    for n, (kind, step) in enumerate(STEPS.items()):
        edit(client, picture, "add_step", kind=kind)
        panel = client.get(f"/pictures/{picture}/panels/steps?step={n}")
        assert panel.status_code == 200 and f'aria-label="Remove {step.label}"' in panel.text


def test_a_crop_is_dragged_by_rules_of_core(client: FlaskClient, picture: int) -> None:
    edit(client, picture, "add_step", kind="crop")
    edit(client, picture, "set_step", index="0", values={"box": [0, 0, 0.5, 0.5]})
    drag = {"step": 0, "grips": "rb", "dx": 0.25, "dy": 0, "ratio": "16:9"}
    box = client.get(f"/pictures/{picture}/crop.json", query_string=drag).json["box"]
    assert box == pytest.approx([0, 0, 0.75, 0.75])  # 640 x 360 is 16 to 9
    edit(client, picture, "drag_crop", index="0", grips="rb", dx="0.25", dy="0", ratio="16:9")
    kept = client.get(f"/pictures/{picture}/prepare.json?step=0").json["values"]["box"]
    assert kept == pytest.approx(box)


def test_before_is_the_same_shape_without_the_change(client: FlaskClient, picture: int) -> None:
    edit(client, picture, "add_step", kind="turn")
    edit(client, picture, "add_step", kind="saturation")
    edit(client, picture, "set_step", index="1", values={"amount": -1})
    after = decoded(client.get(f"/pictures/{picture}/prepared.jpg")).astype(int)
    before = decoded(client.get(f"/pictures/{picture}/prepared.jpg?before=1")).astype(int)
    assert after.shape == before.shape
    assert np.ptp(after, axis=2).mean() < 4 < np.ptp(before, axis=2).mean()


def test_a_neutral_is_picked_where_it_is_seen(
    client: FlaskClient, project: str, photo: np.ndarray
) -> None:
    """Through a crop and a turn after the step: the colour is that of the point as it was."""
    patch = photo.copy()
    patch[100:160, 400:460] = (150, 120, 90)
    picture = bring_in(client, project, "patch.png", encode_png(patch))
    for kind in ("balance", "crop", "turn"):
        edit(client, picture, "add_step", kind=kind)
    edit(client, picture, "set_step", index="1", values={"box": [0.5, 0, 0.5, 1]})
    # The patch's middle (430, 130) is (110, 130) of 320 x 360, turned: (230, 110) of 360 x 320.
    at = {"step": 0, "x": 230 / 360, "y": 110 / 320}
    found = client.get(f"/pictures/{picture}/neutral", query_string=at).json["neutral"]
    assert found == pytest.approx([150 / 255, 120 / 255, 90 / 255], abs=0.01)
    assert client.get(f"/pictures/{picture}/neutral?step=9").status_code == 422
    counts = client.get(f"/pictures/{picture}/histogram.json?step=0").json["counts"]
    assert len(counts) == 64 and max(counts) == 1


def test_the_push_in_limit_is_told_for_the_chosen_frame(
    client: FlaskClient, project: str, picture: int
) -> None:
    """640 x 360 covers a frame of 320 x 180 up to 2x; the choice is remembered."""
    project_id = project.rsplit("/", 1)[1]
    tiles = client.get(f"/projects/{project_id}/pictures?output=320x180").get_data(as_text=True)
    assert "push in up to 2×" in tiles
    head = client.get(f"/pictures/{picture}/panels/prepare/head").get_data(as_text=True)
    assert "push in up to <b>2×" in head and "640 × 360 px" in head and "0.2 MP" in head
    head = client.get(f"/pictures/{picture}/panels/separate/head?output=odd")
    assert "enlarged 3×" in head.get_data(as_text=True)


# --- separating -------------------------------------------------------------------------------


def test_from_a_cut_to_a_shot_that_looks_like_the_picture(
    app: Flask, client: FlaskClient, project: str, cut: int
) -> None:
    project_id = project.rsplit("/", 1)[1]
    client.post(f"/pictures/{cut}/fills", data={"method": "texture", "seed": 2})
    (fill,) = do_tasks(app)
    assert fill.state is JobState.DONE, fill.error
    state = client.get(f"/pictures/{cut}/separate.json").json
    assert list(state["plates"]) == [""]  # the first fill is put to use
    form = {"name": "Rock", "width": 640, "height": 360, "rate": "24", "seconds": 1}
    client.post(f"/pictures/{cut}/send", data=form)
    (sent,) = do_tasks(app)
    assert sent.state is JobState.DONE, sent.error
    frame = decoded(client.get(f"/shots/{sent.result['shot']}/frame.png?n=0&width=640"))
    picture = decoded(client.get(f"/pictures/{cut}/picture.png"))
    difference = np.abs(frame.astype(int) - picture)
    assert np.median(difference) <= 1 and difference.mean() < 2
    # And once more, to that shot: its layers are added.
    client.post(f"/pictures/{cut}/send", data={"shot": sent.result["shot"]})
    (again,) = do_tasks(app)
    assert again.state is JobState.DONE, again.error
    scene = client.get(f"/shots/{sent.result['shot']}/scene.json").json
    assert len(scene["layers"]) == 4
    assert sent.project_id == int(project_id)


def test_the_soft_shadow_beside_a_hole_is_offered_and_filled(
    app: Flask, client: FlaskClient, project: str, rng: np.random.Generator
) -> None:
    light = ground("studio", rng)
    codes, apple, taken = scene(light, 0.5)
    wall, shade = encode_srgb(light) * 255, taken > 0.2
    picture = bring_in(client, project, "apple.png", encode_png(codes))
    edit(client, picture, "add_cutout", name="Apple")
    assert not client.get(f"/pictures/{picture}/panels/shadow").text
    rows, columns = np.flatnonzero(apple.any(axis=1)), np.flatnonzero(apple.any(axis=0))
    x, y = int(columns[0]) - 4, int(rows[0]) - 4
    box = [x, y, int(columns[-1]) + 5 - x, int(rows[-1]) + 5 - y]
    edit(client, picture, "add_mask_step", cutout="c1", step={"kind": "guess", "box": box})
    assert "Its soft shadow" in client.get(f"/pictures/{picture}/panels/shadow").text
    assert decoded(client.get(f"/pictures/{picture}/shadow.png")).ndim == 3
    dark = []
    for wish in ({}, {"shadow": "on", "unlike": "on"}):
        client.post(f"/pictures/{picture}/fills", data={"method": "smooth"} | wish)
        (fill,) = do_tasks(app)
        assert fill.state is JobState.DONE, fill.error
        filled = app.extensions["vistaline"].library.files.path(fill.result["file"])
        dark.append(float((wall - np.asarray(Image.open(filled)))[shade].mean()))
    assert dark[1] < dark[0] / 3


def test_a_set_goes_out_as_openraster_and_comes_back_exactly(
    app: Flask, client: FlaskClient, cut: int
) -> None:
    client.post(f"/pictures/{cut}/export", data={})
    (task,) = do_tasks(app)
    with client.get(f"/tasks/{task.id}/file") as answer:
        archive = zipfile.ZipFile(io.BytesIO(answer.data))
    layer = client.get(f"/pictures/{cut}/cutouts/c1/layer.png")
    stored = np.asarray(Image.open(io.BytesIO(archive.read("data/layer000.png"))))
    np.testing.assert_array_equal(stored, decoded(layer))
    assert stored.shape[2] == 4


def test_sixteen_bits_stay_through_cutting(
    app: Flask, client: FlaskClient, project: str, rng: np.random.Generator
) -> None:
    deep = cv2.GaussianBlur(rng.random((200, 300, 3)).astype(np.float32), (0, 0), 3)
    codes = np.rint(deep * 65535).astype(np.uint16)
    picture = bring_in(client, project, "deep.png", encode_png(codes))
    edit(client, picture, "add_cutout")
    box = {"kind": "plane", "corners": [[50, 50], [250, 50], [250, 150], [50, 150]]}
    edit(client, picture, "add_mask_step", cutout="c1", step=box)
    edit(client, picture, "set_cutout", cutout="c1", edge_care="false")
    layer = client.get(f"/pictures/{picture}/cutouts/c1/layer.png16")
    found = cv2.imdecode(np.frombuffer(layer.data, np.uint8), cv2.IMREAD_UNCHANGED)
    np.testing.assert_array_equal(found[..., 2::-1], codes[50:150, 50:250])


def test_slices_by_depth_overlap_and_cover(client: FlaskClient, project: str, picture: int) -> None:
    ramp = np.tile(np.linspace(255, 0, 640).astype(np.uint8), (360, 1))
    depth = bring_in(client, project, "depth.png", encode_png(ramp))
    with client.application.extensions["vistaline"].sessions() as session:
        file = session.get(Picture, depth).file
    answer = edit(client, picture, "slice_by_depth", map=file, count="4", overlap="0.1")
    assert answer.status_code == 200
    state = client.get(f"/pictures/{picture}/separate.json").json
    masks = []
    for cutout in state["cutouts"]:
        tile = client.get(f"/pictures/{picture}/tiles/mask/{cutout['mask']}/0/0/0")
        masks.append(decoded(tile)[100, :, 3].astype(int))
    assert len(masks) == 3
    assert masks[0][:100].min() == 255 and masks[0][300:].max() == 0
    both = (masks[0] > 0) & (masks[1] > 0)
    assert 50 <= both.sum() <= 80  # a tenth of the depth, on a ramp 640 px wide


def test_painted_plates_must_fit(client: FlaskClient, cut: int, photo: np.ndarray) -> None:
    def send(codes: np.ndarray) -> Any:
        data = {"plate": (io.BytesIO(encode_png(codes)), "plate.png"), "behind": ""}
        return client.post(f"/pictures/{cut}/fills/painted", data=data)

    small = send(photo[:100])
    assert (
        small.status_code == 422 and "Save the plate at the picture's size" in small.json["error"]
    )
    assert send(photo).status_code == 200
    assert send(np.roll(photo, 6, axis=1)).status_code == 200
    panel = client.get(f"/pictures/{cut}/panels/plate").get_data(as_text=True)
    assert "lies exactly on the picture" in panel and "px right of the picture" in panel


def test_a_hole_that_is_everything_is_refused(app: Flask, client: FlaskClient, cut: int) -> None:
    edit(client, cut, "paint_mask", cutout="c1", stroke={"points": [[0, 180], [640, 180]],
                                                         "width": 2000})  # fmt: skip
    client.post(f"/pictures/{cut}/fills", data={"method": "smooth"})
    (task,) = do_tasks(app)
    assert task.state is JobState.FAILED and "hole is the whole picture" in task.error


def test_a_part_of_a_cutout_moves_out_and_what_it_hid_is_filled(
    app: Flask, client: FlaskClient, cut: int
) -> None:
    """The whole stays whole behind it, and shows the fill where the part was."""
    edit(client, cut, "set_cutout", cutout="c1", edge_care="false")
    assert edit(client, cut, "cut_part", cutout="c1").status_code == 200
    coat = [(280, 150), (340, 150), (340, 240), (280, 240)]
    outline = {"kind": "outline", "points": [{"at": at} for at in coat]}
    edit(client, cut, "add_mask_step", cutout="c2", step=outline)
    edit(client, cut, "set_cutout", cutout="c2", edge_care="false")
    state = client.get(f"/pictures/{cut}/separate.json").json
    assert [each["name"] for each in state["cutouts"]] == ["Part of Rock", "Rock"]
    client.post(f"/pictures/{cut}/fills", data={"behind": "c2", "method": "texture", "seed": 1})
    (fill,) = do_tasks(app)
    assert fill.state is JobState.DONE, fill.error
    picture = decoded(client.get(f"/pictures/{cut}/picture.png"))
    part = decoded(client.get(f"/pictures/{cut}/cutouts/c2/layer.png"))
    np.testing.assert_array_equal(part[..., :3], picture[150:240, 280:340, :3])
    whole = decoded(client.get(f"/pictures/{cut}/cutouts/c1/layer.png"))
    assert whole.shape[:2] == (200, 160) and whole[..., 3].min() == 255
    inside = np.s_[75:130, 65:95]
    own = picture[90:290, 230:390, :3]
    assert np.abs(whole[inside][..., :3].astype(int) - own[inside]).mean() > 4
    np.testing.assert_array_equal(whole[:40, :, :3], own[:40])


def test_a_mask_that_is_empty_is_left_out_of_the_set(
    app: Flask, client: FlaskClient, cut: int
) -> None:
    edit(client, cut, "set_mask_step", cutout="c1", index="0", values={"effect": "take"})
    client.post(f"/pictures/{cut}/send", data={"name": "x", "width": 64, "height": 36,
                                               "seconds": 1})  # fmt: skip
    (task,) = do_tasks(app)
    assert task.state is JobState.FAILED and "Nothing is cut out yet" in task.error


def test_strokes_one_by_one_are_the_mask_at_once(client: FlaskClient, cut: int) -> None:
    """The kept masks on the way give what computing from the start gives."""
    strokes = [{"points": [[x, 50], [x + 60, 200]], "width": 30, "softness": 0.5}
               for x in (40, 300, 480)]  # fmt: skip
    for stroke, effect in zip(strokes, ("add", "take", "add"), strict=True):
        edit(client, cut, "paint_mask", cutout="c1", stroke=stroke, effect=effect)

    def mask() -> np.ndarray:
        state = client.get(f"/pictures/{cut}/separate.json").json
        name = state["cutouts"][0]["mask"]
        return decoded(client.get(f"/pictures/{cut}/tiles/mask/{name}/0/0/0"))[..., 3]

    one_by_one = mask()
    files = client.application.extensions["vistaline"].library.files
    files.prune("masks", 0)
    np.testing.assert_array_equal(mask(), one_by_one)


# --- tasks ------------------------------------------------------------------------------------


def test_a_task_that_is_stopped_or_lost_leaves_the_picture(
    services: Services, client: FlaskClient, cut: int
) -> None:
    client.post(f"/pictures/{cut}/fills", data={"method": "texture"})
    before = client.get(f"/pictures/{cut}/separate.json").json

    def stopping(run):  # type: ignore[no-untyped-def]
        with services.sessions.begin() as session:
            session.get(PictureTask, run.task.id).state = JobState.STOPPED
        return lambda session, task: pytest.fail("stopped work was put in place")

    task_id = services.queue.tasks.pop(0)  # type: ignore[attr-defined]
    work_on_task(services.sessions, services.library, task_id, "w1", {TaskKind.FILL: stopping})
    assert client.get(f"/pictures/{cut}/separate.json").json == before
    # Taken up again by a person, then lost: its worker falls silent, another may have it.
    client.post(f"/pictures/fills/{task_id}/resume")
    with services.sessions.begin() as session:
        row = session.get(PictureTask, task_id)
        row.state, row.worker, row.beat = JobState.RUNNING, "lost", None
        assert task_id in orphaned_tasks(session)
    (task,) = do_tasks(client.application)
    assert task.state is JobState.DONE


def test_a_fault_of_the_program_is_told_plainly(
    services: Services, client: FlaskClient, cut: int
) -> None:
    client.post(f"/pictures/{cut}/fills", data={"method": "texture"})
    task_id = services.queue.tasks.pop(0)  # type: ignore[attr-defined]

    def faulty(run):  # type: ignore[no-untyped-def]
        raise ZeroDivisionError

    work_on_task(services.sessions, services.library, task_id, "w1", {TaskKind.FILL: faulty})
    with services.sessions() as session:
        task = session.get(PictureTask, task_id)
    assert task.state is JobState.FAILED and "a fault in the program" in task.error


@pytest.mark.parametrize("file", ["../../../etc/passwd", "pictures/00/of-somebody-else.png"])
def test_a_sheet_names_only_files_of_its_project(client: FlaskClient, cut: int, file: str) -> None:
    before = client.get(f"/pictures/{cut}/separate.json").json
    for verb, key in (("use_plate", "file"), ("slice_by_depth", "map")):
        answer = edit(client, cut, verb, **{key: file})
        assert answer.status_code == 422 and "not one of this project's" in answer.json["error"]
    assert client.get(f"/pictures/{cut}/separate.json").json == before


def test_nobody_sees_anothers_pictures(app: Flask, client: FlaskClient, cut: int) -> None:
    client.post(f"/pictures/{cut}/export", data={})
    (task,) = do_tasks(app)
    mask = client.get(f"/pictures/{cut}/separate.json").json["cutouts"][0]["mask"]
    stranger = signed_in(app)
    pages = (
        "prepare", "separate", "separate.json", "prepare.json", "prepared.jpg", "picture.png",
        "panels/cutout", "panels/plate", "panels/steps", "cutouts/c1.png",
        f"tiles/mask/{mask}/0/0/0", "tiles/picture/00000000/0/0/0", "cutouts/c1/layer.png",
    )  # fmt: skip
    for page in pages:
        assert stranger.get(f"/pictures/{cut}/{page}").status_code == 404, page
    assert stranger.get(f"/tasks/{task.id}/file").status_code == 404
    for path in ("edits/add_cutout", "fills", "send", "export", "edges", "steps/many", "undo"):
        assert stranger.post(f"/pictures/{cut}/{path}", data={"version": 1}).status_code == 404
