"""The same core without a browser: ``vistaline render``, ``separate``, ``check``, ..."""

from __future__ import annotations

import hashlib
import json
import os
import re
import shutil
import sys
import tempfile
import time
from concurrent.futures import ProcessPoolExecutor, as_completed
from dataclasses import dataclass
from functools import partial
from multiprocessing import get_context
from pathlib import Path

import click

from vistaline.core.errors import CoreError, MaskError, ShotError
from vistaline.core.files import write_atomically
from vistaline.core.film.film import film_schema
from vistaline.core.foresight.watch import findings
from vistaline.core.formats.campath import camera_path, path_csv, path_json
from vistaline.core.formats.encoders import ClipFormat
from vistaline.core.formats.filmfile import read_reel_file
from vistaline.core.formats.handing import scene_glb
from vistaline.core.formats.incoming import keep_pyramid
from vistaline.core.formats.moving import MovingFrames
from vistaline.core.formats.outputs import ENCODERS, encoder_called, encoder_for, options_for
from vistaline.core.formats.package import pack_shot, unpack_shot
from vistaline.core.formats.separation import write_separation
from vistaline.core.formats.shotfile import read_shot_file
from vistaline.core.formats.video import add_silence
from vistaline.core.model import Part
from vistaline.core.picture.colour import codes_from_linear
from vistaline.core.picture.decode import decode_picture
from vistaline.core.picture.exemplar import ExemplarSettings
from vistaline.core.picture.pyramid import Pyramid, PyramidStore
from vistaline.core.render.clip import Output, frame_ranges, made_by, render_frames
from vistaline.core.render.nested import NestedFrames
from vistaline.core.render.reel import Reel, duration_of, frames_of, reel_at, shots_in
from vistaline.core.render.source import QUALITIES, Quality
from vistaline.core.separate.cutset import parse_cutset
from vistaline.core.separate.separation import Filling
from vistaline.core.separate.separation import separate as separate_picture
from vistaline.core.shot.document import shot_schema
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.drawn import Looks
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.timing import rate_label, timecode

__all__ = ["main"]


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
) -> None:
    """Render FILE, a shot or a film, to a clip or the files of its frames, by how OUTPUT ends."""
    encoder = encoder_called(key) if key else encoder_for(output)
    if not output.lower().endswith(encoder.ending):
        raise click.UsageError(f"--as {key}: OUTPUT must end with {encoder.ending}.")
    if encoder.joined and re.search(r"%\d*d", Path(output).name):
        raise click.UsageError(f"{encoder.label} is one file of all frames. Name it without %d.")
    if silence and encoder.ending not in (".mp4", ".mov"):
        raise click.UsageError("--silence: only MP4 and MOV take it. Name one, such as clip.mp4.")
    options = options_for(encoder, dict(_pair(each) for each in chosen))
    reel = reel_at(read_reel_file(file), scale)
    duration = duration_of(reel)
    if not duration:
        raise ShotError(f"{file.name} has no pieces yet. Add a shot to the film first.")
    stretch = _frame_range(frames, duration)
    Path(output).parent.mkdir(parents=True, exist_ok=True)
    began, made = time.monotonic(), made_by(file.read_text(encoding="utf-8"))
    if workers == 1:
        renderer = frames_of(reel, _open_looks, quality=QUALITIES[quality])
        report = partial(_report, began, len(stretch))
        into = Output(encoder=encoder, target=output, options=options, made=made)
        render_frames(renderer, stretch, into, progress=report)
    else:
        job = _Job(reel, encoder.key, options, QUALITIES[quality], made)
        _render_with_workers(job, stretch, output, workers)
    if silence:
        add_silence(Path(output))
    click.echo(f"\n{output}: {len(stretch)} frames in {time.monotonic() - began:.1f} s", err=True)


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
    data = scene_glb(shot, _open_looks(shot))
    write_atomically(output, data)
    click.echo(f"{output}: {len(data) / 1e6:.1f} MB", err=True)


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


def _frame_range(text: str | None, duration: int) -> range:
    if text is None:
        return range(duration)
    first, dash, last = text.partition("-")
    try:
        start, stop = int(first), int(last if dash else first) + 1
    except ValueError:
        raise click.UsageError(
            f"--frames {text}: write the first and last frame, as 0-47."
        ) from None
    if not 0 <= start < stop <= duration:
        raise click.UsageError(
            f"--frames {text}: the shot has frames 0 to {duration - 1}, in rising order."
        )
    return range(start, stop)


def _open_looks(shot: Shot) -> Looks:
    """Return what a shot's layers look like; its pictures are named by their whole paths."""
    pictures = {key: Path(ref.file) for key, ref in shot.pictures.items()}
    cache = os.environ.get("VISTALINE_CACHE") or Path.home() / ".cache" / "vistaline"
    store = PyramidStore(Path(cache) / "pyramids")
    # What is drawn from a picture is kept by the picture's content, whatever its file is called.
    contents = {
        key: hashlib.sha256(pictures[key].read_bytes()).hexdigest() for key in shot.pictures
    }
    references = {
        key: reference.evolve(file=contents[key]) for key, reference in shot.pictures.items()
    }

    def picture(key: str) -> Pyramid:
        path = pictures[key]
        return store.get_written(contents[key], partial(keep_pyramid, path, path.name))

    moving = MovingFrames(lambda key: (pictures[key], shot.pictures[key].rate))
    seen = shot.evolve(pictures=references)
    looks = Looks(seen, store, picture, NestedFrames(_open_looks), moving)
    for _ in looks.values():
        pass  # made once, before workers would all make the same
    return looks


def _report(began: float, total: int, done: int) -> None:
    if not sys.stderr.isatty() and done not in (1, total) and done % 24:
        return
    left = (time.monotonic() - began) / done * (total - done)
    click.echo(f"\r{done} of {total} frames, {left:.0f} s left ", err=True, nl=False)


@dataclass(frozen=True)
class _Job:
    """What every process renders: it is sent to them."""

    reel: Reel
    encoder: str
    options: Part
    quality: Quality
    made: str


def _render_with_workers(job: _Job, stretch: range, output: str, workers: int) -> None:
    began, target, encoder = time.monotonic(), Path(output), encoder_called(job.encoder)
    for shot in shots_in(job.reel):
        _open_looks(shot)
    # Short enough that all workers have something to do to the end.
    length = max(12, min(48, -(-len(stretch) // workers)))
    ranges = frame_ranges(stretch.start, stretch.stop, length)
    folder = Path(tempfile.mkdtemp(prefix=f".{target.name}.", dir=target.parent))
    try:
        with ProcessPoolExecutor(workers, mp_context=get_context("spawn")) as pool:
            jobs = {
                pool.submit(
                    _render_range, job, a, b, encoder.part(folder, a) if encoder.joined else output
                ): b - a
                for a, b in ranges
            }
            done = 0
            for finished in as_completed(jobs):
                finished.result()
                done += jobs[finished]
                _report(began, len(stretch), done)
        if encoder.joined:
            clip = ClipFormat(job.reel.frame.size, job.reel.frame.rate, job.made)
            parts = encoder.parts(folder, ranges)
            encoder.join(parts, target, clip, job.options, lambda: None)
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _render_range(job: _Job, start: int, stop: int, target: str) -> None:
    renderer = frames_of(job.reel, _open_looks, quality=job.quality, threads=1)
    encoder = encoder_called(job.encoder)
    output = Output(encoder=encoder, target=target, options=job.options, threads=1)
    render_frames(renderer, range(start, stop), output)


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


if __name__ == "__main__":
    main()
