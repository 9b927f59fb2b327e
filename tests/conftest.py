"""Shared by all tests: a private PostgreSQL, a fresh database for each test that wants one.

What browsers and databases need is imported by the fixtures that need it: a test of the core starts without.
"""

from __future__ import annotations

import os
import secrets
import shutil
from pathlib import Path
from typing import TYPE_CHECKING

import pytest
from hypothesis import HealthCheck, settings

if TYPE_CHECKING:
    from collections.abc import Iterator

    from playwright.sync_api import Browser
    from sqlalchemy import Engine

    from ashblend.launch.postgres import Server
    from ashblend.store.database import Sessions

# Kernels compile at their first call; a deadline would blame whichever example met them.
settings.register_profile(
    "ash", deadline=None, max_examples=60, suppress_health_check=[HealthCheck.too_slow], print_blob=True
)
settings.load_profile("ash")

ROOT = Path(__file__).parents[1]


@pytest.hookimpl(tryfirst=True)
def pytest_configure(config: pytest.Config) -> None:
    """Every run has random examples of its own, and one number with which they come again; workers are handed it."""
    if config.option.hypothesis_seed is None:
        config.option.hypothesis_seed = str(secrets.randbelow(2**32))


def pytest_terminal_summary(terminalreporter: pytest.TerminalReporter) -> None:
    seed = terminalreporter.config.option.hypothesis_seed
    terminalreporter.write_line(f"Random examples: --hypothesis-seed={seed} has the same again.")


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    """One Chromium for all tests: Playwright allows one at a time in a process."""
    from browsers import chromium

    with chromium() as made:
        yield made


@pytest.fixture(scope="session")
def cluster() -> Iterator[Server]:
    """A cluster of its own, gone at the end."""
    from ashblend.launch.postgres import ensure_database, place_for_data, running_cluster
    from ashblend.store.database import connect, migrate

    data = place_for_data(ROOT / ".ash" / f"test-postgres-{os.getpid()}")
    data.parent.mkdir(parents=True, exist_ok=True)
    try:
        # Each test has a database of its own, and tidying up visits every one of hundreds, ten times a second.
        quick = ("fsync=off", "synchronous_commit=off", "full_page_writes=off", "autovacuum=off")
        with running_cluster(data, quick, thrown_away=True) as server:
            template = connect(ensure_database(server, "template_ash"))
            migrate(template)
            template.dispose()
            yield server
    finally:
        shutil.rmtree(data, ignore_errors=True)
        data.with_name(f"{data.name}.password").unlink(missing_ok=True)


@pytest.fixture
def database(cluster: Server) -> str:
    """URL of a fresh, migrated database."""
    from databases import fresh_database

    return fresh_database(cluster)


@pytest.fixture
def engine(database: str) -> Iterator[Engine]:
    from ashblend.store.database import connect

    made = connect(database)
    yield made
    made.dispose()


@pytest.fixture
def db(engine: Engine) -> Sessions:
    from ashblend.store.database import sessions

    return sessions(engine)
