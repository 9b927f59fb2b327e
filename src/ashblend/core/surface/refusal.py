"""How an open surface says no."""


class Refusal(ValueError):
    """A step that is not done: problem and remedy for the artist."""

    def __init__(self, problem: str, remedy: str) -> None:
        super().__init__(problem)
        self.problem = problem
        self.remedy = remedy
