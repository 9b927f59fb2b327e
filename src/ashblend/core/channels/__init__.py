"""Channels: an undercoat with paint over it, sixteen bits each, and what can be said of them."""

from ashblend.core.channels.channel import FULL, Channel, channel_of_values, empty_channel, kernel_undercoat
from ashblend.core.channels.delta import (
    ChannelDelta,
    changed_between,
    changed_between_sites,
    constant_undercoat_delta,
    joined,
    undercoat_delta,
)
from ashblend.core.channels.document import (
    CHANNEL_LETTERS,
    CarriedUndercoat,
    ChannelDocument,
    ChannelSetDocument,
    ConstantUndercoat,
    FileUndercoat,
    MadeFrom,
    MeasuredUndercoat,
)
from ashblend.core.channels.quantise import dequantise, quantise
from ashblend.core.channels.statistics import ChannelStatistics, Tallies, channel_statistics

__all__ = [
    "CHANNEL_LETTERS",
    "FULL",
    "CarriedUndercoat",
    "Channel",
    "ChannelDelta",
    "ChannelDocument",
    "ChannelSetDocument",
    "ChannelStatistics",
    "ConstantUndercoat",
    "FileUndercoat",
    "MadeFrom",
    "MeasuredUndercoat",
    "Tallies",
    "changed_between",
    "changed_between_sites",
    "channel_of_values",
    "channel_statistics",
    "constant_undercoat_delta",
    "dequantise",
    "empty_channel",
    "joined",
    "kernel_undercoat",
    "quantise",
    "undercoat_delta",
]
