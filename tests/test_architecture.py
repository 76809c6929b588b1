"""Imports point one way; what is public is listed."""

import ast
import importlib
import subprocess
import sys
from collections import defaultdict
from pathlib import Path

from vistaline.core import edits

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


def _core() -> dict[str, Path]:
    """Return core's modules by their dotted names."""
    found = {}
    for path in (ROOT / "vistaline" / "core").rglob("*.py"):
        dotted = ".".join(path.relative_to(ROOT).with_suffix("").parts)
        found[dotted.removesuffix(".__init__")] = path
    return found


def _imported(modules: dict[str, Path]) -> dict[str, set[str]]:
    """Return which names of core's modules any other module imports or asks for by a dot."""
    used = defaultdict[str, set[str]](set)
    for path in [
        *ROOT.glob("vistaline/**/*.py"),
        *ROOT.glob("tests/**/*.py"),
        *ROOT.glob("bench/*.py"),
    ]:
        tree, called = ast.parse(path.read_text()), dict[str, str]()
        for node in ast.walk(tree):
            if isinstance(node, ast.ImportFrom) and (node.module or "").startswith(
                "vistaline.core"
            ):
                for alias in node.names:
                    if f"{node.module}.{alias.name}" in modules:
                        called[alias.asname or alias.name] = f"{node.module}.{alias.name}"
                    elif modules.get(node.module or "") != path:
                        used[node.module].add(alias.name)
        for node in ast.walk(tree):
            if isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name):
                if node.value.id in called:
                    used[called[node.value.id]].add(node.attr)
    return used


def test_core_modules_list_what_others_use_of_them() -> None:
    """No more and no less: what only its own module uses is private, what others use is listed."""
    modules = _core()
    used = _imported(modules)
    wrong = {}
    for name, path in modules.items():
        module = importlib.import_module(name)
        if path.name == "__init__.py" and not hasattr(module, "__all__"):
            continue
        listed = set(module.__all__)
        missing = {each for each in used[name] - listed if not each.startswith("_")}
        if missing or listed - used[name]:
            wrong[name] = {"not listed": sorted(missing), "not used": sorted(listed - used[name])}
    assert wrong == {}


def test_every_edit_that_is_written_can_be_asked_for() -> None:
    """The registry finds its modules itself; a forgotten one would make its edits vanish."""
    written = set()
    for path in (ROOT / "vistaline" / "core" / "edits").glob("*.py"):
        for node in ast.parse(path.read_text()).body:
            marks = [] if not isinstance(node, ast.FunctionDef) else node.decorator_list
            if any(
                isinstance(mark, ast.Call) and ast.unparse(mark.func) == "verb" for mark in marks
            ):
                written.add(node.name)  # type: ignore[attr-defined]
    assert len(written) > 100
    assert written == set(edits.VERBS)


def test_nothing_is_fetched_from_outside() -> None:
    for path in (ROOT / "vistaline" / "web").rglob("*"):
        if path.suffix in (".html", ".js", ".css"):
            text = path.read_text().replace("http://www.w3.org/2000/svg", "")
            assert "http://" not in text and "https://" not in text, path


def test_templates_can_be_read_without_scrolling() -> None:
    for path in (ROOT / "vistaline" / "web" / "templates").rglob("*.html"):
        for n, line in enumerate(path.read_text().splitlines(), 1):
            assert len(line) < 120, f"{path.relative_to(ROOT)}:{n}"
