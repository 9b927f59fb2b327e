"""The blend: its document, and its way to one expression tree."""

from ashblend.core.blend.compile import BlendTree, compile_blend, structure_key
from ashblend.core.blend.document import BlendDocument, Ground
from ashblend.core.blend.inputs import SurfaceInputs, surface_inputs
from ashblend.core.blend.layers import CoverLayer, Layer
from ashblend.core.blend.mask import ChannelMask
from ashblend.core.materials.mapping import Mapping

__all__ = [
    "BlendDocument",
    "BlendTree",
    "ChannelMask",
    "CoverLayer",
    "Ground",
    "Layer",
    "Mapping",
    "SurfaceInputs",
    "compile_blend",
    "structure_key",
    "surface_inputs",
]
