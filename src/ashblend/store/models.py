"""The tables."""

from datetime import datetime
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import BigInteger, DateTime, ForeignKey, LargeBinary, MetaData, String, false, func
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

NAMING = {
    "ix": "ix_%(table_name)s_%(column_0_name)s",
    "uq": "uq_%(table_name)s_%(column_0_name)s",
    "fk": "fk_%(table_name)s_%(column_0_name)s",
    "pk": "pk_%(table_name)s",
}


class Base(DeclarativeBase):
    metadata = MetaData(naming_convention=NAMING)
    type_annotation_map = {  # noqa: RUF012 - SQLAlchemy reads it from the class
        dict[str, Any]: JSONB,
        list[dict[str, Any]]: JSONB,
        datetime: DateTime(timezone=True),
        bytes: LargeBinary,
    }


def _owner(table: str) -> Mapped[UUID]:
    return mapped_column(ForeignKey(f"{table}.id", ondelete="CASCADE"), index=True)


class Project(Base):
    """removed_at: since when it lies in the bin."""

    __tablename__ = "project"

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    name: Mapped[str] = mapped_column(String(60))
    created_at: Mapped[datetime] = mapped_column(server_default=func.clock_timestamp())
    removed_at: Mapped[datetime | None]


class Blob(Base):
    """Bytes known by their SHA-256. The parts hold them, so that no row is huge.

    put_at: when somebody last asked for them to be kept; what refers to them may not be written yet.
    """

    __tablename__ = "blob"

    sha: Mapped[str] = mapped_column(String(64), primary_key=True)
    size: Mapped[int] = mapped_column(BigInteger)
    put_at: Mapped[datetime] = mapped_column(server_default=func.clock_timestamp())


class BlobPart(Base):
    __tablename__ = "blob_part"

    sha: Mapped[str] = mapped_column(ForeignKey("blob.sha", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    data: Mapped[bytes]


class Surface(Base):
    """A painted mesh.

    source: the imported file. came: the mesh that it was read as, packed. geometry: the mesh as it is now. Older surfaces
    have neither until something of the mesh is changed: the file is read again.
    shape: revision of the mesh, counting up with every change. checkpoint: the journal entry that the
    tiles include. blend: what it is shaded by. bindings: channel sets of this surface that stand for those
    the blend names, where they are others. removed_at: since when it lies in the bin.
    """

    __tablename__ = "surface"

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    project_id: Mapped[UUID] = _owner("project")
    name: Mapped[str] = mapped_column(String(60))
    file_name: Mapped[str] = mapped_column(String(255))
    source: Mapped[str] = mapped_column(ForeignKey("blob.sha"), index=True)
    came: Mapped[str | None] = mapped_column(ForeignKey("blob.sha"))
    geometry: Mapped[str | None] = mapped_column(ForeignKey("blob.sha"))
    facts: Mapped[dict[str, Any]]
    shape: Mapped[int] = mapped_column(default=1)
    checkpoint: Mapped[int] = mapped_column(BigInteger, default=0)
    blend_id: Mapped[UUID | None] = mapped_column(ForeignKey("blend.id"), index=True)
    bindings: Mapped[dict[str, Any]] = mapped_column(default=dict)
    created_at: Mapped[datetime] = mapped_column(server_default=func.clock_timestamp())
    removed_at: Mapped[datetime | None]


class MeshLevel(Base):
    """A lower level of detail. carry: packed, where each of its vertices finds its paint on level 0.

    old: made from a mesh whose place another has taken since.
    """

    __tablename__ = "mesh_level"

    surface_id: Mapped[UUID] = mapped_column(ForeignKey("surface.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    geometry: Mapped[str] = mapped_column(ForeignKey("blob.sha"))
    carry: Mapped[str] = mapped_column(ForeignKey("blob.sha"))
    name: Mapped[str] = mapped_column(String(60))
    old: Mapped[bool] = mapped_column(default=False, server_default=false())


class ChannelSet(Base):
    """sites: which places of the surface it lies on."""

    __tablename__ = "channel_set"

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    surface_id: Mapped[UUID] = _owner("surface")
    position: Mapped[int]
    sites: Mapped[dict[str, Any]]
    document: Mapped[dict[str, Any]]
    revision: Mapped[int] = mapped_column(default=1)


class Tile(Base):
    """One tile of a plane, compressed, known by the SHA-256 of its values. Alike ones are kept once."""

    __tablename__ = "tile"

    sha: Mapped[str] = mapped_column(String(64), primary_key=True)
    data: Mapped[bytes]


class ChannelTile(Base):
    """Which tile a channel holds, as of the checkpoint. plane: "cover", "paint" or "undercoat".

    A tile that holds nothing has no row.
    """

    __tablename__ = "channel_tile"

    channel_set_id: Mapped[UUID] = mapped_column(
        ForeignKey("channel_set.id", ondelete="CASCADE"), primary_key=True
    )
    channel: Mapped[int] = mapped_column(primary_key=True)
    plane: Mapped[str] = mapped_column(String(9), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    tile: Mapped[str] = mapped_column(ForeignKey("tile.sha"), index=True)


class State(Base):
    """The whole state of a surface. head: meshes, levels, sets, and the tiles of every plane."""

    __tablename__ = "state"

    sha: Mapped[str] = mapped_column(String(64), primary_key=True)
    head: Mapped[dict[str, Any]]


class StateTile(Base):
    """Which tiles a state refers to, so that none is swept that is still needed."""

    __tablename__ = "state_tile"

    state: Mapped[str] = mapped_column(ForeignKey("state.sha", ondelete="CASCADE"), primary_key=True)
    tile: Mapped[str] = mapped_column(ForeignKey("tile.sha"), primary_key=True, index=True)


class JournalEntry(Base):
    """One step on a surface. Undo and redo are entries that refer to the step.

    A step on values has deltas; one that changed the mesh or the list of sets has states, {"before",
    "after"}; one that changed documents has those, [{"kind", "id", "before", "after"}]. address: {"channel_set",
    "channel"} of the one channel whose values it changed; nothing where there were more, or none.
    """

    __tablename__ = "journal_entry"

    surface_id: Mapped[UUID] = mapped_column(ForeignKey("surface.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    kind: Mapped[str] = mapped_column(String(12))
    label: Mapped[str] = mapped_column(String(120))
    refers_to: Mapped[int | None] = mapped_column(BigInteger)
    deltas: Mapped[bytes | None]
    states: Mapped[dict[str, Any] | None]
    documents: Mapped[list[dict[str, Any]] | None]
    address: Mapped[dict[str, Any] | None]
    made_at: Mapped[datetime] = mapped_column(server_default=func.clock_timestamp())


class StepPicture(Base):
    """What the surface looked like after a journal entry, as a small picture."""

    __tablename__ = "step_picture"

    surface_id: Mapped[UUID] = mapped_column(ForeignKey("surface.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    data: Mapped[bytes]


class LastView(Base):
    """What a surface looked like when somebody last looked at it, as a small picture."""

    __tablename__ = "last_view"

    surface_id: Mapped[UUID] = mapped_column(ForeignKey("surface.id", ondelete="CASCADE"), primary_key=True)
    data: Mapped[bytes]
    made_at: Mapped[datetime] = mapped_column(server_default=func.clock_timestamp())


class Snapshot(Base):
    """A named state of a surface. entry: of the journal, then."""

    __tablename__ = "snapshot"

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    surface_id: Mapped[UUID] = _owner("surface")
    name: Mapped[str] = mapped_column(String(60))
    entry: Mapped[int] = mapped_column(BigInteger)
    state: Mapped[str] = mapped_column(ForeignKey("state.sha"))
    made_at: Mapped[datetime] = mapped_column(server_default=func.clock_timestamp())


class Stencil(Base):
    """An image to thin the brush by. image: blob of a PNG or JPEG."""

    __tablename__ = "stencil"

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    project_id: Mapped[UUID] = _owner("project")
    name: Mapped[str] = mapped_column(String(60))
    image: Mapped[str] = mapped_column(ForeignKey("blob.sha"))
    created_at: Mapped[datetime] = mapped_column(server_default=func.clock_timestamp())


class KeptRecipe(Base):
    """A recipe in the project's collection. picture: small, of the surface that it was kept from."""

    __tablename__ = "recipe"

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    project_id: Mapped[UUID] = _owner("project")
    name: Mapped[str] = mapped_column(String(60))
    document: Mapped[dict[str, Any]]
    picture: Mapped[bytes | None]
    created_at: Mapped[datetime] = mapped_column(server_default=func.clock_timestamp())


class KeptLight(Base):
    """A light that the project keeps by name."""

    __tablename__ = "kept_light"

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    project_id: Mapped[UUID] = _owner("project")
    name: Mapped[str] = mapped_column(String(60))
    document: Mapped[dict[str, Any]]
    created_at: Mapped[datetime] = mapped_column(server_default=func.clock_timestamp())


class Bookmark(Base):
    """A place that a surface is looked at from, by name."""

    __tablename__ = "bookmark"

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    surface_id: Mapped[UUID] = _owner("surface")
    name: Mapped[str] = mapped_column(String(60))
    document: Mapped[dict[str, Any]]
    created_at: Mapped[datetime] = mapped_column(server_default=func.clock_timestamp())


class Sight(Base):
    """How a surface is looked at, as it was last."""

    __tablename__ = "sight"

    surface_id: Mapped[UUID] = mapped_column(ForeignKey("surface.id", ondelete="CASCADE"), primary_key=True)
    document: Mapped[dict[str, Any]]


class Surroundings(Base):
    """What stands around a surface. id: the surface's."""

    __tablename__ = "surroundings"

    id: Mapped[UUID] = mapped_column(ForeignKey("surface.id", ondelete="CASCADE"), primary_key=True)
    document: Mapped[dict[str, Any]]
    revision: Mapped[int] = mapped_column(default=1)


class KeptMeasure(Base):
    """A measure of a surface. key: of what it was made from. values: blob of packed values."""

    __tablename__ = "kept_measure"

    surface_id: Mapped[UUID] = mapped_column(ForeignKey("surface.id", ondelete="CASCADE"), primary_key=True)
    key: Mapped[str] = mapped_column(String(64), primary_key=True)
    values: Mapped[str] = mapped_column(ForeignKey("blob.sha"))
    asked_at: Mapped[datetime] = mapped_column(server_default=func.clock_timestamp())


class Material(Base):
    """document: {"name", "maps": role → blob, "packs": pack → blob, "slope"}. size: edge in texels of the packed maps."""

    __tablename__ = "material"

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    project_id: Mapped[UUID] = _owner("project")
    document: Mapped[dict[str, Any]]
    size: Mapped[int]
    revision: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[datetime] = mapped_column(server_default=func.clock_timestamp())


class ShelfMaterial(Base):
    """A material that every project begins with. document, size: as of the material made from it."""

    __tablename__ = "shelf_material"

    name: Mapped[str] = mapped_column(String(60), primary_key=True)
    position: Mapped[int]
    document: Mapped[dict[str, Any]]
    size: Mapped[int]


class Blend(Base):
    """A blend of a project; surfaces refer to it.

    base: for a variant, the blend that it changes; its document then has overrides: {pointer: value}.
    """

    __tablename__ = "blend"

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    project_id: Mapped[UUID] = _owner("project")
    base: Mapped[UUID | None] = mapped_column(ForeignKey("blend.id", ondelete="CASCADE"))
    document: Mapped[dict[str, Any]]
    revision: Mapped[int] = mapped_column(default=1)


class Job(Base):
    """Long work on a surface. wish: what was asked for. shape: the mesh it is worked out from.

    input: blob of a file that it needs. state: "waiting", "running", "done", "failed", "ended".
    """

    __tablename__ = "job"

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    surface_id: Mapped[UUID] = _owner("surface")
    title: Mapped[str] = mapped_column(String(120))
    wish: Mapped[dict[str, Any]]
    input: Mapped[str | None] = mapped_column(ForeignKey("blob.sha"))
    shape: Mapped[int]
    state: Mapped[str] = mapped_column(String(10), default="waiting")
    progress: Mapped[float] = mapped_column(default=0.0)
    problem: Mapped[str] = mapped_column(String(400), default="")
    made_at: Mapped[datetime] = mapped_column(server_default=func.clock_timestamp())
