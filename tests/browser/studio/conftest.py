"""One server and one database for all tests of a module: each test makes surfaces of its own there."""

from collections.abc import Iterator

import pytest
from databases import fresh_database
from servers import RealServer
from sqlalchemy import Engine

from ashblend.launch.postgres import Server
from ashblend.store.database import Sessions, connect, sessions


@pytest.fixture(scope="module")
def database(cluster: Server) -> str:
    return fresh_database(cluster)


@pytest.fixture(scope="module")
def engine(database: str) -> Iterator[Engine]:
    made = connect(database)
    yield made
    made.dispose()


@pytest.fixture(scope="module")
def db(engine: Engine) -> Sessions:
    return sessions(engine)


@pytest.fixture(scope="module")
def server(database: str) -> Iterator[RealServer]:
    made = RealServer(database)
    made.start()
    yield made
    made.kill()
