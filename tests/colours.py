"""How different colours look."""

import numpy as np

# Linear Rec. 709 to CIE XYZ under D65 (ITU-R BT.709-6), and that white.
TO_XYZ = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])
WHITE = TO_XYZ.sum(axis=1)


def lab(linear: np.ndarray) -> np.ndarray:
    """(..., 3) CIELAB 1976 of linear Rec. 709 (CIE 15:2004)."""
    xyz = linear @ TO_XYZ.T / WHITE
    f = np.where(xyz > (6 / 29) ** 3, np.cbrt(xyz), xyz * (29 / 6) ** 2 / 3 + 4 / 29)
    x, y, z = np.moveaxis(f, -1, 0)
    return np.stack([116 * y - 16, 500 * (x - y), 200 * (y - z)], axis=-1)


def delta_e(one: np.ndarray, other: np.ndarray) -> np.ndarray:
    """(...) distance in CIELAB 1976."""
    return np.linalg.norm(lab(one) - lab(other), axis=-1)
