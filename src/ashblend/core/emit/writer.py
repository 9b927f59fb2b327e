"""Walking a tree for a shading language. What differs from language to language is its `Spelling`.

What only a branch needs (`Where`) is written inside it. There a texture's level cannot be told by the neighbouring
pixels, which may have gone the other way: how its coordinates run is written before the branch.
"""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Protocol

from ashblend.core.noise import NoiseKind
from ashblend.core.tree.node import (
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
    Where,
    children,
)
from ashblend.core.tree.walk import in_order


class Spelling(Protocol):
    """How a language writes things. Every argument comes as text that may be used more than once.

    operations: by name, from the arguments' texts. Their widths are already right.
    """

    operations: Mapping[str, Callable[..., str]]

    def number(self, value: float) -> str: ...

    def type_of(self, width: int) -> str: ...

    def join(self, width: int, parts: list[str]) -> str: ...

    def spread(self, width: int, text: str) -> str: ...

    def gradient(self, at: str) -> tuple[str, str] | None:
        """How coordinates run across and down the picture, where samples need it."""

    def sample(self, pack: str, slot: str, at: str, gradient: tuple[str, str] | None) -> str: ...

    def when(self, condition: str) -> tuple[str, str]:
        """Opening and end of what is done only where a number is more than zero."""

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


# A node by itself, or all that is written inside a branch: its name and condition.
Unit = Node | tuple[str, Node]


def _steady(sample: TextureSample) -> Node:
    """The coordinates that tell how finely a texture is read."""
    return sample.at if sample.steady is None else sample.steady


def _branches(order: list[Node], outputs: set[Node], apart: bool) -> dict[Node, tuple[str, Node]]:
    """The branch of each node that only one needs. apart: coordinates of samples inside stay outside."""
    wanted: dict[Node, set[tuple[str, Node] | None]] = {node: set() for node in order}
    inside: dict[Node, tuple[str, Node]] = {}
    for node in reversed(order):
        if isinstance(node, Where):
            wanted[node.condition].add(None)
            wanted[node.otherwise].add(None)
            wanted[node.inside].add((node.branch, node.condition))
            continue
        places = wanted[node]
        place = None if node in outputs or len(places) != 1 else next(iter(places))
        if place is not None:
            inside[node] = place
        for child in children(node):
            out = apart and isinstance(node, TextureSample) and child is _steady(node)
            wanted[child].add(None if out else place)
    return inside


def _units(
    order: list[Node], inside: Mapping[Node, tuple[str, Node]], outputs: Iterable[Node]
) -> list[list[Node]]:
    """The nodes, those of a branch together, so that each comes after everything it needs."""

    def unit_of(node: Node) -> Unit:
        return (node.branch, node.condition) if isinstance(node, Where) else inside.get(node, node)

    members: dict[Unit, list[Node]] = {}
    for node in order:
        members.setdefault(unit_of(node), []).append(node)
    done: dict[Unit, list[Node]] = {}
    waiting: list[tuple[Unit, bool]] = [(unit_of(node), False) for node in reversed(list(outputs))]
    while waiting:
        unit, ready = waiting.pop()
        if unit in done:
            continue
        if ready:
            done[unit] = members[unit]
            continue
        waiting.append((unit, True))
        needed = dict.fromkeys(unit_of(child) for node in members[unit] for child in children(node))
        waiting += [(other, False) for other in reversed(list(needed)) if other != unit]
    return list(done.values())


def needs_gradients(spelling: Spelling) -> bool:
    return spelling.gradient("") is not None


class _Writer:
    """Writes nodes, one after another."""

    def __init__(self, spelling: Spelling) -> None:
        self.written = Written()
        self._spelling = spelling
        self._apart = needs_gradients(spelling)
        self._indent = "  "
        self._gradients: dict[Node, tuple[str, str]] = {}
        self._count = 0

    def _line(self, text: str) -> None:
        self.written.lines.append(self._indent + text)

    def _name(self) -> str:
        self._count += 1
        return f"t{self._count - 1}"

    def _let(self, node: Node, expression: str) -> None:
        name = self._name()
        self._line(f"{self._spelling.type_of(node.width)} {name} = {expression};")
        self.written.names[node] = name

    def branch(self, nodes: list[Node]) -> None:
        """What is done only where a condition is more than zero."""
        names = self.written.names
        ends = [node for node in nodes if isinstance(node, Where)]
        within = [node for node in nodes if not isinstance(node, Where)]
        for node in within:
            if isinstance(node, TextureSample):
                self._gradient(_steady(node))
        for end in ends:
            self._let(end, names[end.otherwise])
        opening, end_of_it = self._spelling.when(names[ends[0].condition])
        self._line(opening)
        self._indent = "    "
        for node in within:
            self.node(node)
        for end in ends:
            self._line(f"{names[end]} = {names[end.inside]};")
        self._indent = "  "
        self._line(end_of_it)

    def _gradient(self, at: Node) -> None:
        if not self._apart or at in self._gradients:
            return
        found = self._spelling.gradient(self.written.names[at])
        assert found is not None
        across, down = self._name(), self._name()
        kind = self._spelling.type_of(at.width)
        self._line(f"{kind} {across} = {found[0]}, {down} = {found[1]};")
        self._gradients[at] = across, down

    def _sample(self, node: TextureSample) -> str:
        names, gradient = self.written.names, self._gradients.get(_steady(node))
        if gradient is None and node.steady is not None:
            gradient = self._spelling.gradient(names[node.steady])
        slot = self._spelling.number(node.slot) if isinstance(node.slot, int) else names[node.slot]
        return self._spelling.sample(node.pack, slot, names[node.at], gradient)

    def node(self, node: Node) -> None:
        written, spelling = self.written, self._spelling
        names = written.names
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
                self._let(node, self._sample(node))
            case TextureMean():
                written.samples += 1
                written.packs.add(node.pack)
                self._let(node, spelling.mean(node.pack, node.slot))
            case Noise():
                written.noises.add(node.kind)
                at, whole = names[node.at], names[node.whole]
                self._let(node, spelling.noise(at, whole, node.seed, node.octaves, node.kind))
            case Scatter():
                written.scatters = True
                self._let(node, spelling.scatter(names[node.at], names[node.whole]))
            case Lookup():
                self._let(node, spelling.lookup(node.table, names[node.at]))
            case Operation():
                arguments = [names[a] for a in node.arguments]
                if node.name == "vector":
                    self._let(node, spelling.join(node.width, arguments))
                else:
                    self._let(node, spelling.operations[node.name](*arguments))
            case Where():
                raise AssertionError("a branch is written as a whole")


def write(outputs: Iterable[Node], spelling: Spelling) -> Written:
    """Give every node that the outputs reach a name, in an order in which each is known when needed."""
    ends = list(outputs)
    order = list(in_order(ends))
    inside = _branches(order, set(ends), apart=needs_gradients(spelling))
    writer = _Writer(spelling)
    for unit in _units(order, inside, ends):
        if any(isinstance(node, Where) for node in unit):
            writer.branch(unit)
        else:
            writer.node(unit[0])
    return writer.written
