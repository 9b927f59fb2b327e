"""./ash torment: damaged files and kills for some minutes, and what came of it."""

import argparse
import itertools
import os
import shutil
import sys
import time
from collections import Counter
from pathlib import Path

import httpx2 as httpx
import numpy as np
from databases import fresh_database
from limits import HANG
from samples import Sample, small_project
from servers import RealServer

from ashblend.launch.postgres import ensure_database, place_for_data, running_cluster
from ashblend.store.database import connect, migrate, sessions
from torment.bombs import BOMBS, is_heights
from torment.files import Damaged, damaged, damaged_heights
from torment.kills import KillRound, Tally

ROOT = Path(__file__).parents[2]
FILES_A_ROUND = 60
# MB: what a server has of its own, and what a small file may cost.
MOST_MEMORY = 1400


def bomb(turn: int) -> Damaged:
    """One of the small files that once took gigabytes; from the second time on with a few bytes changed."""
    name = list(BOMBS)[turn % len(BOMBS)]
    make, file, _ = BOMBS[name]
    data = make()
    if turn >= len(BOMBS):
        random = np.random.default_rng(turn)
        changed = bytearray(data)
        for at in random.integers(0, len(changed), 3):
            changed[at] = int(random.integers(256))
        data = bytes(changed)
    return Damaged(file, data, "heights" if is_heights(name, file) else "mesh")


def try_file(client: httpx.Client, project: str, file: Damaged) -> tuple[str, str]:
    """Bring a damaged file in; what came of it, and what the server said."""
    if file.kind == "picture":
        form = {"name": "Torn", "roles": ["albedo"]}
        answer = client.post(
            f"/api/projects/{project}/materials", data=form, files=[("files", (file.name, file.data))]
        )
        return (
            "accepted" if answer.status_code == 201 else "refused"
        ), answer.text if answer.status_code != 201 else ""
    if file.kind == "heights":
        return try_heights(client, project, file)
    looked = client.post("/api/meshes", files=[("files", (file.name, file.data))])
    if looked.status_code != 201:
        return ("refused" if looked.status_code < 500 else "failed"), looked.text
    found = looked.json()
    body = {"file": found["file"], "name": found["name"], "placing": found["guess"], "notes": found["notes"]}
    made = client.post(f"/api/projects/{project}/surfaces", json=body)
    if made.status_code != 201:
        return ("refused" if made.status_code < 500 else "failed"), made.text
    # What was let in can be looked at and goes out again.
    surface = made.json()["id"]
    sets = client.get(f"/api/surfaces/{surface}").json()["channel_sets"]
    for path in ("/geometry", f"/export?channel_set={sets[0]['id']}"):
        answer = client.get(f"/api/surfaces/{surface}{path}")
        if answer.status_code != 200:
            return "failed", f"{path}: {answer.text}"
    client.delete(f"/api/surfaces/{surface}").raise_for_status()
    return "accepted", ""


def try_heights(client: httpx.Client, project: str, file: Damaged) -> tuple[str, str]:
    """The same for a height map."""
    looked = client.post("/api/heights", files=[("files", (file.name, file.data))])
    if looked.status_code != 201:
        return ("refused" if looked.status_code < 500 else "failed"), looked.text
    found = looked.json()
    body = {"file": found["file"], "name": found["name"], "taking": {**found["first"], "mend": True}}
    made = client.post(f"/api/projects/{project}/terrains", json=body)
    if made.status_code != 201:
        return ("refused" if made.status_code < 500 else "failed"), made.text
    surface = made.json()["id"]
    for answer in (
        client.get(f"/api/surfaces/{surface}/heights"),
        client.post(f"/api/surfaces/{surface}/export/terrain", json={"mesh": 8}),
    ):
        if answer.status_code != 200:
            return "failed", answer.text
    client.delete(f"/api/surfaces/{surface}").raise_for_status()
    return "accepted", ""


def main() -> int:
    parser = argparse.ArgumentParser(prog="ash torment")
    parser.add_argument("--minutes", type=float, default=10)
    parser.add_argument("--seed", type=int, default=1)
    chosen = parser.parse_args()
    data = place_for_data(ROOT / ".ash" / f"torment-postgres-{os.getpid()}")
    data.parent.mkdir(parents=True, exist_ok=True)
    try:
        with running_cluster(data) as cluster:
            template = connect(ensure_database(cluster, "template_ash"))
            migrate(template)
            template.dispose()
            return _run(RealServer(fresh_database(cluster)), chosen.minutes * 60, chosen.seed)
    finally:
        shutil.rmtree(data, ignore_errors=True)
        data.with_name(f"{data.name}.password").unlink(missing_ok=True)


def _run(server: RealServer, seconds: float, seed: int) -> int:
    sample = small_project(sessions(connect(server.database)))
    server.start()
    try:
        return _torment(server, sample, seconds, seed)
    finally:
        server.kill()


def _torment(server: RealServer, sample: Sample, seconds: float, seed: int) -> int:
    began, deadline = time.monotonic(), time.monotonic() + seconds
    tally, files, failed, peak = Tally(), Counter[str](), [], 0.0
    KillRound(server, sample, seed, tally).warm_up()
    numbers = itertools.count(seed * 1_000_000)
    for turn in itertools.count():
        with httpx.Client(base_url=server.address, timeout=HANG) as client:
            chosen = [
                (n, damaged_heights(n) if n % 4 == 3 else damaged(n))
                for n in itertools.islice(numbers, FILES_A_ROUND)
            ]
            for number, file in [*chosen, (-turn, bomb(turn))]:
                try:
                    what, said = try_file(client, str(sample.project), file)
                except httpx.HTTPError as error:
                    what, said = "failed", repr(error)
                files[what] += 1
                if what == "failed":
                    failed.append(f"file {number} ({file.name}): {said[:300]}")
            client.request("DELETE", "/api/bin").raise_for_status()
        peak = max(peak, server.peak_memory())
        if peak > MOST_MEMORY:
            failed.append(f"round {turn}: the server took {peak:.0f} MB")
            peak = 0.0
        KillRound(server, sample, seed + turn, tally).run(
            0.3 + 1.7 * ((turn * 0.618) % 1), quiet=turn % 2 == 1
        )
        _print(time.monotonic() - began, tally, files, failed, peak)
        if time.monotonic() > deadline or len(failed) > 20:
            break
    for what in (*failed, *tally.lost):
        print(what)
    return 1 if failed or tally.lost or not tally.acknowledged["stroke"] else 0


def _print(seconds: float, tally: Tally, files: Counter[str], failed: list[str], peak: float) -> None:
    done = sum(tally.acknowledged.values())
    print(
        f"{seconds:5.0f} s  kills {tally.kills}, steps acknowledged {done} {dict(tally.acknowledged)}, "
        f"lost {len(tally.lost)}, undecided {tally.undecided}, slowest opening {tally.slowest_opening:.2f} s; "
        f"files {sum(files.values())}: refused {files['refused']}, accepted {files['accepted']}, "
        f"failed {len(failed)}; most memory {peak:.0f} MB",
        flush=True,
    )


if __name__ == "__main__":
    sys.exit(main())
