"""The tape machine: a tree over millions of sites, without compiling anything for it.

A tree is flattened into a tape of scalar instructions on numbered registers, each a run of BLOCK
float32 places; one compiled kernel plays any tape, block by block, on all processors. Registers are
given out again after their last use.

Tried: numba code generated from the tree (73 s to compile 600 operations, and slower to run); NumPy
on blocks with reused buffers, several times slower (docs/performance.md has the figures).
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numba
import numpy as np
from numpy.typing import ArrayLike

from ashblend.core.arrays import F32, F64, I32
from ashblend.core.materials.packing import PackName
from ashblend.core.noise import NOISE_KINDS, octave_noise, scatter
from ashblend.core.tree import (
    TABLE_SIZE,
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

BLOCK = 1024
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


def _mean_of(pack: PackName, slot: int) -> str:
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
                numbers = (PACKS.index(node.pack), node.slot)
                self.steps.append(_Step(SAMPLE, value, self.known[node.at], numbers))
            case Noise():
                sources = (*self.known[node.at], *self.known[node.whole])
                value = (
                    self._do(
                        NOISE, *sources, numbers=(node.seed, node.octaves, NOISE_KINDS.index(node.kind))
                    ),
                )
            case TextureMean():
                value = tuple(self._fixed(_mean_of(node.pack, node.slot), i) for i in range(4))
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


@numba.njit(cache=True, inline="always")
def _bilinear(texels: F32, slot: int, u: float, v: float, out: F32) -> None:
    rows, cols = texels.shape[1], texels.shape[2]
    x, y = u * cols - 0.5, v * rows - 0.5
    left, top = np.floor(x), np.floor(y)
    fx, fy = x - left, y - top
    x0, y0 = int(left) % cols, int(top) % rows
    x1, y1 = (x0 + 1) % cols, (y0 + 1) % rows
    for c in range(4):
        upper = texels[slot, y0, x0, c] * (1 - fx) + texels[slot, y0, x1, c] * fx
        lower = texels[slot, y1, x0, c] * (1 - fx) + texels[slot, y1, x1, c] * fx
        out[c] = upper * (1 - fy) + lower * fy


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _play(
    rows: I32,
    r: F32,
    begin: int,
    n: int,
    columns: F32,
    surface: F32,
    detail: F32,
    picture: F32,
    tables: F32,
) -> None:
    """One block: n places from `begin` on, in registers r (registers, BLOCK)."""
    four = np.empty(4, np.float32)
    for k in range(rows.shape[0]):
        op = rows[k, 0]
        t = r[rows[k, 1]]
        a, b, c = r[rows[k, 5]], r[rows[k, 6]], r[rows[k, 7]]
        if op == ADD:
            for i in range(n):
                t[i] = a[i] + b[i]
        elif op == SUBTRACT:
            for i in range(n):
                t[i] = a[i] - b[i]
        elif op == MULTIPLY:
            for i in range(n):
                t[i] = a[i] * b[i]
        elif op == DIVIDE:
            for i in range(n):
                t[i] = a[i] / b[i]
        elif op == MIN:
            for i in range(n):
                t[i] = min(a[i], b[i])
        elif op == MAX:
            for i in range(n):
                t[i] = max(a[i], b[i])
        elif op == POWER:
            for i in range(n):
                t[i] = a[i] ** b[i]
        elif op == LESS:
            for i in range(n):
                t[i] = np.float32(1.0) if a[i] < b[i] else np.float32(0.0)
        elif op == MIX:
            for i in range(n):
                t[i] = a[i] * (np.float32(1.0) - c[i]) + b[i] * c[i]
        elif op == CLAMP:
            for i in range(n):
                t[i] = min(max(a[i], b[i]), c[i])
        elif op == SELECT:
            for i in range(n):
                t[i] = b[i] if a[i] >= np.float32(0.5) else c[i]
        elif op == ABS:
            for i in range(n):
                t[i] = abs(a[i])
        elif op == SQRT:
            for i in range(n):
                t[i] = np.sqrt(a[i])
        elif op == FLOOR:
            for i in range(n):
                t[i] = np.floor(a[i])
        elif op == FRACT:
            for i in range(n):
                t[i] = a[i] - np.floor(a[i])
        elif op == SINE:
            for i in range(n):
                t[i] = np.sin(a[i])
        elif op == LOAD:
            t[:n] = columns[rows[k, 11], begin : begin + n]
        elif op == SAMPLE:
            texels = surface if rows[k, 11] == 0 else detail if rows[k, 11] == 1 else picture
            for i in range(n):
                _bilinear(texels, rows[k, 12], float(a[i]), float(b[i]), four)
                for component in range(4):
                    r[rows[k, 1 + component], i] = four[component]
        elif op == NOISE:
            x, y, z = r[rows[k, 8]], r[rows[k, 9]], r[rows[k, 10]]
            for i in range(n):
                t[i] = octave_noise(
                    float(a[i]),
                    float(b[i]),
                    float(c[i]),
                    int(np.rint(x[i])),
                    int(np.rint(y[i])),
                    int(np.rint(z[i])),
                    rows[k, 11],
                    rows[k, 12],
                    rows[k, 13],
                )
        elif op == SCATTER:
            x, y, z = r[rows[k, 8]], r[rows[k, 9]], r[rows[k, 10]]
            for i in range(n):
                p, q, s = scatter(
                    int(np.rint(a[i])) + int(np.rint(x[i])),
                    int(np.rint(b[i])) + int(np.rint(y[i])),
                    int(np.rint(c[i])) + int(np.rint(z[i])),
                    0,
                )
                r[rows[k, 1], i], r[rows[k, 2], i], r[rows[k, 3], i] = p, q, s
        else:
            table = tables[rows[k, 11]]
            for i in range(n):
                at = min(max(float(a[i]), 0.0), 1.0) * (TABLE_SIZE - 1)
                low = min(int(at), TABLE_SIZE - 2)
                t[i] = table[low] + (at - low) * (table[low + 1] - table[low])


@numba.njit(cache=True, nogil=True, parallel=True, error_model="numpy")
def _play_all(
    rows: I32,
    registers: int,
    fixed: F32,
    columns: F32,
    count: int,
    surface: F32,
    detail: F32,
    picture: F32,
    tables: F32,
    wanted: I32,
    out: F32,
) -> None:
    blocks = (count + BLOCK - 1) // BLOCK
    for block in numba.prange(blocks):
        begin = block * BLOCK
        n = min(BLOCK, count - begin)
        r = np.empty((registers, BLOCK), np.float32)
        for k in range(fixed.shape[0]):
            r[k, :] = fixed[k]
        _play(rows, r, begin, n, columns, surface, detail, picture, tables)
        for k in range(wanted.shape[0]):
            out[k, begin : begin + n] = r[wanted[k], :n]


def _stacked(textures: Mapping[PackName, Sequence[F32]], pack: PackName) -> F32:
    found = textures.get(pack) or ()
    return np.stack(found).astype(np.float32) if found else np.zeros((1, 1, 1, 4), np.float32)


def play(
    tape: Tape,
    inputs: Mapping[str, ArrayLike],
    parameters: Mapping[str, F64],
    textures: Mapping[PackName, Sequence[F32]],
    count: int,
) -> dict[str, F32]:
    """Work a tape out at `count` places. Arguments as of `numpy_reference.evaluate`; textures of one size.

    Returns each output (count, width) float32.
    """

    means = {
        _mean_of(pack, slot): texels.reshape(-1, 4).mean(axis=0, dtype=np.float64)
        for pack, found in textures.items()
        for slot, texels in enumerate(found)
        if (_mean_of(pack, slot), 0) in tape.fixed
    }

    def held(what: str | float, component: int) -> float:
        found = parameters.get(str(what), means.get(str(what)))
        return float(what) if found is None else float(np.atleast_1d(found)[component])

    fixed = np.array([held(*entry) for entry in tape.fixed], np.float32)
    arrays: dict[str, Any] = {name: np.asarray(values) for name, values in inputs.items()}
    columns = np.zeros((max(1, len(tape.columns)), count), np.float32)
    for number, (name, component) in enumerate(tape.columns):
        columns[number] = arrays[name][:, component]
    tables = np.zeros((max(1, len(tape.tables)), TABLE_SIZE), np.float32)
    for number, (name, component) in enumerate(tape.tables):
        tables[number] = parameters[name][:, component]
    wanted = np.array([v for registers in tape.outputs.values() for v in registers], np.int32)
    out = np.empty((wanted.shape[0], count), np.float32)
    surface, detail, picture = (_stacked(textures, pack) for pack in PACKS)
    _play_all(
        tape.rows,
        max(1, tape.registers),
        fixed,
        columns,
        count,
        surface,
        detail,
        picture,
        tables,
        wanted,
        out,
    )
    result, at = {}, 0
    for name, registers in tape.outputs.items():
        result[name] = np.ascontiguousarray(out[at : at + len(registers)].T)
        at += len(registers)
    return result
