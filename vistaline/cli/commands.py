"""The same core without a browser: ``vistaline render``, ``separate``, ``check``, ..."""

from __future__ import annotations

import json
import os
import re
import sys
import time
from datetime import date
from pathlib import Path

import click

from vistaline.cli.looks import content_of, open_looks
from vistaline.cli.rendering import Job, frame_range, named, render_job, say_if_rounded
from vistaline.core import edits
from vistaline.core.delivery.contact_sheet import contact_sheet
from vistaline.core.delivery.cutlist import film_cuts, shot_cuts
from vistaline.core.delivery.delivery import Delivery, span_of
from vistaline.core.delivery.delivery import sidecar as sidecar_of
from vistaline.core.delivery.layers_at import write_layers
from vistaline.core.delivery.making import made_by
from vistaline.core.delivery.takes import shot_as
from vistaline.core.edits.brought import cameras_along
from vistaline.core.errors import CoreError, MaskError, ShotError
from vistaline.core.files import write_atomically
from vistaline.core.film.film import film_schema
from vistaline.core.foresight.watch import findings
from vistaline.core.formats.campath import camera_path, path_csv, path_json
from vistaline.core.formats.filmfile import read_reel_file
from vistaline.core.formats.gltf_in import read_cameras
from vistaline.core.formats.handing import scene_glb
from vistaline.core.formats.outputs import ENCODERS, encoder_called, encoder_for, options_for
from vistaline.core.formats.package import pack_shot, unpack_shot
from vistaline.core.formats.separation import write_separation
from vistaline.core.formats.shotfile import read_shot_file, write_shot_file
from vistaline.core.formats.video import add_silence
from vistaline.core.picture.colour import codes_from_linear
from vistaline.core.picture.decode import decode_picture
from vistaline.core.picture.exemplar import ExemplarSettings
from vistaline.core.render.film import told_by_shots
from vistaline.core.render.reel import carried, duration_of, reel_at
from vistaline.core.render.source import QUALITIES
from vistaline.core.separate.cutset import parse_cutset
from vistaline.core.separate.separation import Filling
from vistaline.core.separate.separation import separate as separate_picture
from vistaline.core.shot.document import shot_schema
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.timing import rate_label, timecode

__all__ = ["commands", "main"]


@click.group(context_settings={"help_option_names": ["-h", "--help"]})
def commands() -> None:
    """Vistaline without a browser: work on shot files."""


@commands.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("-o", "--output", required=True, help="clip.mp4, or frames/%04d.png")
@click.option("--frames", help="First and last frame, such as 0-47; all if left out.")
@click.option("--scale", type=click.FloatRange(0.05, 4), default=1.0, show_default=True)
@click.option("--workers", type=click.IntRange(1, 64), default=1, show_default=True,
              help="Processes that render frame ranges side by side.")  # fmt: skip
@click.option("--set", "chosen", multiple=True, metavar="NAME=VALUE",
              help="An option of the output, such as crf=20; may be repeated.")  # fmt: skip
@click.option("--quality", type=click.Choice([*QUALITIES]), default="standard", show_default=True,
              help="How finely pictures are sampled, and a lens that blurs.")  # fmt: skip
@click.option(
    "--as",
    "key",
    type=click.Choice([*ENCODERS]),
    help="What it becomes, where the ending of OUTPUT can mean several things.",
)
@click.option("--silence", is_flag=True, help="Put a track of silence into a clip.")
@click.option("--every", type=click.IntRange(1, 1000), default=1, show_default=True,
              help="Only every nth frame; a clip keeps its speed.")  # fmt: skip
@click.option("--handles", type=click.IntRange(0, 1000), default=0, show_default=True,
              help="Frames more, before the first and after the last.")  # fmt: skip
@click.option("--number", type=click.IntRange(0, 9_999_999),
              help="Of the first frame; as in the shot if not given.")  # fmt: skip
@click.option("--take", default="", help="A take of the shot, in place of its route.")
@click.option("--camera", default="", help="The camera that is seen throughout.")
@click.option("--sidecar", is_flag=True, help="Put a JSON file of what made it beside it.")
def render(
    file: Path,
    output: str,
    frames: str | None,
    scale: float,
    workers: int,
    chosen: tuple[str, ...],
    quality: str,
    key: str | None,
    silence: bool,
    every: int,
    handles: int,
    number: int | None,
    take: str,
    camera: str,
    sidecar: bool,
) -> None:
    """Render FILE, a shot or a film, to a clip or the files of its frames, by how OUTPUT ends.

    The last part of OUTPUT may have tokens: {shot}, {take}, {camera}, {size}, {date}; and {frame}
    in place of %04d.
    """
    encoder = encoder_called(key) if key else encoder_for(output)
    if not output.lower().endswith(encoder.ending):
        raise click.UsageError(f"--as {key}: OUTPUT must end with {encoder.ending}.")
    if silence and encoder.ending not in (".mp4", ".mov"):
        raise click.UsageError("--silence: only MP4 and MOV take it. Name one, such as clip.mp4.")
    delivery = Delivery(
        output=encoder.key,
        options=options_for(encoder, dict(_pair(each) for each in chosen)).model_dump(),
        scale=scale,
        quality=quality,
        every=every,
        handles=handles,
        number=number,
    )
    whole = read_reel_file(file)
    if take or camera:
        if not isinstance(whole, Shot):
            raise click.UsageError("--take, --camera: a film has none. Render one of its shots.")
        whole = shot_as(whole, take=take, camera=camera)
    reel = reel_at(whole, scale)
    say_if_rounded(whole, reel, scale)
    duration = duration_of(reel)
    if not duration:
        raise ShotError(f"{file.name} has no pieces yet. Add a shot to the film first.")
    stretch = frame_range(frames, duration)
    span = span_of(delivery, stretch.start, stretch.stop - 1, duration=duration)
    output = named(output, reel, encoder, take=take, camera=camera)
    Path(output).parent.mkdir(parents=True, exist_ok=True)
    began, made = time.monotonic(), made_by(whole, content_of)
    render_job(Job(reel, delivery, span, made), output, workers)
    if silence:
        add_silence(Path(output))
    if sidecar:
        beside = Path(re.sub(r"[-_. ]*%0?\d*d", "", output) + ".json")
        told = sidecar_of(whole, delivery, span, made)
        write_atomically(beside, json.dumps(told, indent=2).encode())
    click.echo(f"\n{output}: {span.count} frames in {time.monotonic() - began:.1f} s", err=True)


def _pair(chosen: str) -> tuple[str, str]:
    name, equals, value = chosen.partition("=")
    if not equals:
        raise click.UsageError(f"--set {chosen}: write it as NAME=VALUE, such as crf=20.")
    return name.strip(), value.strip()


@commands.command()
@click.argument("shotfile", type=click.Path(path_type=Path))
def check(shotfile: Path) -> None:
    """Check SHOTFILE and its pictures; say what a look at it would find."""
    shot, _ = read_shot_file(shotfile)
    evaluate(shot, [0])
    frame = shot.frame
    click.echo(
        f"{shot.name}: {frame.width} × {frame.height}, {rate_label(frame.rate)} fps, "
        f"{frame.duration} frames ({timecode(frame.duration, frame.rate)}), "
        f"{len(shot.layers)} layers, {len(shot.route.framings)} framings"
    )
    for finding in findings(shot):
        click.echo(f"- {finding}")


@commands.command()
@click.argument("shotfile", type=click.Path(path_type=Path))
@click.option("-o", "--output", required=True, type=click.Path(path_type=Path, dir_okay=False),
              help="path.csv or path.json")  # fmt: skip
def camera(shotfile: Path, output: Path) -> None:
    """Write the path of SHOTFILE's camera, a row a frame, as CSV or JSON."""
    shot, _ = read_shot_file(shotfile)
    if output.suffix.lower() not in (".csv", ".json"):
        raise click.UsageError(f"{output}: end its name with .csv or .json.")
    rows = camera_path(shot)
    text = path_csv(rows) if output.suffix.lower() == ".csv" else path_json(shot, rows)
    write_atomically(output, text.encode())
    click.echo(f"{output}: {len(rows)} frames", err=True)


@commands.command()
@click.argument("shotfile", type=click.Path(path_type=Path))
@click.option("-o", "--output", required=True, type=click.Path(path_type=Path, dir_okay=False),
              help="scene.glb")  # fmt: skip
def scene(shotfile: Path, output: Path) -> None:
    """Write SHOTFILE's cameras, layers, mounts and lamps, with their motion, as glTF 2.0."""
    shot = _shot_of(shotfile)
    if output.suffix.lower() != ".glb":
        raise click.UsageError(f"{output}: end its name with .glb.")
    data = scene_glb(shot, open_looks(shot))
    write_atomically(output, data)
    click.echo(f"{output}: {len(data) / 1e6:.1f} MB", err=True)


@commands.command()
@click.argument("shotfile", type=click.Path(path_type=Path))
@click.option("-o", "--output", required=True, type=click.Path(path_type=Path, dir_okay=False),
              help="framings.pdf or framings.png")  # fmt: skip
def sheet(shotfile: Path, output: Path) -> None:
    """Draw what SHOTFILE's cameras see at each of their framings, on one sheet."""
    shot, kind = _shot_of(shotfile), output.suffix.lower().lstrip(".")
    if kind not in ("pdf", "png"):
        raise click.UsageError(f"{output}: end its name with .pdf or .png.")
    write_atomically(output, contact_sheet(shot, open_looks(shot), kind, day=date.today()))


@commands.command()
@click.argument("shotfile", type=click.Path(path_type=Path))
@click.option("-o", "--output", required=True, type=click.Path(path_type=Path, dir_okay=False),
              help="layers.ora")  # fmt: skip
@click.option("--frame", type=click.IntRange(0), default=0, show_default=True)
def layers(shotfile: Path, output: Path, frame: int) -> None:
    """Write SHOTFILE's layers, each as it looks alone at a frame, as OpenRaster."""
    shot = _shot_of(shotfile)
    if output.suffix.lower() != ".ora":
        raise click.UsageError(f"{output}: end its name with .ora.")
    if frame >= shot.duration:
        raise click.UsageError(f"--frame {frame}: the shot has frames 0 to {shot.duration - 1}.")
    write_layers(shot, open_looks(shot), frame, output)


@commands.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("-o", "--output", required=True, type=click.Path(path_type=Path, dir_okay=False),
              help="cuts.otio")  # fmt: skip
def cuts(file: Path, output: Path) -> None:
    """Write the cuts of FILE, a film or a shot, for editing programs: OpenTimelineIO."""
    if output.suffix.lower() != ".otio":
        raise click.UsageError(f"{output}: end its name with .otio.")
    reel = read_reel_file(file)
    if isinstance(reel, Shot):
        text = shot_cuts(reel, {})
    else:
        shots = carried(reel)
        text = film_cuts(told_by_shots(reel, shots), shots, {})
    write_atomically(output, text.encode())


@commands.command()
@click.argument("shotfile", type=click.Path(path_type=Path))
@click.argument("scenefile", type=click.Path(path_type=Path))
@click.option("-o", "--output", required=True, type=click.Path(path_type=Path, dir_okay=False),
              help="A new shot file.")  # fmt: skip
def bring(shotfile: Path, scenefile: Path, output: Path) -> None:
    """Let the cameras of SCENEFILE, glTF 2.0, drive SHOTFILE; written as a shot file of its own."""
    shot = _shot_of(shotfile)
    rate, size = float(shot.frame.rate), shot.frame.size
    tracks = read_cameras(scenefile, scenefile.name, rate, shot.duration)
    cameras = cameras_along((track.named_path for track in tracks), size)
    driven = edits.apply(shot, "bring_cameras", {"cameras": cameras})
    pictures = {
        key: os.path.relpath(ref.file, output.resolve().parent)
        for key, ref in driven.pictures.items()
    }
    if any(path.startswith("..") for path in pictures.values()):
        raise click.UsageError(f"{output}: write it beside {shotfile.name}, or its pictures.")
    write_shot_file(driven, output, pictures)
    for track in tracks:
        click.echo(track.name)


@commands.command()
@click.argument("shotfile", type=click.Path(path_type=Path))
@click.option("-o", "--output", required=True, type=click.Path(path_type=Path, dir_okay=False),
              help="shot.zip")  # fmt: skip
def pack(shotfile: Path, output: Path) -> None:
    """Put SHOTFILE with all that it is made of into one file, to be opened elsewhere."""
    size = pack_shot(_shot_of(shotfile), output)
    click.echo(f"{output}: {size / 1e6:.1f} MB", err=True)


@commands.command()
@click.argument("package", type=click.Path(path_type=Path))
@click.option("-o", "--output", "folder", required=True,
              type=click.Path(path_type=Path, file_okay=False), help="A new folder.")  # fmt: skip
def unpack(package: Path, folder: Path) -> None:
    """Open a PACKAGE; every file in it is checked by its hash."""
    click.echo(unpack_shot(package, folder))


def _shot_of(shotfile: Path) -> Shot:
    """Return a shot whose pictures are named by their whole paths; a film is refused."""
    shot = read_reel_file(shotfile)
    if not isinstance(shot, Shot):
        raise click.UsageError(f"{shotfile.name} is a film. Hand over its shots one by one.")
    return shot


@commands.command()
@click.option("--film", is_flag=True, help="Of the film file instead.")
def schema(film: bool) -> None:
    """Print the JSON Schema of the shot file."""
    click.echo(json.dumps(film_schema() if film else shot_schema(), indent=2))


@commands.command()
@click.argument("photo", type=click.Path(path_type=Path))
@click.argument("cutfile", type=click.Path(path_type=Path))
@click.option("-o", "--output", "folder", required=True,
              type=click.Path(path_type=Path, file_okay=False), help="Their folder.")  # fmt: skip
@click.option("--fill", type=click.Choice(["texture", "smooth"]), default="texture",
              show_default=True, help="How what was hidden is filled.")  # fmt: skip
@click.option("--seed", type=click.IntRange(0), default=1, show_default=True,
              help="Another seed gives another fill.")  # fmt: skip
def separate(photo: Path, cutfile: Path, folder: Path, fill: Filling, seed: int) -> None:
    """Cut PHOTO into the layers CUTFILE describes, fill the plate, and write a shot of them."""
    try:
        document = json.loads(cutfile.read_text())
    except (ValueError, RecursionError) as error:
        raise MaskError(f"{cutfile.name}: this is not JSON ({error}). Correct it.") from error
    picture = codes_from_linear(decode_picture(photo, photo.name))
    separation = separate_picture(
        picture,
        parse_cutset(document),
        filling=fill,
        settings=ExemplarSettings(seed=seed),
        progress=lambda share, words: click.echo(f"\r{share:4.0%} {words:<32}", err=True, nl=False),
    )
    click.echo("", err=True)
    for path in write_separation(separation, folder, name=photo.stem):
        click.echo(path)


@commands.command("demo-files")
@click.argument("directory", type=click.Path(path_type=Path, file_okay=False))
def demo_files(directory: Path) -> None:
    """Write the demo's shots as shot files, with their pictures, into DIRECTORY."""
    # Imported late: drawing is of no use to the other commands.
    from vistaline.demo.shots import write_demo_files

    click.echo("Drawing the demo's pictures (about half a minute) ...", err=True)
    for path in write_demo_files(directory):
        click.echo(path)


def main() -> None:
    """Run the command line; what is wrong is told on standard error, a line each, exit code 1."""
    try:
        commands()
    except CoreError as error:
        for line in (str(error), *error.also):
            click.echo(f"vistaline: {line}", err=True)
        sys.exit(1)
    except OSError as error:
        click.echo(f"vistaline: {error.filename or ''}: {error.strerror}", err=True)
        sys.exit(1)
