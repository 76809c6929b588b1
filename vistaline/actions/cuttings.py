"""Masks, mattes, plates and depths of pictures, computed once, kept by what they are made from.

A mask is named by a hash of the picture and of every step that made it; so undoing finds the
mask of before, and one more brush stroke starts from the mask without it.
"""

from __future__ import annotations

import hashlib
import os
import tempfile
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import cv2
import numpy as np

from vistaline.actions.pictures import Library
from vistaline.core.depth.sources import FromMap
from vistaline.core.depth.step import Seen
from vistaline.core.depth.steps import nearness_of
from vistaline.core.errors import DepthError, MaskError
from vistaline.core.formats.incoming import picture_codes
from vistaline.core.separate.alike import looks_alike
from vistaline.core.separate.cutset import OWN_DEPTH, Cutout, CutSet, DepthBand, Step
from vistaline.core.separate.masks import advance, hole_behind, stages, together
from vistaline.core.separate.separation import SeparatedLayer, cloned, cut_layer
from vistaline.core.separate.shadow import soft_shadow
from vistaline.core.sheet.sheet import EVERYTHING, PlateUse, Sheet

__all__ = ["Cuttings", "NamedMask", "sliced"]

_KEPT_MASKS = 60
_KEPT_MATTES = 30
_KEPT_CODES = 24
_KEPT_DEPTHS = 4
_KEPT_SMALL_DEPTHS = 40


@dataclass(frozen=True, eq=False)
class NamedMask:
    """A mask and the name it is kept by."""

    name: str
    array: np.ndarray
    """uint8 (height, width)."""
    error: str = ""
    """Why a step of it was left out, if one makes no sense."""


def _hash(*parts: str) -> str:
    return hashlib.sha256("|".join(parts).encode()).hexdigest()[:40]


def sliced(cutout: Cutout) -> bool:
    """Whether a cutout is cut by the depth of its own picture; it tells that depth nothing."""
    return any(isinstance(step, DepthBand) and step.map == OWN_DEPTH for step in cutout.steps)


def _name_of(used: Sequence[NamedMask]) -> str:
    """Return what the hole of these masks is known by."""
    return _hash(*(mask.name for mask in used))


def _last_together(cutset: CutSet, drawn: list[np.ndarray]) -> np.ndarray:
    return together(cutset, drawn)[-1]


class Cuttings:
    """What is computed for cutting the library's pictures; ``file`` is a stored picture's."""

    def __init__(self, library: Library) -> None:
        self._library = library
        self._files = library.files

    # --- codes ---

    def codes(self, file: str) -> np.ndarray:
        """Return uint8 (height, width, 3) codes, straight where the picture is transparent."""

        def compute() -> np.ndarray:
            exact = self.exact_codes(file)
            if exact.dtype == np.uint16:
                exact = (exact >> 8).astype(np.uint8)
            return np.ascontiguousarray(exact[..., :3])

        return self._kept("codes", _hash(file), compute, _KEPT_CODES)

    def exact_codes(self, file: str) -> np.ndarray:
        """Return (height, width, 4) codes, uint8 or uint16 as the picture is."""
        return picture_codes(self._files.path(file), Path(file).name)

    def _kept(
        self, kind: str, name: str, compute: Callable[[], np.ndarray], keep: int
    ) -> np.ndarray:
        kept = self._opened(kind, name)
        if kept is not None:
            return kept
        array = compute()
        self._write(self._files.derived(kind, f"{name}.npy"), array)
        self._files.prune(kind, keep)
        return array

    def _opened(self, kind: str, name: str) -> np.ndarray | None:
        path = self._files.derived(kind, f"{name}.npy")
        try:
            os.utime(path)  # used just now: pruned last
            return np.load(path, mmap_mode="r").view(np.ndarray)
        except FileNotFoundError:
            return None

    @staticmethod
    def _write(path: Path, array: np.ndarray) -> None:
        """Write whole or not at all; what is computed again need not survive a power cut."""
        handle, name = tempfile.mkstemp(dir=path.parent, suffix=".part")
        with os.fdopen(handle, "wb") as file:
            np.save(file, array)
        os.replace(name, path)

    # --- masks ---

    def masks(self, file: str, sheet: Sheet) -> list[NamedMask]:
        """Return the masks, near to far, each without what nearer ones take from it."""
        picture, cutset = self.codes(file), sheet.cutset
        drawn = [self._drawn(file, picture, cutout, sheet) for cutout in cutset.cutouts]
        found: list[NamedMask] = []
        taken: list[str] = []
        for n, (cutout, mask) in enumerate(zip(cutset.cutouts, drawn, strict=True)):
            if not taken:
                found.append(mask)
            else:
                name = _hash(mask.name, *taken)
                part = CutSet(cutouts=cutset.cutouts[: n + 1])
                arrays = [each.array for each in drawn[: n + 1]]
                array = self._kept(
                    "masks", name, partial(_last_together, part, arrays), _KEPT_MASKS
                )
                found.append(NamedMask(name, array, mask.error))
            if cutout.takes_away and not cutout.hidden:
                taken.append(mask.name)
        return found

    def kept_mask(self, name: str) -> np.ndarray | None:
        """Return a mask by its name; None if it is not kept any more."""
        return self._opened("masks", name)

    def _drawn(self, file: str, picture: np.ndarray, cutout: Cutout, sheet: Sheet) -> NamedMask:
        steps = stages(cutout)
        # A slice follows the depth it is cut by.
        depth = (self.depth_name(file, sheet),) if sliced(cutout) else ()
        names = [_hash(file, name, *depth) for name, _ in steps]
        kept = self.kept_mask(names[-1]) if names else None
        if kept is not None:
            return NamedMask(names[-1], kept)
        maps = self._maps(cutout, picture.shape[:2])
        if sliced(cutout):
            # Before others are kept out: the depth asks for masks itself.
            with suppress(DepthError):  # the step itself will say that its map is gone
                maps[OWN_DEPTH] = 1 - self.depth(file, sheet)
        # The canvas and several panels ask for a new mask at once: one of them computes it.
        with self._files.alone("masks", _hash(file)):
            return self._computed(picture, maps, steps, names, empty=_hash(file, "empty"))

    def _computed(
        self,
        picture: np.ndarray,
        maps: dict[str, np.ndarray],
        steps: list[tuple[str, Step]],
        names: list[str],
        *,
        empty: str,
    ) -> NamedMask:
        # From the last mask on the way that is still kept.
        start, mask = 0, np.zeros(picture.shape[:2], np.uint8)
        for n in range(len(steps), 0, -1):
            kept = self.kept_mask(names[n - 1])
            if kept is not None:
                start, mask = n, kept
                break
        error = ""
        for name, (_, step) in zip(names[start:], steps[start:], strict=True):
            try:
                mask = advance(mask, step, picture, maps)
            except MaskError as refusal:
                error = str(refusal)
            # A guess takes long; what follows it shall not wait for it again. A mask with a step
            # left out is not kept: its reason would be forgotten.
            if not error and (name == names[-1] or step.kind == "guess"):
                mask = self._kept("masks", name, partial(np.asarray, mask), _KEPT_MASKS)
        if error:
            name = _hash(names[-1], "without")
            mask = self._kept("masks", name, partial(np.asarray, mask), _KEPT_MASKS)
            return NamedMask(name, mask, error)
        return NamedMask(names[-1] if names else empty, mask)

    def _maps(self, cutout: Cutout, shape: tuple[int, ...]) -> dict[str, np.ndarray]:
        """Return the depth maps of a cutout; white is near (common practice, no source)."""
        maps: dict[str, np.ndarray] = {}
        for step in cutout.steps:
            if isinstance(step, DepthBand) and step.map not in (OWN_DEPTH, *maps):
                if not self._files.path(step.map).is_file():
                    continue  # the step itself will say that its map is gone
                grey = cv2.cvtColor(self.codes(step.map), cv2.COLOR_RGB2GRAY)
                if grey.shape != shape[:2]:
                    grey = cv2.resize(grey, (shape[1], shape[0]), interpolation=cv2.INTER_LINEAR)
                maps[step.map] = 1 - grey.astype(np.float32) / 255
        return maps

    # --- depth ---

    def depth_name(self, file: str, sheet: Sheet) -> str:
        """Return what a picture's depth is known by: a hash of all that it is made from."""
        steps = [step for step in sheet.depth.steps if step.on]
        drawn = [
            _hash(cutout.id, *(name for name, _ in stages(cutout)))
            for cutout in sheet.cutset.cutouts
            if not sliced(cutout) and any(step.asks_cutouts for step in steps)
        ]
        return _hash(file, *(step.model_dump_json() for step in steps), *drawn)

    def depth(self, file: str, sheet: Sheet, side: int | None = None) -> np.ndarray:
        """Return a picture's depth: nearness, float32 (height, width), 0 farthest to 1 nearest.

        Of the picture's size, or of a copy whose longer side is at most ``side`` pixels.

        Raises
        ------
        DepthError
            No step makes a map, or one of them cannot.
        """

        def compute() -> np.ndarray:
            seen = self._seen(file, sheet)
            return nearness_of(sheet.depth.steps, seen.smaller(side) if side else seen)

        name = self.depth_name(file, sheet)
        # One lock a picture, as masks have: one a depth would leave a file for every stroke.
        with self._files.alone("depths", _hash(file)):
            if side:
                return self._kept("small depths", f"{name}-{side}", compute, _KEPT_SMALL_DEPTHS)
            return self._kept("depths", name, compute, _KEPT_DEPTHS)

    def _seen(self, file: str, sheet: Sheet) -> Seen:
        picture = self.codes(file)
        cutouts = [each for each in sheet.cutset.cutouts if not sliced(each)]
        files = {step.file for step in sheet.depth.steps if isinstance(step, FromMap) and step.on}
        return Seen(
            picture=picture,
            cutouts={each.id: self._drawn(file, picture, each, sheet).array for each in cutouts},
            maps={
                each: self.exact_codes(each)[..., :3]
                for each in files
                if self._files.path(each).is_file()
            },
        )

    # --- plates ---

    def hole(self, file: str, sheet: Sheet, behind: str) -> tuple[str, np.ndarray]:
        """Return the name and the hole (bool) behind a cutout and all nearer ones."""
        used = self._taken(file, sheet, behind)
        return _name_of(used), hole_behind([mask.array for mask in used])

    def hole_name(self, file: str, sheet: Sheet, behind: str) -> str:
        """Return the name of :meth:`hole` alone."""
        return _name_of(self._taken(file, sheet, behind))

    def shadow(self, file: str, sheet: Sheet, behind: str) -> np.ndarray:
        """Return bool (height, width): the soft shadow that begins at a hole."""
        used = self._taken(file, sheet, behind)

        def compute() -> np.ndarray:
            return soft_shadow(self.codes(file), hole_behind([mask.array for mask in used]))

        return self._kept("shadows", _hash(file, _name_of(used)), compute, _KEPT_MASKS)

    def alike(self, file: str, sheet: Sheet, behind: str) -> np.ndarray:
        """Return bool (height, width): what looks like what was cut out, beside its hole."""
        used = self._taken(file, sheet, behind)
        subject = np.maximum.reduce([mask.array for mask in used]) > 127
        return looks_alike(self.codes(file), subject, hole_behind([m.array for m in used]))

    def _taken(self, file: str, sheet: Sheet, behind: str) -> list[NamedMask]:
        """Return the masks of a cutout and all nearer ones that are not hidden."""
        used = []
        for cutout, mask in zip(sheet.cutset.cutouts, self.masks(file, sheet), strict=True):
            if not cutout.hidden:
                used.append(mask)
            if cutout.id == behind:
                break
        if not used:
            raise MaskError("Nothing is cut out yet, so there is nothing to fill behind.")
        return used

    def plate(self, use: PlateUse) -> np.ndarray:
        """Return uint8 (height, width, 3): a fill with what was cloned over it."""
        if not use.clones:
            return self.codes(use.file)
        return self._kept(
            "codes",
            self.plate_name(use),
            lambda: cloned(self.plate(use.evolve(clones=use.clones[:-1])), use.clones[-1:]),
            _KEPT_CODES,
        )

    def plate_name(self, use: PlateUse) -> str:
        """Return what a plate's look is known by."""
        return _hash(use.file, *(clone.model_dump_json() for clone in use.clones))

    def exact_plate(self, use: PlateUse) -> np.ndarray:
        """Return a plate (height, width, 3) as deep as its fill is."""
        return cloned(self.exact_codes(use.file)[..., :3], use.clones)

    # --- mattes ---

    def matte_name(self, file: str, sheet: Sheet, index: int, mask: NamedMask) -> str:
        """Return what a cutout's matte is known by."""
        cutout = sheet.cutset.cutouts[index]
        care = cutout.model_dump_json(include={"edge_care", "band", "hair"})
        use = self._colours(sheet, index)
        return _hash(file, mask.name, care, self.plate_name(use) if use else "")

    @staticmethod
    def _colours(sheet: Sheet, index: int) -> PlateUse | None:
        """Return the fill a cutout's colours come from: that behind the one before it."""
        if index == 0:
            return None
        return sheet.plate(sheet.cutset.cutouts[index - 1].id)

    def matte(self, name: str) -> tuple[tuple[int, int], np.ndarray] | None:
        """Return a matte's place (x, y) and codes (height, width, 4); None if not computed."""
        found = self._files.find("mattes", f"{name}.*.npy")
        if found is None:
            return None
        x, y = found.name.split(".")[1].split("_")
        return (int(x), int(y)), np.load(found, mmap_mode="r").view(np.ndarray)

    def layer(self, file: str, sheet: Sheet, index: int) -> SeparatedLayer:
        """Return a cutout as a layer, its edge solved; computed if it is not there yet."""
        cutout = sheet.cutset.cutouts[index]
        mask = self.masks(file, sheet)[index]
        name = self.matte_name(file, sheet, index, mask)
        kept = self.matte(name)
        if kept is None:
            exact = self.exact_codes(file)
            use = self._colours(sheet, index)
            layer = cut_layer(
                np.ascontiguousarray(exact[..., :3]),
                cutout,
                mask.array,
                behind=self.exact_plate(use) if use else None,
                opacity=exact[..., 3],
            )
            path = self._files.derived("mattes", f"{name}.{layer.box[0]}_{layer.box[1]}.npy")
            self._write(path, layer.rgba)
            self._files.share(path)
            self._files.prune("mattes", _KEPT_MATTES)
            return layer
        (x, y), rgba = kept
        height, width = rgba.shape[:2]
        return SeparatedLayer(name=cutout.name, box=(x, y, width, height), rgba=rgba)

    def final_plate(self, file: str, sheet: Sheet) -> np.ndarray:
        """Return the plate (height, width, 3) behind everything; the picture if unfilled."""
        use = sheet.plate(EVERYTHING)
        return self.exact_plate(use) if use else self.exact_codes(file)[..., :3]
