"""The sample project, built once for all tests of it."""

from collections.abc import Iterator

import pytest
from databases import fresh_database

from ashblend.demo.skerry_station import build_skerry_station
from ashblend.launch.postgres import Server
from ashblend.store.database import Sessions, connect, sessions


@pytest.fixture(scope="module")
def station(cluster: Server) -> Iterator[Sessions]:
    """A database with the sample in it."""
    engine = connect(fresh_database(cluster))
    made = sessions(engine)
    with made.begin() as session:
        assert build_skerry_station(session) is not None
    yield made
    engine.dispose()
