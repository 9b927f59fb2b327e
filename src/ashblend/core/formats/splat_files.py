"""Splat maps as files: planes of whole numbers, one to four, in one of several formats."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ashblend.core.channels.quantise import WeightBits
from ashblend.core.formats.images import write_png

SplatFormat = Literal["png", "tiff", "npy", "raw"]
Planes = NDArray[np.uint16]


def _wide(steps: Planes, bits: WeightBits) -> NDArray[np.unsignedinteger]:
    """As pictures store them: four bits in eight, spread over their range."""
    return steps if bits == 16 else (steps * (17 if bits == 4 else 1)).astype(np.uint8)


def packed(steps: Planes, bits: WeightBits) -> NDArray[np.unsignedinteger]:
    """(rows, cols[, channels]) as video memory has them: four bits of each channel in one number, the first highest."""
    if bits != 4:
        return steps if bits == 16 else steps.astype(np.uint8)
    channels = steps.shape[2]
    out = np.zeros(steps.shape[:2], np.uint16 if channels > 2 else np.uint8)
    for channel in range(channels):
        out |= (steps[..., channel] << (4 * (channels - 1 - channel))).astype(out.dtype)
    return out


def _png(steps: Planes, bits: WeightBits) -> bytes:
    """One channel is grey; two are red and green of three, since PNG has no pair but grey with alpha."""
    wide = _wide(steps, bits)
    if wide.shape[2] == 2:
        wide = np.concatenate([wide, np.zeros_like(wide[..., :1])], axis=2)
    return write_png(wide[..., 0] if wide.shape[2] == 1 else wide)


def _tiff(steps: Planes, bits: WeightBits) -> bytes:
    import io

    import tifffile

    wide = _wide(steps, bits)
    out = io.BytesIO()
    planes = wide.shape[2]
    tifffile.imwrite(
        out,
        wide[..., 0] if planes == 1 else np.ascontiguousarray(wide),
        photometric="rgb" if planes >= 3 else "minisblack",
        planarconfig="contig" if planes > 1 else None,
        extrasamples=["unassalpha"] if planes == 4 else None,
        compression="zlib",
        metadata=None,
    )
    return out.getvalue()


def _npy(steps: Planes, bits: WeightBits) -> bytes:
    import io

    out = io.BytesIO()
    np.save(out, packed(steps, bits), allow_pickle=False)
    return out.getvalue()


def _raw(steps: Planes, bits: WeightBits) -> bytes:
    values = packed(steps, bits)
    return values.astype(values.dtype.newbyteorder("<")).tobytes()


@dataclass(frozen=True)
class SplatWriter:
    suffix: str
    write: Callable[[Planes, WeightBits], bytes]


WRITERS: Mapping[SplatFormat, SplatWriter] = {
    "png": SplatWriter(".png", _png),
    "tiff": SplatWriter(".tif", _tiff),
    "npy": SplatWriter(".npy", _npy),
    "raw": SplatWriter(".raw", _raw),
}


def bytes_a_texel(channels: int, bits: WeightBits) -> float:
    """In video memory, uncompressed: RGBA4, RGBA8 and RGBA16 and their one- and two-channel kin."""
    return channels * bits / 8


def unpacked(values: NDArray[np.unsignedinteger], bits: WeightBits, channels: int) -> Planes:
    """The way back from `packed`: (rows, cols, channels) steps."""
    if bits != 4:
        return values.reshape(*values.shape[:2], channels).astype(np.uint16)
    shifts = [4 * (channels - 1 - channel) for channel in range(channels)]
    return np.stack([(values >> shift) & 15 for shift in shifts], axis=2).astype(np.uint16)
