"""The compiled blend as the viewport gets it."""

from typing import Any
from uuid import UUID

from pydantic import BaseModel

from ashblend.core.blend import BlendDocument, compile_blend, structure_key
from ashblend.core.blend.tree import Reading
from ashblend.core.emit import emit_glsl


class UniformBinding(BaseModel):
    """name: uniform in the shader. path: JSON pointer into the document, or "surface:NAME".

    reading: the value itself, or the cosine or sine of it as degrees.
    """

    name: str
    path: str
    reading: Reading


class CompiledBlend(BaseModel):
    """structure: changes only when the shader text does. glsl: declarations and `blended(Site)`.

    inputs: members of Site. slots: document path of the material in each texture slot.
    channel_sets: what weights0, weights1 … stand for. samples: texture samples a pixel.
    """

    structure: str
    glsl: str
    uniforms: list[UniformBinding]
    inputs: list[str]
    slots: list[str]
    channel_sets: list[UUID]
    samples: int


class BlendView(BaseModel):
    id: UUID
    revision: int
    document: BlendDocument
    compiled: CompiledBlend


def compiled_blend(document: BlendDocument) -> CompiledBlend:
    tree = compile_blend(document)
    shader = emit_glsl(tree.outputs())
    return CompiledBlend(
        structure=structure_key(shader.source),
        glsl=shader.source,
        uniforms=[UniformBinding(name=n, path=p.path, reading=p.reading) for n, p in shader.uniforms],
        inputs=[name for name, _ in shader.inputs],
        slots=list(tree.slots),
        channel_sets=list(tree.channel_sets),
        samples=shader.samples,
    )


def blend_view(ident: UUID, revision: int, document: dict[str, Any]) -> BlendView:
    parsed = BlendDocument.model_validate(document)
    return BlendView(id=ident, revision=revision, document=parsed, compiled=compiled_blend(parsed))
