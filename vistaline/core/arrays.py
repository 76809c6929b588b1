"""Names for the array types that cross module borders; shapes stand in docstrings."""

from __future__ import annotations

from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

__all__ = ["FloatArray", "Matrix3", "Matrix4", "Rgba16", "Vector3"]

FloatArray: TypeAlias = NDArray[np.float64]
Vector3: TypeAlias = NDArray[np.float64]
Matrix3: TypeAlias = NDArray[np.float64]
Matrix4: TypeAlias = NDArray[np.float64]
Rgba16: TypeAlias = NDArray[np.uint16]
"""(height, width, 4), linear light, premultiplied, 0..65535."""
