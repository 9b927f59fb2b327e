"""A full disk: refused in words, nothing half-written, and on again when there is room.

Needs a small file system of its own (tmpfs), which only root may make; without it the test is skipped, and says so.
"""

import contextlib
import os
import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path

import cv2
import httpx2 as httpx
import numpy as np
import psycopg
import pytest
from limits import HANG
from samples import small_project
from servers import RealServer
from sqlalchemy import select
from sqlalchemy.orm import sessionmaker

from ashblend.launch.postgres import Server
from ashblend.store.database import connect, migrate
from ashblend.store.models import Blob, Surface

ROOM_MB = 60


@pytest.fixture
def small_disk(tmp_path: Path) -> Iterator[Path]:
    place = Path(f"/tmp/ash-small-disk-{os.getpid()}")
    place.mkdir()
    made = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", f"size={ROOM_MB}m,mode=0777", "tmpfs", str(place)],
        capture_output=True,
        check=False,
    )
    if made.returncode:
        place.rmdir()
        pytest.skip("no file system of its own can be mounted here")
    yield place
    subprocess.run(["umount", "-l", str(place)], check=False, capture_output=True)
    shutil.rmtree(place, ignore_errors=True)


@pytest.fixture
def crowded(cluster: Server, small_disk: Path) -> Iterator[str]:
    """URL of a database whose tables lie on the small disk."""
    space = small_disk / "space"
    space.mkdir(mode=0o777)
    os.chmod(space, 0o777)
    if os.geteuid() == 0:
        shutil.chown(space, "postgres")
    url = cluster.url("postgres").replace("postgresql+psycopg", "postgresql")
    name = f"crowded_{os.getpid()}"
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute(f"create tablespace {name} location '{space}'")
        connection.execute(f"create database {name} tablespace {name}")
        yield cluster.url(name)
        connection.execute(f"drop database {name} with (force)")
        connection.execute(f"drop tablespace {name}")


def test_a_full_disk_is_said_nothing_is_half_kept_and_it_goes_on_with_room(crowded, small_disk):
    engine = connect(crowded)
    migrate(engine)
    made = sessionmaker(engine, expire_on_commit=False)
    sample = small_project(made)
    server = RealServer(crowded)
    server.start()
    url = f"{server.address}/api/projects/{sample.project}"
    try:
        random = np.random.default_rng(1)
        kept = 0
        for _ in range(40):
            # Points and no faces but one: large, and quick to read.
            points = random.random((260_000, 3)).astype("<f4")
            head = (
                "ply\nformat binary_little_endian 1.0\nelement vertex 260000\nproperty float x\nproperty float y\n"
                "property float z\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n"
            )
            data = head.encode() + points.tobytes() + b"\x03" + np.array([0, 1, 2], "<i4").tobytes()
            answer = httpx.post(
                f"{server.address}/api/meshes", files={"files": ("points.ply", data)}, timeout=HANG
            )
            if answer.status_code != 201:
                break
            kept += 1
        assert kept > 1 and answer.status_code == 507, answer.text
        assert answer.json()["problem"] == "The disk is full." and "Make room" in answer.json()["remedy"]
        with made() as session:
            sizes = {b.sha: b.size for b in session.scalars(select(Blob))}
            from ashblend.store.blobs import get_blob

            assert all(len(get_blob(session, sha)) == size for sha, size in sizes.items())
            assert len(session.scalars(select(Surface)).all()) == 1
        # What needs little room or none goes on.
        assert httpx.get(url).status_code == 200
        # PostgreSQL needs a page to clean up, so room has to come from elsewhere.
        subprocess.run(["mount", "-o", f"remount,size={ROOM_MB + 30}m", str(small_disk)], check=True)
        again = httpx.post(
            f"{server.address}/api/meshes", files={"files": ("points.ply", data)}, timeout=HANG
        )
        assert again.status_code == 201
    finally:
        server.kill()
        engine.dispose()


def test_a_disk_that_is_full_under_the_databases_own_log_is_said_and_it_goes_on_by_itself_with_room(
    commands, small_disk
):
    """PostgreSQL stops when it cannot write its log; what it had acknowledged is there when it runs again."""
    subprocess.run(["mount", "-o", "remount,size=150m", str(small_disk)], check=True)
    command = commands(folder=small_disk / "data")
    address = command.address()

    def bring(number: int) -> httpx.Response:
        picture = np.random.default_rng(number).integers(0, 255, (600, 600), np.uint8)
        files = {"file": (f"{number}.png", cv2.imencode(".png", picture)[1].tobytes())}
        url = f"{address}/api/projects/{project}/stencils"
        return httpx.post(url, files=files, data={"name": f"Stencil {number}"}, timeout=HANG)

    project = httpx.post(f"{address}/api/projects", json={"name": "Kept"}, timeout=HANG).json()["id"]
    assert bring(0).status_code == 201
    with (small_disk / "filler").open("wb") as filler, contextlib.suppress(OSError):
        while shutil.disk_usage(small_disk).free > 3_000_000:
            filler.write(bytes(1_000_000))
            filler.flush()
    kept = 1
    for number in range(1, 400):
        answer = bring(number)
        if answer.status_code != 201:
            break
        kept += 1
    assert answer.status_code in (503, 507), answer.text
    remedies = {answer.json()["remedy"]}
    command.line("disk is full")
    remedies.add(bring(500).json()["remedy"])
    assert any("Make room" in remedy for remedy in remedies), remedies
    (small_disk / "filler").unlink()
    command.line("there again")
    found = httpx.get(f"{address}/api/projects/{project}", timeout=HANG).json()
    assert len(found["stencils"]) >= kept
    assert bring(501).status_code == 201
    assert command.stopped(15) == 0
