"""What windows and the server say to each other over a surface's socket, as JSON."""

from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, TypeAdapter

from ashblend.core.brush.document import Brush, PointerSample
from ashblend.core.formats.terrain_package import PackageChoice
from ashblend.core.recipe.document import Recipe
from ashblend.core.surface.address import NOTHING, ChannelAddress, Protection
from ashblend.core.surface.fills import FillOn

MOST_SAMPLES = 512
MOST_PLACES = 256
Coordinate = Annotated[FiniteFloat, Field(ge=-1e8, le=1e8)]
Place = tuple[Coordinate, Coordinate, Coordinate]


class _Message(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class BeginStroke(_Message):
    type: Literal["begin"] = "begin"
    stroke: Annotated[str, Field(max_length=40)]
    on: ChannelAddress
    brush: Brush
    protect: Protection = NOTHING


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


class PathStroke(_Message):
    """A whole stroke along a smooth way through picked places of a terrain."""

    type: Literal["path"] = "path"
    stroke: Annotated[str, Field(max_length=40)]
    on: ChannelAddress
    brush: Brush
    protect: Protection = NOTHING
    places: Annotated[list[Place], Field(min_length=2, max_length=MOST_PLACES)]


class LookAtSteps(_Message):
    """Show one window the splat maps as they would go out; nothing is changed."""

    type: Literal["look"] = "look"
    choice: PackageChoice


class LookAtUndercoat(_Message):
    """Show one window a channel on a recipe whose measures are at hand; nothing is changed. bare: without its paint."""

    type: Literal["look_undercoat"] = "look_undercoat"
    on: ChannelAddress
    recipe: Recipe
    bare: bool = False


class LookAtPaint(_Message):
    """Show one window how much of a channel's undercoat paint covers, in the place of what it holds."""

    type: Literal["look_paint"] = "look_paint"
    on: ChannelAddress


class EndPreview(_Message):
    """Show what is really there again."""

    type: Literal["end_preview"] = "end_preview"


class Swap(_Message):
    """Exchange two channels' values."""

    type: Literal["swap"] = "swap"
    on: ChannelAddress
    other: ChannelAddress


class StartEmpty(_Message):
    """Lift the paint off all channels of a set."""

    type: Literal["start_empty"] = "start_empty"
    channel_set: UUID


class MeasureUndercoat(_Message):
    """Work a channel's undercoat out by a recipe; None: again, by its own.

    layer: the id of a layer whose mask it takes instead, and which reads the channel from then on.
    """

    type: Literal["measure"] = "measure"
    on: ChannelAddress
    recipe: Recipe | None = None
    layer: Annotated[str, Field(max_length=40)] | None = None


class Undo(_Message):
    type: Literal["undo"] = "undo"


class Redo(_Message):
    type: Literal["redo"] = "redo"


class Jump(_Message):
    """Undo or redo until the step of this number is the last in force; 0 is before the first."""

    type: Literal["jump"] = "jump"
    number: Annotated[int, Field(ge=0)]


class Probe(_Message):
    """What is there, at a place inside a triangle of a level?

    And how many sites of a channel set does the brush reach there?
    """

    type: Literal["probe"] = "probe"
    number: int
    channel_set: UUID
    level: Annotated[int, Field(ge=0, le=15)] = 0
    triangle: Annotated[int, Field(ge=0)]
    barycentric: tuple[FiniteFloat, FiniteFloat, FiniteFloat]
    radius: Annotated[FiniteFloat, Field(gt=0, le=1e5)]
    reach: Literal["ball", "skin"]
    facing_limit: Annotated[FiniteFloat, Field(ge=0, le=180)]


FromWindow = Annotated[
    BeginStroke
    | PathStroke
    | ExtendStroke
    | EndStroke
    | AbandonStroke
    | FillOn
    | LookAtSteps
    | LookAtUndercoat
    | LookAtPaint
    | EndPreview
    | Swap
    | StartEmpty
    | MeasureUndercoat
    | Undo
    | Redo
    | Jump
    | Probe,
    Field(discriminator="type"),
]
FROM_WINDOW: TypeAdapter[FromWindow] = TypeAdapter(FromWindow)


class HistoryState(_Message):
    """undo, redo: what the next step in each direction is called, or None. steps: steps in force.

    at: number of the last step in force, 0 before the first. on: the channel that it changed, where that was one.
    """

    undo: str | None
    redo: str | None
    steps: int
    at: int
    on: ChannelAddress | None


class DocumentChanged(_Message):
    """A document of this surface has a new revision; windows with an older one load it again."""

    type: Literal["document"] = "document"
    kind: Literal["channel_set", "blend", "surroundings"]
    id: UUID
    revision: int


class Hello(_Message):
    """First word to a window; full frames of every channel set follow, then "ready".

    shape: number of the mesh that everything is about. documents: the newest there are, since one may have
    changed after the window loaded it and before it was told.
    """

    type: Literal["hello"] = "hello"
    shape: int
    channel_sets: list[UUID]
    documents: list[DocumentChanged]
    history: HistoryState


class Ready(_Message):
    type: Literal["ready"] = "ready"


class PaintedOver(_Message):
    """Steps that had been taken back and that the new one replaces; a snapshot keeps what they had made."""

    snapshot: UUID
    name: str
    steps: int


class Saved(_Message):
    """A step is in the database. stroke: which stroke, when it was one. reshapes: the mesh is another one now."""

    type: Literal["saved"] = "saved"
    number: int
    stroke: str | None
    label: str
    history: HistoryState
    painted_over: PaintedOver | None = None
    reshapes: bool = False


class Refused(_Message):
    """Something asked for was not done, and nothing of it is left. stroke: when it was a stroke."""

    type: Literal["refused"] = "refused"
    problem: str
    remedy: str
    stroke: str | None = None


class Previewed(_Message):
    """The frames of a preview have been sent."""

    type: Literal["previewed"] = "previewed"


class ChannelFacts(_Message):
    """own: share of the sites that hold hand paint. stale: its undercoat would come out another now."""

    coverage: float
    own: float
    touched: float
    histogram: list[float]
    stale: bool = False


class Statistics(_Message):
    """channels: by set, in channel order. shares: of the surface, by layer number (−1 the ground)."""

    type: Literal["statistics"] = "statistics"
    channels: dict[UUID, list[ChannelFacts]]
    shares: dict[int, float]


class Hiding(_Message):
    """Names of a layer that hides another here, and of that one."""

    above: str
    below: str


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
    hiding: Hiding | None
    sites_under_brush: int


class Alive(_Message):
    """The server is there, and at work on something that it has not answered yet."""

    type: Literal["alive"] = "alive"


class HistoryChanged(_Message):
    """What can be undone is another thing: an edit was kept that no window had sent over its socket."""

    type: Literal["history"] = "history"
    history: HistoryState


class Reshaped(_Message):
    """The mesh or the list of channel sets is another one; windows load the surface again."""

    type: Literal["reshaped"] = "reshaped"
    shape: int
    label: str


class JobNews(_Message):
    """How long work on this surface is going. facts: figures of what was made, once it is done."""

    type: Literal["job"] = "job"
    id: UUID
    title: str
    state: Literal["waiting", "running", "done", "failed", "cancelled"]
    progress: float
    problem: str = ""
    facts: dict[str, Any] = {}
    kind: str = ""


class Begun(_Message):
    """What this window asked for takes long and has been begun; it is a step when it is done."""

    type: Literal["begun"] = "begun"


ToWindow = (
    Hello
    | Ready
    | Saved
    | Refused
    | Statistics
    | CoreSample
    | DocumentChanged
    | HistoryChanged
    | Reshaped
    | JobNews
    | Previewed
    | Begun
    | Alive
)
MESSAGES = (
    Hello, Ready, Saved, Refused, Statistics, CoreSample, DocumentChanged, HistoryChanged, Reshaped, JobNews, Previewed, Begun, Alive, BeginStroke, PathStroke, LookAtSteps, LookAtUndercoat, LookAtPaint,
    ExtendStroke, EndStroke, AbandonStroke, FillOn, EndPreview, Swap, StartEmpty, MeasureUndercoat, Undo, Redo, Jump, Probe,
)  # fmt: skip
