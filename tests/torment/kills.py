"""A server that is killed at any moment, and what must then still be there."""

import contextlib
import hashlib
import threading
import time
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field

import httpx2 as httpx
import numpy as np
from limits import HANG
from samples import Sample
from server.sockets import Talk
from servers import RealServer
from websockets.exceptions import WebSocketException
from websockets.sync.client import ClientConnection, connect

SIDE = 2.0


class _Wire:
    """What `Talk` speaks over."""

    def __init__(self, connection: ClientConnection) -> None:
        self._connection = connection

    def send_text(self, text: str) -> None:
        self._connection.send(text)

    def receive(self) -> dict[str, object]:
        message = self._connection.recv(timeout=HANG)
        return {"type": "receive", "bytes" if isinstance(message, bytes) else "text": message}


def _digest(values: np.ndarray) -> str:
    return hashlib.sha256(np.ascontiguousarray(values).tobytes()).hexdigest()


@dataclass
class Kept:
    """The last step that was acknowledged, and what the surface held then."""

    number: int = 0
    steps: int = 0
    at: int = 0
    held: str = ""
    # What was asked for since, without an answer.
    asked: str = ""


@dataclass
class Tally:
    """What was done, and what should not have been. undecided: asked for, and neither acknowledged nor refused."""

    kills: int = 0
    acknowledged: Counter[str] = field(default_factory=Counter)
    refused: int = 0
    lost: list[str] = field(default_factory=list)
    undecided: int = 0
    slowest_opening: float = 0.0


class KillRound:
    """Steps of every kind until the server is killed under them; then it is started and asked."""

    def __init__(self, server: RealServer, sample: Sample, seed: int, tally: Tally) -> None:
        self._server = server
        self._sample = sample
        self._random = np.random.default_rng(seed)
        self._tally = tally
        self._kept = Kept()

    def _act(self, talk: Talk) -> tuple[str, list[dict[str, object]]]:
        random = self._random
        on = {"channel_set": str(self._sample.channel_set), "channel": int(random.integers(4))}
        kind = str(random.choice(["stroke", "stroke", "stroke", "fill", "undo", "redo", "jump", "name"]))
        if kind == "stroke":
            places = random.random((int(random.integers(2, 6)), 2)) * SIDE
            brush = {"act": "paint", "radius": 0.2, "strength": 0.9, "target": float(random.random())}
            samples = [{"position": [x, 0, z], "normal": [0, 1, 0]} for x, z in places.tolist()]
            return kind, [
                {"type": "begin", "stroke": "s", "on": on, "brush": brush},
                {"type": "extend", "stroke": "s", "samples": samples},
                {"type": "end", "stroke": "s"},
            ]
        if kind == "fill":
            fill = {"kind": "noise", "metres": 0.3, "seed": int(random.integers(1000)), "amount": 0.5}
            return kind, [{"type": "fill", "on": on, "fill": fill}]
        if kind == "jump":
            back = max(0, self._kept.at - int(random.integers(0, 6)))
            return kind, [{"type": "jump", "number": back if random.random() < 0.9 else 0}]
        if kind == "name":
            return kind, []
        return kind, [{"type": kind}]

    def _rename(self) -> None:
        """A document edit over HTTP, which is a step like any other."""
        url = f"{self._server.address}/api/surfaces/{self._sample.surface}"
        found = httpx.get(url).json()["channel_sets"][0]
        channels = found["document"]["channels"]
        channels[0] = {**channels[0], "name": f"Name {int(self._random.integers(10**6))}"}
        body = {"revision": found["revision"], "document": {**found["document"], "channels": channels}}
        httpx.put(f"{self._server.address}/api/channel-sets/{found['id']}", json=body).raise_for_status()

    def _do(self, talk: Talk) -> None:
        kind, messages = self._act(talk)
        self._kept.asked = kind
        if kind == "name":
            self._rename()
            history = talk.until("history")["history"]
            number = self._kept.number + 1
        else:
            for message in messages:
                talk.say(message)
            told = talk.until_any("saved", "refused")
            if told["type"] == "refused":
                self._tally.refused += 1
                self._kept.asked = ""
                return
            history, number = told["history"], told["number"]
        self._tally.acknowledged[kind] += 1
        held = _digest(talk.values) if talk.sets else ""
        self._kept = Kept(number, history["steps"], history["at"], held)

    def warm_up(self) -> None:
        """Do some of everything and let it end: on a fresh machine kernels are compiled first, longer than a round."""
        with self._opened() as talk:
            while not {"stroke", "fill"} <= set(self._tally.acknowledged):
                self._do(talk)

    @contextlib.contextmanager
    def _opened(self) -> Iterator[Talk]:
        # As a page does, it asks for no sign of life by itself.
        with connect(self._url, max_size=None, open_timeout=HANG, ping_interval=None) as connection:
            yield Talk(_Wire(connection))

    def run(self, after: float, *, steps: int = 0, quiet: bool = False) -> None:
        """Do steps until the server is killed; look what is left of them.

        It is killed `after` seconds after so many steps were answered. quiet: once the last has its answer.
        """
        killer = threading.Timer(after, self._server.kill)
        with (
            contextlib.suppress(WebSocketException, OSError, httpx.HTTPError, TimeoutError),
            self._opened() as talk,
        ):
            history = talk.until("hello")["history"]
            talk.until("ready")
            self._kept = Kept(0, history["steps"], history["at"], _digest(talk.values))
            for _ in range(steps):
                self._do(talk)
            if not quiet:
                killer.start()
                while True:
                    self._do(talk)
            until = time.monotonic() + after
            while time.monotonic() < until:
                self._do(talk)
        if quiet or not killer.ident:
            self._server.kill()
        else:
            killer.join()
        self._tally.kills += 1
        self._server.start()
        self._look()

    @property
    def _url(self) -> str:
        address = self._server.address.replace("http", "ws")
        return f"{address}/api/surfaces/{self._sample.surface}/live"

    def opening(self) -> float:
        """Seconds until a window on a server that has just been started is ready."""
        began = time.monotonic()
        with self._opened() as talk:
            talk.until("ready")
        return time.monotonic() - began

    def _look(self) -> None:
        began = time.monotonic()
        with self._opened() as talk:
            history = talk.until("hello")["history"]
            talk.until("ready")
        self._tally.slowest_opening = max(self._tally.slowest_opening, time.monotonic() - began)
        kept, held = self._kept, _digest(talk.values)
        if (history["steps"], history["at"]) == (kept.steps, kept.at):
            if held != kept.held:
                self._tally.lost.append(f"step {kept.number} was acknowledged; the values are others")
            return
        # What was asked for and never answered may have been done; nothing else may.
        more = history["steps"] - kept.steps
        meant = {"undo": more == -1, "redo": more == 1, "jump": more < 0}
        if kept.asked and meant.get(kept.asked, more == 1):
            self._tally.undecided += 1
        else:
            self._tally.lost.append(
                f"step {kept.number} was acknowledged; now {history}, asked: {kept.asked!r}"
            )
