"""The blend: its document, and its way to one expression tree."""

from ashblend.core.blend.compile import BlendTree, compile_blend, structure_key
from ashblend.core.blend.document import BlendDocument, Ground, LayerGroup
from ashblend.core.blend.drive import Drive
from ashblend.core.blend.inputs import SurfaceInputs, surface_inputs
from ashblend.core.blend.layers import CoverLayer, FilmLayer, Layer, ReliefLayer, TintLayer
from ashblend.core.blend.references import Fault, Known, faults, readings, references
from ashblend.core.materials.mapping import Mapping

__all__ = [
    "BlendDocument",
    "BlendTree",
    "CoverLayer",
    "Drive",
    "Fault",
    "FilmLayer",
    "Ground",
    "Known",
    "Layer",
    "LayerGroup",
    "Mapping",
    "ReliefLayer",
    "SurfaceInputs",
    "TintLayer",
    "compile_blend",
    "faults",
    "readings",
    "references",
    "structure_key",
    "surface_inputs",
]
