"""What a forked server finds ready: what it would import at its first request, and the compiler at work.

Half a second of a processor for each server otherwise. No kernel that runs on several threads: those do not survive a fork.
"""

import gc

import alembic.command
import anyio._backends._asyncio
import cv2
import numba
import scipy.linalg
import scipy.ndimage
import scipy.spatial
import uvicorn.lifespan.on
import uvicorn.loops.auto

from ashblend.server import app

__all__ = ["alembic", "anyio", "app", "cv2", "scipy", "uvicorn"]


@numba.njit
def _one() -> int:
    return 1


_one()
# Pages of what stands are then shared with every server, where one round of collecting would copy them all.
gc.collect()
gc.freeze()
