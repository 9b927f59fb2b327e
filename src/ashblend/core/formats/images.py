"""PNG and JPEG maps as arrays."""

import io
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ashblend.core.formats.errors import FormatError

MOST_PIXELS = 8192 * 8192
KINDS = ("PNG", "JPEG")


def read_image(data: bytes, name: str = "The picture") -> NDArray[Any]:
    """An image as stored: (rows, cols) or (rows, cols, 3), uint8 or uint16; alpha is left out.

    Raises FormatError for anything but a whole PNG or JPEG of at most MOST_PIXELS.
    Pillow looks at the header first, so that a small file cannot unpack to a huge one; OpenCV
    reads the pixels, because Pillow reduces 16-bit colour to 8.
    """
    import cv2
    from PIL import Image, UnidentifiedImageError

    try:
        with Image.open(io.BytesIO(data), formats=KINDS) as header:
            pixels = header.width * header.height
    except (UnidentifiedImageError, OSError, ValueError, Image.DecompressionBombError) as error:
        raise FormatError(
            f"{name} is not a PNG or JPEG that can be read.", "Save it again as PNG."
        ) from error
    if pixels > MOST_PIXELS:
        raise FormatError(
            f"{name} has {pixels / 1e6:.0f} million pixels; at most {MOST_PIXELS / 1e6:.0f} are read.",
            "Scale it down.",
        )
    image = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED | cv2.IMREAD_IGNORE_ORIENTATION)
    if image is None or image.dtype not in (np.uint8, np.uint16):
        raise FormatError(f"{name} is damaged.", "Save it again as PNG.")
    if image.ndim == 3:
        image = image[..., 2::-1]
        if image.shape[2] < 3:
            image = image[..., 0]
    return np.ascontiguousarray(image)


def write_png(image: NDArray[Any]) -> bytes:
    """An image (rows, cols[, 3 or 4]) of uint8 or uint16 as PNG."""
    import cv2

    stored = image
    if image.ndim == 3:
        stored = image[..., [2, 1, 0, 3]] if image.shape[2] == 4 else image[..., ::-1]
    done, data = cv2.imencode(".png", np.ascontiguousarray(stored))
    if not done:
        raise ValueError(f"cannot write {image.shape} {image.dtype} as PNG")
    return data.tobytes()
