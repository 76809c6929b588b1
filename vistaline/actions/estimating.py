"""A depth map asked for from a service that somebody runs beside Vistaline.

None is needed, and none is asked unless ``VISTALINE_DEPTH_SERVICE`` names one: an address that
takes a picture (POST, image/png, 8 bit, its longer side at most 1024 pixels) and answers with a
grey one of the same shape (image/png, 8 or 16 bit) in which white is near. The stand-in that ships
is ``vistaline.stack.depth_service``.
"""

from __future__ import annotations

import http.client
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from vistaline.actions.errors import Refused
from vistaline.core.depth.sources import fitted_map
from vistaline.core.depth.step import Seen
from vistaline.core.errors import DepthError
from vistaline.core.picture.still import encode_png

__all__ = ["DepthService"]

_SIDE = 1024
_LARGEST = 64 << 20
"""Bytes of an answer: more is no map of a picture of that size."""


@dataclass(frozen=True, kw_only=True)
class DepthService:
    """A service, and how patiently it is asked."""

    address: str
    seconds: float = 60.0
    """How long an answer may take."""
    tries: int = 3
    pause: float = 1.0
    """Seconds before the second try; twice as many before each after it."""

    def estimate(
        self,
        picture: np.ndarray,
        progress: Callable[[float, str], None] = lambda share, words: None,
    ) -> np.ndarray:
        """Return the map of a picture uint8 (height, width, 3): uint16 codes, white near.

        ``progress`` is told of each try, and may raise to stop.

        Raises
        ------
        Refused
            The service did not answer, refused, or answered with something else.
        """
        seen = Seen(picture=picture).smaller(_SIDE)
        data = encode_png(seen.picture)
        for number in range(self.tries):
            progress(0.1 + 0.8 * number / self.tries, f"try {number + 1} of {self.tries}")
            try:
                return _map_in(self._asked(data), seen.shape)
            except urllib.error.HTTPError as error:
                # What it refuses once it refuses again; what went wrong may not.
                if error.code < 500:
                    raise Refused(
                        f"The depth service refused this picture ({error.code} {error.reason}). "
                        "Paint the depth, or begin with the ground."
                    ) from error
                why = f"it answers {error.code}"
            except (OSError, http.client.HTTPException) as error:
                why = "it takes too long" if isinstance(error, TimeoutError) else "nobody answers"
            if number + 1 < self.tries:
                time.sleep(self.pause * 2**number)
        raise Refused(
            f"The depth service was asked {self.tries} times and {why}. See whether it runs, and "
            "ask again; or paint the depth."
        )

    def _asked(self, data: bytes) -> bytes:
        request = urllib.request.Request(
            self.address, data, {"Content-Type": "image/png", "Accept": "image/png"}
        )
        with urllib.request.urlopen(request, timeout=self.seconds) as answer:
            return bytes(answer.read(_LARGEST))


def _map_in(data: bytes, shape: tuple[int, int]) -> np.ndarray:
    codes = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if codes is None or codes.dtype not in (np.uint8, np.uint16):
        raise Refused("The depth service answered with something that is no picture.")
    grey = np.dstack([codes] * 3) if codes.ndim == 2 else codes[..., :3]
    try:
        nearness = fitted_map(np.ascontiguousarray(grey), shape, "What the depth service answered")
    except DepthError as error:
        raise Refused(str(error)) from error
    return np.rint(nearness * 65535).astype(np.uint16)
