"""Channels: an undercoat with paint over it, sixteen bits each, and what can be said of them."""

from ashblend.core.channels.channel import FULL, Channel, channel_of_values, empty_channel, undercoat_array
from ashblend.core.channels.delta import ChannelDelta, changed_between, changed_between_sites
from ashblend.core.channels.document import (
    CHANNEL_LETTERS,
    ChannelDocument,
    ChannelSetDocument,
    ConstantUndercoat,
)
from ashblend.core.channels.quantise import dequantise, quantise
from ashblend.core.channels.statistics import ChannelStatistics, channel_statistics

__all__ = [
    "CHANNEL_LETTERS",
    "FULL",
    "Channel",
    "ChannelDelta",
    "ChannelDocument",
    "ChannelSetDocument",
    "ChannelStatistics",
    "ConstantUndercoat",
    "changed_between",
    "changed_between_sites",
    "channel_of_values",
    "channel_statistics",
    "dequantise",
    "empty_channel",
    "quantise",
    "undercoat_array",
]
