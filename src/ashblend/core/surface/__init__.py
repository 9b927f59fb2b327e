"""An open surface: its shape and channel sets, and what strokes, fills, probes and changes of the mesh do to them."""

from ashblend.core.surface.address import ChannelAddress, FaceChoice, Protection
from ashblend.core.surface.kinds import SiteKind, TexelSites, VertexSites
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.shape import LevelState, Shape
from ashblend.core.surface.state import SetState, SurfaceState, follower

__all__ = [
    "ChannelAddress",
    "FaceChoice",
    "LevelState",
    "OpenSet",
    "Protection",
    "Refusal",
    "SetState",
    "Shape",
    "SiteKind",
    "SurfaceState",
    "TexelSites",
    "VertexSites",
    "follower",
]
