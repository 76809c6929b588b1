"""``make bench``: every figure to a table on the screen and to build/bench.json.

Peers run beside us on the same scene, interleaved in one run; ratios count, seconds do not.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path

from bench import (
    air,
    clip,
    cutting,
    delivery,
    desk,
    dusk,
    finish,
    frame,
    keys,
    laid,
    lamps,
    lens,
    live,
    memory,
    moving,
    perspective,
    prepare,
    relief,
    rooms,
    scan,
    separate,
    stroke,
    titles,
)
from bench.figures import Figure


def main() -> None:
    """Run what is named on the command line, or everything."""
    parts = {
        "frame": frame,
        "air": air,
        "finish": finish,
        "titles": titles,
        "laid": laid,
        "moving": moving,
        "cutting": cutting,
        "clip": clip,
        "delivery": delivery,
        "lens": lens,
        "dusk": dusk,
        "lamps": lamps,
        "memory": memory,
        "live": live,
        "separate": separate,
        "prepare": prepare,
        "scan": scan,
        "stroke": stroke,
        "desk": desk,
        "keys": keys,
        "perspective": perspective,
        "rooms": rooms,
        "relief": relief,
    }
    wanted = sys.argv[1:] or list(parts)
    figures: list[Figure] = []
    for name in wanted:
        print(f"{name} ...", file=sys.stderr, flush=True)
        figures += parts[name].measure()
    width = max(len(figure.name) for figure in figures)
    for figure in figures:
        print(figure.line(width))
    path = Path("build/bench.json")
    path.parent.mkdir(exist_ok=True)
    path.write_text(json.dumps([figure.row() for figure in figures], indent=2) + "\n")
    missed = [figure.name for figure in figures if figure.met is False]
    print(f"{path}: {len(figures)} figures" + (f"; missed: {', '.join(missed)}" if missed else ""))


if __name__ == "__main__":
    main()
