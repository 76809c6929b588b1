"""Imports point one way; what is public is listed."""

import importlib
import pkgutil
import subprocess
import sys
from pathlib import Path

import vistaline.core

ROOT = Path(__file__).parents[1]


def test_arrows_point_one_way() -> None:
    done = subprocess.run(
        [Path(sys.executable).with_name("lint-imports"), "--no-cache"],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stdout


def test_core_modules_list_what_is_public() -> None:
    for found in pkgutil.walk_packages(vistaline.core.__path__, "vistaline.core."):
        module = importlib.import_module(found.name)
        if not found.ispkg:
            assert all(hasattr(module, name) for name in module.__all__), found.name


def test_nothing_is_fetched_from_outside() -> None:
    for path in (ROOT / "vistaline" / "web").rglob("*"):
        if path.suffix in (".html", ".js", ".css"):
            text = path.read_text().replace("http://www.w3.org/2000/svg", "")
            assert "http://" not in text and "https://" not in text, path
