"""A kind of value of one file (tests/toys/triples.py) goes through everything that holds values.

Its three numbers must never be averaged: whatever happens, a site holds one of those that were painted.
"""

import os
import signal
import subprocess
import sys
from dataclasses import replace
from pathlib import Path
from uuid import UUID

import numpy as np
import pytest
from samples import small_project
from server.sockets import window
from shapes import plane
from toys.triples import PALETTE, TRIPLES, TripleFill

from ashblend.core.brush.document import Brush, PointerSample
from ashblend.core.channels.channel import empty_channel
from ashblend.core.channels.values.registry import VALUES
from ashblend.core.formats.errors import Limits
from ashblend.core.formats.glb_write import build_glb
from ashblend.core.progress import silent
from ashblend.core.sets.document import ChannelDocument, ChannelSetDocument
from ashblend.core.surface.address import ChannelAddress, Protection
from ashblend.core.surface.fills import Fills
from ashblend.core.surface.refusal import Refusal
from ashblend.session import history, plans
from ashblend.session.strokes import Strokes
from ashblend.session.surface import OpenSurface
from ashblend.session.wishes import MakeLevel, RefineLevels, Replace
from ashblend.store.database import connect, sessions
from ashblend.store.surfaces import NewChannelSet, create_surface, get_surface

FIRST, SECOND, THIRD, FOURTH = (11, 200, 3), (60_000, 7, 40_000), (5, 5, 5), (9, 65_535, 1)


@pytest.fixture(autouse=True)
def known(monkeypatch):
    monkeypatch.setitem(VALUES, TRIPLES.name, TRIPLES)


@pytest.fixture
def sample(db):
    """A surface of 33² vertices with a set of one channel of triples."""
    made = small_project(db)
    mesh = plane(33, 2.0, uv=True)
    document = ChannelSetDocument(name="Which", channels=(ChannelDocument(name="Which"),), value="triple")
    empty = empty_channel(mesh.vertex_count, kind=TRIPLES)
    with db.begin() as session:
        before = get_surface(session, made.surface)
        row = create_surface(
            session, made.project, "Kinds", "plane.glb", build_glb(mesh, [], "Plane"), before.facts,
            [NewChannelSet(document, [empty])], mesh,
        )  # fmt: skip
        row.blend_id = before.blend_id
        ident = row.id
    surface = OpenSurface(db, ident)
    return replace(made, surface=ident, channel_set=next(iter(surface.sets)), mesh=mesh)


def on(sample) -> ChannelAddress:
    return ChannelAddress(channel_set=sample.channel_set, channel=0)


def brushed(surface: OpenSurface, sample, numbers, way, act: str = "paint") -> str:
    strokes = Strokes(surface)
    brush = Brush(act=act, radius=0.35, strength=1.0, reach="ball", numbers=numbers)
    strokes.begin("me", "s", on(sample), brush, Protection())
    strokes.extend("me", "s", [PointerSample(position=(x, 0, z), normal=(0, 1, 0)) for x, z in way])
    return strokes.finish("me", "s").label


def held(surface: OpenSurface, ident: UUID) -> np.ndarray:
    values = surface.sets[ident].channels[0].values()
    assert {tuple(v) for v in np.unique(values, axis=0).tolist()} <= PALETTE
    return values


def test_strokes_and_fills_put_numbers_down_whole_and_undo_brings_the_very_ones_back(db, sample):
    surface = OpenSurface(db, sample.surface)
    states = [held(surface, sample.channel_set)]

    def done() -> None:
        states.append(held(surface, sample.channel_set))
        assert not np.array_equal(states[-1], states[-2])

    assert brushed(surface, sample, FIRST, [(0.4, 0.4), (1.6, 1.4)]) == "Paint Which"
    done()
    brushed(surface, sample, SECOND, [(1.6, 0.4), (0.4, 1.4)])
    done()
    assert {tuple(v) for v in np.unique(states[-1], axis=0).tolist()} == {(0, 0, 0), FIRST, SECOND}
    fill = TripleFill(numbers=THIRD, below=0.7)
    found = surface.set_of(sample.channel_set)
    delta = Fills(surface.shape, surface.sets).delta(found, 0, fill, None, None)
    surface.keep("fill", "Fill", [(sample.channel_set, delta)])
    done()
    assert (states[-1][sample.mesh.positions[:, 0] < 0.7] == THIRD).all()
    brushed(surface, sample, FIRST, [(1.0, 0.2), (1.0, 1.8)], "erase")
    done()
    for before in states[-2::-1]:
        history.step(surface, "undo")
        np.testing.assert_array_equal(held(surface, sample.channel_set), before)
    for after in states[1:]:
        history.step(surface, "redo")
        np.testing.assert_array_equal(held(surface, sample.channel_set), after)
    surface.checkpoint()
    again = OpenSurface(db, sample.surface)
    np.testing.assert_array_equal(held(again, sample.channel_set), states[-1])
    with pytest.raises(Refusal, match="cannot be painted like this"):
        brushed(surface, sample, FIRST, [(1, 1)], "smooth")
    with pytest.raises(Refusal, match="cannot be painted like this"):
        brushed(surface, sample, None, [(1, 1)])


KILLED = """
import os, signal, sys
from toys.triples import TRIPLES
from ashblend.core.channels.values.registry import VALUES
VALUES[TRIPLES.name] = TRIPLES
from server.test_new_value import FOURTH, brushed
from ashblend.session.surface import OpenSurface
from ashblend.store.database import connect, sessions
from types import SimpleNamespace
from uuid import UUID
surface = OpenSurface(sessions(connect(sys.argv[1])), UUID(sys.argv[2]))
print(brushed(surface, SimpleNamespace(channel_set=UUID(sys.argv[3])), FOURTH, [(0.3, 1.0), (1.7, 1.0)]), flush=True)
os.kill(os.getpid(), signal.SIGKILL)
"""


def test_what_was_acknowledged_outlives_a_kill(database, db, sample):
    tests = Path(__file__).parents[1]
    run = subprocess.run(
        [sys.executable, "-c", KILLED, database, str(sample.surface), str(sample.channel_set)],
        env={**os.environ, "PYTHONPATH": os.pathsep.join([str(tests.parent / "src"), str(tests)])},
        capture_output=True,
        text=True,
        check=False,
    )
    assert run.returncode == -signal.SIGKILL and run.stdout == "Paint Which\n", run.stderr[-2000:]
    values = held(OpenSurface(sessions(connect(database)), sample.surface), sample.channel_set)
    assert {tuple(v) for v in np.unique(values, axis=0).tolist()} == {(0, 0, 0), FOURTH}


def worked_out(surface: OpenSurface, wish, data: bytes | None = None) -> None:
    _, work = plans.work_for(surface, wish, data, Limits())
    plans.keep(surface, work(silent))


def test_refined_on_levels_and_on_another_mesh_numbers_are_never_averaged(db, sample):
    surface = OpenSurface(db, sample.surface)
    brushed(surface, sample, FIRST, [(0.4, 0.4), (1.6, 1.4)])
    brushed(surface, sample, SECOND, [(1.6, 0.4), (0.4, 1.4)])
    coarse = held(surface, sample.channel_set)
    worked_out(surface, RefineLevels(levels=1))
    fine = held(surface, sample.channel_set)
    assert len(fine) == 65**2
    np.testing.assert_array_equal(fine[: 33**2], coarse)
    worked_out(surface, MakeLevel(triangles=900))
    level = next(s for s in surface.sets.values() if s.follows == sample.channel_set)
    carried = held(surface, level.id)
    assert {tuple(v) for v in np.unique(carried, axis=0).tolist()} == {(0, 0, 0), FIRST, SECOND}
    # What is painted on level 0 is carried down at once, and so is taking it back.
    brushed(surface, sample, FOURTH, [(0.2, 1.0), (1.8, 1.0)])
    assert (held(surface, level.id) == FOURTH).all(axis=1).any()
    history.step(surface, "undo")
    np.testing.assert_array_equal(held(surface, level.id), carried)
    # Another mesh of the same place, whose vertices lie between the old ones.
    other = plane(48, 2.0, uv=True)
    worked_out(surface, Replace(file_name="new.glb"), build_glb(other, [], "New"))
    moved = held(surface, sample.channel_set)
    assert len(moved) == 48**2 and {tuple(v) for v in np.unique(moved, axis=0).tolist()} == {
        (0, 0, 0),
        FIRST,
        SECOND,
    }
    again = OpenSurface(db, sample.surface)
    np.testing.assert_array_equal(held(again, sample.channel_set), moved)
    for _ in range(3):
        history.step(surface, "undo")
    np.testing.assert_array_equal(held(surface, sample.channel_set), coarse)


def test_windows_are_sent_all_numbers_of_every_site(client, db, sample):
    """At first, as a stroke goes on, and a whole tile of one value."""
    with window(client, sample) as talk:
        assert talk.sets[0].shape[1] == 12 and not talk.sets[0].any()
        begin = {"type": "begin", "stroke": "a", "on": on(sample).model_dump(mode="json")}
        brush = {"act": "paint", "radius": 0.4, "strength": 1.0, "reach": "ball", "numbers": SECOND}
        talk.say({**begin, "brush": brush})
        at = [{"position": [x, 0, 1.0], "normal": [0, 1, 0]} for x in (0.5, 1.5)]
        talk.say({"type": "extend", "stroke": "a", "samples": at})
        talk.say({"type": "end", "stroke": "a"})
        talk.until("saved")
        painted = talk.sets[0][:, :3].copy()
    values = held(OpenSurface(db, sample.surface), sample.channel_set)
    np.testing.assert_array_equal(painted, values)
    with window(client, sample) as talk:
        np.testing.assert_array_equal(talk.sets[0][:, :3], values)
        talk.say({**begin, "brush": {**brush, "act": "smear"}})
        assert "cannot be painted like this" in talk.until("refused")["problem"]
        # What only weights know is refused, and changes nothing.
        address = on(sample).model_dump(mode="json")
        even = {"terms": [{"source": {"kind": "constant", "value": 1}}]}
        for message in (
            {"type": "fill", "on": address, "fill": {"kind": "even", "weight": 1}},
            {"type": "measure", "on": address, "recipe": even},
        ):
            talk.say(message)
            assert talk.until_any("refused", "saved").get("problem") == "Which holds no weights."
        url = f"/api/surfaces/{sample.surface}/export"
        answer = client.get(url, params={"channel_set": str(sample.channel_set), "kind": "glb"})
        assert answer.status_code == 409 and "holds no weights" in answer.json()["problem"]
    np.testing.assert_array_equal(held(OpenSurface(db, sample.surface), sample.channel_set), values)


def painted(talk, sample, numbers, places, **more) -> None:
    talk.stroke(
        sample, places, **{"act": "paint", "strength": 1.0, "reach": "ball", "numbers": numbers, **more}
    )


def test_two_windows_see_the_same_numbers_also_when_one_is_lost_in_the_middle_of_a_stroke(client, db, sample):
    with window(client, sample) as other:
        with window(client, sample) as talk:
            for step in (
                lambda: painted(talk, sample, FIRST, [(0.4, 1.0), (1.6, 1.0)]),
                lambda: painted(talk, sample, SECOND, [(1.0, 0.4), (1.0, 1.6)]),
                lambda: talk.say({"type": "undo"}) or talk.until("saved"),
                lambda: talk.say({"type": "redo"}) or talk.until("saved"),
            ):
                before = talk.sets[0].copy()
                step()
                other.until("saved")
                assert not np.array_equal(talk.sets[0], before)
                np.testing.assert_array_equal(other.sets[0], talk.sets[0])
            kept = talk.sets[0].copy()
            brush = {"act": "paint", "radius": 0.5, "strength": 1.0, "reach": "ball", "numbers": THIRD}
            begin = {"type": "begin", "stroke": "lost", "on": on(sample).model_dump(mode="json")}
            talk.say({**begin, "brush": brush})
            sample_at = {"position": [0.2, 0, 0.2], "normal": [0, 1, 0]}
            talk.say({"type": "extend", "stroke": "lost", "samples": [sample_at]})
            while np.array_equal(talk.sets[0], kept):
                talk._apply(talk._receive()["bytes"])
        # Its window is gone: what its artist had seen is kept, everywhere.
        other.until("saved")
        painted(other, sample, FOURTH, [(1.8, 1.8)])
        assert (other.sets[0][:, :3] == THIRD).all(axis=1).any()
        last = other.sets[0][:, :3].copy()
    np.testing.assert_array_equal(held(OpenSurface(db, sample.surface), sample.channel_set), last)


def test_protection_and_hard_borders_hold_for_numbers_that_cannot_be_mixed(client, db, sample):
    mesh = sample.mesh
    right = np.flatnonzero(mesh.positions[mesh.triangles].mean(axis=1)[:, 0] > 1.0)
    url = f"/api/surfaces/{sample.surface}/groups"
    faces = {"unit": "face", "picked": right.tolist()}
    client.post(url, json={"kind": "faces", "name": "right", "faces": faces}).raise_for_status()
    with window(client, sample) as talk:
        painted(talk, sample, FIRST, [(0.6, 1.0), (1.4, 1.0)], protect={"groups": ["right"]})
        x = mesh.positions[:, 0]
        values = held(OpenSurface(db, sample.surface), sample.channel_set)
        there = (values == FIRST).all(axis=1)
        assert there[x < 0.99].any() and not there[x > 1.01].any()
    client.post(url, json={"kind": "hard", "groups": ["right"], "on": True}).raise_for_status()
    with window(client, sample) as talk:
        painted(talk, sample, SECOND, [(1.3, 1.0)], radius=0.9, reach="skin")
        surface = OpenSurface(db, sample.surface)
        values = held(surface, sample.channel_set)
        x = surface.shape.mesh.positions[:, 0]
        there = (values == SECOND).all(axis=1)
        assert there[x > 1.01].any() and not there[x < 0.99].any(), "the border is hard"
        assert (values[x < 0.99] == FIRST).all(axis=1).any(), "and what was there still is"
        talk.say({"type": "undo"})
        talk.until("saved")
    np.testing.assert_array_equal(
        held(OpenSurface(db, sample.surface), sample.channel_set) == SECOND, np.zeros_like(values, bool)
    )


def test_a_copy_on_a_map_holds_whole_numbers_and_is_painted_and_undone_as_they_are(client, db, sample):
    with window(client, sample) as talk:
        painted(talk, sample, FIRST, [(0.5, 1.0)], radius=0.4, falloff="flat")
        painted(talk, sample, SECOND, [(1.5, 1.0)], radius=0.4, falloff="flat")
        new = {"name": "Map", "sites": {"kind": "texels", "size": 256}, "copy_of": str(sample.channel_set)}
        client.post(f"/api/surfaces/{sample.surface}/sets", json=new).raise_for_status()
        talk.until("reshaped")
    surface = OpenSurface(db, sample.surface)
    on_map = next(i for i, s in surface.sets.items() if s.document.name == "Map")
    copied = held(surface, on_map)
    assert {tuple(v) for v in np.unique(copied, axis=0).tolist()} == {(0, 0, 0), FIRST, SECOND}
    area = (copied == FIRST).all(axis=1).mean() * 4
    assert area == pytest.approx(np.pi * 0.4**2, rel=0.1)
    with window(client, sample) as talk:
        painted(talk, sample, THIRD, [(1.0, 0.4), (1.0, 1.6)], channel_set=on_map)
        painted(talk, sample, None, [(0.5, 1.0)], channel_set=on_map, act="erase", radius=0.2)
        now = held(OpenSurface(db, sample.surface), on_map)
        assert {tuple(v) for v in np.unique(now, axis=0).tolist()} == {(0, 0, 0), FIRST, SECOND, THIRD}
        for _ in range(2):
            talk.say({"type": "undo"})
            talk.until("saved")
    np.testing.assert_array_equal(held(OpenSurface(db, sample.surface), on_map), copied)
