"""Cover: replaces what is under it."""

from ashblend.core.blend.mapping import Look
from ashblend.core.blend.tree import Node, mix, normalize


def cover(below: Look, own: Look, weight: Node) -> Look:
    """Everything mixed by the weight; normals mixed and made unit again."""
    return Look(
        albedo=mix(below.albedo, own.albedo, weight),
        normal=normalize(mix(below.normal, own.normal, weight)),
        roughness=mix(below.roughness, own.roughness, weight),
        occlusion=mix(below.occlusion, own.occlusion, weight),
        height=mix(below.height, own.height, weight),
    )
