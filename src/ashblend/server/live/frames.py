"""Binary frames with channel values.

Little endian. Header of six uint32: magic, kind (0 sparse, 1 all sites), number of the channel
set on the surface, bits of the channels that follow, count of sites, 0. Then for a sparse frame
the sites, uint32 each; then for each channel its values, uint16 each.
"""

import struct
from collections.abc import Mapping

from ashblend.core.arrays import U16, U32

MAGIC = 0x31464241
SPARSE, ALL = 0, 1
_HEADER = struct.Struct("<6I")


def _frame(kind: int, channel_set: int, count: int, sites: bytes, values: Mapping[int, U16]) -> bytes:
    bits = sum(1 << channel for channel in values)
    header = _HEADER.pack(MAGIC, kind, channel_set, bits, count, 0)
    planes = [values[channel].astype("<u2").tobytes() for channel in sorted(values)]
    return b"".join([header, sites, *planes])


def sparse_frame(channel_set: int, sites: U32, values: Mapping[int, U16]) -> bytes:
    """Values (k,) of some channels at sites (k,)."""
    return _frame(SPARSE, channel_set, sites.shape[0], sites.astype("<u4").tobytes(), values)


def full_frame(channel_set: int, values: Mapping[int, U16]) -> bytes:
    """Values of some channels at every site."""
    return _frame(ALL, channel_set, next(iter(values.values())).shape[0], b"", values)
