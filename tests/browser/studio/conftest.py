"""One server and one database for all tests here: each makes surfaces of its own there.

To start a server takes three seconds of a processor.
"""

from collections.abc import Iterator

import pytest
from databases import fresh_database
from servers import RealServer
from sqlalchemy import Engine

from ashblend.launch.postgres import Server
from ashblend.store.database import Sessions, connect, sessions


@pytest.fixture(scope="session")
def database(cluster: Server) -> str:
    return fresh_database(cluster)


@pytest.fixture(scope="session")
def engine(database: str) -> Iterator[Engine]:
    made = connect(database)
    yield made
    made.dispose()


@pytest.fixture(scope="session")
def db(engine: Engine) -> Sessions:
    return sessions(engine)


@pytest.fixture(scope="session")
def server(database: str) -> Iterator[RealServer]:
    made = RealServer(database)
    made.start()
    yield made
    made.kill()
