"""Walking a tree for a shading language. What differs from language to language is its `Spelling`."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Protocol

from ashblend.core.noise import NoiseKind
from ashblend.core.tree import (
    Component,
    Constant,
    Lookup,
    Node,
    Noise,
    Operation,
    Parameter,
    Scatter,
    SiteInput,
    Spread,
    Table,
    TextureMean,
    TextureSample,
    in_order,
)


class Spelling(Protocol):
    """How a language writes things. Every argument comes as text that may be used more than once.

    operations: by name, from the arguments' texts. Their widths are already right.
    """

    operations: Mapping[str, Callable[..., str]]

    def number(self, value: float) -> str: ...

    def type_of(self, width: int) -> str: ...

    def join(self, width: int, parts: list[str]) -> str: ...

    def spread(self, width: int, text: str) -> str: ...

    def sample(self, pack: str, slot: int, at: str, steady: str | None) -> str: ...

    def mean(self, pack: str, slot: int) -> str: ...

    def noise(self, at: str, whole: str, seed: int, octaves: int, kind: NoiseKind) -> str: ...

    def scatter(self, at: str, whole: str) -> str: ...

    def lookup(self, table: Table, at: str) -> str: ...


@dataclass
class Written:
    """lines: of the body, each a name given to one node. names: how each node is written.

    samples: texture samples a place. noises: kinds in use. scatters: whether anything is scattered.
    """

    lines: list[str] = field(default_factory=list)
    names: dict[Node, str] = field(default_factory=dict)
    parameters: dict[str, Parameter] = field(default_factory=dict)
    tables: dict[str, Table] = field(default_factory=dict)
    inputs: dict[str, int] = field(default_factory=dict)
    packs: set[str] = field(default_factory=set)
    samples: int = 0
    noises: set[NoiseKind] = field(default_factory=set)
    scatters: bool = False


def write(outputs: Iterable[Node], spelling: Spelling) -> Written:
    """Give every node that the outputs reach a name, in an order in which each is known when needed."""
    written = Written()
    names = written.names

    def let(node: Node, expression: str) -> None:
        name = f"t{len(written.lines)}"
        written.lines.append(f"  {spelling.type_of(node.width)} {name} = {expression};")
        names[node] = name

    for node in in_order(outputs):
        match node:
            case Constant():
                names[node] = spelling.number(node.value)
            case Parameter():
                written.parameters[node.name] = node
                names[node] = f"p_{node.name}"
            case Table():
                written.tables[node.name] = node
            case SiteInput():
                written.inputs[node.name] = node.width
                names[node] = f"site.{node.name}"
            case Component():
                names[node] = f"{names[node.of]}.{node.letters}"
            case Spread():
                names[node] = spelling.spread(node.width, names[node.of])
            case TextureSample():
                written.samples += 1
                written.packs.add(node.pack)
                steady = None if node.steady is None else names[node.steady]
                let(node, spelling.sample(node.pack, node.slot, names[node.at], steady))
            case TextureMean():
                written.samples += 1
                written.packs.add(node.pack)
                let(node, spelling.mean(node.pack, node.slot))
            case Noise():
                written.noises.add(node.kind)
                at, whole = names[node.at], names[node.whole]
                let(node, spelling.noise(at, whole, node.seed, node.octaves, node.kind))
            case Scatter():
                written.scatters = True
                let(node, spelling.scatter(names[node.at], names[node.whole]))
            case Lookup():
                let(node, spelling.lookup(node.table, names[node.at]))
            case Operation():
                arguments = [names[a] for a in node.arguments]
                if node.name == "vector":
                    let(node, spelling.join(node.width, arguments))
                else:
                    let(node, spelling.operations[node.name](*arguments))
    return written
