"""What makes a still picture stir by itself: it sways, or it is cloth."""

from __future__ import annotations

from vistaline.core.looks.cloth import Cloth
from vistaline.core.looks.swaying import Sway

__all__ = ["Stirs"]

Stirs = Sway | Cloth
"""Both know any moment by itself."""
