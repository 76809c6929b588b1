"""Lists of cuts, layers and contact sheets, read by the libraries of those who take them."""

import io
import json
from datetime import date
from fractions import Fraction
from pathlib import Path

import numpy as np
import opentimelineio as otio
import pypdfium2
import pytest
from PIL import Image

from tests.conftest import make_shot
from tests.core.test_delivery import looks
from vistaline.core.delivery.contact_sheet import contact_sheet
from vistaline.core.delivery.cutlist import Media, film_cuts, shot_cuts
from vistaline.core.delivery.layers_at import write_layers
from vistaline.core.film.film import Film, FilmFormat, Join, JoinKind, Piece, ShotRef
from vistaline.core.film.timeline import Timeline
from vistaline.core.formats.openraster import read_openraster
from vistaline.core.render.film import told_by_shots
from vistaline.core.render.frame import Renderer
from vistaline.core.shot.cameras import Camera, Cut, Take
from vistaline.core.shot.markers import Marker
from vistaline.core.shot.shot import Shot


def film() -> tuple[Film, dict[str, Shot]]:
    """Three shots, one of them at another rate: a cut, a dissolve, a dip, and black at the end."""
    shot = make_shot({"back": (1600, 900)})
    slow = shot.evolve(name="Slow", frame=shot.frame.evolve(rate=Fraction(12)))
    shots = {"a": shot.evolve(name="One"), "b": shot.evolve(name="Two"), "c": slow}
    joins = [None, None, Join(kind=JoinKind.DISSOLVE, frames=9), Join(kind=JoinKind.DIP, frames=8)]
    keys = ["a", "b", "c", "a"]
    made = Film(
        name="Trust",
        frame=FilmFormat(rate=Fraction(24)),
        shots={key: ShotRef(file=f"{key}.json") for key in shots},
        pieces=tuple(
            Piece(id=str(n), shot=key, first=2, last=19, join=join)
            for n, (key, join) in enumerate(zip(keys, joins, strict=True))
        ),
        closing=Join(kind=JoinKind.DIP, frames=6),
    )
    return told_by_shots(made, shots), shots


def test_cuts_are_read_by_their_own_library() -> None:
    """OpenTimelineIO's own reader: clips, transitions and what is seen when, as the film has it."""
    made, shots = film()
    rendered = {("b", ""): Media(file="two-7.mov", first=-8, frames=40)}
    timeline = otio.adapters.read_from_string(film_cuts(made, shots, rendered), "otio_json")
    (track,) = timeline.video_tracks()
    clips = list(track.find_clips())
    assert [clip.name for clip in clips] == ["One", "Two", "Slow", "One"]
    # As long as the film, and each cut where the film is half way through a join.
    time = Timeline(made)
    assert track.duration().to_seconds() == pytest.approx(float(time.seconds))
    starts = [round(track.range_of_child(clip).start_time.to_seconds() * 24) for clip in clips]
    stretches = time.stretches
    assert starts == [0, stretches[1].start, stretches[2].start + 4, stretches[3].start]
    for clip, stretch in zip(clips, stretches, strict=True):
        used = clip.source_range
        assert used.start_time.rate == float(shots[stretch.piece.shot].frame.rate)
        at = track.range_of_child(clip).start_time.to_seconds() * 24
        assert used.start_time.value == pytest.approx(stretch.shot_frame(round(at)))
    kinds = [each for each in track if isinstance(each, otio.schema.Transition)]
    assert [(each.name, each.in_offset.value, each.out_offset.value) for each in kinds] == [
        ("dissolve", 4, 5), ("dip", 4, 4), ("dip", 3, 0)
    ]  # fmt: skip
    assert kinds[0].transition_type == otio.schema.TransitionTypes.SMPTE_Dissolve
    media = clips[1].media_reference
    assert media.target_url == "two-7.mov" and media.available_range.start_time.value == -8
    assert isinstance(clips[0].media_reference, otio.schema.MissingReference)


def test_a_shot_is_one_clip_with_its_takes_cuts_and_markers() -> None:
    shot = make_shot({"back": (1600, 900)})
    shot = shot.evolve(
        cameras=(shot.camera, Camera(id="b", name="Close", route=shot.route)),
        cuts=(Cut(frame=12, camera="b"),),
        takes=(Take(name="Slow", route=shot.route),),
        markers=(Marker(frame=7, name="Bell", note="it rings"),),
    )
    text = shot_cuts(shot, {("", "Slow"): Media(file="slow.mov", first=0, frames=24)})
    (clip,) = otio.adapters.read_from_string(text, "otio_json").find_clips()
    told = [(each.name, each.marked_range.start_time.value, each.comment) for each in clip.markers]
    assert told == [("Camera Close", 12, "the shot cuts here"), ("Bell", 7, "it rings")]
    takes = clip.media_references()
    assert takes["Slow"].target_url == "slow.mov" and len(takes) == 2
    assert json.loads(text)["OTIO_SCHEMA"] == "Timeline.1"


def test_layers_come_as_they_are_seen(tmp_path: Path) -> None:
    """Put together again by Pillow they are the frame, to a code of eight bits a layer."""
    shot = make_shot({"back": (1600, 900), "front": (1600, 900)})
    near = shot.layers[1].evolve(opacity=0.5)
    shot = shot.evolve(layers=(shot.layers[0].evolve(opacity=0.7), near), background="#204060")
    write_layers(shot, looks(shot), 9, tmp_path / "a.ora")
    read = read_openraster(tmp_path / "a.ora", "a.ora")
    assert [layer.name for layer in read.layers] == ["front", "back", "Background"]
    whole = Image.new("RGBA", (read.width, read.height))
    for layer in reversed(read.layers):
        placed = Image.new("RGBA", whole.size)
        placed.paste(Image.open(io.BytesIO(layer.png)).convert("RGBA"), (layer.x, layer.y))
        whole = Image.alpha_composite(whole, placed)
    got = np.asarray(whole)[..., :3].astype(int)
    frame = Renderer(shot, looks(shot)).rgb(9).astype(int)
    # OpenRaster lays sRGB codes over each other, a frame is laid in linear light: where nothing
    # shines through they are alike, else between the two.
    opaque = shot.evolve(layers=tuple(each.evolve(opacity=1.0) for each in shot.layers))
    write_layers(opaque, looks(shot), 9, tmp_path / "b.ora")
    nearest = read_openraster(tmp_path / "b.ora", "b.ora").layers[0]
    alone = np.asarray(Image.open(io.BytesIO(nearest.png)).convert("RGB")).astype(int)
    drawn = Renderer(opaque, looks(shot)).rgb(9).astype(int)
    assert np.abs(alone - drawn).max() <= 1
    assert np.abs(got - frame).mean() < 12


def test_a_sheet_has_all_framings_of_all_cameras(tmp_path: Path) -> None:
    shot = make_shot({"back": (1600, 900)})
    framings = tuple(
        shot.route.framings[0].evolve(frame=frame, hold=0, name=f"No {frame}", lens=30 + frame)
        for frame in range(0, 24, 2)
    )
    route = shot.route.evolve(framings=framings)
    shot = shot.evolve(cameras=(shot.camera.evolve(route=route),))
    seen = looks(shot)
    data = contact_sheet(shot, seen, "pdf", day=date(2026, 11, 29))
    with pypdfium2.PdfDocument(data) as pdf:
        # 12 framings, at most nine on a page of A4 lying down (ISO 216: 297 x 210 mm).
        assert len(pdf) == 2
        assert pdf[0].get_size() == pytest.approx((297 / 25.4 * 72, 210 / 25.4 * 72), abs=1.5)
    page = Image.open(io.BytesIO(contact_sheet(shot, seen, "png", day=date(2026, 11, 29))))
    assert page.width == 2480
    # The first is where the first framing is seen.
    picture = page.convert("RGB").crop((110, 230, 834, 637)).resize(shot.frame.size)
    frame = Renderer(shot, seen).rgb(0).astype(int)
    assert np.abs(np.asarray(picture).astype(int) - frame).mean() < 6
