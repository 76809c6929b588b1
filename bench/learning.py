"""``python -m bench.learning``: what tells long scratches, learnt from photographs.

Pieces of lines are found in photographs, sound and worn in drawn ways, as they are and at a
megapixel; a piece is a scratch if most of it lies on one. Logistic regression (Newton's steps, a
little ridge) then weighs what is seen of each; long pieces count more. The photographs are left
out one by one to tell how well it does on others; the weights printed are of all. They stand in
``vistaline/core/prepare/scratches.py``.
"""

from __future__ import annotations

from multiprocessing import Pool

import cv2
import numpy as np

from tests.worn import PRINTS, print_of, worn, worn_unevenly
from vistaline.core.prepare.repair import lines_of

_OTHERS = ("camera", "apple.jpg", "orange.jpg", "butterfly.jpg", "baboon.jpg", "leuvenA.jpg",
           "graf1.png", "squirrel_cls.jpg", "stuff.jpg", "board.jpg", "left05.jpg",
           "rubberwhale1.png", "starry_night.jpg", "aero1.jpg", "plant.jpg", "coins",
           "immunohistochemistry")  # fmt: skip
_SIZES = (None, 1.0)
_ON = 0.5
"""Share of a piece on a scratch that makes it one."""
_RIDGE = 1.0


def _pieces(task: tuple[str, float | None]) -> tuple[str, np.ndarray]:
    """Return a photograph's name and, for each piece, what is seen, its length, and if it is one.

    float64 (N, 12): 1, what is seen, its length in pixels, 1 or 0.
    """
    cv2.setNumThreads(1)
    name, megapixels = task
    photo, rows = print_of(name, megapixels), []
    grey = np.repeat((photo @ np.float32([0.3, 0.59, 0.11]))[..., None], 3, axis=2)
    nothing = np.zeros(photo.shape[:2], np.float32)
    seen = [(photo, nothing), (grey, nothing)]
    seen += [worn(photo, seed) for seed in (5, 6)]
    seen += [worn_unevenly(photo, seed) for seed in (101, 103, 104)]
    for picture, cover in seen:
        near = cv2.dilate((cover > 0.2).astype(np.uint8), np.ones((3, 3), np.uint8))
        for pieces, told in lines_of(np.ascontiguousarray(picture)):
            for (x0, y0, x1, y1), each in zip(pieces, told, strict=True):
                x, y = np.rint(np.linspace((x0, y0), (x1, y1), 60)).astype(int).T
                scratch = near[y, x].mean() > _ON
                rows.append((1.0, *each, np.hypot(x1 - x0, y1 - y0), scratch))
    return name, np.array(rows, float)


def _weights(rows: np.ndarray) -> np.ndarray:
    """Return the weights of 1 and of what is seen."""
    seen, length, scratch = rows[:, :-2], rows[:, -2], rows[:, -1]
    middle, spread = seen.mean(axis=0), seen.std(axis=0)
    middle[0], spread[0] = 0, 1
    standard, count = (seen - middle) / spread, length / length.mean()
    ridge = _RIDGE * np.eye(seen.shape[1])
    ridge[0, 0] = 0
    weights = np.zeros(seen.shape[1])
    for _ in range(30):
        likely = 1 / (1 + np.exp(-standard @ weights))
        bend = (standard * (count * likely * (1 - likely))[:, None]).T @ standard + ridge
        weights += np.linalg.solve(
            bend, standard.T @ (count * (scratch - likely)) - ridge @ weights
        )
    weights /= spread
    weights[0] -= (weights * middle)[1:].sum()
    return weights


def main() -> None:
    """Print how well others' pieces are told, and the weights."""
    with Pool() as pool:
        told = pool.map(
            _pieces, [(name, size) for name in PRINTS + _OTHERS for size in _SIZES], chunksize=1
        )
    for odds in (0.0, 0.4, 1.0):
        precision, recall = [], []
        for name in PRINTS:
            others = _weights(np.vstack([rows for other, rows in told if other != name]))
            rows = np.vstack([rows for other, rows in told if other == name])
            taken, scratch = rows[:, :-2] @ others > odds, rows[:, -1] > 0
            right = rows[taken & scratch, -2].sum()
            precision.append(right / rows[taken, -2].sum())
            recall.append(right / rows[scratch, -2].sum())
        print(f"left out, log odds over {odds}: precision {np.mean(precision):.2f}, "
              f"recall {np.mean(recall):.2f}")  # fmt: skip
    everything = np.vstack([rows for _, rows in told])
    print(len(everything), "pieces;", np.round(_weights(everything), 3).tolist())


if __name__ == "__main__":
    main()
