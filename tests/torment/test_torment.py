"""Some hundreds of damaged files and a few kills; ./ash torment does thousands and for long."""

import io
import re
import resource
import zipfile
from collections import Counter
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from samples import small_project
from servers import RealServer

from ashblend.core.formats.attribute import ExportAttribute
from ashblend.core.formats.budget import LEAST, Budget
from ashblend.core.formats.bundle import one_file
from ashblend.core.formats.errors import FormatError, Limits
from ashblend.core.formats.glb_write import add_to_glb, build_glb
from ashblend.core.formats.heights.read import read_grids
from ashblend.core.formats.heights.stored import packed_files, unpacked_files
from ashblend.core.formats.images import read_image
from ashblend.core.formats.intake import take_in
from ashblend.core.formats.registry import read_mesh
from ashblend.core.formats.terrain_read import is_package, read_package
from ashblend.core.formats.unzip import unzipped
from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.core.terrain.taken import Taking, taken
from torment.bombs import BOMBS, flat_heights, is_heights, wide_but_whole
from torment.files import HEIGHTS, SEEDS, Damaged, damaged, damaged_heights
from torment.kills import KillRound, Tally

FILES = 440
LIMITS = Limits()


def brought_in(file: Damaged) -> str:
    """Through everything that an import does and that an export does again."""
    try:
        if file.kind == "picture":
            read_image(file.data, "The map", 64)
            return "accepted"
        bundle = one_file([(file.name, file.data)], LIMITS)
        mesh = read_mesh(bundle.name, bundle.data, LIMITS)
    except FormatError as error:
        assert error.problem.strip() and error.remedy.strip()
        # Nothing of what it is written in.
        assert not re.search(r"int\(|\bdict\b|NoneType|object has no|0x|Traceback", error.problem), (
            error.problem
        )
        return "refused"
    streams = [mesh.positions, *mesh.uvs, *(c.values for c in mesh.colours), *mesh.attributes.values()]
    assert all(np.isfinite(stream).all() for stream in streams)
    take_in(mesh, mesh_vertices(mesh))
    weights = ExportAttribute("_MASK7", np.zeros((mesh.vertex_count, 4), np.float32), 8)
    again = (
        add_to_glb(bundle.data, [weights])
        if bundle.name.endswith(".glb")
        else build_glb(mesh, [weights], "A")
    )
    assert read_mesh("again.glb", again).vertex_count == mesh.vertex_count
    return "accepted"


@pytest.mark.parametrize("seed", list(SEEDS))
def test_damaged_files_are_refused_or_read_and_nothing_else(seed):
    number = list(SEEDS).index(seed)
    came = Counter(brought_in(damaged(n)) for n in range(number, FILES, len(SEEDS)))
    assert came.total() == FILES // len(SEEDS)
    assert came["refused"] > 0, came
    # The seed itself is whole.
    kind = damaged(number).kind
    assert brought_in(Damaged(seed, SEEDS[seed](), kind)) == ("refused" if seed == "one.gltf" else "accepted")


def heights_in(file: Damaged) -> str:
    """Through everything that bringing heights in does."""
    try:
        name, data = packed_files({file.name: file.data}, LIMITS)
        files = unpacked_files(name, data)
        read = read_package(files) if is_package(files) else None
        grid = read.grid if read else read_grids(files)
        taking = read.taking if read else Taking(high=10.0)
        terrain = taken(grid.values, grid.most, taking.model_copy(update={"mend": True}))
    except FormatError as error:
        assert error.problem.strip() and error.remedy.strip()
        assert not re.search(r"int\(|\bdict\b|NoneType|object has no|0x|Traceback", error.problem), (
            error.problem
        )
        return "refused"
    except ValueError as error:
        # In words for the artist, too.
        assert "There" in str(error) or "heights" in str(error), error
        return "refused"
    assert np.isfinite(terrain.heights).all()
    return "accepted"


@pytest.mark.parametrize("seed", list(HEIGHTS))
def test_damaged_heights_are_refused_or_read_and_nothing_else(seed):
    number = list(HEIGHTS).index(seed)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    came = Counter(heights_in(damaged_heights(n)) for n in range(number, 40 * len(HEIGHTS), len(HEIGHTS)))
    assert came.total() == 40 and came["refused"] > 0, came
    assert heights_in(Damaged(seed, HEIGHTS[seed](), "heights")) == "accepted"
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 1_200_000


# What ./ash torment found, each mended since.
FOUND = (1_001_871,)


@pytest.mark.parametrize("number", FOUND)
def test_files_that_once_ended_in_an_error_are_refused(number):
    assert brought_in(damaged(number)) == "refused"


def test_a_png_whose_chunk_claims_to_be_large_takes_no_memory_for_it():
    """1.8 kB that claim 2.8 GB of pixels' data, and took them before."""
    found = damaged(7_003_070)
    assert len(found.data) < 2000
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    assert brought_in(found) == "refused"
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 200_000


def test_what_was_acknowledged_outlives_every_kill(database, db):
    sample, server, tally = small_project(db), RealServer(database), Tally()
    server.start()
    try:
        KillRound(server, sample, 99, tally).warm_up()
        tally.acknowledged.clear()
        # Loading takes as long as the machine lets it; what was painted since must hardly add to that.
        server.kill()
        server.start()
        first = KillRound(server, sample, 99, tally).opening()
        for turn in range(5):
            KillRound(server, sample, turn, tally).run(0.2 * turn, steps=6, quiet=turn % 2 == 1)
        again = []
        for _ in range(3):
            server.kill()
            server.start()
            again.append(KillRound(server, sample, 99, tally).opening())
    finally:
        server.kill()
    assert tally.lost == []
    assert tally.kills == 5 and tally.acknowledged["stroke"] > 5 and sum(tally.acknowledged.values()) >= 20, (
        tally
    )
    # Against the same opening before, in the same run; the least of three, as others may be at work.
    assert min(again) < 2.5 * first


def peak_of(work: Callable[[], str]) -> tuple[str, int]:
    """What work says, and bytes that it took at most beyond those in use before."""

    def held(what: str) -> int:
        lines = Path("/proc/self/status").read_text().splitlines()
        return 1024 * int(next(line for line in lines if line.startswith(what)).split()[1])

    Path("/proc/self/clear_refs").write_text("5")
    before = held("VmRSS")
    said = work()
    return said, held("VmHWM") - before


@pytest.mark.parametrize("name", list(BOMBS))
def test_a_small_file_costs_a_gigabyte_at_most(name):
    make, file, outcome = BOMBS[name]
    data = make()
    assert len(data) < 10_000_000
    into = heights_in if is_heights(name, file) else brought_in
    came, most = peak_of(lambda: into(Damaged(file, data)))
    assert came == outcome and most < 600_000_000, (came, most)


@pytest.mark.parametrize("make, name", [(flat_heights, "a.png"), (wide_but_whole, "a.exr")])
def test_what_is_small_and_honest_is_read_and_costs_no_more(make, name):
    came, most = peak_of(lambda: heights_in(Damaged(name, make(), "heights")))
    assert came == "accepted" and most < 1_000_000_000, most


def test_one_budget_holds_for_the_whole_upload():
    """Each of many parts within what one alone may be, and all together not."""
    piece = {f"part{n}.bin": bytes(LEAST // 8) for n in range(9)}
    assert len(one_upload(dict(list(piece.items())[:7]))) == 7
    with pytest.raises(FormatError, match="far more"):
        one_upload(piece)


def one_upload(parts: dict[str, bytes]) -> dict[str, bytes]:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        for name, data in parts.items():
            archive.writestr(name, data)
    return unzipped("a.zip", out.getvalue(), Limits(), Budget(len(out.getvalue())))
