"""Splat maps: a channel set on texels as one picture, R G B A as its channels."""

from collections.abc import Sequence
from typing import Literal

import numpy as np

from ashblend.core.channels.channel import FULL, Channel
from ashblend.core.channels.quantise import quantise
from ashblend.core.formats.images import write_png
from ashblend.core.sites.uv_texels import UVTexels

PADDING = 16


def splat_png(texels: UVTexels, channels: Sequence[Channel], bits: Literal[8, 16]) -> bytes:
    """The channels as RGBA of 8 or 16 bits, seams padded; channels that are not there are zero."""
    source = texels.padded(PADDING)
    known = source >= 0
    out = np.zeros((texels.size * texels.size, 4), np.uint8 if bits == 8 else np.uint16)
    for number, channel in enumerate(channels):
        values = quantise(channel.values() / np.float64(FULL), bits)
        out[known, number] = values[source[known]]
    return write_png(out.reshape(texels.size, texels.size, 4))
