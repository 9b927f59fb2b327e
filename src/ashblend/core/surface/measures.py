"""Measures of a surface, worked out when they are first asked for, and kept at hand in their own units."""

from collections.abc import Callable, Iterable
from threading import Lock, RLock

from ashblend.core.arrays import F32, F64, U32, run_of
from ashblend.core.progress import Progress, silent
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.mesh_vertices import MeshVertices
from ashblend.core.sites.protocol import Sites
from ashblend.core.surface.refusal import Refusal
from ashblend.core.survey.around import Around
from ashblend.core.survey.body import Body
from ashblend.core.survey.coarse import Coarse, coarse
from ashblend.core.survey.lent import ChannelOf, Lent
from ashblend.core.survey.protocol import MeasureDocument
from ashblend.core.survey.registry import MEASURES

# Bytes of measures that are kept at hand, a float32 a site each.
MOST_KEPT = 400_000_000

# From so many vertices on a measure is shown by a coarse stand-in first.
MANY = 150_000

# A measure, whose sites, what stood around and was lent.
Known = tuple[MeasureDocument, int, str]


def _at_term(measure: MeasureDocument, error: ValueError) -> Refusal:
    return Refusal(f"{measure.title}: {error}", "Change its settings, or take the term out.")


class Measures:
    """mesh_under: tells the mesh that sites lie on."""

    def __init__(self, mesh_under: Callable[[Sites], Mesh]) -> None:
        self._mesh_under = mesh_under
        self._kept: dict[Known, F32] = {}
        # Rough ideas of measures that are being worked out.
        self._glances: dict[Known, F32] = {}
        # Several may be worked out at a time.
        self._keeping = Lock()
        self._making = RLock()
        self._last_body: Body | None = None
        self._last_coarse: tuple[Body, Coarse] | None = None
        # What stands around it, for measures that ask.
        self._around = Around()
        # Channels that measures are made from, and short names of what they hold.
        self._lent: dict[ChannelOf, Callable[[], Lent]] = {}
        self._lent_names: dict[ChannelOf, str] = {}

    def take_over(self, other: "Measures", shared: Iterable[Sites]) -> None:
        """What another knew of what is outside, and of sites that both have."""
        there = {id(sites) for sites in shared}
        self._kept.update((key, held) for key, held in other._kept.items() if key[1] in there)
        if not self._around.names:
            self._around = other._around
        self._lent, self._lent_names = other._lent | self._lent, other._lent_names | self._lent_names

    # What is outside

    def stand_amid(self, around: Around) -> None:
        """Have measures that ask know what stands around it."""
        if around.names != self._around.names:
            self._around = around
            self._last_body = None

    def amid(self, measures: Iterable[MeasureDocument]) -> str:
        """Short name of what stands around it, where any of the measures ask; else nothing."""
        asked = dict.fromkeys(measure.whom for measure in measures if measure.amid)
        return "".join(self._around.name_of(other) for other in asked)

    def hear(self, channel: ChannelOf, name: str, lent: Callable[[], Lent]) -> None:
        """Have measures know a channel that they are made from. name: short, another one when it holds other values.

        lent may be asked for on another thread; it raises ValueError where the channel is gone meanwhile.
        """
        self._lent[channel], self._lent_names[channel] = lent, name

    def borrowed(self, measures: Iterable[MeasureDocument]) -> str:
        """Short names of what other surfaces lend to measures; nothing where none of them borrow."""
        asked = [m.reads for m in measures if m.reads is not None and m.reads.surface is not None]
        return "".join(self._lent_names.get(channel, "") for channel in asked)

    # At sites

    def _kept_as(self, measure: MeasureDocument, sites: Sites) -> Known:
        return measure, id(sites), self.beside(measure)

    def beside(self, measure: MeasureDocument) -> str:
        """Short name of all that a measure is made from besides the shape."""
        lent = self._lent_names.get(measure.reads, "") if measure.reads is not None else ""
        return self.amid([measure]) + lent

    def has(self, measure: MeasureDocument, sites: Sites) -> bool:
        """Whether a measure is at hand. Raises Refusal where the surface has none of its kind."""
        self._require(measure)
        return self._kept_as(measure, sites) in self._kept

    def _require(self, measure: MeasureDocument) -> None:
        if not MEASURES[measure.kind].of_meshes:
            raise Refusal(f"{measure.title} is a measure of terrain.", "Take another source on a mesh.")
        if measure.lacks:
            raise Refusal(f"{measure.title} is not complete.", measure.lacks)

    def _body(self, sites: Sites) -> Body:
        """One at a time is kept: it may be as large as all that is known of the mesh. Two jobs may ask at once."""
        with self._making:
            if self._last_body is None or self._last_body.sites is not sites:
                self._last_body = Body(self._mesh_under(sites), sites, self._around, self._lent)
            return self._last_body

    def _worked_out(self, measure: MeasureDocument, sites: Sites, progress: Progress) -> F32:
        work = MEASURES[measure.kind].on
        assert work is not None
        return work(self._body(sites), measure, progress)

    def _spread(self, values: F32, metres: float, sites: Sites) -> F32:
        return self._body(sites).spread_out(values, metres)

    def work_out(self, measure: MeasureDocument, sites: Sites, progress: Progress) -> None:
        """Have a measure at hand. May run beside the surface's thread. Raises Refusal."""
        self._require(measure)
        try:
            if measure.spread:
                values = self._spread(self._at_hand(measure.itself, sites, progress), measure.spread, sites)
            else:
                values = self._worked_out(measure, sites, progress)
        except Refusal:
            raise
        except ValueError as error:
            raise _at_term(measure, error) from error
        self.put(measure, sites, values)

    def put(self, measure: MeasureDocument, sites: Sites, values: F32) -> None:
        """Have a measure at hand that was worked out before."""
        with self._keeping:
            self._kept[self._kept_as(measure, sites)] = values
            self._glances.pop(self._kept_as(measure, sites), None)

    def get_ready(self, vertices: Callable[[], Sites]) -> None:
        """Have at hand what a first rough look at a large mesh begins with. May run beside the surface's thread."""
        if not self._is_large(sites := vertices()):
            return
        body = self._coarse(self._body(sites)).body
        _ = body.spots, body.alone

    def _is_large(self, sites: Sites) -> bool:
        return isinstance(sites, MeshVertices) and sites.count > MANY

    def glance(self, measure: MeasureDocument, sites: Sites, progress: Progress) -> bool:
        """Have a rough idea of a measure at hand, in about a second; whether it is worth showing. Raises Refusal."""
        self._require(measure)
        try:
            values = self._glanced(measure, sites, progress)
        except Refusal:
            raise
        except ValueError as error:
            raise _at_term(measure, error) from error
        if values is not None:
            self._glances[self._kept_as(measure, sites)] = values
        return values is not None

    def has_glanced(self, measure: MeasureDocument, sites: Sites) -> bool:
        return self._kept_as(measure, sites) in self._glances

    def _glanced(self, measure: MeasureDocument, sites: Sites, progress: Progress) -> F32 | None:
        """(extent,); None where the measure itself takes no longer."""
        work = MEASURES[measure.kind].on
        assert work is not None
        body = self._body(sites)
        if measure.coarsely and self._is_large(sites):
            found = self._coarse(body)
            values = work(found.body, measure.glimpse, progress)
            if measure.spread:
                values = found.body.spread_out(values, measure.spread)
            return found.on_whole(body, values)
        if measure.rough is None or (measure.spread and self.has(measure.itself, sites)):
            return None
        values = work(body, measure.rough, progress)
        return body.spread_out(values, measure.spread) if measure.spread else values

    def _coarse(self, body: Body) -> Coarse:
        with self._making:
            if self._last_coarse is None or self._last_coarse[0] is not body:
                self._last_coarse = body, coarse(body)
            return self._last_coarse[1]

    def raw(self, measure: MeasureDocument, sites: Sites) -> F32 | None:
        """What is at hand of a measure: (extent,) or, on terrain, (rows, cols); None for nothing."""
        return self._kept.get(self._kept_as(measure, sites))

    def make_room(self, wanted: Iterable[MeasureDocument]) -> None:
        """Let go of measures, the oldest first, while they take more than MOST_KEPT; never of what is wanted.

        Not while they are worked out: a recipe of more than there is room for would never have all of them.
        """
        kept = {form for measure in wanted for form in (measure, measure.itself)}
        self._glances = {known: held for known, held in self._glances.items() if known[0] in kept}
        with self._keeping:
            for known in list(self._kept):
                if sum(held.nbytes for held in self._kept.values()) <= MOST_KEPT:
                    return
                if known[0] not in kept:
                    del self._kept[known]

    def _at_hand(self, measure: MeasureDocument, sites: Sites, progress: Progress = silent) -> F32:
        self._require(measure)
        key = self._kept_as(measure, sites)
        while True:
            with self._keeping:
                found = self._kept.pop(key, None)
                if found is not None:
                    # What was asked for last is let go last.
                    self._kept[key] = found
                    return found
            self.work_out(measure, sites, progress)

    def at(
        self, measure: MeasureDocument, sites: Sites, glancing: bool = False
    ) -> Callable[[U32], F32 | F64]:
        """Tells what a measure is worth at sites. glancing: a rough idea of it will do. Raises Refusal where the surface
        has none of its kind.
        """
        values = self._glances.get(self._kept_as(measure, sites)) if glancing else None
        if values is None:
            values = self._at_hand(measure, sites)
        return lambda asked: values[run_of(asked)]
