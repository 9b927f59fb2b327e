"""What a step did, for every window."""

from dataclasses import dataclass, field

from ashblend.server.live.messages import DocumentChanged, Reshaped, Saved


@dataclass
class Outcome:
    """saved: the step is in the database. frames: values that changed. documents: those that did."""

    saved: Saved
    frames: list[bytes] = field(default_factory=list)
    documents: list[DocumentChanged] = field(default_factory=list)
    reshaped: Reshaped | None = None

    def followed_by(self, other: "Outcome") -> "Outcome":
        """Two steps told as one."""
        return Outcome(
            other.saved,
            [*self.frames, *other.frames],
            [*self.documents, *other.documents],
            other.reshaped or self.reshaped,
        )
