"""Which of the texture arrays a sample reads; what lies in them is the materials' affair."""

from typing import Literal

PackName = Literal["surface", "detail", "picture"]
