"""The camera's path as others read it: by csv, json, SciPy's rotations and OpenCV's camera."""

from __future__ import annotations

import csv
import json
from pathlib import Path

import cv2
import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from tests.core.test_formats import run
from vistaline.core.formats.campath import camera_path, path_csv, path_json
from vistaline.core.formats.shotfile import read_shot_file
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.evaluate import evaluate


@pytest.fixture
def shot(shot_file: Path) -> Shot:
    """A shot whose camera pans, tilts, rolls, zooms, and sees off-centre."""
    found, _ = read_shot_file(shot_file)
    first, *rest = found.route.framings
    changed = first.evolve(pan=12.0, tilt=-7.0, roll=5.0, position=(0.2, 0.1, 0.3), lens=28.0)
    taking = found.taking_camera.evolve(centre=(200.0, 90.0))
    found = found.evolve(taking_camera=taking)
    return found.with_camera(route=found.route.evolve(framings=(changed, *rest)))


def test_a_camera_made_of_a_row_sees_what_ours_does(shot: Shot) -> None:
    """By OpenCV's ``projectPoints``, from the words of the CSV alone: to a hundredth of a pixel."""
    rows = list(csv.DictReader(path_csv(camera_path(shot)).splitlines()))
    assert len(rows) == shot.duration
    width, height = shot.frame.size
    for n in (0, 7, shot.duration - 1):
        row = {key: float(value) for key, value in rows[n].items() if key[0] in "xyzqpftrs" and
               key not in ("timecode",) and value}  # fmt: skip
        turn = Rotation.from_quat([row["qx"], row["qy"], row["qz"], row["qw"]])
        head = Rotation.from_euler("YXZ", [row["pan"], row["tilt"], row["roll"]], degrees=True)
        np.testing.assert_allclose(turn.as_matrix(), head.as_matrix(), atol=1e-7)
        # OpenCV's camera looks along +Z, y down.
        world_from_cv = turn.as_matrix() @ np.diag([1.0, -1.0, -1.0])
        away = world_from_cv.T @ np.array([row["x"], row["y"], row["z"]])
        unit = max(width, height) / 36
        focal = row["focal_mm"] * unit
        middle = width / 2 - row["shift_x_mm"] * unit, height / 2 + row["shift_y_mm"] * unit
        lens = np.array([[focal, 0, middle[0]], [0, focal, middle[1]], [0, 0, 1]])
        state = evaluate(shot, [n])[0]
        for card in state.cards:
            corners = card.outline @ card.world_from_card[:3, [0, 1, 3]].T
            vector = cv2.Rodrigues(world_from_cv.T)[0]
            seen, _ = cv2.projectPoints(corners, vector, -away, lens, np.zeros(5))
            own = card.outline @ card.image_from_card(state.camera).T
            np.testing.assert_allclose(seen.reshape(-1, 2), own[:, :2] / own[:, 2:], atol=0.01)


def test_json_says_in_what_it_is_told(shot: Shot) -> None:
    focused = shot.with_camera(
        focusing=shot.camera.focusing.evolve(everything_sharp=False, f_number=2.8)
    ).evolve(motion_blur=True)
    told = json.loads(path_json(focused, camera_path(focused)))
    assert told["gate_mm"] == [36.0, 36.0 * shot.frame.height / shot.frame.width]
    assert told["rate_exact"] == [shot.frame.rate.numerator, shot.frame.rate.denominator]
    first = told["frames"][0]
    assert first["f_number"] == 2.8 and first["focus_m"] > 0 and first["shutter_deg"] == 180
    assert told["frames"][-1]["frame"] == shot.duration - 1
    sharp = json.loads(path_json(shot, camera_path(shot)))["frames"][0]
    assert sharp["focus_m"] is None and sharp["shutter_deg"] == 0


def test_the_command_line_writes_it(shot_file: Path) -> None:
    folder = shot_file.parent
    run("camera", shot_file, "-o", "path.csv", folder=folder)
    run("camera", shot_file, "-o", "path.json", folder=folder)
    head, *rows = (folder / "path.csv").read_bytes().split(b"\r\n")
    assert head.startswith(b"frame,timecode,camera,x,y,z,pan") and rows[-1] == b""
    assert len(json.loads((folder / "path.json").read_text())["frames"]) == len(rows) - 1
    wrong = run("camera", shot_file, "-o", "path.txt", folder=folder, fails=True)
    assert "end its name with .csv or .json" in wrong.stderr
