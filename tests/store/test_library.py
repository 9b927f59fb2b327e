"""The script of docs/library.md: a project is worked on without a server."""

import os
import re
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
from samples import small_project
from shapes import plane

from ashblend.core.formats.errors import Limits
from ashblend.core.formats.glb import read_glb
from ashblend.session.surface import OpenSurface

ROOT = Path(__file__).parents[2]


def test_the_script_measures_paints_takes_back_and_exports(database, db, tmp_path):
    flat = plane(33, 2.0, uv=True)
    valley = flat.positions.copy()
    valley[:, 1] = np.abs(valley[:, 0] - 1)
    sample = small_project(db, replace(flat, positions=valley, normals=None))
    (script,) = re.findall(r"```python\n(.*?)```", (ROOT / "docs" / "library.md").read_text(), re.DOTALL)
    blocked = "import sys\nfor name in ('fastapi', 'starlette', 'uvicorn'):\n    sys.modules[name] = None\n"
    (tmp_path / "script.py").write_text(blocked + script)
    run = subprocess.run(
        [sys.executable, "script.py", database],
        cwd=tmp_path,
        env={**os.environ, "PYTHONPATH": str(ROOT / "src")},
        capture_output=True,
        text=True,
        check=False,
    )
    assert run.returncode == 0, run.stderr[-3000:]
    assert run.stdout.splitlines()[:5] == [
        "Test 1089 vertices",
        "Undercoat of Channel G",
        "Paint Channel R",
        "Undid: Paint Channel R",
        "Redid: Paint Channel R",
    ]
    exported = read_glb((tmp_path / "painted.glb").read_bytes(), Limits())
    (weights,) = (c.values for c in exported.colours)
    # What was exported is what whoever opens the surface next finds: a stroke in R, an undercoat without paint in G.
    found = OpenSurface(db, sample.surface).sets[sample.channel_set]
    for number in range(4):
        held = found.channels[number].values() / 65535
        np.testing.assert_allclose(weights[:, number], held, atol=1 / 65535)
    assert found.channels[0].cover.any() and not found.channels[1].cover.any()
    assert found.channels[1].values().any()
