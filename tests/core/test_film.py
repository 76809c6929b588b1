"""Films: their time, their joins against the formulas, the speed of a swish, files, bad input."""

from __future__ import annotations

import json
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import pytest
from PIL import Image

from tests.conftest import make_shot, pyramid_of
from vistaline.core.errors import CoreError
from vistaline.core.film import edits
from vistaline.core.film.film import Film, FilmFormat, Join, ShotRef, dump_film, parse_film
from vistaline.core.film.timeline import Timeline
from vistaline.core.formats.coded import H264
from vistaline.core.formats.encoders import ClipFormat
from vistaline.core.formats.filmfile import read_reel_file, write_film_file
from vistaline.core.formats.shotfile import write_shot_file
from vistaline.core.formats.video import ClipWriter, add_silence
from vistaline.core.render.film import FilmFrames
from vistaline.core.render.joins import dipped, joined, slid, slides_of
from vistaline.core.render.reel import duration_of, frames_of, reel_at
from vistaline.core.shot.layouts import Side
from vistaline.core.shot.shot import Shot

SIZE = (320, 180)


def soft(rng: np.random.Generator, size: tuple[int, int] = SIZE) -> np.ndarray:
    """A soft opaque picture, linear light."""
    coarse = rng.uniform(2000, 60000, (9, 16, 3)).astype(np.float32)
    linear = cv2.resize(coarse, size, interpolation=cv2.INTER_CUBIC)
    alpha = np.full((size[1], size[0], 1), 65535, np.float32)
    return np.clip(np.dstack([linear, alpha]), 0, 65535).astype(np.uint16)


def shot_of(frames: int, *, truck: float = 0.0, rate: str = "24") -> Shot:
    end = {"frame": frames - 1, "position": [truck, 0, 0], "ease": "linear"}
    return make_shot(
        {"back": (640, 360)},
        frame={"width": SIZE[0], "height": SIZE[1], "duration": frames, "rate": rate},
        route={"framings": [{"frame": 0}, end]},
    )


SHOTS = {"a": shot_of(48), "b": shot_of(72), "c": shot_of(50, rate="25")}


def film_of(*keys: str, shots: dict[str, Shot] = SHOTS) -> Film:
    film = Film(frame=FilmFormat(width=SIZE[0], height=SIZE[1]))
    for key in keys:
        ref = ShotRef(
            file=f"{key}.json", name=key, frames=shots[key].duration, rate=shots[key].frame.rate
        )
        film = edits.apply(film, "add_piece", {"key": key, "shot": ref})
    return film


def do(film: Film, verb: str, **values: object) -> Film:
    return edits.apply(film, verb, values)


def test_pieces_follow_each_other_in_time() -> None:
    film = film_of("a", "b", "c")
    spans = [(each.start, each.stop) for each in Timeline(film).stretches]
    assert spans == [(0, 48), (48, 120), (120, 168)]  # two seconds at 25 are 48 frames at 24
    film = do(film, "trim_piece", piece="p1", first=10, last="1 s")
    assert Timeline(film).duration == 15 + 72 + 48
    film = do(film, "set_join", piece="p2", kind="dissolve", frames=12)
    assert [each.start for each in Timeline(film).stretches] == [0, 3, 75]
    film = do(film, "set_join", piece="p3", kind="dip", frames=10)
    assert Timeline(film).duration == 123  # what does not overlap takes no time
    moved = do(film, "move_piece", piece="p3", to=0)
    assert [piece.id for piece in moved.pieces] == ["p3", "p1", "p2"]
    gone = do(film, "remove_piece", piece="p1")
    assert gone.pieces[0].join is None, "what has come first dissolves from nothing"
    # Every frame of the third is shown, at its own pace.
    last = Timeline(film).stretches[2]
    shown = [last.shot_frame(frame) for frame in range(last.start, last.stop)]
    np.testing.assert_allclose(shown, np.arange(48) * 25 / 24, atol=1e-9)
    assert Timeline(film).seconds == Fraction(123, 24)


def test_a_shot_that_became_shorter_shortens_its_piece() -> None:
    film = do(film_of("a", "b"), "set_join", piece="p2", kind="dissolve", frames=40)
    short = film.evolve(shots=film.shots | {"a": film.shots["a"].evolve(frames=20)})
    first, second = Timeline(short).stretches
    assert (first.stop, second.join and second.join.frames, second.start) == (20, 20, 0)


def test_a_dissolve_is_a_mean_in_linear_light(rng: np.random.Generator) -> None:
    """out = a (1 - t) + b t; a dissolve of a picture with itself is that picture."""
    a, b = soft(rng), soft(rng)
    join = Join(kind="dissolve")
    for share in (0.1, 0.5, 0.77):
        found = joined(a.copy(), b.copy(), join, share)
        assert np.abs(found - (a * (1 - share) + b * share)).max() <= 0.51
        assert (joined(a.copy(), a.copy(), join, share) == a).all()


def test_wipes_pushes_and_dips_go_from_one_to_the_other(rng: np.random.Generator) -> None:
    a, b = soft(rng), soft(rng)
    hard = Join(kind="wipe", angle=90, softness=0, ease="linear")
    found = joined(a.copy(), b.copy(), hard, 0.25)
    assert (found[:, :78] == b[:, :78]).all() and (found[:, 82:] == a[:, 82:]).all()
    for angle in (0, 45, 130):
        wide = hard.evolve(angle=angle, softness=0.4)
        assert np.abs(joined(a.copy(), b.copy(), wide, 0.999).astype(float) - b).max() < 700
        assert np.abs(joined(a.copy(), b.copy(), wide, 0.001).astype(float) - a).max() < 700
    push = Join(kind="push", ease="linear", side="left")
    found = joined(a.copy(), b.copy(), push, 0.25)
    assert (found[:, :240] == a[:, 80:]).all() and (found[:, 240:] == b[:, :80]).all()
    found = joined(a.copy(), b.copy(), push.evolve(side="bottom"), 0.5)
    assert (found[:90] == b[90:]).all() and (found[90:] == a[:90]).all()
    dip = Join(kind="dip", colour="#ffffff")
    assert (dipped(a, dip, 0.5) == 65535).all()
    assert np.abs(dipped(a, dip, 0.25) - (a * 0.5 + 65535 * 0.5)).max() <= 1


def test_a_swish_goes_equally_fast_on_both_sides(rng: np.random.Generator) -> None:
    """What optical flow (phase correlation) sees on both sides of the cut, within 5 %."""
    own, other = 3.0, -2.0
    goes = slides_of(8, 320, own, other, goes=True)
    comes = slides_of(8, 320, other, own, goes=False)
    # With what each does by itself: the way in a frame, just before the cut and just after it.
    before = goes[-1][0] - goes[-2][0] + own
    after = comes[1][0] - comes[0][0] + other
    assert before == pytest.approx(after, rel=0.05)
    assert goes[0][0] < 2 and abs(comes[-1][0]) < 2, "each is where it was at its other end"
    fine = cv2.resize(
        rng.uniform(0, 60000, (90, 160, 4)), (640, 360), interpolation=cv2.INTER_CUBIC
    )
    picture = np.clip(fine, 0, 65535).astype(np.uint16)
    window = cv2.createHanningWindow((480, 200), cv2.CV_32F)
    for side, right, down in ((Side.LEFT, -1, 0), (Side.BOTTOM, 0, 1)):
        slides = [(12.0, 0.0), (40.5, 0.0)]
        seen = [
            slid(picture, side, slide, 0.5)[80:-80, 80:-80, 0].astype(np.float32)
            for slide in slides
        ]
        (x, y), _ = cv2.phaseCorrelate(*seen, window)
        assert (x, y) == pytest.approx((28.5 * right, 28.5 * down), abs=0.5)
    smeared = slid(picture, Side.LEFT, (0.0, 40.0), 0.5)[:, :, 1].astype(float)
    # A box of 20 pixels, as the shutter is open for half of 40.
    box = np.array([[0.5, *[1] * 19, 0.5]]) / 20
    line = cv2.filter2D(picture[..., 1].astype(np.float32), -1, box)
    assert np.abs(smeared - line)[:, 30:-30].mean() < 50


def test_a_film_renders_its_shots_and_between_them_both(rng: np.random.Generator) -> None:
    pyramid = {"back": pyramid_of(soft(rng, (640, 360)))}
    shots = {"a": shot_of(24), "b": shot_of(24, truck=0.5)}
    film = do(film_of("a", "b", shots=shots), "set_join", piece="p2", kind="dissolve", frames=9)
    frames = FilmFrames(film, shots, lambda _: pyramid, threads=1)
    alone = {key: FilmFrames(film_of(key, shots=shots), shots, lambda _: pyramid) for key in shots}
    assert frames.duration == 39
    assert (frames.rgb(3) == alone["a"].rgb(3)).all()
    assert (frames.rgb(30) == alone["b"].rgb(15)).all()
    a, b = alone["a"].linear(19).astype(float), alone["b"].linear(4).astype(float)
    assert np.abs(frames.linear(19) - (a + b) / 2).max() <= 1
    # Another shape is fitted in, black beside it.
    square = do(film_of("a", shots=shots), "set_format", width=400, height=180)
    seen = FilmFrames(square, shots, lambda _: pyramid).rgb(0)
    assert seen.shape == (180, 400, 3) and not seen[:, :39].any() and seen[:, 41:359].any()


def test_a_film_file_is_rendered_with_the_shot_files_it_names(
    rng: np.random.Generator, tmp_path: Path
) -> None:
    Image.fromarray(rng.integers(0, 255, (360, 640, 3), dtype=np.uint8)).save(tmp_path / "back.png")
    shots = {"a": shot_of(12), "b": shot_of(12, truck=0.3)}
    for key, shot in shots.items():
        write_shot_file(shot, tmp_path / f"{key}.json", {"back": "back.png"})
    film = do(film_of("a", "b", shots=shots), "set_join", piece="p2", kind="push", frames=4)
    write_film_file(film, tmp_path / "film.json", {key: f"{key}.json" for key in shots})
    read = read_reel_file(tmp_path / "film.json")
    assert duration_of(read) == 20
    assert parse_film(json.loads(json.dumps(dump_film(film)))) == film
    pyramid = {"back": pyramid_of(soft(rng, (640, 360)))}
    assert frames_of(reel_at(read, 0.5), lambda _: pyramid).rgb(10).shape == (90, 160, 3)


def test_a_clip_gets_a_track_of_silence_as_long_as_it_is(tmp_path: Path) -> None:
    path, clip = tmp_path / "clip.mp4", ClipFormat((64, 48), Fraction(24000, 1001))
    with ClipWriter(path, clip, H264.coding(H264.options())) as writer:
        for _ in range(48):
            writer.write(0, np.full((72, 64), 128, np.uint8))
    add_silence(path)
    with av.open(str(path)) as found:
        video, sound = found.streams.video[0], found.streams.audio[0]
        assert (video.average_rate, video.frames) == (Fraction(24000, 1001), 48)
        assert (sound.codec_context.name, sound.rate, sound.channels) == ("aac", 48000, 2)
        length = float(sound.duration * sound.time_base)
        assert length == pytest.approx(
            48 * 1001 / 24000, abs=0.03
        )  # AAC has frames of 1024 samples
        assert all(not frame.to_ndarray().any() for frame in found.decode(sound))


@pytest.mark.parametrize(
    ("verb", "values", "says"),
    [
        ("trim_piece", {"piece": "p1", "last": 90}, "a has frames 0 to 47"),
        ("trim_piece", {"piece": "p1", "first": 30, "last": 20}, "before its first"),
        ("set_join", {"piece": "p2", "kind": "wipe", "frames": 49}, "its joins take 49"),
        ("set_join", {"piece": "p1", "kind": "wipe"}, "only dip from or to a colour"),
        ("set_join", {"piece": "*end", "kind": "push"}, "only dip from or to a colour"),
        ("set_join", {"piece": "p2", "frames": 10}, "There is a cut"),
        ("set_join", {"piece": "p9", "kind": "wipe"}, "no piece 'p9'"),
        ("set_format", {"width": 7}, "Width must be"),
        ("rename_film", {"name": "  "}, "needs a name"),
    ],
)
def test_what_makes_no_sense_is_refused(verb: str, values: dict, says: str) -> None:
    with pytest.raises(CoreError, match=says):
        do(film_of("a", "b"), verb, **values)


def test_files_that_make_no_sense_are_refused(tmp_path: Path) -> None:
    for document, says in (
        ({"vistaline_film": 9}, "reads up to version 1"),
        ({"vistaline_film": 1, "pieces": [{"id": "p", "shot": "x"}]}, "'x', which is not among"),
        (
            {
                "vistaline_film": 1,
                "shots": {"x": {"file": "../x.json"}},
                "pieces": [{"id": "p", "shot": "x"}],
            },
            "must lie beside the file",
        ),
    ):
        path = tmp_path / "film.json"
        path.write_text(json.dumps(document))
        with pytest.raises(CoreError, match=says):
            read_reel_file(path)
