"""Connections that say nothing, half of something, or read nothing: each is dropped after the stated time."""

import asyncio
import contextlib
import json
import socket
import threading
import time

import pytest
import uvicorn
from limits import HANG
from samples import small_project
from shapes import plane

from ashblend.launch.postgres import free_port
from ashblend.server import guard
from ashblend.server.app import create_app
from ashblend.server.live import room
from ashblend.server.patience import PatientHTTP, PatientSocket
from ashblend.server.settings import Settings
from ashblend.session import channels

# Little patience; and still so much that a busy machine does not look silent.
SILENT = 1.5


@pytest.fixture
def port(database, monkeypatch):
    """The whole server on a port of its own, with little patience."""
    monkeypatch.setattr(PatientHTTP, "silent", SILENT)
    monkeypatch.setattr(PatientSocket, "silent", SILENT)
    monkeypatch.setattr(guard, "SILENT", SILENT)
    with served(database) as chosen:
        yield chosen


@contextlib.contextmanager
def served(database: str, **more: float):
    chosen = free_port()
    config = uvicorn.Config(
        create_app(Settings(database_url=database)),
        host="127.0.0.1",
        port=chosen,
        log_level="warning",
        http=PatientHTTP,
        ws=PatientSocket,
        ws_per_message_deflate=False,
        **more,
    )
    server = uvicorn.Server(config)
    thread = threading.Thread(target=lambda: asyncio.run(server.serve()), daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.02)
    try:
        yield chosen
    finally:
        server.should_exit = True
        thread.join(HANG)


def connected(port: int) -> socket.socket:
    made = socket.socket()
    # What the kernel may hold for a reader that has stopped.
    made.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 65_536)
    made.connect(("127.0.0.1", port))
    made.settimeout(HANG)
    return made


def until_dropped(line: socket.socket) -> None:
    """Read until the other end hangs up."""
    with contextlib.suppress(ConnectionError):
        while line.recv(65_536):
            pass


HEAD = "Host: 127.0.0.1:{port}\r\n"


def test_half_a_request_is_not_waited_for(port):
    for said in (b"", b"GET /api/projects HT", b"GET /api/projects HTTP/1.1\r\nHost: 127."):
        began = time.monotonic()
        with connected(port) as line:
            line.sendall(said)
            until_dropped(line)
            # No sooner than it must: whatever holds this test up only makes it later.
            assert time.monotonic() - began > 0.7 * SILENT, said


def test_half_a_body_is_answered_and_not_waited_for(port):
    with connected(port) as line:
        head = f"POST /api/projects HTTP/1.1\r\n{HEAD.format(port=port)}Content-Type: application/json\r\n"
        line.sendall(f'{head}Content-Length: 500\r\n\r\n{{"name": '.encode())
        answer = ""
        while "Nothing of the request came" not in answer:
            part = line.recv(65_536).decode()
            assert part, answer
            answer += part
        assert answer.startswith("HTTP/1.1 408")
    # One that is slow but goes on is heard to its end.
    with connected(port) as line:
        body = b'{"name": "Slowly"}'
        line.sendall(f"{head}Content-Length: {len(body)}\r\n\r\n".encode())
        for at in range(len(body)):
            line.sendall(body[at : at + 1])
            time.sleep(0.1)  # 1.8 s in all, which is more than the silence that is borne.
        assert line.recv(65_536).startswith(b"HTTP/1.1 201")


def greeted(port: int, surface) -> socket.socket:
    line = connected(port)
    line.sendall(
        f"GET /api/surfaces/{surface}/live HTTP/1.1\r\n{HEAD.format(port=port)}Upgrade: websocket\r\n"
        "Connection: Upgrade\r\nSec-WebSocket-Key: dGhlIHNhbXBsZSBub25jZQ==\r\n"
        "Sec-WebSocket-Version: 13\r\n\r\n".encode()
    )
    return line


def test_a_window_that_reads_nothing_is_dropped_and_holds_up_nobody(port, db, monkeypatch):
    from websockets.sync.client import connect

    monkeypatch.setattr(room, "MOST_WAITING", 3_000_000)
    sample = small_project(db, plane(301, 2.0))
    stalled = greeted(port, sample.surface)
    url = f"ws://127.0.0.1:{port}/api/surfaces/{sample.surface}/live"
    with connect(url, max_size=None) as painter:
        on = {"channel_set": str(sample.channel_set), "channel": 0}
        fill = {"type": "fill", "on": on, "fill": {"kind": "noise"}}
        told = 0
        for at in range(60):
            fill["fill"]["seed"] = at
            painter.send(json.dumps(fill))
            while True:
                message = painter.recv(timeout=HANG)
                if isinstance(message, str) and json.loads(message)["type"] in ("saved", "refused"):
                    break
            told += json.loads(message)["type"] == "saved"
        assert told == 60
        time.sleep(2 * SILENT)
        # 60 frames of 180 kB and more are far beyond what may wait; nothing keeps them.
        until_dropped(stalled)


def test_a_window_that_only_listens_stays(port, db):
    from websockets.sync.client import connect

    sample = small_project(db)
    with connect(f"ws://127.0.0.1:{port}/api/surfaces/{sample.surface}/live") as listening:
        time.sleep(3 * SILENT)
        while (
            json.loads(message)["type"] != "ready" if isinstance(message := listening.recv(), str) else True
        ):
            pass
        listening.send(json.dumps({"type": "probe", "place": 1}))
        while (
            json.loads(message)["type"] != "refused" if isinstance(message := listening.recv(), str) else True
        ):
            pass


def test_a_window_whose_message_takes_long_is_not_taken_for_gone(database, db, monkeypatch):
    """Longer than a ping and its answer may take: what it sent behind it, and the answer, are not read meanwhile."""
    from websockets.sync.client import connect

    go_on = threading.Event()
    fill = channels.fill

    def slow(*given):
        assert go_on.wait(HANG)
        return fill(*given)

    monkeypatch.setattr(channels, "fill", slow)
    sample = small_project(db)
    on = {"channel_set": str(sample.channel_set), "channel": 0}
    # A third of what the message takes, and more than a busy machine needs to answer a ping.
    with served(database, ws_ping_interval=0.3, ws_ping_timeout=1.2) as port:
        url = f"ws://127.0.0.1:{port}/api/surfaces/{sample.surface}/live"
        # Pages do not ping by themselves.
        with connect(url, max_size=None, ping_interval=None) as window:

            def answer() -> str:
                while True:
                    message = window.recv(timeout=HANG)
                    if isinstance(message, str) and (kind := json.loads(message)["type"]) in (
                        "saved",
                        "refused",
                    ):
                        return kind

            window.send(json.dumps({"type": "fill", "on": on, "fill": {"kind": "even"}}))
            for _ in range(3):
                window.send(json.dumps({"type": "undo"}))
                time.sleep(1.2)
            go_on.set()
            assert [answer() for _ in range(4)] == ["saved", "saved", "refused", "refused"]
            time.sleep(1)
            window.send(json.dumps({"type": "redo"}))
            assert answer() == "saved"


def test_a_bad_message_is_answered_and_the_socket_stays(port, db):
    from websockets.sync.client import connect

    sample = small_project(db)
    bad = [
        "{",
        "[]",
        "7",
        '{"type": "no such"}',
        b"\x00\x01",
        '{"type": "jump", "number": "x"}',
        "x" * 1_100_000,
    ]
    with connect(f"ws://127.0.0.1:{port}/api/surfaces/{sample.surface}/live") as window:

        def refused() -> dict:
            while True:
                message = window.recv(timeout=HANG)
                if isinstance(message, str) and json.loads(message)["type"] == "refused":
                    return json.loads(message)

        for said in bad:
            window.send(said)
            told = refused()
            assert told["problem"] and told["remedy"], said
            for word in ("int_", "dict", "str", "union", "Input should", "pydantic", "tag"):
                assert word not in told["problem"], told["problem"]
        window.send(json.dumps({"type": "undo"}))
        assert "nothing to undo" in refused()["problem"]
