"""PNG and JPEG maps as arrays.

A picture is decoded whole before it can be scaled down: 8192² of 16-bit RGBA are 537 MB for a moment. So few are
decoded at a time (`budget.decoding`), and each is brought to the edge that is wanted before anything else is made of it. Both libraries let other threads run while they decode.
"""

import io
import struct
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ashblend.core.formats.budget import Budget, decoding
from ashblend.core.formats.errors import FormatError

MOST_PIXELS = 8192 * 8192
KINDS = ("PNG", "JPEG")


PNG_HEAD = b"\x89PNG\r\n\x1a\n"
# What the pixels need (ISO/IEC 15948, sections 11.2 and 11.3.2).
NEEDED = (b"IHDR", b"PLTE", b"tRNS", b"IDAT", b"IEND")


def _needed_chunks(data: bytes, name: str) -> bytes:
    """A PNG with nothing in it but what its pixels need, and one header.

    The decoder makes room for what a chunk says of its length, and believes headers and frames of an animation that
    nobody has looked at: a damaged file of 1.8 kB with 24² pixels took 2.8 GB. What is not there is left out here.
    """
    if not data.startswith(PNG_HEAD):
        return data
    parts, at, headers = [PNG_HEAD], len(PNG_HEAD), 0
    while at + 12 <= len(data):
        length, kind = struct.unpack_from(">I4s", data, at)
        end = at + 12 + length
        if end > len(data):
            break
        headers += kind == b"IHDR"
        if kind in NEEDED:
            parts.append(data[at:end])
        at = end
    if headers != 1:
        raise FormatError(f"{name} is damaged.", "Save it again as PNG.")
    return b"".join(parts)


def read_image(
    data: bytes,
    name: str = "The picture",
    most_edge: int | None = None,
    *,
    alpha: bool = False,
    most_pixels: int = MOST_PIXELS,
    budget: Budget | None = None,
) -> NDArray[Any]:
    """An image as stored: (rows, cols) or (rows, cols, 3), uint8 or uint16; alpha is left out, unless it is asked for.

    most_edge: larger ones are scaled down to it, texels averaged by area. budget: what is left of the upload it came in.

    Raises FormatError for anything but a whole PNG or JPEG of at most MOST_PIXELS.
    Pillow looks at the header first, so that a small file cannot unpack to a huge one; OpenCV
    reads the pixels, because Pillow reduces 16-bit colour to 8.
    """
    import cv2
    from PIL import Image, UnidentifiedImageError

    try:
        with Image.open(io.BytesIO(data), formats=KINDS) as header:
            pixels = header.width * header.height
            bands = len(header.getbands())
            # Pillow says nothing of sixteen bits in colour; a PNG's header does.
            each = bands * (2 if header.format == "PNG" and data[24:25] == b"\x10" else 1)
    except Image.DecompressionBombError as error:
        raise _too_large(name, "far more", most_pixels) from error
    except (UnidentifiedImageError, OSError, ValueError) as error:
        raise FormatError(
            f"{name} is not a PNG or JPEG that can be read.", "Save it again as PNG."
        ) from error
    if pixels > most_pixels:
        raise _too_large(name, f"{pixels / 1e6:.0f} million", most_pixels)
    if budget is not None:
        budget.take(pixels * each, name)
    with decoding():
        stored = np.frombuffer(_needed_chunks(data, name), np.uint8)
        image = cv2.imdecode(stored, cv2.IMREAD_UNCHANGED | cv2.IMREAD_IGNORE_ORIENTATION)
        if image is not None and most_edge is not None and max(image.shape[:2]) > most_edge:
            scale = most_edge / max(image.shape[:2])
            size = tuple(max(1, round(edge * scale)) for edge in image.shape[1::-1])
            image = cv2.resize(image, size, interpolation=cv2.INTER_AREA)
    if image is None or image.dtype not in (np.uint8, np.uint16):
        raise FormatError(f"{name} is damaged.", "Save it again as PNG.")
    if image.ndim == 3 and image.shape[2] == 4 and alpha:
        image = image[..., [2, 1, 0, 3]]
    elif image.ndim == 3:
        image = image[..., 2::-1]
        if image.shape[2] < 3:
            image = image[..., 0]
    return np.ascontiguousarray(image)


def _too_large(name: str, pixels: str, most_pixels: int) -> FormatError:
    most = f"{most_pixels / 1e6:.0f} million"
    return FormatError(f"{name} has {pixels} pixels; at most {most} are read.", "Scale it down.")


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
