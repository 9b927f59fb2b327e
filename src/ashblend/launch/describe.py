"""Writes the OpenAPI description that the front end's client is generated from."""

import json
import sys
from pathlib import Path

from ashblend.server.app import create_app
from ashblend.server.settings import Settings


def description() -> str:
    """The OpenAPI document as text; needs no database."""
    app = create_app(Settings(database_url="postgresql+psycopg://unused"))
    return json.dumps(app.openapi(), indent=1, sort_keys=True) + "\n"


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(description())
