"""Answering what is at the cursor."""

from ashblend.core.surface.probe import place_of, probe, sites_under
from ashblend.core.surface.refusal import Refusal
from ashblend.server.live.messages import CoreSample, Hiding, LayerAtPlace, Probe
from ashblend.session.surface import OpenSurface


def core_sample(surface: OpenSurface, message: Probe) -> CoreSample:
    """What is at a place, and how many sites the brush would reach there. Raises Refusal."""
    surface.require_level(message.level)
    shape, level, triangle, shares = surface.shape, message.level, message.triangle, message.barycentric
    if triangle >= shape.mesh_of(level).triangles.shape[0]:
        raise Refusal("There is no such triangle.", "Load the surface again.")
    found = probe(shape, surface.sets, surface.blend(), level, triangle, shares)
    centre, normal = place_of(shape, level, triangle, shares)
    brushed = surface.set_of(message.channel_set)
    under = sites_under(brushed, centre, normal, message.radius, message.reach, message.facing_limit)
    hiding = found.hiding
    return CoreSample(
        number=message.number,
        height=found.height,
        slope=found.slope,
        values=found.values,
        layers=[LayerAtPlace(layer=x.layer, weight=x.weight, share=x.share) for x in found.layers],
        hiding=Hiding(above=hiding.above, below=hiding.below) if hiding else None,
        sites_under_brush=under,
    )
