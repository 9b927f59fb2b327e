"""Acts on a whole channel at once. Each gives the delta; nothing is written here."""

import numpy as np

from ashblend.core.arrays import U16
from ashblend.core.channels.channel import FULL, Channel
from ashblend.core.channels.delta import ChannelDelta, changed_between


def _covered_with(number: int, channel: Channel, paint: U16) -> ChannelDelta:
    cover = np.full_like(channel.cover, FULL)
    return changed_between(number, channel, Channel(cover, paint, channel.undercoat))


def fill_delta(number: int, channel: Channel, weight: float) -> ChannelDelta:
    """Paint every site fully toward a weight in 0..1."""
    return _covered_with(number, channel, np.full_like(channel.paint, round(weight * FULL)))


def invert_delta(number: int, channel: Channel) -> ChannelDelta:
    """Paint every site fully toward one minus what it holds."""
    return _covered_with(number, channel, (FULL - channel.values()).astype(np.uint16))


def lift_all_delta(number: int, channel: Channel) -> ChannelDelta:
    """Erase every site fully, so that only the undercoat is left."""
    nothing = np.zeros_like(channel.cover)
    return changed_between(number, channel, Channel(nothing, nothing, channel.undercoat))
