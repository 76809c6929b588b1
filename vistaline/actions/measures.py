"""What is counted while work is done, for whoever watches over the machines.

Each process counts for itself; where ``PROMETHEUS_MULTIPROC_DIR`` names a folder, the counts of a
machine's processes are told together, see ``vistaline.stack.metrics``.
"""

from __future__ import annotations

from prometheus_client import Counter, Histogram

__all__ = ["FAILURES", "FRAMES", "FRAME_SECONDS", "LOST", "REQUESTS"]

FRAMES = Counter("vistaline_frames", "Frames that were rendered and encoded")
FRAME_SECONDS = Counter("vistaline_frame_seconds", "Seconds that workers took for them")
FAILURES = Counter("vistaline_failures", "Renders and tasks that ended with an error", ["what"])
LOST = Counter("vistaline_lost", "Ranges that were taken again: their worker was lost")
REQUESTS = Histogram(
    "vistaline_request_seconds",
    "Seconds to answer a request",
    ["method", "endpoint", "status"],
    buckets=(0.01, 0.03, 0.1, 0.3, 1, 3, 10, 30),
)
