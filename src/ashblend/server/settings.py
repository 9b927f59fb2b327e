"""What the server is told from outside, by environment variables that begin with ASH_."""

from pathlib import Path

from pydantic_settings import BaseSettings, SettingsConfigDict

from ashblend.core.formats import Limits

WEB = Path(__file__).parents[3] / "web" / "dist"


class Settings(BaseSettings):
    """database_url: postgresql+psycopg URL. web: folder of the built front end.

    origins: browser origins allowed besides the server's own (a front end on its own port while
    it is being worked on). file_bytes: largest upload.
    """

    model_config = SettingsConfigDict(env_prefix="ASH_")

    database_url: str
    web: Path = WEB
    origins: tuple[str, ...] = ()
    file_bytes: int = Limits().file_bytes
