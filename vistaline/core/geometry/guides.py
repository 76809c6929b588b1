"""Lines over the frame that nobody renders: safe areas and thirds.

Safe areas: SMPTE ST 2046-1, for 16:9 production: action 93 %, title 90 % of width and height.
"""

from __future__ import annotations

__all__ = ["ACTION_SAFE", "TITLE_SAFE", "guide_boxes"]

ACTION_SAFE, TITLE_SAFE = 0.93, 0.90


def guide_boxes(width: int, height: int) -> dict[str, tuple[float, float, float, float]]:
    """Return x, y, width, height in frame pixels of the safe areas and the middle third.

    >>> {name: tuple(round(v, 1) for v in box) for name, box in guide_boxes(1920, 1080).items()}
    ... # doctest: +NORMALIZE_WHITESPACE
    {'action': (67.2, 37.8, 1785.6, 1004.4), 'title': (96.0, 54.0, 1728.0, 972.0),
     'thirds': (640.0, 360.0, 640.0, 360.0)}
    """
    shares = {"action": ACTION_SAFE, "title": TITLE_SAFE, "thirds": 1 / 3}
    return {
        name: (width * (1 - share) / 2, height * (1 - share) / 2, width * share, height * share)
        for name, share in shares.items()
    }
