"""Channels on other sites: along a mesh's lineage, or taken over number by number."""

from ashblend.core.arrays import I32
from ashblend.core.channels.channel import Channel, empty_channel
from ashblend.core.sites.lineage import Lineage


def moved_channel(lineage: Lineage, channel: Channel) -> Channel:
    """A channel on the new vertices."""
    kind, under = channel.kind, channel.undercoat
    cover, paint = kind.moved(lineage, channel.cover, channel.paint)
    held = under if isinstance(under, float) else kind.moved_values(lineage, under)
    return Channel(cover, paint, held, kind=kind)


def taken_over(channel: Channel, to: I32, source: I32, extent: int) -> Channel:
    """A channel of another extent whose sites `to` hold what sites `source` held; −1 starts without paint."""
    known = source >= 0
    to, source = to[known], source[known]
    out = empty_channel(extent, kind=channel.kind)
    out.cover[to], out.paint[to] = channel.cover[source], channel.paint[source]
    under = channel.undercoat
    if isinstance(under, float):
        out.undercoat = under
    else:
        out.undercoat = channel.kind.zeros(extent)
        out.undercoat[to] = under[source]
    return out
