"""A data folder of its own, and commands that run on it."""

import os
import shutil

import pytest
from commands import ROOT, Command

from ashblend.launch.postgres import Cluster, place_for_data


@pytest.fixture
def data():
    place = place_for_data(ROOT / ".ash" / f"launch-test-{os.getpid()}")
    place.parent.mkdir(parents=True, exist_ok=True)
    yield place
    shutil.rmtree(place, ignore_errors=True)
    for kind in ("password", "lock", "token"):
        place.with_name(f"{place.name}.{kind}").unlink(missing_ok=True)


@pytest.fixture
def commands(data):
    made: list[Command] = []

    def start(*more: str, folder=None, plain: bool = False) -> Command:
        made.append(Command(folder or data, *more, plain=plain))
        return made[-1]

    yield start
    for command in made:
        command.process.kill()
        command.process.wait()
        if (command.data / "PG_VERSION").exists():
            Cluster(command.data).stop()
