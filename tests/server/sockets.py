"""Talking to a surface's socket in tests."""

import json
import struct
from contextlib import contextmanager
from typing import Any

import numpy as np
from limits import HANG

TILE = 65_536
BRUSH = {"act": "paint", "radius": 0.4, "strength": 0.8, "target": 1.0, "falloff": "smooth", "reach": "skin"}


class Talk:
    """One window: `sets` follows every frame, by the set's number, as the viewport's would."""

    def __init__(self, socket: Any) -> None:
        self.socket = socket
        self.sets: dict[int, np.ndarray] = {}
        self.across: dict[int, int] = {}
        self.frames: list[tuple[int, int]] = []
        self.heard: list[dict[str, Any]] = []
        # Parts of a terrain's heights as they came: first column, first row, metres.
        self.ground: list[tuple[int, int, np.ndarray]] = []

    @property
    def values(self) -> np.ndarray:
        """(sites, 4) of the first set."""
        return self.sets[0]

    def say(self, message: dict[str, Any] | str) -> None:
        self.socket.send_text(message if isinstance(message, str) else json.dumps(message))

    def until(self, kind: str) -> dict[str, Any]:
        """Read on until a message of a kind; frames on the way are applied."""
        told = self.until_any(kind, "refused")
        assert told["type"] == kind, told
        return told

    def until_any(self, *kinds: str) -> dict[str, Any]:
        """Read on until a message of one of some kinds."""
        while True:
            message = self._receive()
            if message["type"] == "websocket.close":
                raise AssertionError(f"closed: {message}")
            if message.get("bytes"):
                self._apply(message["bytes"])
                continue
            told = json.loads(message["text"])
            self.heard.append(told)
            if told["type"] in kinds:
                return told

    def _receive(self) -> dict[str, Any]:
        """Not for ever from the test client: a word that never comes is a failure. Real sockets have their own limit."""
        if not hasattr(self.socket, "portal"):
            return self.socket.receive()
        coming = self.socket.portal.start_task_soon(self.socket._send_rx.receive)
        try:
            return coming.result(timeout=HANG)
        except TimeoutError:
            coming.cancel()
            raise AssertionError(f"nothing came for {HANG} s; heard before: {self.heard[-3:]}") from None

    def _apply(self, data: bytes) -> None:
        if data[:4] == b"ABFH":
            left, top, cols, rows = struct.unpack_from("<4I", data, 4)
            self.ground.append((left, top, np.frombuffer(data, "<f4", offset=20).reshape(rows, cols)))
            return
        magic, number, bits, across, tiles, value = struct.unpack_from("<6I", data)
        width = (value & 0xFFFF) + 1
        assert magic == 0x32464241
        at, kinds, count = 24, set(), 0
        channels = [c for c in range(4) if bits & (1 << c)]
        for _ in range(tiles):
            tile, word = struct.unpack_from("<2I", data, at)
            kind, here = word >> 24, word & 0xFFFFFF
            kinds.add(kind)
            at += 8
            places: Any = slice(tile * TILE, tile * TILE + here)
            if kind == 0:
                places = tile * TILE + np.frombuffer(data, "<u2", here, at).astype(int)
                at += 2 * here
            end = tile * TILE + here
            if kind == 0 and here:
                end = int(places.max()) + 1
            held = self._room(number, (tile + 1) * TILE if across else end, across, width)
            for channel in channels:
                told = width * (1 if kind == 2 else here)
                numbers = np.frombuffer(data, "<u2", told, at).reshape(-1, width)
                held[places, channel * width : (channel + 1) * width] = numbers
                at += 2 * told
            at += -at % 4
            count += here
        assert at == len(data)
        self.frames.append((max(kinds, default=0), count))

    def _room(self, number: int, wanted: int, across: int, width: int) -> np.ndarray:
        """The values of a set, (sites, 4 · width), at least as many as wanted. width: numbers in a value."""
        held = self.sets.get(number)
        if held is None or len(held) < wanted:
            grown = np.zeros((wanted, 4 * width), np.uint16)
            if held is not None:
                grown[: len(held)] = held
            held = self.sets[number] = grown
            self.across[number] = across
        return held

    def image(self, number: int) -> np.ndarray:
        """Values of a set on a map, (rows, columns, 4)."""
        across = self.across[number]
        return (
            self.sets[number].reshape(across, across, 256, 256, 4).swapaxes(1, 2).reshape(across * 256, -1, 4)
        )

    def stroke(
        self,
        sample: Any,
        places: list[tuple[float, float]],
        channel: int = 0,
        *,
        channel_set: Any = None,
        protect: dict[str, Any] | None = None,
        **brush: Any,
    ) -> dict[str, Any]:
        on = {"channel_set": str(channel_set or sample.channel_set), "channel": channel}
        begin = {"type": "begin", "stroke": "s", "on": on, "brush": {**BRUSH, **brush}}
        self.say({**begin, **({"protect": protect} if protect else {})})
        for x, z in places:
            self.say(
                {"type": "extend", "stroke": "s", "samples": [{"position": [x, 0, z], "normal": [0, 1, 0]}]}
            )
        self.say({"type": "end", "stroke": "s"})
        return self.until("saved")


@contextmanager
def window(client: Any, sample: Any) -> Any:
    with client.websocket_connect(f"ws://127.0.0.1:8000/api/surfaces/{sample.surface}/live") as socket:
        talk = Talk(socket)
        talk.until("ready")
        yield talk
