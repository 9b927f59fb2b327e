"""What is left out where a mask is zero: in the text, and without a trace in the numbers."""

import re
import shutil
import subprocess
from dataclasses import fields
from uuid import UUID

import numpy as np
import pytest
from blends import FACTS, any_blends, blend_documents, random_inputs, random_textures, slots_of
from hypothesis import given, settings

from ashblend.core.blend.compile import compile_blend
from ashblend.core.blend.document import BlendDocument, Ground
from ashblend.core.blend.layers.cover import CoverLayer
from ashblend.core.emit.glsl import emit_glsl
from ashblend.core.emit.numpy_reference import evaluate
from ashblend.core.emit.parameters import parameter_values
from ashblend.core.materials.mapping import TileMapping
from ashblend.core.recipe.document import of_channel
from ashblend.core.tree.node import Constant, Node, SiteInput, TextureSample, Where
from ashblend.core.tree.operations import only_where
from ashblend.core.tree.walk import in_order

SET = UUID(int=21)


def layered(*channels: int) -> BlendDocument:
    """Covers of a material each, masked by channels."""
    layers = tuple(
        CoverLayer(
            id=f"l{i}",
            name=f"Layer {i}",
            material=UUID(int=2 + i),
            mapping=TileMapping(projection="uv", metres_per_tile=0.5 + i),
            mask=of_channel(SET, channel),
        )
        for i, channel in enumerate(channels)
    )
    return BlendDocument(name="B", ground=Ground(material=UUID(int=1)), layers=layers)


def branches(text: str) -> dict[str, list[str]]:
    """The lines inside each branch, by its condition."""
    found: dict[str, list[str]] = {}
    inside: list[str] | None = None
    for line in text.split("\n"):
        if opened := re.fullmatch(r"  if \((.*) > 0\.0\) \{", line):
            inside = found.setdefault(opened[1], [])
        elif line == "  }":
            inside = None
        elif inside is not None:
            inside.append(line)
    return found


def test_a_layer_is_sampled_only_where_its_mask_is_and_its_level_is_told_outside():
    text = emit_glsl(compile_blend(layered(0, 2)).outputs()).source
    found = branches(text)
    assert list(found) == ["site.weights0.x", "site.weights0.z"]
    for slot, lines in zip((1.0, 2.0), found.values(), strict=True):
        inside = "\n".join(lines)
        assert inside.count("textureGrad(") == 2 and f"{slot})" in inside
        # Neighbouring pixels may have gone the other way: nothing asks them in here.
        assert "dFdx" not in inside and " texture(" not in inside
    assert text.count(" texture(") == 6, "the ground is sampled everywhere, on three planes"


def test_layers_of_one_mask_have_a_branch_each_in_their_order():
    text = emit_glsl(compile_blend(layered(1, 1)).outputs()).source
    assert text.count("if (site.weights0.y > 0.0)") == 2


def test_what_two_layers_share_is_worked_out_once_and_outside():
    both = layered(0, 1)
    same = both.layers[1].model_copy(
        update={"material": both.layers[0].material, "mapping": both.layers[0].mapping}
    )
    shader = emit_glsl(compile_blend(both.model_copy(update={"layers": (both.layers[0], same)})).outputs())
    assert shader.samples == 8
    assert not any("texture" in line for lines in branches(shader.source).values() for line in lines)


@settings(max_examples=40)
@given(blend_documents())
def test_every_name_is_known_where_it_is_used(document):
    """As a compiler sees it: a name that is given inside a branch does not stand outside."""
    tree = compile_blend(document)
    for outputs, sampling in ((tree.outputs(), "derivative"), (tree.outputs(), "level0")):
        known: set[str] = set()
        within: set[str] = set()
        body = emit_glsl(outputs, sampling).source.split("Blended blended(Site site) {")[1]
        for line in body.split("\n"):
            if line == "  }":
                within.clear()
            declared = re.findall(r"(?:^ +(?:float|vec\d) |, )(t\d+) = ", line)
            used = set(re.findall(r"\bt\d+\b", line)) - set(declared)
            assert used <= known | within, line
            (within if line.startswith("    ") else known).update(declared)


@pytest.mark.skipif(shutil.which("glslangValidator") is None, reason="needs glslang-tools")
def test_a_compiler_takes_branches(tmp_path):
    file = tmp_path / "blend.frag"
    head = "#version 300 es\nprecision highp float;\nprecision highp sampler2DArray;\n"
    source = emit_glsl(compile_blend(layered(0, 1, 3)).outputs())
    members = "".join(f"site.{n} = vec{w}(0.5);" for n, w in source.inputs if w > 1)
    main = f"out vec4 c; void main() {{ Site site; {members} c = vec4(blended(site).albedo, 1.0); }}"
    file.write_text(head + source.source + main)
    run = subprocess.run(["glslangValidator", str(file)], capture_output=True, text=True, check=False)
    assert run.returncode == 0, run.stdout


def without_branches(outputs: dict[str, Node]) -> dict[str, Node]:
    """The same tree with everything worked out everywhere."""
    made: dict[Node, Node] = {}
    for node in in_order(outputs.values()):
        if isinstance(node, Where):
            made[node] = made[node.inside]
            continue
        parts = {f.name: getattr(node, f.name) for f in fields(node)}
        for name, value in parts.items():
            if isinstance(value, tuple) and name == "arguments":
                parts[name] = tuple(made[v] for v in value)
            elif value in made and not isinstance(value, (str, int, float)):
                parts[name] = made[value]
        made[node] = type(node)(**parts)
    return {name: made[node] for name, node in outputs.items()}


@settings(max_examples=60)
@given(any_blends(least=1))
def test_where_a_mask_is_zero_nothing_of_its_layer_is_there(document):
    """The promise on which layers are left out, held for every kind: worked out all the same, it changes nothing."""
    tree = compile_blend(document)
    places = random_inputs(tree, 64, seed=3)
    for name, values in places.items():
        if name.startswith("weights"):
            values[::2] = np.where(values[::2] < 0.5, 0.0, values[::2])
    textures = random_textures(slots_of(tree), 16, seed=2)
    outputs = tree.outputs() | {f"weight{i}": node for i, node in enumerate(tree.weights)}
    parameters = parameter_values(outputs, document.model_dump(mode="json"), FACTS)
    left_out = evaluate(outputs, places, parameters, textures)
    plain = without_branches(outputs)
    assert not any(isinstance(node, Where) for node in in_order(plain.values()))
    everywhere = evaluate(plain, places, parameters, textures)
    for name, values in left_out.items():
        np.testing.assert_allclose(values, everywhere[name], atol=1e-9, err_msg=name)


def test_a_condition_that_never_changes_needs_no_branch():
    sample = TextureSample("surface", 0, SiteInput("uv", 2))
    other = SiteInput("weights0", 4)
    assert only_where("a", Constant(0.5), sample, other) is sample
    assert only_where("a", other["x"], sample, sample) is sample
    with pytest.raises(ValueError, match="do not go together"):
        only_where("a", other, sample, other)
