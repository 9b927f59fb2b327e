"""How the store says no."""

from uuid import UUID


class Missing(LookupError):
    """Something asked for is not there (any more)."""

    def __init__(self, what: str, ident: UUID | str) -> None:
        super().__init__(f"There is no {what} {ident}.")
        self.what = what


class StaleRevision(ValueError):
    """A write was made from an older revision than the one kept."""

    def __init__(self, what: str, given: int, kept: int) -> None:
        super().__init__(f"The {what} was changed elsewhere (you had revision {given}, it is now {kept}).")
        self.kept = kept


class NothingToUndo(LookupError):
    """The history has no further step in that direction."""
