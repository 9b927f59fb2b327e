"""The tape machine: a tree over millions of sites, without compiling anything for it.

A tree is flattened into a tape of scalar instructions on numbered registers, each a run of float32
places; one compiled kernel (`tape_kernel.py`) plays any tape, block by block, on all processors.
Registers are given out again after their last use.

Tried: numba code generated from the tree (73 s to compile 600 operations, and slower to run); NumPy
on blocks with reused buffers, several times slower (docs/performance.md has the figures).
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from ashblend.core.arrays import I32
from ashblend.core.noise import NOISE_KINDS
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
)
from ashblend.core.tree.pack import PackName
from ashblend.core.tree.walk import in_order

PACKS: tuple[PackName, ...] = ("surface", "detail", "picture")

# Instructions: their number, and in a row: op, four targets, six sources, four plain numbers.
SIMPLE = (
    "add", "subtract", "multiply", "divide", "min", "max", "power", "less",
    "mix", "clamp", "select", "abs", "sqrt", "floor", "fract", "sine",
)  # fmt: skip
ADD, SUBTRACT, MULTIPLY, DIVIDE, MIN, MAX, POWER, LESS = range(8)
MIX, CLAMP, SELECT, ABS, SQRT, FLOOR, FRACT, SINE = range(8, 16)
LOAD, SAMPLE, NOISE, LOOKUP, SCATTER = range(16, 21)
TARGETS, SOURCES, NUMBERS = slice(1, 5), slice(5, 11), slice(11, 15)
ROW = 15


# Of a sample whose third source says the slot.
BY_PLACE = -1


def mean_of(pack: PackName, slot: int) -> str:
    """What the register with a texture's mean is called."""
    return f"mean of {pack} {slot}"


@dataclass(frozen=True)
class _Step:
    op: int
    targets: tuple[int, ...]
    sources: tuple[int, ...] = ()
    numbers: tuple[int, ...] = ()


@dataclass(frozen=True)
class Tape:
    """rows: (n, ROW) int32. registers: how many. fixed: what registers hold from the start, by name or value.

    columns: input and component of each loaded column. tables: table and component of each.
    outputs: for each output its registers.
    """

    rows: I32
    registers: int
    fixed: tuple[tuple[str | float, int], ...]
    columns: tuple[tuple[str, int], ...]
    tables: tuple[tuple[str, int], ...]
    outputs: dict[str, tuple[int, ...]]


@dataclass
class _Flattener:
    """From nodes to steps over values that are each written once; registers are given out after."""

    steps: list[_Step] = field(default_factory=list)
    fixed: dict[tuple[str | float, int], int] = field(default_factory=dict)
    columns: dict[tuple[str, int], int] = field(default_factory=dict)
    tables: dict[tuple[str, int], int] = field(default_factory=dict)
    known: dict[Node, tuple[int, ...]] = field(default_factory=dict)
    count: int = 0

    def _new(self) -> int:
        self.count += 1
        return self.count - 1

    def _fixed(self, what: str | float, component: int = 0) -> int:
        key = (repr(what) if isinstance(what, float) else what, component)
        if key not in self.fixed:
            self.fixed[key] = self._new()
        return self.fixed[key]

    def _do(self, op: int, *sources: int, numbers: tuple[int, ...] = ()) -> int:
        target = self._new()
        self.steps.append(_Step(op, (target,), sources, numbers))
        return target

    def _dot(self, a: Sequence[int], b: Sequence[int]) -> int:
        total = self._do(MULTIPLY, a[0], b[0])
        for x, y in zip(a[1:], b[1:], strict=True):
            total = self._do(ADD, total, self._do(MULTIPLY, x, y))
        return total

    def _operation(self, node: Operation) -> tuple[int, ...]:
        arguments = [self.known[a] for a in node.arguments]
        match node.name:
            case "vector":
                return tuple(v for a in arguments for v in a)
            case "dot":
                return (self._dot(*arguments),)
            case "normalize":
                length = self._do(SQRT, self._dot(arguments[0], arguments[0]))
                return tuple(self._do(DIVIDE, v, length) for v in arguments[0])
            case "cross":
                a, b = arguments

                def part(i: int, j: int) -> int:
                    return self._do(SUBTRACT, self._do(MULTIPLY, a[i], b[j]), self._do(MULTIPLY, a[j], b[i]))

                return part(1, 2), part(2, 0), part(0, 1)
            case _:
                op = SIMPLE.index(node.name)
                return tuple(self._do(op, *(a[i] for a in arguments)) for i in range(node.width))

    def add(self, node: Node) -> None:
        match node:
            case Constant():
                value: tuple[int, ...] = (self._fixed(float(node.value)),)
            case Parameter():
                value = tuple(self._fixed(node.name, i) for i in range(node.width))
            case Table():
                value = tuple(
                    self.tables.setdefault((node.name, i), len(self.tables)) for i in range(node.width)
                )
            case SiteInput():
                value = tuple(
                    self._do(LOAD, numbers=(self.columns.setdefault((node.name, i), len(self.columns)),))
                    for i in range(node.width)
                )
            case TextureSample():
                value = tuple(self._new() for _ in range(4))
                numbers = (PACKS.index(node.pack), node.slot if isinstance(node.slot, int) else BY_PLACE)
                which = () if isinstance(node.slot, int) else self.known[node.slot][:1]
                self.steps.append(_Step(SAMPLE, value, (*self.known[node.at], *which), numbers))
            case Noise():
                sources = (*self.known[node.at], *self.known[node.whole])
                value = (
                    self._do(
                        NOISE, *sources, numbers=(node.seed, node.octaves, NOISE_KINDS.index(node.kind))
                    ),
                )
            case TextureMean():
                value = tuple(self._fixed(mean_of(node.pack, node.slot), i) for i in range(4))
            case Scatter():
                value = tuple(self._new() for _ in range(3))
                sources = (*self.known[node.at], *self.known[node.whole])
                self.steps.append(_Step(SCATTER, value, sources))
            case Lookup():
                at = self.known[node.at][0]
                value = tuple(self._do(LOOKUP, at, numbers=(t,)) for t in self.known[node.table])
            case Component():
                of = self.known[node.of]
                value = tuple(of["xyzw".index(c)] for c in node.letters)
            case Spread():
                value = self.known[node.of] * node.width
            case Where():
                there = self._do(LESS, self._fixed(0.0), self.known[node.condition][0])
                sides = zip(self.known[node.inside], self.known[node.otherwise], strict=True)
                value = tuple(self._do(SELECT, there, a, b) for a, b in sides)
            case Operation():
                value = self._operation(node)
        self.known[node] = value


def _give_out(flat: _Flattener, kept: set[int]) -> tuple[I32, int, dict[int, int]]:
    """Registers for all values; those of a value are free again after the step that reads it last."""
    last: dict[int, int] = {}
    for number, step in enumerate(flat.steps):
        for value in (*step.sources, *step.targets):
            last[value] = number
    register = {value: number for number, value in enumerate(flat.fixed.values())}
    free: list[int] = []
    used = len(register)
    lasting = set(register) | kept
    rows = np.zeros((len(flat.steps), ROW), np.int32)
    for number, step in enumerate(flat.steps):
        rows[number, 0] = step.op
        rows[number, SOURCES][: len(step.sources)] = [register[v] for v in step.sources]
        rows[number, NUMBERS][: len(step.numbers)] = step.numbers
        for value in step.targets:
            if free:
                register[value] = free.pop()
            else:
                register[value] = used
                used += 1
        rows[number, TARGETS][: len(step.targets)] = [register[v] for v in step.targets]
        for value in set(step.sources) | set(step.targets):
            if last[value] == number and value not in lasting:
                free.append(register[value])
    return rows, used, register


def flatten(outputs: Mapping[str, Node]) -> Tape:
    """A tape that works the outputs out. Nothing about it depends on parameters' values."""
    flat = _Flattener()
    for node in in_order(outputs.values()):
        flat.add(node)
    kept = {v for node in outputs.values() for v in flat.known[node]}
    rows, registers, register = _give_out(flat, kept)
    return Tape(
        rows,
        registers,
        tuple(flat.fixed),
        tuple(flat.columns),
        tuple(flat.tables),
        {name: tuple(register[v] for v in flat.known[node]) for name, node in outputs.items()},
    )
