"""Talking to a surface's socket in tests."""

import json
import struct
from contextlib import contextmanager
from typing import Any

import numpy as np

BRUSH = {"act": "paint", "radius": 0.4, "strength": 0.8, "target": 1.0, "falloff": "smooth", "reach": "skin"}


class Talk:
    """One window: `sets` follows every frame, by the set's number, as the viewport's would."""

    def __init__(self, socket: Any) -> None:
        self.socket = socket
        self.sets: dict[int, np.ndarray] = {}
        self.frames: list[tuple[int, int]] = []
        self.heard: list[dict[str, Any]] = []

    @property
    def values(self) -> np.ndarray:
        """(sites, 4) of the first set."""
        return self.sets[0]

    def say(self, message: dict[str, Any] | str) -> None:
        self.socket.send_text(message if isinstance(message, str) else json.dumps(message))

    def until(self, kind: str) -> dict[str, Any]:
        """Read on until a message of a kind; frames on the way are applied."""
        while True:
            message = self.socket.receive()
            if message["type"] == "websocket.close":
                raise AssertionError(f"closed: {message}")
            if message.get("bytes"):
                self._apply(message["bytes"])
                continue
            told = json.loads(message["text"])
            self.heard.append(told)
            if told["type"] == kind:
                return told
            if told["type"] == "refused" and kind != "refused":
                raise AssertionError(told)

    def _apply(self, data: bytes) -> None:
        magic, kind, number, bits, count, _ = struct.unpack_from("<6I", data)
        assert magic == 0x31464241
        at = 24
        sites: Any = slice(None)
        if kind == 1 and (number not in self.sets or len(self.sets[number]) != count):
            self.sets[number] = np.zeros((count, 4), np.uint16)
        if kind == 0:
            sites = np.frombuffer(data, "<u4", count, at)
            at += 4 * count
        for channel in range(4):
            if bits & (1 << channel):
                self.sets[number][sites, channel] = np.frombuffer(data, "<u2", count, at)
                at += 2 * count
        assert at == len(data)
        self.frames.append((kind, count))

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
