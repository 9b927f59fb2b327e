"""Reached from another desk: only with the token, at the one address, and slower for whoever guesses."""

import socket
import stat
import time

import httpx2 as httpx
import pytest
from fastapi.testclient import TestClient
from limits import HANG
from samples import small_project
from starlette.websockets import WebSocketDisconnect

from ashblend.launch.command import _host
from ashblend.launch.owner import Taken
from ashblend.launch.postgres import free_port
from ashblend.launch.token import kept_token
from ashblend.server import doorkeeper
from ashblend.server.app import create_app
from ashblend.server.settings import Settings
from ashblend.store.database import sessions

TOKEN = "a-token-that-nobody-would-guess-0123456789"
ADDRESS = "studio.example:8321"
PAGE = {"accept": "text/html"}


@pytest.fixture
def outside(database):
    settings = Settings(database_url=database, address=ADDRESS, token=TOKEN)
    with TestClient(create_app(settings), base_url=f"http://{ADDRESS}", follow_redirects=False) as made:
        yield made


def test_nothing_is_answered_without_the_token(outside):
    for path in ("/", "/api/projects", "/api/openapi.json", "/assets/index.js", "/icon.svg"):
        answer = outside.get(path)
        assert answer.status_code == 401, path
        assert "token" in answer.json()["problem"] and "start command" in answer.json()["remedy"]
        assert "default-src 'none'" in answer.headers["content-security-policy"]
    told = outside.get("/", headers=PAGE)
    assert told.status_code == 401 and "<h1>" in told.text and TOKEN not in told.text
    assert outside.post("/api/projects", json={"name": "Mine"}).status_code == 401


def test_a_surfaces_socket_opens_for_whoever_has_the_token_and_for_nobody_else(outside, engine):
    sample = small_project(sessions(engine))
    path = f"/api/surfaces/{sample.surface}/live"

    def refused(**headers: str) -> WebSocketDisconnect:
        asked = {"host": ADDRESS, **headers}
        with (
            pytest.raises(WebSocketDisconnect) as closed,
            outside.websocket_connect(path, headers=asked) as socket,
        ):
            socket.receive()
        return closed.value

    for cookie in ({}, {"cookie": "ash_token_8321=wrong"}):
        closed = refused(**cookie)
        assert closed.code == 1008 and "token" in closed.reason
    outside.get(f"/?token={TOKEN}")
    right = {"cookie": f"ash_token_8321={TOKEN}"}
    with outside.websocket_connect(path, headers={"host": ADDRESS, **right}) as socket:
        assert socket.receive()["type"] == "websocket.send"
    assert refused(**right, origin="http://evil.example").code == 1008
    assert refused(**right, host="127.0.0.1:8321").code == 1008


def test_the_address_with_the_token_lets_in_and_leaves_no_trace_of_it(outside):
    come = outside.get(f"/studio?token={TOKEN}&view=blend", headers=PAGE)
    assert come.status_code == 303 and come.headers["location"] == "/studio?view=blend"
    cookie = come.headers["set-cookie"].lower()
    assert "httponly" in cookie and "samesite=lax" in cookie and "path=/" in cookie
    assert outside.get("/api/projects").json() == []
    made = outside.post("/api/projects", json={"name": "Mine"}, headers={"origin": f"http://{ADDRESS}"})
    assert made.status_code == 201
    # In, it is held to the same rules as on loopback.
    assert outside.get("/api/projects", headers={"origin": "http://evil.example"}).status_code == 403
    for host in ("127.0.0.1:8321", "localhost", "evil.example:8321", "studio.example", "studio.example:80"):
        assert outside.get("/api/projects", headers={"host": host}).status_code == 403, host
    # No other site is led to by a path that looks like one.
    for path in ("//evil.example/", "/\\evil.example", "///evil.example"):
        led = outside.get(f"http://{ADDRESS}{path}?token={TOKEN}").headers["location"]
        assert led.startswith("/") and led[1:2] not in ("/", "\\"), led


@pytest.mark.parametrize("wrong", ["", "x", TOKEN[:-1], TOKEN + "x", TOKEN.upper(), "ü" * 42, "%00"])
def test_a_wrong_token_is_refused_in_the_address_and_as_a_cookie(outside, monkeypatch, wrong):
    monkeypatch.setattr(doorkeeper, "FIRST", 0.0)
    answer = outside.get("/", params={"token": wrong})
    assert answer.status_code == 401 and "not the token" in answer.json()["problem"]
    assert "set-cookie" not in answer.headers
    if wrong.isascii() and wrong.isprintable():
        answer = outside.get("/api/projects", headers={"cookie": f'ash_token_8321="{wrong}"'})
        assert answer.status_code == 401


def test_who_guesses_waits_longer_each_time_and_not_for_others(monkeypatch):
    """By a clock of its own: how long each is told to wait."""
    clock = [1000.0]
    monkeypatch.setattr(doorkeeper.time, "monotonic", lambda: clock[0])
    door = doorkeeper.Doorkeeper(TOKEN, ADDRESS)
    waits = []
    for _ in range(8):
        at = door._answered_at("192.0.2.7")
        waits.append(at - clock[0])
        clock[0] = at
    assert waits == [0.5, 1, 2, 4, 8, 8, 8, 8]
    # All at once come one after another; somebody else does not wait for them.
    together = [door._answered_at("192.0.2.8") - clock[0] for _ in range(4)]
    assert together == [0.5, 1.5, 3.5, 7.5]
    assert door._answered_at("192.0.2.9") - clock[0] == 0.5
    clock[0] += doorkeeper.FORGOTTEN + 10
    assert door._answered_at("192.0.2.7") - clock[0] == 0.5
    for number in range(3 * doorkeeper.ADDRESSES):
        door._answered_at(f"host{number}")
    assert len(door._wrong) <= doorkeeper.ADDRESSES


def test_a_server_for_others_has_a_token():
    with pytest.raises(ValueError, match="token"):
        Settings(database_url="postgresql://x", address=ADDRESS)


def test_the_token_is_made_once_and_for_its_owner_alone(tmp_path):
    token = kept_token(tmp_path / "data")
    assert len(token) >= 32 and kept_token(tmp_path / "data") == token
    file = tmp_path / "data.token"
    assert stat.S_IMODE(file.stat().st_mode) == 0o600
    file.write_text("short")
    assert kept_token(tmp_path / "data") not in ("short", token)


@pytest.mark.parametrize("wanted", ["0.0.0.0", "::", "203.0.113.77", "no.such.name.example", "a b"])
def test_only_an_address_of_this_machine_is_taken(wanted):
    with pytest.raises(Taken, match="address"):
        _host(wanted)


def test_loopback_by_any_name_asks_for_no_token():
    assert [_host(name) for name in (None, "127.0.0.1", "localhost", "::1")] == [""] * 4


def own_address() -> str | None:
    """One of this machine's that is not loopback: from where it would send, though nothing is sent."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        try:
            probe.connect(("198.51.100.1", 9))
        except OSError:
            return None
        return str(probe.getsockname()[0])


def test_the_command_serves_there_and_its_token_outlives_it(commands):
    """Where this machine has no address but loopback, the rest of this file stands for it."""
    address = own_address()
    if address is None:
        pytest.skip("this machine has no address but loopback")
    # Whoever has the usual port on loopback would answer there.
    port = str(free_port())
    first = commands("--host", address, "--port", port, plain=True)
    page = first.page()
    assert page.startswith(f"http://{address}:") and "token=" in page
    with httpx.Client(follow_redirects=True, timeout=HANG) as browser:
        assert browser.get(f"{first.address()}/api/projects").status_code == 401
        assert "Ash Blend" in browser.get(page, headers=PAGE).text
        assert browser.get(f"{first.address()}/api/projects").json() == []
        with pytest.raises(httpx.ConnectError):
            httpx.get(f"http://127.0.0.1:{port}/api/projects")
        assert first.stopped(2) == 0
        again = commands("--host", address, "--port", port, plain=True)
        assert again.page() == page
        assert browser.get(f"{again.address()}/api/projects").json() == []
        assert again.stopped(2) == 0


# The database ends by itself


def asked(address: str) -> httpx.Response:
    return httpx.post(f"{address}/api/projects", json={"name": "Another"}, timeout=HANG)


def until_kept(address: str) -> list[httpx.Response]:
    """Answers to asking for a project again and again until it is made."""
    answers, end = [], time.monotonic() + HANG
    while time.monotonic() < end:
        answers.append(asked(address))
        if answers[-1].status_code == 201:
            return answers
        time.sleep(0.1)
    raise AssertionError(answers[-1].text)


def test_a_killed_database_is_started_again_and_said_meanwhile(commands):
    command = commands(plain=True)
    address = command.address()
    assert asked(address).status_code == 201
    for _ in range(2):
        before = len(httpx.get(f"{address}/api/projects").json())
        gone = command.kill_database()
        answers = until_kept(address)
        for answer in answers[:-1]:
            assert answer.status_code == 503 and "Nothing was changed" in answer.json()["remedy"], answer.text
        assert command.database() != gone
        assert len(httpx.get(f"{address}/api/projects").json()) == before + 1
    assert "started again" in command.line("started again")
    command.line("there again")
    assert command.stopped(15) == 0
    assert not (command.data / "postmaster.pid").exists()
