"""What the server is told from outside, by environment variables that begin with ASH_."""

from pathlib import Path
from typing import Self

from pydantic import model_validator
from pydantic_settings import BaseSettings, SettingsConfigDict

from ashblend.core.formats.errors import Limits

WEB = Path(__file__).parents[3] / "web" / "dist"


class Settings(BaseSettings):
    """database_url: postgresql+psycopg URL. web: folder of the built front end.

    origins: browser origins allowed besides the server's own (a front end on its own port while
    it is being worked on). file_bytes: largest upload. address, token: host and port under which it is reached from
    elsewhere, and what must be brought there; empty on loopback.
    """

    model_config = SettingsConfigDict(env_prefix="ASH_")

    database_url: str
    web: Path = WEB
    origins: tuple[str, ...] = ()
    file_bytes: int = Limits().file_bytes
    address: str = ""
    token: str = ""

    @model_validator(mode="after")
    def _guarded(self) -> Self:
        if self.address and len(self.token) < 32:
            raise ValueError("A server that is reached from elsewhere needs a token of 32 letters or more.")
        return self
