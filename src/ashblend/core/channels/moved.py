"""Channels on other sites: along a mesh's lineage, or taken over number by number."""

import numpy as np

from ashblend.core.arrays import F64, I32, U16
from ashblend.core.channels.channel import Channel, empty_channel
from ashblend.core.sites.lineage import Lineage, moved


def moved_channel(lineage: Lineage, channel: Channel) -> Channel:
    """A channel on the new vertices. Cover and paint are premultiplied, so both move linearly."""

    def plane(values: U16) -> U16:
        out: F64 = moved(lineage, values)
        return np.rint(out).astype(np.uint16)

    under = channel.undercoat
    return Channel(
        plane(channel.cover), plane(channel.paint), under if isinstance(under, float) else plane(under)
    )


def taken_over(channel: Channel, to: I32, source: I32, extent: int) -> Channel:
    """A channel of another extent whose sites `to` hold what sites `source` held; −1 starts without paint."""
    known = source >= 0
    to, source = to[known], source[known]
    out = empty_channel(extent)
    out.cover[to], out.paint[to] = channel.cover[source], channel.paint[source]
    under = channel.undercoat
    if isinstance(under, float):
        out.undercoat = under
    else:
        out.undercoat = np.zeros(extent, np.uint16)
        out.undercoat[to] = under[source]
    return out
