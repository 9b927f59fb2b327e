"""The compiled blend as the viewport gets it."""

import json
from functools import lru_cache
from typing import Any
from uuid import UUID

from pydantic import BaseModel

from ashblend.core.blend.compile import structure_key
from ashblend.core.blend.document import BlendDocument
from ashblend.core.blend.drawn import Drawn, drawn
from ashblend.core.blend.lenses import LensTree
from ashblend.core.blend.names import Names
from ashblend.core.blend.references import Known
from ashblend.core.emit.glsl import emit_glsl
from ashblend.core.emit.parameters import READINGS
from ashblend.core.tree.host import value_at
from ashblend.core.tree.node import Table

# A host expression as JSON: a number, or a list of a word and its arguments; see `core.tree.host`.
Expression = float | list[Any]


class UniformBinding(BaseModel):
    """name: uniform in the shader. values: what each component is worth."""

    name: str
    values: list[Expression]


class TableBinding(BaseModel):
    """name: uniform array of vectors of four in the shader. entries: one after another."""

    name: str
    pointer: str
    entries: list[float]


class FaultView(BaseModel):
    """part: document path of the ground, the layer or the drive that is left out."""

    part: str
    problem: str
    remedy: str


class ReadingView(BaseModel):
    """A channel of the surface that is read. layer: by which, by its id; null for the ground and drives. shown: whether
    anything of it is seen.
    """

    channel_set: UUID
    channel: int
    layer: str | None
    name: str
    shown: bool


class CompiledBlend(BaseModel):
    """structure: changes only when the shader text does. glsl: declarations and `blended(Site)`.

    vertex: the same for the vertex stage, or empty where no layer moves the surface. inputs: members of Site.
    slots, pictures: document path of the material, and of the picture, in each texture slot. channel_sets: what weights0,
    weights1 … stand for. alike: document paths that the shader takes for one; a document in which they
    differ wants another shader. samples: texture samples a pixel. faults: what could not be drawn and is left out.
    """

    structure: str
    glsl: str
    vertex: str
    uniforms: list[UniformBinding]
    tables: list[TableBinding]
    inputs: list[str]
    vertex_inputs: list[str]
    slots: list[str]
    pictures: list[str]
    channel_sets: list[UUID]
    alike: list[list[str]]
    samples: int
    faults: list[FaultView]
    readings: list[ReadingView]


class BlendView(BaseModel):
    id: UUID
    revision: int
    document: BlendDocument
    compiled: CompiledBlend


def _tables(tables: dict[str, Table], document: Any) -> list[TableBinding]:
    return [
        TableBinding(
            name=name,
            pointer=table.pointer,
            entries=READINGS[table.reading](value_at(document, table.pointer)).reshape(-1).tolist(),
        )
        for name, table in tables.items()
    ]


def compiled_blend(found: Drawn, names: Names) -> CompiledBlend:
    """names: of the surface that draws it."""
    tree, plain = found.tree, found.plain
    shader = emit_glsl(tree.outputs())
    moving = tree.vertex_outputs()
    vertex = emit_glsl(moving, "level0") if moving else None
    uniforms = dict(shader.uniforms) | (dict(vertex.uniforms) if vertex else {})
    tables = dict(shader.tables) | (dict(vertex.tables) if vertex else {})
    return CompiledBlend(
        structure=structure_key(shader.source + (vertex.source if vertex else "")),
        glsl=shader.source,
        vertex=vertex.source if vertex else "",
        uniforms=[UniformBinding(name=n, values=list(p.values)) for n, p in uniforms.items()],
        tables=_tables(tables, plain),
        inputs=[name for name, _ in shader.inputs],
        vertex_inputs=[name for name, _ in vertex.inputs] if vertex else [],
        slots=list(tree.slots),
        pictures=list(tree.pictures),
        channel_sets=[names.own(named) for named in tree.channel_sets],
        alike=[list(paths) for paths in tree.alike],
        samples=shader.samples,
        faults=[FaultView(part=f.part, problem=f.problem, remedy=f.remedy) for f in found.faults],
        readings=[
            ReadingView(
                channel_set=r.channel_set, channel=r.channel, layer=r.layer, name=r.name, shown=r.shown
            )
            for r in names.readings(found.document)
        ],
    )


class LensView(BaseModel):
    """low, high: what 0 and 1 stand for, in a unit; band: width of the bands, 0 for none.

    document: what the program's numbers point into; null for the blend's own.
    """

    compiled: CompiledBlend
    low: float
    high: float
    unit: str
    band: float
    document: dict[str, Any] | None


def lens_view(tree: LensTree, document: Any, names: Names) -> LensView:
    """document: plain JSON that the tree's parameters point into."""
    shader = emit_glsl({"value": tree.value})
    compiled = CompiledBlend(
        structure=structure_key(shader.source),
        glsl=shader.source,
        vertex="",
        uniforms=[UniformBinding(name=n, values=list(p.values)) for n, p in shader.uniforms],
        tables=_tables(dict(shader.tables), document),
        inputs=[name for name, _ in shader.inputs],
        vertex_inputs=[],
        slots=list(tree.slots),
        pictures=list(tree.pictures),
        channel_sets=[names.own(named) for named in tree.channel_sets],
        alike=[list(paths) for paths in tree.alike],
        samples=shader.samples,
        faults=[],
        readings=[],
    )
    return LensView(
        compiled=compiled,
        low=tree.low,
        high=tree.high,
        unit=tree.unit,
        band=tree.band,
        document=tree.document,
    )


def blend_view(
    ident: UUID,
    revision: int,
    document: dict[str, Any],
    names: Names,
    known: Known,
    only: str | None = None,
) -> BlendView:
    """document: plain JSON. Spelled once for an edit, however many windows ask for it."""
    return _blend_view(ident, revision, json.dumps(document), names, known, only)


@lru_cache(maxsize=32)
def _blend_view(
    ident: UUID, revision: int, text: str, names: Names, known: Known, only: str | None
) -> BlendView:
    found = drawn(json.loads(text), known, only)
    return BlendView(
        id=ident, revision=revision, document=found.document, compiled=compiled_blend(found, names)
    )
