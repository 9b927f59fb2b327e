"""Database sessions that cannot be opened on the loop.

The loop serves every window: a session on it that waits for a row which somebody else holds would stop them all, for as
long. So none can be made there, by whatever way it is asked for; async code sends its work to a thread.
"""

import asyncio
from typing import Any

from sqlalchemy import Engine
from sqlalchemy.orm import Session, sessionmaker

from ashblend.store.database import Sessions


class OnTheLoop(RuntimeError):
    """A fault of the program: async code asked for a database session."""


class OffLoopSession(Session):
    """A session of a thread without a loop. Raises OnTheLoop on one with a loop."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        try:
            asyncio.get_running_loop()
        except RuntimeError:
            super().__init__(*args, **kwargs)
            return
        raise OnTheLoop("The loop must not wait for the database: send this to a thread.")


def off_loop_sessions(engine: Engine) -> Sessions:
    return sessionmaker(engine, class_=OffLoopSession, expire_on_commit=False)
