"""A stand-in for a depth service: ``python -m vistaline.stack.depth_service [PORT]``.

It knows nothing of pictures: it answers each with level ground up to a horizon, which is what the
press *Ground, roughly* says, too. It shows what a service must do; see ``actions.estimating``.
"""

from __future__ import annotations

import sys
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import cv2
import numpy as np

from vistaline.core.depth.sources import FromGround
from vistaline.core.depth.step import Seen
from vistaline.core.depth.steps import nearness_of
from vistaline.core.picture.still import encode_png

__all__ = ["StandIn", "served"]

_HORIZON = 0.35


class StandIn(BaseHTTPRequestHandler):
    """Answers a picture with its map."""

    def do_POST(self) -> None:
        """Answer one picture; 400 if it is none."""
        data = self.rfile.read(int(self.headers.get("Content-Length", 0)))
        picture = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR) if data else None
        if picture is None:
            self.send_error(400, "Not a picture")
            return
        height = picture.shape[0]
        ground = FromGround(horizon=_HORIZON * height, foot=float(height))
        nearness = nearness_of([ground], Seen(picture=np.asarray(picture, np.uint8)))
        answer = encode_png(np.rint(nearness * 65535).astype(np.uint16))
        self.send_response(200)
        self.send_header("Content-Type", "image/png")
        self.send_header("Content-Length", str(len(answer)))
        self.end_headers()
        self.wfile.write(answer)

    def log_message(self, format: str, *values: object) -> None:
        """Say nothing of each request."""


def served(port: int, handler: type[BaseHTTPRequestHandler] = StandIn) -> ThreadingHTTPServer:
    """Return the server on a port of loopback, not serving yet; 0: any free port."""
    return ThreadingHTTPServer(("127.0.0.1", port), handler)


if __name__ == "__main__":
    served(int(sys.argv[1]) if len(sys.argv) > 1 else 33740).serve_forever()
