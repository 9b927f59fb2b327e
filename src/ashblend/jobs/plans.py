"""Plans: a changed mesh worked out beside the open surface, shown with its figures, then kept or dropped."""

from dataclasses import dataclass, replace
from typing import Any
from uuid import UUID

import numpy as np

from ashblend.core.arrays import F32, F64, Mask
from ashblend.core.prepare.carry import FACING_LIMIT, carry_over, carry_report
from ashblend.core.prepare.decimate import Decimated, decimate
from ashblend.core.prepare.facts import mesh_facts
from ashblend.core.prepare.grain import grain
from ashblend.core.prepare.refine import (
    Refined,
    VertexPlaces,
    WantedMask,
    refine_levels,
    refine_to_mask,
    refine_to_spacing,
)
from ashblend.core.prepare.unwrap import Unwrapped, unwrap
from ashblend.core.progress import Progress
from ashblend.core.sites.lineage import Lineage, Mixed
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.core.surface.levels import level_carries
from ashblend.core.surface.shape import Shape
from ashblend.core.surface.shapes import shape_of
from ashblend.jobs.apart import run_apart


@dataclass(frozen=True)
class Plan:
    """What an artist may keep.

    kind: "mesh" replaces level 0, "replacement" does so with a file's mesh, "level" adds a lower one.
    base: revision of the shape it was made from. lineage: from the old vertices to the new.
    shape: the planned mesh with its sites, worked out here, so that keeping it does not hold up a pen.
    told: what is told of the mesh once it is kept.
    carries: for each lower level, where it then finds its paint. facts: figures to show.
    distances: (vertices,) metres to the old surface, for a replacement.
    same_map, shifted: see `MeshChange`.
    paint: set, channel and (vertices,) weights to paint along, when asked for. again: the level whose place a
    "level" takes. touched: how that one's own paint moves to it.
    """

    kind: str
    label: str
    base: int
    mesh: Mesh
    lineage: Lineage
    carries: tuple[Mixed, ...]
    facts: dict[str, Any]
    shape: Shape
    told: dict[str, Any]
    distances: F64 | None = None
    same_map: bool = True
    shifted: int = 0
    paint: tuple[UUID, int, F32] | None = None
    again: int | None = None
    touched: Lineage = ()


def _shape(mesh: Mesh) -> Shape:
    """The mesh with what the first stroke and the first picture ask of it."""
    shape = shape_of(mesh)
    sites = shape.vertices()
    _ = sites.tree, sites.fans
    shape.inputs()
    return shape


def _figures(before: Mesh, after: Mesh, facts: dict[str, Any]) -> dict[str, Any]:
    return {
        "vertices_before": before.vertex_count,
        "vertices_after": after.vertex_count,
        "triangles_before": int(before.triangles.shape[0]),
        "triangles_after": int(after.triangles.shape[0]),
        "spacing_median": facts["spacing_median"],
        "spacing_longest": facts["spacing_longest"],
    }


def _refined_plan(
    label: str, base: int, mesh: Mesh, levels: tuple[Mesh, ...], refined: Refined, progress: Progress
) -> Plan:
    shape = _shape(refined.mesh)
    told = mesh_facts(refined.mesh, shape.vertices())
    return Plan(
        "mesh",
        label,
        base,
        refined.mesh,
        refined.lineage,
        level_carries(refined.mesh, levels, progress),
        _figures(mesh, refined.mesh, told),
        shape,
        told,
    )


def plan_levels(
    base: int, mesh: Mesh, levels: tuple[Mesh, ...], times: int, most: int, progress: Progress
) -> Plan:
    refined = refine_levels(mesh, times, most, progress)
    return _refined_plan(f"Refine {times}×", base, mesh, levels, refined, progress)


def plan_spacing(
    base: int,
    mesh: Mesh,
    levels: tuple[Mesh, ...],
    spacing: float,
    inside: Mask | None,
    most: int,
    progress: Progress,
) -> Plan:
    refined = refine_to_spacing(mesh, spacing, most, inside, progress)
    where = "" if inside is None else " an area"
    return _refined_plan(f"Refine{where} to {spacing * 100:.1f} cm", base, mesh, levels, refined, progress)


def plan_to_mask(
    base: int,
    mesh: Mesh,
    levels: tuple[Mesh, ...],
    wanted: WantedMask,
    tolerance: float,
    finest: float,
    paint_on: tuple[UUID, int] | None,
    most: int,
    progress: Progress,
) -> Plan:
    found = refine_to_mask(mesh, wanted, tolerance, finest, most, progress)
    plan = _refined_plan("Refine to a mask", base, mesh, levels, found.refined, progress)
    figures = {
        **plan.facts,
        "worst": found.worst,
        "uniform_levels": found.uniform_levels,
        "uniform_vertices": found.uniform_vertices,
        "saved": found.uniform_vertices - plan.mesh.vertex_count,
    }
    paint = None
    if paint_on is not None:
        after = plan.mesh
        places = VertexPlaces(after, mesh_vertices(after).normals.astype(np.float64))
        paint = (*paint_on, np.clip(wanted(places), 0, 1).astype(np.float32))
    return replace(plan, facts=figures, paint=paint)


def plan_replacement(
    base: int, mesh: Mesh, levels: tuple[Mesh, ...], new: Mesh, file_name: str, progress: Progress
) -> Plan:
    """Carry everything painted over to another mesh."""
    shape = _shape(new)
    told = mesh_facts(new, shape.vertices())
    carried = carry_over(mesh, new.positions, shape.vertices().normals, FACING_LIMIT, progress)
    report = carry_report(carried, float(np.median(grain(mesh_vertices(mesh)))))
    return Plan(
        "replacement",
        f"Carry over to {file_name}"[:100],
        base,
        new,
        carried.lineage,
        level_carries(new, levels, progress),
        {**_figures(mesh, new, told), **report.__dict__, "hard_borders_lost": mesh.sides is not None},
        shape,
        told,
        carried.distances,
        same_map=False,
    )


def plan_level(base: int, mesh: Mesh, carried_from: Mesh, triangles: int, progress: Progress) -> Plan:
    """A lower level with about so many triangles."""
    made: Decimated = run_apart(
        decimate, mesh, triangles, progress=progress, seconds=mesh.triangles.shape[0] / 150_000
    )
    return _level_plan(
        f"Make a level of {made.mesh.triangles.shape[0]:,} triangles", base, carried_from, made.mesh, progress
    )


def plan_level_again(
    base: int,
    mesh: Mesh,
    carried_from: Mesh,
    before: Mesh,
    number: int,
    triangles: int,
    progress: Progress,
) -> Plan:
    """A level made anew, in the place of one; what was painted on that one alone moves along."""
    plan = plan_level(base, mesh, carried_from, triangles, progress)
    moved = carry_over(before, plan.mesh.positions, plan.shape.vertices().normals, FACING_LIMIT)
    return replace(plan, label=f"Make level {number} again", again=number, touched=moved.lineage)


def plan_level_of_file(
    base: int, carried_from: Mesh, level: Mesh, file_name: str, progress: Progress
) -> Plan:
    """A lower level from a file."""
    return _level_plan(f"Add level {file_name}"[:100], base, carried_from, level, progress)


def _level_plan(label: str, base: int, mesh: Mesh, level: Mesh, progress: Progress) -> Plan:
    shape = _shape(level)
    sides = level.side_of_vertex if level.sides is not None else None
    carried = carry_over(mesh, level.positions, shape.vertices().normals, progress=progress, sides=sides)
    report = carry_report(carried, float(np.median(grain(shape.vertices()))))
    told = mesh_facts(level, shape.vertices())
    return Plan(
        "level",
        label,
        base,
        level,
        carried.lineage,
        (),
        {**_figures(mesh, level, told), **report.__dict__},
        shape,
        told,
        carried.distances,
    )


def plan_unwrap(base: int, mesh: Mesh, levels: tuple[Mesh, ...], progress: Progress) -> Plan:
    made: Unwrapped = run_apart(unwrap, mesh, progress=progress, seconds=1 + mesh.triangles.shape[0] / 1500)
    refined = Refined(made.mesh, made.lineage, np.empty(0, np.int32))
    return replace(_refined_plan("Unwrap", base, mesh, levels, refined, progress), shifted=1)
