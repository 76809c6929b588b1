"""What many tests use: small pictures, small shots, private servers."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image

from vistaline.core.picture.pyramid import Pyramid, build_levels
from vistaline.core.shot.document import complete, parse_shot
from vistaline.core.shot.shot import Shot
from vistaline.stack.services import Addresses, Ports, free_port, services
from vistaline.store.database import migrate


@pytest.fixture
def rng() -> np.random.Generator:
    return np.random.default_rng(20260101)


def textured(rng: np.random.Generator, width: int, height: int) -> np.ndarray:
    """Return a smooth coloured texture, (height, width, 3) uint8, with detail of a few pixels."""
    import cv2

    noise = rng.random((height, width, 3)).astype(np.float32)
    soft = sum(cv2.GaussianBlur(noise, (0, 0), sigma) * sigma for sigma in (2, 6, 18))
    soft -= soft.min()
    return (soft / soft.max() * 235 + 10).astype(np.uint8)


@pytest.fixture
def photo(rng: np.random.Generator) -> np.ndarray:
    return textured(rng, 640, 360)


def pyramid_of(linear: np.ndarray) -> Pyramid:
    """Return the pyramid of a linear premultiplied picture, held in memory."""
    height, width = linear.shape[:2]
    return Pyramid(
        width=width,
        height=height,
        opaque=bool(linear[..., 3].min() == 65535),
        content=(0, 0, width, height),
        levels=tuple(build_levels(linear)),
    )


def make_shot(sizes: dict[str, tuple[int, int]], **changes: Any) -> Shot:
    """Return a completed shot; by default one layer a picture, the first farthest."""
    keys = list(sizes)
    document: dict[str, Any] = {
        "vistaline": 1,
        "frame": {"width": 320, "height": 180, "duration": 24},
        "pictures": {key: {"file": f"{key}.png"} for key in keys},
        "layers": [
            {"name": key, "picture": key, "distance": float(2 * (len(keys) - n))}
            for n, key in enumerate(keys)
        ],
        "route": {"framings": [{"frame": 0}, {"frame": 23, "position": [0.1, 0.0, -0.3]}]},
    }
    return complete(parse_shot(document | changes), sizes)


@pytest.fixture
def shot() -> Shot:
    return make_shot({"back": (1600, 900), "front": (1600, 900)})


@pytest.fixture
def picture_files(photo: np.ndarray, tmp_path: Path) -> dict[str, Path]:
    """A photo, a cutout of its size, and the same cutout cropped (at 200, 90)."""
    Image.fromarray(photo).save(tmp_path / "bay.jpg", quality=97)
    alpha = np.zeros(photo.shape[:2], np.uint8)
    alpha[90:290, 200:420] = 255
    cutout = Image.fromarray(np.dstack([photo, alpha]))
    cutout.save(tmp_path / "rock.png")
    cutout.crop((200, 90, 420, 290)).save(tmp_path / "rock-cropped.png")
    return {name: tmp_path / name for name in ("bay.jpg", "rock.png", "rock-cropped.png")}


@pytest.fixture
def shot_file(picture_files: dict[str, Path], tmp_path: Path) -> Path:
    """The README's push-in, as somebody would write it by hand."""
    path = tmp_path / "push-in.json"
    path.write_text(
        """{
  "vistaline": 2,
  "name": "Push in",
  "frame": {"width": 320, "height": 180, "rate": "23.976", "duration": 30},
  "pictures": {"bay": {"file": "bay.jpg"}, "rock": {"file": "rock.png"}},
  "layers": [
    {"name": "Bay", "shows": {"kind": "picture", "picture": "bay"}, "distance": 6},
    {"name": "Rock", "shows": {"kind": "picture", "picture": "rock"}, "distance": 2}
  ],
  "cameras": [{"route": {"framings": [
    {"frame": 0, "lens": 35},
    {"frame": 29, "position": [0, 0, -0.6], "ease": "ease-in-out"}
  ]}}]
}
"""
    )
    return path


@contextmanager
def private_servers() -> Iterator[Addresses]:
    """MariaDB and Redis of one's own, migrated; yields their addresses.

    In memory, in a folder that the servers' accounts can reach: pytest's own is closed to them.
    """
    ports = Ports(database=free_port(), queue=free_port(), web=0)
    with tempfile.TemporaryDirectory(dir="/dev/shm", prefix="vistaline-") as folder:
        os.chmod(folder, 0o711)
        with services(Path(folder), ports) as addresses:
            migrate(addresses.database)
            yield addresses


@pytest.fixture(scope="session")
def servers() -> Iterator[tuple[str, str]]:
    with private_servers() as addresses:
        yield addresses.database, addresses.queue
