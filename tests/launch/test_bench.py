"""What is promised to be fast can be measured: every part that needs no server runs, on little."""

import re

import pytest

from ashblend.launch.bench.core import acts, dabs, meshes, on_texels
from ashblend.launch.bench.recipes import recipes
from ashblend.launch.bench.survey import survey
from ashblend.launch.bench.terrain import terrain

PARTS = {
    "dabs": lambda: dabs(3000, 300),
    "acts": lambda: acts(3000, 300),
    "texels": lambda: on_texels(256),
    "recipes": lambda: recipes(256),
    "terrain": lambda: terrain(128),
    "survey": lambda: survey(3000),
    "meshes": lambda: meshes(3000),
}


@pytest.mark.parametrize("part", PARTS)
def test_every_part_of_the_bench_runs_and_tells_times(part, capsys):
    PARTS[part]()
    told = capsys.readouterr().out
    times = [float(number) for number in re.findall(r"([\d.]+) (?:ms|s|M a second)\b", told)]
    assert times and all(time >= 0 for time in times), told
