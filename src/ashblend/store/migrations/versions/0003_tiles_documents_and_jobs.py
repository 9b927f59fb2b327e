"""Tiles known by their contents, states made of them, documents in the journal, blends of projects, kept jobs.

Sets on a map are numbered by squares from here on; whatever lies on one is renumbered, in tiles, states and the
journal. Nothing is lost on the way, and there is none back.
"""

import json
import struct
from typing import Any
from uuid import UUID

import numpy as np
import sqlalchemy as sa
import zstandard
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None

JSONB = postgresql.JSONB(astext_type=sa.Text())
OLD_TILE = 131_072
OLD_ENTRY = struct.Struct("<16sII")


def _create() -> None:
    op.create_table(
        "tile",
        sa.Column("sha", sa.String(length=64), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.PrimaryKeyConstraint("sha", name=op.f("pk_tile")),
    )
    op.execute("alter table tile alter column data set storage external")
    # Painting replaces the largest rows that there are; what they leave is to be used again soon.
    for table in ("tile", "journal_entry"):
        for part in ("", "toast."):
            op.execute(
                f"alter table {table} set ({part}autovacuum_vacuum_scale_factor = 0.02, "
                f"{part}autovacuum_vacuum_threshold = 100)"
            )
    op.create_table(
        "state",
        sa.Column("sha", sa.String(length=64), nullable=False),
        sa.Column("head", JSONB, nullable=False),
        sa.PrimaryKeyConstraint("sha", name=op.f("pk_state")),
    )
    op.create_table(
        "state_tile",
        sa.Column("state", sa.String(length=64), nullable=False),
        sa.Column("tile", sa.String(length=64), nullable=False),
        sa.ForeignKeyConstraint(
            ["state"], ["state.sha"], name=op.f("fk_state_tile_state"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["tile"], ["tile.sha"], name=op.f("fk_state_tile_tile")),
        sa.PrimaryKeyConstraint("state", "tile", name=op.f("pk_state_tile")),
    )
    op.create_index(op.f("ix_state_tile_tile"), "state_tile", ["tile"])
    op.create_table(
        "job",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("surface_id", sa.Uuid(), nullable=False),
        sa.Column("title", sa.String(length=120), nullable=False),
        sa.Column("wish", JSONB, nullable=False),
        sa.Column("input", sa.String(length=64), nullable=True),
        sa.Column("shape", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(length=10), nullable=False),
        sa.Column("progress", sa.Float(), nullable=False),
        sa.Column("problem", sa.String(length=400), nullable=False),
        sa.Column(
            "made_at", sa.DateTime(timezone=True), server_default=sa.text("clock_timestamp()"), nullable=False
        ),
        sa.ForeignKeyConstraint(
            ["surface_id"], ["surface.id"], name=op.f("fk_job_surface_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["input"], ["blob.sha"], name=op.f("fk_job_input")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_job")),
    )
    op.create_index(op.f("ix_job_surface_id"), "job", ["surface_id"])
    op.add_column("journal_entry", sa.Column("documents", JSONB, nullable=True))
    op.add_column("surface", sa.Column("shape", sa.Integer(), nullable=False, server_default="1"))
    op.alter_column("surface", "shape", server_default=None)
    op.add_column("surface", sa.Column("bindings", JSONB, nullable=False, server_default="{}"))
    op.alter_column("surface", "bindings", server_default=None)
    op.add_column("surface", sa.Column("blend_id", sa.Uuid(), nullable=True))
    op.rename_table("channel_tile", "old_tile")
    op.execute("alter index pk_channel_tile rename to pk_old_tile")
    op.create_table(
        "channel_tile",
        sa.Column("channel_set_id", sa.Uuid(), nullable=False),
        sa.Column("channel", sa.Integer(), nullable=False),
        sa.Column("plane", sa.String(length=9), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("tile", sa.String(length=64), nullable=False),
        sa.ForeignKeyConstraint(
            ["channel_set_id"],
            ["channel_set.id"],
            name="fk_channel_tile_channel_set_id_2",
            ondelete="CASCADE",
        ),
        sa.ForeignKeyConstraint(["tile"], ["tile.sha"], name=op.f("fk_channel_tile_tile")),
        sa.PrimaryKeyConstraint("channel_set_id", "channel", "plane", "number", name=op.f("pk_channel_tile")),
    )
    op.create_index(op.f("ix_channel_tile_tile"), "channel_tile", ["tile"])


def _own_blends(bind: sa.Connection) -> None:
    """A blend belongs to the project, and its surface refers to it."""
    op.add_column("blend", sa.Column("project_id", sa.Uuid(), nullable=True))
    op.add_column("blend", sa.Column("base", sa.Uuid(), nullable=True))
    bind.execute(
        sa.text("update blend set project_id = s.project_id from surface s where s.id = blend.surface_id")
    )
    bind.execute(sa.text("update surface set blend_id = b.id from blend b where b.surface_id = surface.id"))
    op.drop_column("blend", "surface_id")
    op.alter_column("blend", "project_id", nullable=False)
    op.create_foreign_key(
        op.f("fk_blend_project_id"), "blend", "project", ["project_id"], ["id"], ondelete="CASCADE"
    )
    op.create_foreign_key(op.f("fk_blend_base"), "blend", "blend", ["base"], ["id"], ondelete="CASCADE")
    op.create_index(op.f("ix_blend_project_id"), "blend", ["project_id"])
    op.create_foreign_key(op.f("fk_surface_blend_id"), "surface", "blend", ["blend_id"], ["id"])
    op.create_index(op.f("ix_surface_blend_id"), "surface", ["blend_id"])


class _Older:
    """What is stored, read and written in the older and the newer way."""

    def __init__(self, bind: sa.Connection) -> None:
        from sqlalchemy.orm import Session

        self.bind = bind
        self.session = Session(bind=bind)
        self._orders: dict[tuple[str, int], Any] = {}
        self._meshes: dict[str, Any] = {}
        self._states: dict[str, str] = {}

    def rows(self, text: str, **values: Any) -> list[Any]:
        return list(self.bind.execute(sa.text(text), values))

    def mesh(self, geometry: str) -> Any:
        """A mesh by the SHA-256 of its blob."""
        from ashblend.core.formats.mesh_pack import unpack_mesh
        from ashblend.store.blobs import get_blob

        if geometry not in self._meshes:
            self._meshes[geometry] = unpack_mesh(get_blob(self.session, geometry))
        return self._meshes[geometry]

    def source_mesh(self, file_name: str, source: str) -> str:
        """A file's mesh under a name of its own."""
        from ashblend.core.formats.registry import read_mesh
        from ashblend.store.blobs import get_blob

        key = f"file {source}"
        if key not in self._meshes:
            self._meshes[key] = read_mesh(file_name, get_blob(self.session, source))
        return key

    def order(self, geometry: str, sites: dict[str, Any]) -> tuple[Any, int]:
        """Number of each site of a set as it was numbered before, and how many numbers there are; None: the same."""
        from ashblend.core.sites.uv_texels import UVTexels

        if sites["kind"] != "texels":
            return None, 0
        key = (geometry, sites["size"])
        if key not in self._orders:
            mesh = self.mesh(geometry)
            normals = np.zeros((mesh.vertex_count, 3), np.float32)
            texels = UVTexels(mesh, normals, sites["size"])
            own = np.flatnonzero(texels.owner).astype(np.uint32)
            # They were numbered row by row, those without a site left out.
            own = own[np.argsort(texels.row_by_row(own), kind="stable")]
            self._orders[key] = (own, texels.layout.extent)
        return self._orders[key]

    def renumbered(self, plane: Any, geometry: str, sites: dict[str, Any]) -> Any:
        """A plane by the newer numbers."""
        order, extent = self.order(geometry, sites)
        if order is None:
            return plane
        out = np.zeros(extent, np.uint16)
        out[order] = plane[: order.shape[0]]
        return out


def _old_deltas(data: bytes) -> list[tuple[UUID, int, Any, list[Any]]]:
    raw = zstandard.ZstdDecompressor().decompress(data)
    out, at = [], 0
    while at < len(raw):
        ident, channel, count = OLD_ENTRY.unpack_from(raw, at)
        at += OLD_ENTRY.size
        sites = np.cumsum(np.frombuffer(raw, "<u4", count, at), dtype=np.uint32)
        at += 4 * count
        planes = []
        for _ in range(4):
            planes.append(np.frombuffer(raw, "<u2", count, at).astype(np.uint16))
            at += 2 * count
        out.append((UUID(bytes=ident), channel, sites, planes))
    return out


def _carried(sites: dict[str, Any], document: dict[str, Any]) -> dict[str, Any]:
    """A set that follows has carried undercoats, and says so now."""
    if not sites.get("follows"):
        return document
    channels = [{**c, "undercoat": {"kind": "carried"}} for c in document["channels"]]
    return {**document, "channels": channels}


def _new_state(older: _Older, sha: str) -> str:
    """A state of the older kind, kept as one of the newer."""
    from ashblend.core.formats.mesh_pack import unpack_arrays
    from ashblend.store.blobs import get_blob
    from ashblend.store.states import keep_head
    from ashblend.store.tiles import TileWriter, put_plane

    if sha in older._states:
        return older._states[sha]
    head, arrays = unpack_arrays(get_blob(older.session, sha))
    writer = TileWriter(older.session)
    sets = []
    for number, entry in enumerate(head["sets"]):
        channels, extent = [], 0
        for c, member in enumerate(entry["document"]["channels"]):
            planes = {
                name: older.renumbered(arrays[f"{number}/{c}/{name}"], head["geometry"], entry["sites"])
                for name in ("cover", "paint")
            }
            extent = int(planes["cover"].shape[0])
            follows = bool(entry["sites"].get("follows"))
            channels.append(
                {
                    **{name: put_plane(writer, plane) for name, plane in planes.items()},
                    "undercoat": 0.0 if follows else float(member["undercoat"]["value"]),
                }
            )
        sets.append(
            {
                "id": entry["id"],
                "sites": entry["sites"],
                "document": _carried(entry["sites"], entry["document"]),
                "extent": extent,
                "channels": channels,
            }
        )
    writer.flush()
    older._states[sha] = keep_head(older.session, {**head, "sets": sets})
    return older._states[sha]


def _move_tiles(older: _Older, geometry: str, surface: Any) -> None:
    from ashblend.store.tiles import TileWriter, put_plane

    writer = TileWriter(older.session)
    for set_id, sites in older.rows("select id, sites from channel_set where surface_id = :s", s=surface):
        held: dict[tuple[int, str], dict[int, bytes]] = {}
        for channel, plane, number, data in older.rows(
            "select channel, plane, number, data from old_tile where channel_set_id = :c", c=set_id
        ):
            held.setdefault((channel, plane), {})[number] = data
        for (channel, plane), tiles in held.items():
            order, _ = older.order(geometry, sites)
            count = order.shape[0] if order is not None else (max(tiles) + 1) * OLD_TILE
            values = np.zeros(max(count, (max(tiles) + 1) * OLD_TILE), np.uint16)
            for number, data in tiles.items():
                part = np.frombuffer(zstandard.ZstdDecompressor().decompress(data), "<u2")
                values[number * OLD_TILE : number * OLD_TILE + part.shape[0]] = part
            if order is None:
                # Where the mesh ends is known by the last tile alone; what is behind it was never there.
                last = zstandard.ZstdDecompressor().decompress(tiles[max(tiles)])
                values = values[: max(tiles) * OLD_TILE + len(last) // 2]
            found = put_plane(writer, older.renumbered(values, geometry, sites))
            writer.flush()
            for number, sha in found.items():
                older.bind.execute(
                    sa.text("insert into channel_tile values (:c, :channel, :plane, :number, :sha)"),
                    {"c": set_id, "channel": channel, "plane": plane, "number": number, "sha": sha},
                )


def _move_journal(older: _Older, first: str, surface: Any, kinds: dict[str, dict[str, Any]]) -> None:
    """Renumber the deltas, each by the mesh as it was then."""
    from ashblend.core.channels.delta import ChannelDelta
    from ashblend.core.formats.mesh_pack import unpack_arrays
    from ashblend.store.blobs import get_blob
    from ashblend.store.deltas import pack_deltas

    entries = older.rows(
        "select number, kind, refers_to, states, deltas from journal_entry "
        "where surface_id = :s order by number",
        s=surface,
    )
    heads: dict[str, dict[str, Any]] = {}
    for _, _, _, states, _ in entries:
        for sha in (states or {}).values():
            if sha not in heads:
                heads[sha], _ = unpack_arrays(get_blob(older.session, sha))
                for entry in heads[sha]["sets"]:
                    kinds[entry["id"]] = entry["sites"]
    acts = {number: states for number, _, refers_to, states, _ in entries if refers_to is None}
    geometry = next((heads[states["before"]]["geometry"] for _, _, _, states, _ in entries if states), first)
    for number, kind, refers_to, states, deltas in entries:
        changed = states if refers_to is None else acts.get(refers_to)
        if changed:
            geometry = heads[changed["before" if kind == "undo" else "after"]]["geometry"]
        if states:
            older.bind.execute(
                sa.text("update journal_entry set states = :v where surface_id = :s and number = :n"),
                {
                    "v": json.dumps({side: _new_state(older, sha) for side, sha in states.items()}),
                    "s": surface,
                    "n": number,
                },
            )
        if deltas is None:
            continue
        renewed = []
        for ident, channel, old_sites, old_planes in _old_deltas(deltas):
            order, _ = older.order(geometry, kinds.get(str(ident), {"kind": "vertices"}))
            sites = old_sites if order is None else order[old_sites]
            ascending = np.argsort(sites)
            planes = [plane[ascending] for plane in old_planes]
            renewed.append((ident, ChannelDelta(channel, sites[ascending], *planes)))
        older.bind.execute(
            sa.text("update journal_entry set deltas = :d where surface_id = :s and number = :n"),
            {"d": pack_deltas(renewed), "s": surface, "n": number},
        )


def upgrade() -> None:
    bind = op.get_bind()
    _create()
    older = _Older(bind)
    surfaces = older.rows("select id, file_name, source, geometry from surface")
    op.drop_constraint(op.f("fk_snapshot_state"), "snapshot", type_="foreignkey")
    for surface, file_name, source, geometry in surfaces:
        kinds = {
            str(ident): sites
            for ident, sites in older.rows(
                "select id, sites from channel_set where surface_id = :s", s=surface
            )
        }
        here = geometry or older.source_mesh(file_name, source)
        _move_tiles(older, here, surface)
        _move_journal(older, here, surface, kinds)
        for snapshot, state in older.rows("select id, state from snapshot where surface_id = :s", s=surface):
            bind.execute(
                sa.text("update snapshot set state = :v where id = :i"),
                {"v": _new_state(older, state), "i": snapshot},
            )
    older.session.flush()
    for ident, sites, document in older.rows("select id, sites, document from channel_set"):
        if sites.get("follows"):
            bind.execute(
                sa.text("update channel_set set document = :d where id = :i"),
                {"d": json.dumps(_carried(sites, document)), "i": ident},
            )
    op.create_foreign_key(op.f("fk_snapshot_state"), "snapshot", "state", ["state"], ["sha"])
    op.drop_table("old_tile")
    op.execute(
        "alter table channel_tile rename constraint fk_channel_tile_channel_set_id_2 "
        "to fk_channel_tile_channel_set_id"
    )
    _own_blends(bind)


def downgrade() -> None:
    raise NotImplementedError("older versions cannot read what this one stores")
