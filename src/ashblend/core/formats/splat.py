"""Splat maps: a channel set on a map as one picture, R G B A as its channels."""

from collections.abc import Callable, Sequence
from typing import Literal

import numpy as np

from ashblend.core.arrays import F64, U32
from ashblend.core.channels.channel import Channel
from ashblend.core.channels.quantise import FULL, quantise
from ashblend.core.formats.images import write_png
from ashblend.core.sites.protocol import Sites


def _weights(channel: Channel) -> Callable[[U32], F64]:
    return lambda here: channel.values(here) / np.float64(FULL)


def splat_png(sites: Sites, channels: Sequence[Channel], bits: Literal[8, 16]) -> bytes:
    """The channels as RGBA of 8 or 16 bits, seams padded; channels that are not there are zero.

    Raises ValueError where the sites lie on no map.
    """
    planes = [quantise(sites.image(_weights(channel)), bits) for channel in channels]
    out = np.zeros((*planes[0].shape, 4), planes[0].dtype)
    for number, plane in enumerate(planes):
        out[..., number] = plane
    return write_png(out)
