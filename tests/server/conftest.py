"""The whole application in this process."""

from collections.abc import Iterator

import pytest
from fastapi.testclient import TestClient

from ashblend.server.app import create_app
from ashblend.server.settings import Settings

HOST = "http://127.0.0.1:8000"


@pytest.fixture
def client(database: str) -> Iterator[TestClient]:
    with TestClient(create_app(Settings(database_url=database)), base_url=HOST) as made:
        yield made
