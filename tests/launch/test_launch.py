"""The private cluster and the commands."""

import os
import signal
import stat

import httpx2 as httpx
import psycopg
import pytest
from limits import HANG

from ashblend.launch.command import LOOPBACK, PREFERRED_PORT, _listening
from ashblend.launch.owner import Taken
from ashblend.launch.postgres import (
    Cluster,
    NoPostgres,
    ensure_database,
    free_port,
    place_for_data,
    running_cluster,
)


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
    # The preferred one may be somebody's demo; then both have another.
    with _listening(None, LOOPBACK) as first, _listening(None, LOOPBACK) as second:
        ports = [one.getsockname()[1] for one in (first, second)]
        assert ports[0] != ports[1] and ports[1] != PREFERRED_PORT
        with pytest.raises(Taken, match=str(ports[0])):
            _listening(ports[0], LOOPBACK)
    with _listening(free := free_port(), LOOPBACK) as wanted:
        assert wanted.getsockname()[1] == free


def test_the_whole_command_serves_one_owner_and_survives_every_way_of_ending(commands, data):
    first = commands(plain=True)
    address = first.address()
    assert httpx.get(f"{address}/api/projects").json() == []
    assert "Ash Blend" in httpx.get(address).text
    # A second one on the same data says where the first is, and leaves it alone.
    second = commands(plain=True)
    assert second.process.wait(timeout=HANG) == 1
    said = second.process.stderr.read()
    assert address in said and str(first.process.pid) in said and "Traceback" not in said
    taken = commands("--port", address.rsplit(":", 1)[1], plain=True)
    assert taken.process.wait(timeout=HANG) == 1 and "taken" in taken.process.stderr.read()
    assert httpx.post(f"{address}/api/projects", json={"name": "Kept"}).status_code == 201
    assert first.stopped(signal.SIGINT) == 0
    assert not (data / "postmaster.pid").exists(), "the database has stopped as well"
    # Any signal, also twice, stops both; and what was kept is there at the next start.
    for signals in ((signal.SIGHUP,), (signal.SIGINT, signal.SIGINT, signal.SIGTERM)):
        command = commands(plain=True)
        assert [p["name"] for p in httpx.get(f"{command.address()}/api/projects").json()] == ["Kept"]
        assert command.stopped(*signals) == 0
        assert not (data / "postmaster.pid").exists(), signals
    # The launcher killed: the next one goes on with its database. The database killed under it: a new one.
    killed = commands(plain=True)
    killed.address()
    killed.process.kill()
    killed.process.wait()
    again = commands(plain=True)
    again.address()
    again.kill_database()
    again.stopped(signal.SIGTERM)
    after = commands(plain=True)
    assert [p["name"] for p in httpx.get(f"{after.address()}/api/projects").json()] == ["Kept"]
    assert after.stopped(signal.SIGTERM) == 0
    assert not (data / "postmaster.pid").exists()
    # A number left by a crash that is another program's now.
    (data / "postmaster.pid").write_text(f"{os.getpid()}\n{data}\n1\n5432\n\n127.0.0.1\n1 1\nready\n")
    last = commands(plain=True)
    assert httpx.get(f"{last.address()}/api/projects").status_code == 200
    assert last.stopped(signal.SIGTERM) == 0


def test_folders_that_cannot_be_used_are_left_alone_and_said_so(commands, data):
    data.mkdir(parents=True)
    (data / "notes.txt").write_text("mine")
    other = commands()
    assert other.process.wait(timeout=HANG) == 1
    said = other.process.stderr.read()
    assert "other things than a database" in said and "Traceback" not in said
    assert (data / "notes.txt").read_text() == "mine"
    (data / "PG_VERSION").write_text("9\n")
    old = commands()
    assert old.process.wait(timeout=HANG) == 1
    said = old.process.stderr.read()
    assert "PostgreSQL 9" in said and "Traceback" not in said
    (data / "PG_VERSION").unlink()
