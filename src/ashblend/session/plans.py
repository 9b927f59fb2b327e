"""The work that a wish for a changed mesh is, and keeping what it made."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from ashblend.core.arrays import F64
from ashblend.core.formats.errors import Limits
from ashblend.core.formats.images import read_image
from ashblend.core.formats.registry import read_mesh
from ashblend.core.prepare.refine import WantedMask
from ashblend.core.prepare.wanted import grey_of, picture_mask
from ashblend.core.progress import Progress
from ashblend.core.sites.lineage import Mixed
from ashblend.core.sites.mesh import Mesh
from ashblend.core.surface.faces import faces_of
from ashblend.core.surface.kinds.protocol import MeshChange
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.reshape import on_changed_mesh, painted_with
from ashblend.core.surface.shape import LevelState
from ashblend.core.surface.shapes import shape_of
from ashblend.core.surface.state import SurfaceState, follower
from ashblend.jobs.plans import (
    Plan,
    plan_level,
    plan_level_again,
    plan_level_of_file,
    plan_levels,
    plan_replacement,
    plan_spacing,
    plan_to_mask,
    plan_unwrap,
)
from ashblend.session.outcome import Outcome
from ashblend.session.surface import OpenSurface
from ashblend.session.wishes import (
    AddLevel,
    MakeLevel,
    RefineLevels,
    RefineSpacing,
    RefineToChannel,
    RefineToHeight,
    RefineToPicture,
    Replace,
    ToMask,
)

MOST_VERTICES = 4_000_000
MOST_LEVELS = 6
# A mask finer than this asks for more vertices than a mesh may have.
MOST_MASK_EDGE = 4096


Work = Callable[[Progress], Plan]


def _held(found: OpenSet, channel: int) -> F64:
    """What a set on a map shows, row by row, padded as far as it goes."""
    if not found.kind.finer:
        raise Refusal(
            "The wanted mask must be finer than the mesh.",
            "Choose a channel of a set on texels, or a picture.",
        )
    return found.sites.image(lambda sites: found.weights(channel, sites))


def _to_mask(surface: OpenSurface, wish: ToMask, wanted: WantedMask) -> Work:
    shape = surface.shape
    base, mesh, levels = shape.number, shape.mesh, shape.level_meshes()
    paint_on = None
    if wish.paint_on is not None:
        target = surface.set_of(wish.paint_on.channel_set)
        if not target.kind.followed:
            raise Refusal("The mask is put onto vertices of level 0.", "Choose a set that lies there.")
        paint_on = (wish.paint_on.channel_set, wish.paint_on.channel)
    return lambda p: plan_to_mask(
        base, mesh, levels, wanted, wish.tolerance, wish.finest, paint_on, MOST_VERTICES, p
    )


def _require_room_for_level(surface: OpenSurface) -> None:
    if len(surface.shape.levels) >= MOST_LEVELS:
        raise Refusal(f"There are {MOST_LEVELS} levels already.", "Remove one first.")


def work_for(
    surface: OpenSurface, wish: Any, data: bytes | None, limits: Limits, read: Mesh | None = None
) -> tuple[str, Work]:
    """What to do about a wish, and what to call it; all it needs is taken from the surface here, on its thread.

    data: the uploaded file of a wish that has one. read: what it was read as, where it was. Raises Refusal.
    """
    shape = surface.shape
    shape.require_mesh()
    base, mesh, levels = shape.number, shape.mesh, shape.level_meshes()
    match wish:
        case RefineLevels():
            return "Refining", lambda p: plan_levels(base, mesh, levels, wish.levels, MOST_VERTICES, p)
        case RefineSpacing():
            inside = faces_of(shape, surface.sets, wish.inside) if wish.inside is not None else None
            return "Refining", lambda p: plan_spacing(
                base, mesh, levels, wish.spacing, inside, MOST_VERTICES, p
            )
        case RefineToChannel():
            held = _held(surface.set_of(wish.wanted.channel_set), wish.wanted.channel)
            return "Refining to a mask", _to_mask(surface, wish, picture_mask(held))
        case RefineToHeight():
            band = wish.wanted
            return "Refining to a mask", _to_mask(surface, wish, lambda places: band.at(places.positions))
        case RefineToPicture():
            if not mesh.uvs:
                raise Refusal("The mesh has no UVs for a picture to lie on.", "Unwrap it first.")
            grey = grey_of(read_image(data or b"", "The mask", MOST_MASK_EDGE))
            return "Refining to a mask", _to_mask(surface, wish, picture_mask(grey))
        case MakeLevel(again=int(number)):
            if number > len(shape.levels):
                raise Refusal("There is no such level.", "Load the surface again.")
            source, before = shape.mesh_of(number - 1), shape.mesh_of(number)
            if wish.triangles >= source.triangles.shape[0]:
                raise Refusal(
                    "The level above it has no more triangles than that.", "Make that one again first."
                )
            return "Making a level again", lambda p: plan_level_again(
                base, source, mesh, before, number, wish.triangles, p
            )
        case MakeLevel():
            _require_room_for_level(surface)
            source = shape.mesh_of(len(shape.levels))
            if wish.triangles >= source.triangles.shape[0]:
                raise Refusal("The last level has no more triangles than that.", "Choose a smaller number.")
            return "Making a level", lambda p: plan_level(base, source, mesh, wish.triangles, p)
        case AddLevel():
            _require_room_for_level(surface)
            level = read or read_mesh(wish.file_name, data or b"", limits)
            return "Adding a level", lambda p: plan_level_of_file(base, mesh, level, wish.file_name, p)
        case Replace():
            new = read or read_mesh(wish.file_name, data or b"", limits)
            return "Carrying over", lambda p: plan_replacement(base, mesh, levels, new, wish.file_name, p)
        case _:
            return "Unwrapping", lambda p: plan_unwrap(base, mesh, levels, p)


def after_plan(state: SurfaceState, plan: Plan) -> SurfaceState:
    """The state with a plan in force."""
    if plan.kind == "level":
        return _with_level(state, plan)
    after = on_changed_mesh(
        state,
        plan.mesh,
        plan.lineage,
        plan.carries,
        same_map=plan.same_map,
        shifted=plan.shifted,
        replaced=plan.kind == "replacement",
        prepared=plan.shape,
    )
    return painted_with(after, *plan.paint) if plan.paint is not None else after


def keep(surface: OpenSurface, plan: Plan) -> Outcome:
    """Make a planned mesh the surface's own."""
    if plan.base != surface.shape.number:
        raise Refusal("The mesh has changed since this was worked out.", "Make the plan again.")
    return surface.change_state(
        plan.kind, plan.label, lambda state: after_plan(state, plan), prepared=plan.shape
    )


def _with_level(state: SurfaceState, plan: Plan) -> SurfaceState:
    """One more level, and for each set that levels follow one that follows it there."""
    carry = plan.lineage[0]
    assert isinstance(carry, Mixed)
    if plan.again is not None:
        return _with_level_again(state, plan, plan.again, carry)
    number = len(state.levels) + 1
    level = LevelState(f"Level {number}", plan.mesh, carry)
    followers = [follower(entry, number, level) for entry in state.sets if entry.sites.followed]
    return replace(state, levels=(*state.levels, level), sets=(*state.sets, *followers))


def _with_level_again(state: SurfaceState, plan: Plan, number: int, carry: Mixed) -> SurfaceState:
    """A level replaced by one that was made anew; what was painted on it alone moves along."""
    levels = list(state.levels)
    levels[number - 1] = LevelState(levels[number - 1].name, plan.mesh, carry)
    after = tuple(levels)
    change = MeshChange(
        shape_of(state.mesh, state.levels), shape_of(state.mesh, after), {number: plan.touched}
    )
    sets = []
    for entry in state.sets:
        channels = (
            entry.sites.moved(entry.channels, change, entry.sites)
            if entry.sites.level == number
            else entry.channels
        )
        if channels is not None:
            sets.append(replace(entry, channels=channels))
    return replace(state, levels=after, sets=tuple(sets))
