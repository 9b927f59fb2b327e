"""The one compiled kernel that plays any tape, block by block, on all processors."""

from collections.abc import Mapping, Sequence
from typing import Any

import numba
import numpy as np
from numba import uint32
from numpy.typing import ArrayLike

from ashblend.core.arrays import F32, F64, I32
from ashblend.core.emit.tape import (
    ABS,
    ADD,
    BY_PLACE,
    CLAMP,
    DIVIDE,
    FLOOR,
    FRACT,
    LESS,
    LOAD,
    MAX,
    MIN,
    MIX,
    MULTIPLY,
    NOISE,
    PACKS,
    POWER,
    SAMPLE,
    SCATTER,
    SELECT,
    SINE,
    SQRT,
    SUBTRACT,
    Tape,
    mean_of,
)
from ashblend.core.noise import octave_noise, scatter
from ashblend.core.tree.node import KNOTS
from ashblend.core.tree.pack import PackName

# Places that a register holds.
BLOCK = 1024


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
    tables: F64,
) -> None:
    """One block: n places from `begin` on, in registers r (registers, BLOCK)."""
    four = np.empty(4, np.float32)
    places, wholes = np.empty((3, BLOCK)), np.empty((3, BLOCK), np.uint32)
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
            fixed, last = rows[k, 12], texels.shape[0] - 1
            for i in range(n):
                slot = fixed
                if fixed == BY_PLACE:
                    slot = min(max(int(np.floor(c[i] + np.float32(0.5))), 0), last)
                _bilinear(texels, slot, float(a[i]), float(b[i]), four)
                for component in range(4):
                    r[rows[k, 1 + component], i] = four[component]
        elif op == NOISE:
            for axis in range(3):
                at, whole = r[rows[k, 5 + axis]], r[rows[k, 8 + axis]]
                for i in range(n):
                    places[axis, i] = at[i]
                    wholes[axis, i] = uint32(int(np.rint(whole[i])))
            octave_noise(
                places[0, :n],
                places[1, :n],
                places[2, :n],
                wholes[0, :n],
                wholes[1, :n],
                wholes[2, :n],
                rows[k, 11],
                rows[k, 12],
                rows[k, 13],
                t[:n],
            )
        elif op == SCATTER:
            x, y, z = r[rows[k, 8]], r[rows[k, 9]], r[rows[k, 10]]
            for i in range(n):
                p, q, s = scatter(
                    uint32(int(np.rint(a[i])) + int(np.rint(x[i]))),
                    uint32(int(np.rint(b[i])) + int(np.rint(y[i]))),
                    uint32(int(np.rint(c[i])) + int(np.rint(z[i]))),
                )
                r[rows[k, 1], i], r[rows[k, 2], i], r[rows[k, 3], i] = p, q, s
        else:
            table = tables[rows[k, 11]]
            for i in range(n):
                at = min(max(float(a[i]), table[0, 0]), table[-1, 0])
                low = 0
                for m in range(1, table.shape[0] - 1):
                    if at >= table[m, 0]:
                        low = m
                wide = table[low + 1, 0] - table[low, 0]
                share = (at - table[low, 0]) / max(wide, 1e-9)
                up = table[low + 1, 1] - table[low, 1]
                leaving, arriving = wide * table[low, 2], wide * table[low, 3]
                curved = share * (leaving + arriving - 2 * up)
                t[i] = table[low, 1] + share * (leaving + share * (3 * up - 2 * leaving - arriving + curved))


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
    tables: F64,
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


def _pieces(table: F64, component: int) -> F64:
    """(most knots, 4) place, height, and the slopes in which a piece leaves it and arrives at the next."""
    if table.shape[0] == KNOTS["curve"]:
        x, y, slope = table[:, :3].T
        leaving, arriving = slope, np.append(slope[1:], slope[-1])
    else:
        x, y = table[:, 0], table[:, 1 + component]
        slope = np.append(np.diff(y) / np.maximum(np.diff(x), 1e-9), 0.0)
        leaving = arriving = slope
    pieces = np.stack([x, y, leaving, arriving], axis=1)
    return np.concatenate([pieces, np.repeat(pieces[-1:], max(KNOTS.values()) - pieces.shape[0], axis=0)])


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
        mean_of(pack, slot): texels.reshape(-1, 4).mean(axis=0, dtype=np.float64)
        for pack, found in textures.items()
        for slot, texels in enumerate(found)
        if (mean_of(pack, slot), 0) in tape.fixed
    }

    def held(what: str | float, component: int) -> float:
        found = parameters.get(str(what), means.get(str(what)))
        return float(what) if found is None else float(np.atleast_1d(found)[component])

    fixed = np.array([held(*entry) for entry in tape.fixed], np.float32)
    arrays: dict[str, Any] = {name: np.asarray(values) for name, values in inputs.items()}
    columns = np.zeros((max(1, len(tape.columns)), count), np.float32)
    for number, (name, component) in enumerate(tape.columns):
        columns[number] = arrays[name][:, component]
    tables = np.zeros((max(1, len(tape.tables)), max(KNOTS.values()), 4))
    for number, (name, component) in enumerate(tape.tables):
        tables[number] = _pieces(parameters[name], component)
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
