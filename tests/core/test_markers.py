"""Markers: read from texts of times, moved with the shot, framings and cuts timed by them."""

from __future__ import annotations

from fractions import Fraction

import pytest
from timecode import Timecode

from tests.conftest import make_shot
from tests.core.test_mounts import do
from vistaline.core.errors import CoreError
from vistaline.core.shot.markers import read_markers
from vistaline.core.shot.shot import Shot


@pytest.fixture
def shot() -> Shot:
    return make_shot(
        {"back": (640, 360)},
        frame={"width": 320, "height": 180, "duration": 96},
        route={"framings": [{"frame": 0}, {"frame": 40, "hold": 20}, {"frame": 95}]},
    )


def frames(shot: Shot) -> list[int]:
    return [each.frame for each in shot.markers]


def test_times_are_read_as_people_and_programs_write_them() -> None:
    text = "36 a\n\n2.5 s, b\n0.75\n00:00:01:12\tthe  lamp\n3,5;c"
    found = read_markers(text, Fraction(24))
    assert [(each.frame, each.name) for each in found] == [
        (18, ""),
        (36, "the  lamp"),
        (60, "b"),
        (84, "c"),
    ]
    # Against the package timecode, which counts from 1 at 00:00:00:00.
    for code in ("00:00:01:12", "00:01:00;02"):
        rate, own = ("24", Fraction(24)) if ";" not in code else ("29.97", Fraction(30000, 1001))
        assert read_markers(code, own)[0].frame == Timecode(rate, code).frames - 1


def test_they_are_set_named_and_go_with_the_shot(shot: Shot) -> None:
    shot = do(shot, "set_markers", frames=[60, 12, 60, 95])
    assert frames(shot) == [12, 60, 95]
    shot = do(shot, "change_marker", marker=60, name="beat", colour="#2e6f8e", frame="2 s")
    assert (frames(shot), shot.markers[1].name) == ([12, 48, 95], "beat")
    assert frames(do(shot, "change_speed", percent=50, whole=True)) == [24, 96, 190]
    assert frames(do(shot, "reverse_route", whole=True)) == [0, 47, 83]
    assert frames(do(shot, "remove_markers", marker=12)) == [48, 95]
    assert frames(do(shot, "remove_markers")) == []
    assert frames(do(shot, "paste_markers", text="10\n48 other\n500")) == [10, 12, 48, 95]


def test_framings_and_cuts_fall_on_them(shot: Shot) -> None:
    shot = do(shot, "set_markers", frames=[30, 50, 80])
    timed = do(shot, "time_on_markers")
    assert [(each.frame, each.hold) for each in timed.route.framings] == [(0, 0), (30, 19), (50, 0)]
    two = do(shot, "add_camera")
    cut = do(two, "cut_on_markers")
    ids = sorted(each.id for each in two.cameras)
    assert [(each.frame, ids.index(each.camera)) for each in cut.cuts] == [
        (30, 1),
        (50, 0),
        (80, 1),
    ]


@pytest.mark.parametrize(
    ("verb", "values", "says"),
    [
        ("set_markers", {"frames": [96]}, "frames 0 to 95; 96 is none"),
        ("set_markers", {"frames": []}, "No frame was named"),
        ("change_marker", {"marker": 7, "name": "x"}, "no marker at frame 7"),
        ("paste_markers", {"text": "1 s\nsoon"}, "Line 2 begins with no time: 'soon'"),
        ("paste_markers", {"text": " \n"}, "no time in the text"),
        ("paste_markers", {"text": "900"}, "after the shot's last frame, 95"),
        ("paste_markers", {"text": "\n".join(map(str, range(5000)))}, "too many times"),
        ("time_on_markers", {}, "no marker after the first framing"),
        ("cut_on_markers", {}, "one camera"),
    ],
)
def test_what_makes_no_sense_is_refused(shot: Shot, verb: str, values: dict, says: str) -> None:
    with pytest.raises(CoreError, match=says):
        do(shot, verb, **values)
