"""The private cluster and the commands."""

import os
import signal
import socket
import stat
import subprocess
import sys
from pathlib import Path

import httpx2 as httpx
import psycopg
import pytest

from ashblend.launch.command import PREFERRED_PORT, _port
from ashblend.launch.postgres import Cluster, NoPostgres, ensure_database, place_for_data, running_cluster

ROOT = Path(__file__).parents[2]


@pytest.fixture
def data():
    import shutil

    place = place_for_data(ROOT / ".ash" / f"launch-test-{os.getpid()}")
    place.parent.mkdir(parents=True, exist_ok=True)
    yield place
    shutil.rmtree(place, ignore_errors=True)
    place.with_name(f"{place.name}.password").unlink(missing_ok=True)


def query(url: str, text: str):
    with psycopg.connect(url.replace("postgresql+psycopg", "postgresql"), autocommit=True) as connection:
        cursor = connection.execute(text)
        return cursor.fetchall() if cursor.description else None


def test_a_cluster_keeps_its_data_is_reused_while_it_runs_and_lets_nobody_in_without_its_password(data):
    with running_cluster(data, ("fsync=off",)) as server:
        url = ensure_database(server, "things")
        query(url, "create table thing (name text)")
        query(url, "insert into thing values ('kept')")
        assert query(url, "show listen_addresses") == [("127.0.0.1",)]
        assert ensure_database(server, "things") == url
        # What a killed launcher leaves behind is found and used.
        again = Cluster(data).start()
        assert again == server
        with pytest.raises(psycopg.OperationalError, match="password"):
            query(url.replace(server.password, "wrong"), "select 1")
        secret = data.with_name(f"{data.name}.password")
        assert stat.S_IMODE(secret.stat().st_mode) == 0o600
    with pytest.raises(psycopg.OperationalError):
        query(url, "select 1")
    with running_cluster(data, ("fsync=off",)) as server:
        assert query(server.url("things"), "select name from thing") == [("kept",)]


def test_a_cluster_that_cannot_start_says_why(data):
    with pytest.raises(NoPostgres, match="wobble"), running_cluster(data, ("wobble=1",)):
        pass


@pytest.mark.skipif(os.geteuid() != 0, reason="only root hands the cluster to another user")
def test_a_folder_that_the_service_user_cannot_enter_is_not_used(tmp_path):
    closed = tmp_path / "closed"
    closed.mkdir(mode=0o700)
    assert place_for_data(closed / "checkout" / "postgres").parts[:3] == ("/", "var", "tmp")


def test_a_taken_port_is_not_fought_over():
    assert _port(1234) == 1234
    with socket.socket() as taken:
        taken.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            taken.bind(("127.0.0.1", PREFERRED_PORT))
            taken.listen()
        except OSError:
            pass  # Somebody's demo has it: that serves as well.
        assert _port(None) != PREFERRED_PORT


def test_the_whole_command_starts_serves_and_stops_with_ctrl_c(data):
    process = subprocess.Popen(
        [sys.executable, "-m", "ashblend.launch", "serve", "--data", str(data)],
        env={**os.environ, "PYTHONPATH": str(ROOT / "src")},
        stdout=subprocess.PIPE,
        text=True,
    )
    try:
        line = next(text for text in process.stdout if "http://" in text)
        address = next(word for word in line.split() if word.startswith("http://"))
        assert httpx.get(f"{address}/api/projects").json() == []
        assert "Ash Blend" in httpx.get(address).text
        assert (data / "postmaster.pid").exists()
        process.send_signal(signal.SIGINT)
        assert process.wait(timeout=30) == 0
        assert not (data / "postmaster.pid").exists(), "the database has stopped as well"
    finally:
        process.kill()
