"""What is loaded when it is first used, used once on a small mesh, so that neither a first stroke nor a first measure
waits for it. With this, and with the stand-in of a large mesh made ready (`Measures.get_ready`), the first rough look at a
million vertices is there in 0.4 s after the server has started; without both it took 1.3 to 1.6.
"""

from uuid import UUID

import numpy as np

from ashblend.core.brush.document import Brush, PointerSample
from ashblend.core.brush.stroke import Stroke
from ashblend.core.channels.channel import empty_channel
from ashblend.core.light.document import Light
from ashblend.core.light.falling import falling
from ashblend.core.progress import silent
from ashblend.core.recipe.document import Recipe, Term
from ashblend.core.sets.document import ChannelDocument, ChannelSetDocument
from ashblend.core.sites.mesh import Mesh
from ashblend.core.surface.address import ChannelAddress
from ashblend.core.surface.kinds.vertices import VertexSites
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.shape import Shape
from ashblend.core.surface.undercoat import previewed
from ashblend.core.survey.body import Body
from ashblend.core.survey.coarse import coarse
from ashblend.core.survey.occlusion import OcclusionMeasure
from ashblend.core.survey.registry import MEASURES


def warm() -> None:
    """Light, paint and measure where nobody looks."""
    # What a first picture waits for comes first.
    falling(Light(), np.full(3, 0.2))
    shape = Shape(_roof())
    _stroke(shape)
    _measures(shape)


def _roof() -> Mesh:
    """Two slopes of a metre that meet in a ridge."""
    x, z = np.meshgrid(np.linspace(0, 1, 9), np.linspace(0, 1, 9))
    positions = np.stack([x, 0.5 - np.abs(x - 0.5), z], axis=-1).reshape(-1, 3).astype(np.float32)
    first = (np.arange(8)[:, None] * 9 + np.arange(8)).reshape(-1)
    corners = np.stack([first, first + 9, first + 1, first + 1, first + 9, first + 10], axis=1)
    return Mesh(positions, corners.reshape(-1, 3).astype(np.uint32))


def _stroke(shape: Shape) -> None:
    sites = shape.vertices()
    brushes = (Brush(radius=2, reach="ball"), *(Brush(radius=2, act=a) for a in ("paint", "smooth", "smear")))
    for brush in brushes:
        stroke = Stroke(sites, empty_channel(sites.count), 0, brush)
        stroke.extend([PointerSample(position=(0, 0, 0), normal=(0, 1, 0))])
        stroke.finish()


def _measures(shape: Shape) -> None:
    sites = shape.vertices()
    coarse(Body(shape.mesh, sites))
    for measure in MEASURES.values():
        if measure.of_meshes and not (settings := measure.document.fitted(1.0)[0]).lacks:
            shape.measures.work_out(settings, sites, silent)
    document = ChannelSetDocument(name="Set", channels=(ChannelDocument(name="R"),))
    found = OpenSet(UUID(int=0), VertexSites(), document, 0, [empty_channel(sites.count)], sites)
    source = OcclusionMeasure.fitted(1.0)[0]
    on = ChannelAddress(channel_set=found.id, channel=0)
    previewed(shape, {found.id: found}, on, Recipe(terms=(Term(source=source),)), lambda _, __: {})
