"""What windows and the server say to each other over a surface's socket, as JSON."""

from typing import Annotated, Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, TypeAdapter

from ashblend.core.brush import Brush, PointerSample

MOST_SAMPLES = 512


class _Message(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class ChannelAddress(_Message):
    channel_set: UUID
    channel: Annotated[int, Field(ge=0, le=3)]


class BeginStroke(_Message):
    type: Literal["begin"] = "begin"
    stroke: Annotated[str, Field(max_length=40)]
    on: ChannelAddress
    brush: Brush


class ExtendStroke(_Message):
    type: Literal["extend"] = "extend"
    stroke: str
    samples: Annotated[list[PointerSample], Field(max_length=MOST_SAMPLES)]


class EndStroke(_Message):
    type: Literal["end"] = "end"
    stroke: str


class AbandonStroke(_Message):
    type: Literal["abandon"] = "abandon"
    stroke: str


class Fill(_Message):
    """act: paint everything toward weight, invert, or lift all paint off."""

    type: Literal["fill"] = "fill"
    act: Literal["fill", "invert", "lift"]
    on: ChannelAddress
    weight: Annotated[FiniteFloat, Field(ge=0, le=1)] = 1.0


class StartEmpty(_Message):
    """Lift the paint off all channels of a set."""

    type: Literal["start_empty"] = "start_empty"
    channel_set: UUID


class Undo(_Message):
    type: Literal["undo"] = "undo"


class Redo(_Message):
    type: Literal["redo"] = "redo"


class Probe(_Message):
    """What is there, at a place inside a triangle? And how many sites does the brush reach there?"""

    type: Literal["probe"] = "probe"
    number: int
    triangle: Annotated[int, Field(ge=0)]
    barycentric: tuple[FiniteFloat, FiniteFloat, FiniteFloat]
    radius: Annotated[FiniteFloat, Field(gt=0, le=1e5)]
    reach: Literal["ball", "skin"]
    facing_limit: Annotated[FiniteFloat, Field(ge=0, le=180)]


FromWindow = Annotated[
    BeginStroke | ExtendStroke | EndStroke | AbandonStroke | Fill | StartEmpty | Undo | Redo | Probe,
    Field(discriminator="type"),
]
FROM_WINDOW: TypeAdapter[FromWindow] = TypeAdapter(FromWindow)


class HistoryState(_Message):
    """undo, redo: what the next step in each direction is called, or None. steps: acts in force."""

    undo: str | None
    redo: str | None
    steps: int


class Hello(_Message):
    """First word to a window; full frames of every channel set follow, then "ready"."""

    type: Literal["hello"] = "hello"
    sites: int
    channel_sets: list[UUID]
    history: HistoryState


class Ready(_Message):
    type: Literal["ready"] = "ready"


class Saved(_Message):
    """An act is in the database. stroke: which stroke, when it was one."""

    type: Literal["saved"] = "saved"
    number: int
    stroke: str | None
    label: str
    history: HistoryState


class Refused(_Message):
    """Something asked for was not done, and nothing of it is left. stroke: when it was a stroke."""

    type: Literal["refused"] = "refused"
    problem: str
    remedy: str
    stroke: str | None = None


class ChannelFacts(_Message):
    coverage: float
    touched: float
    histogram: list[float]


class Statistics(_Message):
    """channels: by set, in channel order. shares: of the surface, by layer number (−1 the ground)."""

    type: Literal["statistics"] = "statistics"
    channels: dict[UUID, list[ChannelFacts]]
    shares: dict[int, float]


class LayerAtPlace(_Message):
    """layer: number in the document, −1 the ground."""

    layer: int
    weight: float
    share: float


class CoreSample(_Message):
    """height: metres. slope: degrees. values: by channel set."""

    type: Literal["core_sample"] = "core_sample"
    number: int
    height: float
    slope: float
    values: dict[UUID, list[float]]
    layers: list[LayerAtPlace]
    sites_under_brush: int


class DocumentChanged(_Message):
    """A document of this surface has a new revision; windows with an older one load it again."""

    type: Literal["document"] = "document"
    kind: Literal["channel_set", "blend"]
    id: UUID
    revision: int


ToWindow = Hello | Ready | Saved | Refused | Statistics | CoreSample | DocumentChanged
MESSAGES = (
    Hello, Ready, Saved, Refused, Statistics, CoreSample, DocumentChanged, BeginStroke, ExtendStroke,
    EndStroke, AbandonStroke, Fill, StartEmpty, Undo, Redo, Probe,
)  # fmt: skip
